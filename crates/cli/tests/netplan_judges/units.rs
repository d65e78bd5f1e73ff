//! The units that netplan writes for systemd-networkd.

use std::fs;
use std::path::Path;

use crate::facts::{Facts, LinkFacts, route};

/// What the units in a folder say of each link.
pub(crate) fn read(folder: &Path) -> Facts {
    let mut facts = Facts::new();
    let mut carriers: Vec<(String, String)> = Vec::new();
    for entry in fs::read_dir(folder).into_iter().flatten() {
        let path = entry.unwrap().path();
        let name = path.file_name().unwrap().to_string_lossy().into_owned();
        let Some((id, end)) = name.strip_prefix("10-netplan-").and_then(|name| name.rsplit_once('.')) else {
            continue;
        };
        let text = fs::read_to_string(&path).unwrap();
        let link = facts.entry(id.to_owned()).or_default();
        match end {
            "network" => network(&text, id, link, &mut carriers),
            "netdev" => netdev(&text, link),
            "link" => {
                link.mtu =
                    sections(&text).find_map(|(_, lines)| value(&lines, "MTUBytes")).or(link.mtu.take());
            }
            _ => {}
        }
    }
    for (carrier, vlan) in carriers {
        if let Some(link) = facts.get_mut(&vlan) {
            link.over = Some(carrier);
        }
    }
    facts
}

/// Sections with their lines.
fn sections(text: &str) -> impl Iterator<Item = (&str, Vec<(&str, &str)>)> {
    text.split("\n[").map(|section| {
        let (name, lines) = section.trim_start_matches('[').split_once(']').unwrap_or((section, ""));
        (name, lines.lines().filter_map(|line| line.split_once('=')).collect())
    })
}

fn value(lines: &[(&str, &str)], key: &str) -> Option<String> {
    lines.iter().find(|(known, _)| *known == key).map(|(_, value)| (*value).to_owned())
}

fn network(text: &str, id: &str, link: &mut LinkFacts, carriers: &mut Vec<(String, String)>) {
    for (section, lines) in sections(text) {
        match section {
            "Link" => link.mtu = value(&lines, "MTUBytes").or(link.mtu.take()),
            "Address" => link.addresses.extend(value(&lines, "Address")),
            "Route" => {
                let value = |key| value(&lines, key);
                link.routes.insert(route(&[
                    ("to", value("Destination").as_deref()),
                    ("via", value("Gateway").as_deref()),
                    ("metric", value("Metric").as_deref()),
                    ("table", value("Table").as_deref().filter(|table| *table != "254")),
                    ("from", value("PreferredSource").as_deref()),
                    ("type", value("Type").map(|kind| kind.to_lowercase()).as_deref()),
                    ("mtu", value("MTUBytes").as_deref()),
                    ("on-link", value("GatewayOnLink").as_deref()),
                ]));
            }
            "Network" => {
                for (key, value) in lines {
                    let value = value.to_owned();
                    match key {
                        "Address" => drop(link.addresses.insert(value)),
                        "Gateway" => {
                            link.routes.insert(route(&[("to", Some("default")), ("via", Some(&value))]));
                        }
                        "DNS" => drop(link.dns.insert(value)),
                        "Domains" => link.search.extend(value.split(' ').map(str::to_owned)),
                        "DHCP" => link.dhcp.extend(match value.as_str() {
                            "ipv4" => &["IPv4"][..],
                            "ipv6" => &["IPv6"],
                            _ => &["IPv4", "IPv6"],
                        }),
                        "VLAN" => carriers.push((id.to_owned(), value)),
                        "Bond" | "Bridge" | "VRF" => drop(link.member_of.insert(value)),
                        _ => {}
                    }
                }
            }
            _ => {}
        }
    }
}

fn netdev(text: &str, link: &mut LinkFacts) {
    for (section, lines) in sections(text) {
        match section {
            "NetDev" => link.mtu = value(&lines, "MTUBytes").or(link.mtu.take()),
            "VLAN" => link.tag = value(&lines, "Id"),
            "Bond" => link.mode = value(&lines, "Mode"),
            _ => {}
        }
    }
}
