//! `site/ssh_config`: how the hosts are reached, for the administrator's own SSH client (`ssh_config(5)`).

use std::fmt::Write as _;

use impostazione_net::Family;

use super::header::HEADER;
use crate::machine::{Account, Link, Machine, Site, Ssh};

/// Where it lies in the output tree.
pub const SSH_CONFIG_PATH: &str = "site/ssh_config";

/// How it is used. A path in it would count from wherever the client is started.
fn how_to_use(has_known_hosts: bool) -> String {
    let known_hosts = if has_known_hosts { " -o UserKnownHostsFile=known_hosts" } else { "" };
    format!(
        "# Log in from the folder above this one:\n#   ssh -F site/ssh_config{known_hosts} HOST\n\
         # or write \"Include\" and the whole path of this file at the top of your ~/.ssh/config.\n"
    )
}

/// A block for each host on which SSH is on; nothing where there is none.
pub fn ssh_config_file(site: &Site) -> Option<String> {
    let has_made_key = |machine: &Machine| machine.host().is_some() && machine.settings.ssh.has_made_key();
    let mut text = format!("{HEADER}{}", how_to_use(site.machines.iter().any(has_made_key)));
    let mut has_any = false;
    for machine in &site.machines {
        let ssh = &machine.settings.ssh;
        if machine.host().is_none() || !ssh.is_enabled() {
            continue;
        }
        has_any = true;
        let mut names = vec![machine.label().to_owned()];
        for name in machine.hostname.value().map(ToString::to_string).into_iter().chain(machine.fqdn()) {
            if !names.contains(&name) {
                names.push(name);
            }
        }
        // Writing to a String does not fail.
        let _ = writeln!(text, "\nHost {}", names.join(" "));
        if let Some(address) = address_of(site, machine) {
            let _ = writeln!(text, "    HostName {address}");
        }
        if ssh.port() != Ssh::USUAL_PORT {
            let _ = writeln!(text, "    Port {}", ssh.port());
        }
        if let Some(user) = only_login(site, machine) {
            let _ = writeln!(text, "    User {user}");
        }
        if ssh.has_made_key() {
            text.push_str("    HostKeyAlgorithms ssh-ed25519\n    StrictHostKeyChecking yes\n");
        }
    }
    has_any.then_some(text)
}

/// The address by which a host is reached: that of the link which its default route leads through, or else its first.
fn address_of(site: &Site, machine: &Machine) -> Option<std::net::IpAddr> {
    let of_link = |link: &Link| {
        Family::BOTH.into_iter().find_map(|family| Some(link.address_in(family)?.address.value))
    };
    site.way_out(machine).and_then(of_link).or_else(|| machine.links.iter().find_map(of_link))
}

/// The login that somebody has to mean, where only one can log in over SSH.
fn only_login<'a>(site: &'a Site, machine: &Machine) -> Option<&'a str> {
    let ssh = &machine.settings.ssh;
    let can_log_in = |account: &&Account| {
        let is_root = account.name.value.as_str() == "root";
        let has_way = !account.keys.is_empty() || (ssh.allows_passwords() && account.has_password());
        has_way && (!is_root || ssh.allows_root())
    };
    let accounts = machine.host()?.accounts.iter().filter_map(|index| site.accounts.get(*index));
    let mut logins = accounts.filter(can_log_in);
    let first = logins.next()?;
    logins.next().is_none().then(|| first.name.value.as_str())
}
