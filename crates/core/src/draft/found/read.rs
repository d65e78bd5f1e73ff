//! A host read from its files.

use impostazione_text::Source;

use super::found_host::{FoundHost, FoundLogin};
use super::host_files::{FilesInMemory, HostFiles};
use super::{dhcpcd, interfaces, logins, manager, netplan, networkd, settings};
use crate::output::{HostContent, HostOutput};

/// A reader of network files: what they are called, and whether they make links.
type Reader = (&'static str, fn(&dyn HostFiles, &mut FoundHost) -> bool);

/// The readers, the one that counts first.
const READERS: [Reader; 5] = [
    ("netplan", netplan::read),
    ("systemd-networkd", networkd::read),
    ("ifup", interfaces::read),
    ("NetworkManager", manager::read),
    ("dhcpcd", dhcpcd::read),
];

/// A host by the files of its root filesystem. `from` is what messages call it.
pub fn host_from_files(from: &str, files: &dyn HostFiles) -> FoundHost {
    let mut host = links_of(from, files);
    networkd::read_names(files, &mut host);
    settings::read(files, &mut host);
    logins::read(files, &mut host);
    host
}

/// The links of a host, by the first program that sets some up. What others have to say is named.
fn links_of(from: &str, files: &dyn HostFiles) -> FoundHost {
    let mut host = FoundHost { from: from.to_owned(), ..FoundHost::default() };
    let mut by: Option<&str> = None;
    for (called, read) in READERS {
        let mut tried = FoundHost { from: from.to_owned(), ..FoundHost::default() };
        if !read(files, &mut tried) {
            continue;
        }
        match by {
            None => {
                by = Some(called);
                host = tried;
            }
            Some(first) => {
                let is_same = tried.links.iter().all(|link| host.links.contains(link));
                if !is_same {
                    host.left_out.push(format!("files of {called}, since those of {first} set links up"));
                }
            }
        }
    }
    host
}

/// A host by netplan files alone. Its name is that of a single file, where that is no number.
pub fn host_from_netplan(from: &str, name: Option<&str>, files: Vec<(String, String)>) -> FoundHost {
    let mut host = FoundHost { from: from.to_owned(), name: name.map(str::to_owned), ..FoundHost::default() };
    let sources = files.into_iter().map(|(name, text)| Source::new(name, text)).collect();
    netplan::take(sources, &mut host);
    settings::read(&FilesInMemory::default(), &mut host);
    host
}

/// A host by an output that was rendered for it before.
pub fn host_from_output(from: &str, output: &HostOutput) -> FoundHost {
    let mut files = FilesInMemory::default();
    for file in &output.files {
        match &file.content {
            HostContent::Bytes(bytes) => {
                files.add(file.path.to_string(), String::from_utf8_lossy(bytes).into_owned());
            }
            HostContent::Link(target) => files.add_link(file.path.to_string(), target.clone()),
        }
    }
    let mut host = host_from_files(from, &files);
    host.logins = output
        .accounts
        .accounts
        .iter()
        .map(|account| FoundLogin {
            name: account.name.clone(),
            full_name: account.full_name.clone(),
            is_admin: account.admin,
            ssh_keys: account.ssh_keys.clone(),
            has_password: account.password_hash.is_some(),
            changes_at_first_login: account.change_at_first_login,
        })
        .collect();
    host
}
