//! Logins of a host: people's, with the keys that open them.

use std::collections::HashMap;

use super::found_host::{FoundHost, FoundLogin};
use super::host_files::HostFiles;

/// The first number of a person (Debian Policy 9.2.2), and the number that stands for nobody.
const FIRST_PERSON: u32 = 1000;
const NOBODY: u32 = 65534;

/// Reads who can log in.
pub(super) fn read(files: &dyn HostFiles, host: &mut FoundHost) {
    let Some(passwd) = files.text("etc/passwd") else { return };
    let groups = files.text("etc/group").unwrap_or_default();
    let shadow = zeroize::Zeroizing::new(files.text("etc/shadow").unwrap_or_default());
    // Whether there is a hash, never the hash itself.
    let has_hash: HashMap<&str, bool> = shadow
        .lines()
        .filter_map(|line| {
            let mut fields = line.split(':');
            let (name, hash) = (fields.next()?, fields.next()?);
            Some((name, !hash.is_empty() && !hash.starts_with(['!', '*'])))
        })
        .collect();
    let admins = |name: &str| {
        groups.lines().any(|line| {
            let fields: Vec<&str> = line.split(':').collect();
            matches!(fields.as_slice(), ["sudo" | "wheel" | "admin", _, _, members] if members.split(',').any(|one| one == name))
        })
    };
    for line in passwd.lines() {
        let fields: Vec<&str> = line.split(':').collect();
        let [name, _, number, _, comment, home, shell] = fields.as_slice() else { continue };
        let number: u32 = number.parse().unwrap_or(0);
        if number == 0
            && files
                .text(&format!("{}/.ssh/authorized_keys", home.trim_start_matches('/')))
                .is_some_and(|keys| !keys.trim().is_empty())
        {
            host.left_out.push(format!("the keys of {name}"));
        }
        if !(FIRST_PERSON..NOBODY).contains(&number) || shell.ends_with("nologin") || shell.ends_with("false")
        {
            continue;
        }
        let path = format!("{}/.ssh/authorized_keys", home.trim_start_matches('/'));
        let keys = files.text(&path).unwrap_or_default();
        let keys = keys.lines().map(str::trim).filter(|line| !line.is_empty() && !line.starts_with('#'));
        if !shell.ends_with("/bash") {
            host.left_out.push(format!("the shell {shell} of {name}"));
        }
        let login = FoundLogin {
            name: (*name).to_owned(),
            full_name: comment.split(',').next().unwrap_or_default().to_owned(),
            is_admin: admins(name),
            ssh_keys: keys.map(str::to_owned).collect(),
            has_password: has_hash.get(name).copied().unwrap_or(false),
            changes_at_first_login: false,
        };
        // What only a password opens is the image's own, most often, and nobody can read that back.
        match (login.ssh_keys.is_empty(), login.has_password) {
            (false, _) => host.logins.push(login),
            (true, true) => {
                host.left_out.push(format!("the login {name}, which a password opens and no key"));
            }
            (true, false) => {}
        }
    }
}
