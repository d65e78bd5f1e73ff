//! `/etc/hosts`.

use std::fmt::Write as _;

use impostazione_net::Family;

use super::header::HEADER;
use super::unwritable::Unwritable;
use crate::machine::{Machine, Site};

/// Where the file lies on the host.
pub const HOSTS_PATH: &str = "etc/hosts";

/// The host's own names, so that they are found without a DNS server (`hosts(5)`): full name first, which is the one
/// that a reverse lookup gives. A host without a static address has its names on 127.0.1.1. `others` are lines for the
/// site's machines, which follow.
pub fn hosts_file(machine: &Machine, others: &[SiteHost]) -> Result<Vec<u8>, Unwritable> {
    let hostname = machine
        .hostname
        .value()
        .ok_or_else(|| Unwritable::new(machine, HOSTS_PATH, "it has no host name"))?;
    let names = machine.fqdn().map_or_else(|| hostname.to_string(), |fqdn| format!("{fqdn} {hostname}"));
    let mut addresses: Vec<String> = Family::BOTH
        .into_iter()
        .flat_map(|family| machine.links.iter().filter_map(move |link| link.address_in(family)))
        .map(|found| found.address.value.to_string())
        .collect();
    if addresses.is_empty() {
        addresses.push("127.0.1.1".to_owned());
    }
    let mut text = format!("{HEADER}127.0.0.1 localhost\n");
    for address in addresses {
        // Writing to a String does not fail.
        let _ = writeln!(text, "{address} {names}");
    }
    let own = machine.label();
    if others.iter().any(|other| other.label != own) {
        text.push('\n');
    }
    for other in others.iter().filter(|other| other.label != own) {
        text.push_str(&other.lines);
    }
    text.push_str(
        "\n::1 localhost ip6-localhost ip6-loopback\nff02::1 ip6-allnodes\nff02::2 ip6-allrouters\n",
    );
    Ok(text.into_bytes())
}

/// A machine of the site as others have it in their `/etc/hosts`.
#[derive(Clone, Debug)]
pub struct SiteHost {
    label: String,
    lines: String,
}

/// Every machine of a site by the addresses of the link that leads out of it.
pub fn site_hosts(site: &Site) -> Vec<SiteHost> {
    site.machines
        .iter()
        .filter_map(|machine| {
            let hostname = machine.hostname.value()?;
            let names =
                machine.fqdn().map_or_else(|| hostname.to_string(), |fqdn| format!("{fqdn} {hostname}"));
            let link = site.way_out(machine)?;
            let mut lines = String::new();
            for found in Family::BOTH.into_iter().filter_map(|family| link.address_in(family)) {
                // Writing to a String does not fail.
                let _ = writeln!(lines, "{} {names}", found.address.value);
            }
            Some(SiteHost { label: machine.label().to_owned(), lines })
        })
        .collect()
}
