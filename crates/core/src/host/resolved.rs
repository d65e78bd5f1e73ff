//! Drop-ins for systemd-resolved and, for multicast DNS, for the links of systemd-networkd.

use std::fmt::Write as _;

use super::header::HEADER;
use crate::machine::Machine;

/// Where the file lies on the host.
pub const RESOLVED_PATH: &str = "etc/systemd/resolved.conf.d/60-impostazione.conf";

/// What the image has for the whole host is dropped where the sheet says DNS servers; then the host's general DNS servers,
/// where some domains have servers of their own, and the switches of multicast lookups (`resolved.conf(5)`). Nothing where the
/// sheet asks for none of it.
///
/// Without special ones, the servers stand on links, through netplan. With them, the servers of this file are asked for
/// everything that no link's domain covers, and the special ones stand on links. Lists of several files add up, so each begins
/// with an empty assignment.
pub fn resolved_file(machine: &Machine) -> Option<String> {
    let settings = &machine.settings;
    let mut text = String::new();
    let said = settings.dns.value();
    let is_general = !settings.dns_for.is_empty();
    if said.is_some() || is_general {
        let servers = said.map(|list| join(list.values())).unwrap_or_default();
        let domains = settings.search.value().map(|list| join(list.values())).unwrap_or_default();
        for (key, values) in [("DNS", servers), ("Domains", domains)] {
            // Writing to a String does not fail.
            let _ = writeln!(text, "{key}=");
            if is_general && !values.is_empty() {
                let _ = writeln!(text, "{key}={values}");
            }
        }
        if said.is_some_and(|list| list.is_declined()) {
            text.push_str("FallbackDNS=\n");
        }
    }
    let switches = [("LLMNR", &settings.llmnr), ("MulticastDNS", &settings.multicast_dns)];
    for (key, flag) in switches {
        if let Some(flag) = flag.value() {
            let _ = writeln!(text, "{key}={}", if flag.value { "yes" } else { "no" });
        }
    }
    (!text.is_empty()).then(|| format!("{HEADER}[Resolve]\n{text}"))
}

/// Drop-ins of the units that netplan makes, where multicast DNS is asked for: systemd-resolved has it on a link only if
/// both say so (`systemd.network(5)`). Path and text.
pub fn multicast_dns_files(machine: &Machine) -> Vec<(String, String)> {
    if !machine.settings.multicast_dns.value().is_some_and(|flag| flag.value) {
        return Vec::new();
    }
    let with_address = machine.links.iter().filter(|link| link.addresses().next().is_some());
    with_address
        .map(|link| {
            let folder = format!("etc/systemd/network/10-netplan-{}.network.d", link.name.value);
            (format!("{folder}/60-impostazione.conf"), format!("{HEADER}[Network]\nMulticastDNS=yes\n"))
        })
        .collect()
}

fn join<'a, T: ToString + 'a>(values: impl Iterator<Item = &'a T>) -> String {
    values.map(ToString::to_string).collect::<Vec<_>>().join(" ")
}
