//! Links from `/etc/network/interfaces` (`interfaces(5)`).

use std::net::IpAddr;

use impostazione_net::{Family, parse_mask};
use ipnet::IpNet;

use super::found_host::{FoundHost, FoundKind};
use super::host_files::HostFiles;

const MAIN: &str = "etc/network/interfaces";
const FOLDER: &str = "etc/network/interfaces.d";

/// A stanza of a link in one family: its options by name.
struct Stanza {
    name: String,
    method: String,
    options: Vec<(String, String)>,
}

/// Reads the files. Whether they make links.
pub(super) fn read(files: &dyn HostFiles, host: &mut FoundHost) -> bool {
    let Some(main) = files.text(MAIN) else { return false };
    let mut text = main.clone();
    let includes = main.lines().map(str::trim).any(|line| line.starts_with("source"));
    for name in files.list(FOLDER).iter().filter(|_| includes) {
        text.push('\n');
        text += &files.text(&format!("{FOLDER}/{name}")).unwrap_or_default();
    }
    let before = host.links.len();
    for stanza in stanzas(&text).iter().filter(|stanza| stanza.name != "lo") {
        take(stanza, host);
    }
    host.links.len() > before
}

fn stanzas(text: &str) -> Vec<Stanza> {
    let joined = text.replace("\\\n", " ");
    let mut found: Vec<Stanza> = Vec::new();
    let mut is_in_stanza = false;
    for line in joined.lines().map(str::trim) {
        if line.is_empty() || line.starts_with('#') {
            continue;
        }
        let words: Vec<&str> = line.split_whitespace().collect();
        match words.as_slice() {
            ["iface", name, _, method, ..] => {
                is_in_stanza = true;
                found.push(Stanza {
                    name: (*name).to_owned(),
                    method: (*method).to_owned(),
                    options: Vec::new(),
                });
            }
            [
                "auto" | "allow-hotplug" | "allow-auto" | "mapping" | "source" | "source-directory"
                | "rename",
                ..,
            ] => {
                is_in_stanza = false;
            }
            [key, values @ ..] if is_in_stanza => {
                if let Some(stanza) = found.last_mut() {
                    stanza.options.push(((*key).to_owned(), values.join(" ")));
                }
            }
            _ => {}
        }
    }
    found
}

fn take(stanza: &Stanza, host: &mut FoundHost) {
    let get = |keys: &[&str]| {
        let of_key = stanza.options.iter().find(|(known, _)| keys.contains(&known.as_str()));
        of_key.map(|(_, value)| value.as_str())
    };
    // A second address of older files has a name with a colon.
    let name = stanza.name.split(':').next().unwrap_or_default().to_owned();
    let link = host.link(&name);
    if stanza.method == "dhcp" || stanza.method == "auto" {
        link.has_dhcp = true;
    }
    if let Some(address) = get(&["address"]) {
        let mask = get(&["netmask"]);
        let whole = match (address.parse::<IpNet>(), address.parse::<IpAddr>(), mask) {
            (Ok(whole), ..) => Some(whole),
            (_, Ok(address), Some(mask)) => {
                let length = parse_mask(mask, Family::of(address)).ok();
                length.and_then(|length| IpNet::new(address, length).ok())
            }
            _ => None,
        };
        match whole {
            Some(whole) => link.add_address(whole),
            None => host.left_out.push(format!("{MAIN}: the address {address} of {name}, which has no mask")),
        }
    }
    let link = host.link(&name);
    if let Some(gateway) = get(&["gateway"]).and_then(|gateway| gateway.parse().ok()) {
        link.add_gateway(gateway);
    }
    let words = |keys: &[&str]| -> Vec<String> {
        get(keys).unwrap_or_default().split_whitespace().map(str::to_owned).collect()
    };
    link.dns.extend(words(&["dns-nameservers", "dns-nameserver"]));
    link.search.extend(words(&["dns-search"]));
    let members = words(&["bond-slaves", "slaves"]);
    if !members.is_empty() {
        link.kind = FoundKind::Bond(members, get(&["bond-mode", "bond_mode"]).map(str::to_owned));
    } else if let Some(over) = get(&["vlan-raw-device", "vlan_raw_device"]) {
        link.kind = FoundKind::Vlan(over.to_owned(), tag_of(&name));
    } else if let Some((over, _)) = name.rsplit_once('.') {
        link.kind = FoundKind::Vlan(over.to_owned(), tag_of(&name));
    } else if get(&["bridge_ports", "bridge-ports"]).is_some() {
        link.kind = FoundKind::Bridge(words(&["bridge_ports", "bridge-ports"]));
    } else if let Some(ssid) = get(&["wpa-ssid"]) {
        link.kind = FoundKind::Wifi(Some(ssid.trim_matches('"').to_owned()));
    }
    let known = [
        "address",
        "netmask",
        "gateway",
        "broadcast",
        "network",
        "dns-nameservers",
        "dns-nameserver",
        "dns-search",
        "dns-domain",
        "bond-slaves",
        "slaves",
        "bond-mode",
        "bond_mode",
        "vlan-raw-device",
        "vlan_raw_device",
        "bridge_ports",
        "bridge-ports",
        "wpa-ssid",
        "hostname",
    ];
    for (key, _) in stanza.options.iter().filter(|(key, _)| !known.contains(&key.as_str())) {
        host.left_out.push(format!("{MAIN}: {key} of {name}"));
    }
}

/// The tag in a name such as `eth0.110` or `vlan110`.
fn tag_of(name: &str) -> Option<u16> {
    let digits: String = name.chars().rev().take_while(char::is_ascii_digit).collect();
    digits.chars().rev().collect::<String>().parse().ok().filter(|tag| (1..=4094).contains(tag))
}
