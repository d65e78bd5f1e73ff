//! `.link` files of systemd-udevd: what is set on a port when the kernel finds it.

use std::fmt::Write as _;

use super::header::HEADER;
use crate::machine::{Link, LinkKind, Machine, Site};

/// The `.link` files of a host: path and text.
///
/// The first file that matches a port wins, and the others are not read (`systemd.link(5)`). Where netplan writes one
/// itself, for a port that is found by its MAC address, woken by a packet, or told the size of its packets, ours is a
/// drop-in of that. Elsewhere it is a file of its own, which repeats what systemd's `99-default.link` would do.
pub fn systemd_link_files(site: &Site, machine: &Machine) -> Vec<(String, String)> {
    machine.links.iter().filter_map(|link| link_file(site, link)).collect()
}

/// Whether netplan writes a `.link` file for an ethernet port.
fn netplan_has_one(site: &Site, link: &Link) -> bool {
    let is_woken = link.options.as_ref().and_then(|options| options.wake_on_lan.as_ref());
    link.is_found_by_mac() || is_woken.is_some_and(|on| on.value) || site.mtu_of(link).is_some()
}

fn link_file(site: &Site, link: &Link) -> Option<(String, String)> {
    let options = link.options.as_ref()?;
    let name = link.name.value.as_str();
    let mut settings = String::new();
    if let Some(speed) = &options.speed {
        // Writing to a String does not fail.
        let _ = writeln!(settings, "AutoNegotiation=no\nBitsPerSecond={}M", speed.value);
        let is_full = options.is_full_duplex.as_ref().is_none_or(|full| full.value);
        let _ = writeln!(settings, "Duplex={}", if is_full { "full" } else { "half" });
    }
    match link.kind {
        LinkKind::Ethernet if settings.is_empty() => None,
        LinkKind::Ethernet if netplan_has_one(site, link) => {
            let path = format!("etc/systemd/network/10-netplan-{name}.link.d/60-impostazione.conf");
            Some((path, format!("{HEADER}[Link]\n{settings}")))
        }
        LinkKind::Ethernet => Some((
            own_path(name),
            format!(
                "{HEADER}[Match]\nOriginalName={name}\n\n[Link]\nNamePolicy=keep kernel database onboard slot path\n\
                 AlternativeNamesPolicy=database onboard slot path\nMACAddressPolicy=persistent\n{settings}"
            ),
        )),
        LinkKind::Wifi => {
            let matches = match link.mac() {
                Some(mac) => format!("PermanentMACAddress={}", mac.value),
                None if link.is_only_port() => "Type=wlan".to_owned(),
                None => return None,
            };
            // A policy would come before the name.
            Some((
                own_path(name),
                format!(
                    "{HEADER}[Match]\n{matches}\n\n[Link]\nNamePolicy=\nName={name}\n\
                     AlternativeNamesPolicy=database onboard slot path\nMACAddressPolicy=persistent\n"
                ),
            ))
        }
        _ => None,
    }
}

fn own_path(name: &str) -> String {
    format!("etc/systemd/network/60-impostazione-{name}.link")
}
