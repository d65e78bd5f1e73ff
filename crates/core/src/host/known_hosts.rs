//! `known_hosts`: the host keys that were prepared, for those who log in (`sshd(8)`, `SSH_KNOWN_HOSTS FILE FORMAT`).

use std::fmt::Write as _;

use super::header::HEADER;
use super::unwritable::Unwritable;
use crate::machine::{Link, Machine, Site, Ssh};

/// Where the list lies, at the top of the output tree.
pub const KNOWN_HOSTS_PATH: &str = "known_hosts";

/// Where a host has the private half of its key.
pub const HOST_KEY_PATH: &str = "etc/ssh/ssh_host_ed25519_key";
/// Where it has the public half.
pub const PUBLIC_HOST_KEY_PATH: &str = "etc/ssh/ssh_host_ed25519_key.pub";

/// A line for each host whose key was prepared: its name, its full name, each of its addresses, and the key. Nothing
/// where there is no such host.
pub fn known_hosts_file(site: &Site) -> Result<Option<String>, Unwritable> {
    let mut text = HEADER.to_owned();
    let mut has_any = false;
    for machine in &site.machines {
        let Some(key) = machine.host().and_then(|host| host.host_key.value()) else { continue };
        let line = key
            .public_line(machine.label())
            .map_err(|fault| Unwritable::new(machine, KNOWN_HOSTS_PATH, fault.to_string()))?;
        // Writing to a String does not fail.
        let _ = writeln!(text, "{} {line}", names(machine).join(","));
        has_any = true;
    }
    Ok(has_any.then_some(text))
}

/// What somebody may call a host; with its port where that is not the usual one.
fn names(machine: &Machine) -> Vec<String> {
    let hostname = machine.hostname.value().map(ToString::to_string);
    let addresses =
        machine.links.iter().flat_map(Link::addresses).map(|found| found.address.value.to_string());
    let mut names: Vec<String> = Vec::new();
    let port = machine.settings.ssh.port();
    for name in hostname.into_iter().chain(machine.fqdn()).chain(addresses) {
        let name = if port == Ssh::USUAL_PORT { name } else { format!("[{name}]:{port}") };
        if !names.contains(&name) {
            names.push(name);
        }
    }
    names
}
