//! The name of a host, its time and its language.

use super::found_host::FoundHost;
use super::host_files::HostFiles;
use super::ini::{sections, values};
use crate::host::SSHD_PATH;

/// Files and folders that name time servers for systemd-timesyncd.
const TIMESYNCD: &str = "etc/systemd/timesyncd.conf";
const TIMESYNCD_FOLDER: &str = "etc/systemd/timesyncd.conf.d";
/// Files of chrony.
const CHRONY: [&str; 2] = ["etc/chrony/chrony.conf", "etc/chrony.conf"];
const CHRONY_FOLDERS: [(&str, &str); 2] =
    [("etc/chrony/conf.d", ".conf"), ("etc/chrony/sources.d", ".sources")];
/// Files that name DNS servers for the whole host.
const RESOLVED: &str = "etc/systemd/resolved.conf";
const RESOLVED_FOLDER: &str = "etc/systemd/resolved.conf.d";

/// Reads what a host is called and how it keeps time.
pub(super) fn read(files: &dyn HostFiles, host: &mut FoundHost) {
    name(files, host);
    time(files, host);
    lookups(files, host);
    ssh(files, host);
    host.timezone = files
        .target("etc/localtime")
        .and_then(|target| target.split_once("zoneinfo/").map(|(_, zone)| zone.to_owned()))
        .or_else(|| first_line(files, "etc/timezone"));
    host.locale =
        ["etc/locale.conf", "etc/default/locale"].into_iter().find_map(|path| value_in(files, path, "LANG"));
    host.keyboard = value_in(files, "etc/default/keyboard", "XKBLAYOUT")
        .or_else(|| value_in(files, "etc/vconsole.conf", "KEYMAP"))
        .map(|layouts| layouts.split(',').next().unwrap_or_default().to_owned())
        .filter(|layout| !layout.is_empty());
}

fn first_line(files: &dyn HostFiles, path: &str) -> Option<String> {
    let text = files.text(path)?;
    let line = text.lines().map(str::trim).find(|line| !line.is_empty() && !line.starts_with('#'))?;
    Some(line.to_owned())
}

fn value_in(files: &dyn HostFiles, path: &str, key: &str) -> Option<String> {
    let text = files.text(path)?;
    let value = text.lines().find_map(|line| line.trim().strip_prefix(key)?.strip_prefix('='))?;
    Some(value.trim().trim_matches(['"', '\'']).to_owned()).filter(|value| !value.is_empty())
}

fn name(files: &dyn HostFiles, host: &mut FoundHost) {
    let Some(written) = first_line(files, "etc/hostname").filter(|name| name != "localhost") else { return };
    let (name, domain) = match written.split_once('.') {
        Some((name, domain)) => (name.to_owned(), Some(domain.to_owned())),
        None => (written, None),
    };
    // The full name stands in front of the short one.
    let in_hosts = files.text("etc/hosts").and_then(|text| {
        let lines = text.lines().map(|line| line.split('#').next().unwrap_or_default());
        let mut lines = lines.filter(|line| line.split_whitespace().skip(1).any(|word| word == name));
        lines.find_map(|line| {
            line.split_whitespace()
                .skip(1)
                .find_map(|word| Some(word.strip_prefix(&name)?.strip_prefix('.')?.to_owned()))
        })
    });
    in_the_order_of_addresses(files, &name, host);
    host.domain = domain.or(in_hosts).filter(|domain| domain != "localdomain");
    host.name = Some(name);
}

/// Puts the links into the order in which the host names its own addresses, if it does.
fn in_the_order_of_addresses(files: &dyn HostFiles, name: &str, host: &mut FoundHost) {
    let text = files.text("etc/hosts").unwrap_or_default();
    let own: Vec<&str> = text
        .lines()
        .filter(|line| line.split_whitespace().skip(1).any(|word| word == name))
        .filter_map(|line| line.split_whitespace().next())
        .collect();
    host.links.sort_by_key(|link| {
        let position =
            |address: &ipnet::IpNet| own.iter().position(|text| *text == address.addr().to_string());
        let first = link.addresses.iter().filter_map(position).min();
        // What others are made of comes first, in the order of names.
        match (link.addresses.is_empty(), first) {
            (true, _) => (0, 0, link.name.clone()),
            (false, Some(at)) => (1, at, String::new()),
            (false, None) => (2, 0, String::new()),
        }
    });
}

fn time(files: &dyn HostFiles, host: &mut FoundHost) {
    let mut of_chrony = Vec::new();
    let mut chrony: Vec<String> = CHRONY.iter().map(|path| (*path).to_owned()).collect();
    for (folder, end) in CHRONY_FOLDERS {
        let names = files.list(folder).into_iter().filter(|name| name.ends_with(end));
        chrony.extend(names.map(|name| format!("{folder}/{name}")));
    }
    for text in chrony.iter().filter_map(|path| files.text(path)) {
        for line in text.lines() {
            let words: Vec<&str> = line.split_whitespace().collect();
            if let [word, server, ..] = words.as_slice()
                && ["server", "pool", "peer"].iter().any(|known| word.eq_ignore_ascii_case(known))
            {
                of_chrony.push((*server).to_owned());
                // Of a server with a key, the key is what nobody else has.
                if words.iter().any(|word| matches!(*word, "key" | "nts")) {
                    host.left_out.push(format!("the key of the time server {server}"));
                }
            }
        }
    }
    let mut timesyncd = vec![TIMESYNCD.to_owned()];
    timesyncd
        .extend(files.list(TIMESYNCD_FOLDER).into_iter().map(|name| format!("{TIMESYNCD_FOLDER}/{name}")));
    let mut servers: Vec<String> = Vec::new();
    for text in timesyncd.iter().filter_map(|path| files.text(path)) {
        let sections = sections(&text);
        servers.extend(values(&sections, "Time", "NTP").flat_map(str::split_whitespace).map(str::to_owned));
    }
    host.has_chrony = servers.is_empty() && !of_chrony.is_empty();
    for server in if host.has_chrony { of_chrony } else { servers } {
        if !host.ntp.contains(&server) {
            host.ntp.push(server);
        }
    }
}

/// Drop-ins of the SSH service, and the one that this program writes.
const SSHD_FOLDER: &str = "etc/ssh/sshd_config.d";
const SSHD: &str = "etc/ssh/sshd_config";

/// The port of the SSH service; of what this program wrote, who may log in as well. What an image has of its own is not taken
/// over.
fn ssh(files: &dyn HostFiles, host: &mut FoundHost) {
    let own = files.text(SSHD_PATH).unwrap_or_default();
    let mut texts: Vec<String> = files
        .list(SSHD_FOLDER)
        .iter()
        .filter_map(|name| files.text(&format!("{SSHD_FOLDER}/{name}")))
        .collect();
    texts.extend(files.text(SSHD));
    // The first value that is found counts (sshd_config(5)).
    let first = |texts: &[String], key: &str| {
        let lines = texts.iter().flat_map(|text| text.lines());
        let mut words = lines.map(|line| line.split_whitespace().collect::<Vec<_>>());
        words.find_map(|words| match words.as_slice() {
            [word, value, ..] if word.eq_ignore_ascii_case(key) => Some((*value).to_owned()),
            _ => None,
        })
    };
    let own = [own];
    host.ssh.port = first(&texts, "Port").and_then(|port| port.parse().ok()).filter(|port| *port != 22);
    host.ssh.has_password_login = first(&own, "PasswordAuthentication").as_deref() == Some("yes");
    host.ssh.has_root_login = first(&own, "PermitRootLogin").is_some_and(|value| value != "no");
    host.ssh.has_host_key = first(&own, "HostKey").is_some();
}

/// DNS servers: of the links, and of the whole host.
fn lookups(files: &dyn HostFiles, host: &mut FoundHost) {
    let (mut dns, mut search): (Vec<String>, Vec<String>) = (Vec::new(), Vec::new());
    for link in &host.links {
        dns.extend(link.dns.iter().cloned());
        search.extend(link.search.iter().filter(|domain| !domain.starts_with('~')).cloned());
    }
    let mut paths = vec![RESOLVED.to_owned()];
    paths.extend(files.list(RESOLVED_FOLDER).into_iter().map(|name| format!("{RESOLVED_FOLDER}/{name}")));
    for text in paths.iter().filter_map(|path| files.text(path)) {
        let sections = sections(&text);
        let flag = |key: &'static str| match values(&sections, "Resolve", key).last() {
            Some("yes" | "true") => Some(true),
            Some("no" | "false") => Some(false),
            _ => None,
        };
        host.llmnr = flag("LLMNR").or(host.llmnr);
        host.multicast_dns = flag("MulticastDNS").or(host.multicast_dns);
        dns.extend(values(&sections, "Resolve", "DNS").flat_map(str::split_whitespace).map(str::to_owned));
        let domains = values(&sections, "Resolve", "Domains").flat_map(str::split_whitespace);
        search.extend(domains.filter(|domain| !domain.starts_with('~')).map(str::to_owned));
    }
    // A file that something writes at boot is a link.
    if dns.is_empty() && files.target("etc/resolv.conf").is_none() {
        for line in files.text("etc/resolv.conf").unwrap_or_default().lines() {
            let words: Vec<&str> = line.split_whitespace().collect();
            match words.as_slice() {
                ["nameserver", server, ..] => dns.push((*server).to_owned()),
                ["search" | "domain", domains @ ..] => {
                    search.extend(domains.iter().map(|one| (*one).to_owned()));
                }
                _ => {}
            }
        }
    }
    // This host itself, which passes questions on.
    dns.retain(|server| !server.starts_with("127.") && server != "::1");
    for (list, found) in [(&mut host.dns, dns), (&mut host.search, search)] {
        for item in found {
            if !list.contains(&item) {
                list.push(item);
            }
        }
    }
}
