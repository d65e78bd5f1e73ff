//! Links from the files of systemd-networkd (`systemd.network(5)`, `systemd.netdev(5)`).

use std::net::IpAddr;

use ipnet::IpNet;

use super::found_host::{FoundHost, FoundKind};
use super::host_files::HostFiles;
use super::ini::{Section, sections, values};

/// Where an administrator's files lie.
const FOLDER: &str = "etc/systemd/network";

/// Takes in the MAC addresses by which ports get their names (`systemd.link(5)`).
pub(super) fn read_names(files: &dyn HostFiles, host: &mut FoundHost) {
    for file in files.list(FOLDER).iter().filter(|name| has_end(name, "link")) {
        let sections = sections(&files.text(&format!("{FOLDER}/{file}")).unwrap_or_default());
        let mac = |key| values(&sections, "Match", key).last().map(str::to_lowercase);
        let mac = mac("PermanentMACAddress").or_else(|| mac("MACAddress"));
        let name = values(&sections, "Link", "Name").last();
        let link = name.and_then(|name| host.links.iter_mut().find(|link| link.name == name));
        if let Some(link) = link.filter(|link| link.mac.is_none()) {
            link.mac = mac;
        }
    }
}

/// Reads the files. Whether they make links.
pub(super) fn read(files: &dyn HostFiles, host: &mut FoundHost) -> bool {
    let names = files.list(FOLDER);
    let of_end = |end: &str| -> Vec<(String, Vec<Section>)> {
        let named = names.iter().filter(|name| has_end(name, end));
        named
            .filter_map(|name| Some((name.clone(), sections(&files.text(&format!("{FOLDER}/{name}"))?))))
            .collect()
    };
    let before = host.links.len();
    let devices = of_end("netdev");
    for (name, device) in &devices {
        let get = |section: &str, key: &str| values(device, section, key).last().map(str::to_owned);
        let Some(link) = get("NetDev", "Name") else { continue };
        let kind = match get("NetDev", "Kind").as_deref() {
            Some("vlan") => {
                FoundKind::Vlan(String::new(), get("VLAN", "Id").and_then(|tag| tag.parse().ok()))
            }
            Some("bond") => FoundKind::Bond(Vec::new(), get("Bond", "Mode")),
            Some("bridge") => FoundKind::Bridge(Vec::new()),
            other => {
                host.left_out.push(format!("{FOLDER}/{name}, a link of kind {}", other.unwrap_or("unknown")));
                continue;
            }
        };
        host.link(&link).kind = kind;
    }
    for (name, network) in of_end("network") {
        take_network(&name, &network, host);
    }
    host.links.len() > before
}

fn has_end(name: &str, end: &str) -> bool {
    std::path::Path::new(name).extension().is_some_and(|found| found == end)
}

fn take_network(file: &str, network: &[Section], host: &mut FoundHost) {
    let matched = |key: &str| values(network, "Match", key).last().map(str::to_owned);
    let mac = matched("MACAddress").or_else(|| matched("PermanentMACAddress"));
    let name = matched("Name").unwrap_or_default();
    if name == "lo" {
        return;
    }
    if name.contains(['*', '?', '[', ' ']) && mac.is_none() {
        // A pattern finds whatever port there is.
        host.left_out.push(format!(
            "{FOLDER}/{file} is for every port that is called {name}: it is taken for the only one"
        ));
    }
    let is_pattern = name.contains(['*', '?', '[', ' ']);
    let known = if is_pattern { String::new() } else { name.clone() };
    name_the_rest(file, network, host);
    let link_name = if known.is_empty() { format!("lan{}", host.links.len()) } else { known };
    let link = host.link(&link_name);
    if is_pattern && mac.is_none() {
        link.name = String::new();
    }
    link.mac = mac;
    for address in values(network, "Network", "Address").chain(values(network, "Address", "Address")) {
        if let Ok(address) = address.parse::<IpNet>() {
            link.add_address(address);
        }
    }
    let is_yes = |value: &str| matches!(value, "yes" | "true" | "1" | "on" | "both" | "ipv4" | "ipv6");
    link.has_dhcp = values(network, "Network", "DHCP").last().is_some_and(is_yes);
    for gateway in values(network, "Network", "Gateway") {
        if let Ok(gateway) = gateway.parse() {
            link.add_gateway(gateway);
        }
    }
    link.dns = values(network, "Network", "DNS").flat_map(str::split_whitespace).map(str::to_owned).collect();
    link.search =
        values(network, "Network", "Domains").flat_map(str::split_whitespace).map(str::to_owned).collect();
    link.mtu = values(network, "Link", "MTUBytes").last().and_then(|bytes| bytes.parse().ok());
    for route in network.iter().filter(|section| {
        section.name == "Route" && !(section.get("Table").is_some() && section.get("Destination").is_some())
    }) {
        take_route(route, link);
    }
    let ntp: Vec<String> =
        values(network, "Network", "NTP").flat_map(str::split_whitespace).map(str::to_owned).collect();
    let tags: Vec<String> = values(network, "Network", "VLAN").map(str::to_owned).collect();
    let of = |key: &'static str| values(network, "Network", key).last().map(str::to_owned);
    let (bond, bridge) = (of("Bond"), of("Bridge"));
    host.ntp.extend(ntp);
    for tag in tags {
        if let FoundKind::Vlan(over, _) = &mut host.link(&tag).kind {
            over.clone_from(&link_name);
        }
    }
    if let Some(bond) = bond
        && let FoundKind::Bond(members, _) = &mut host.link(&bond).kind
    {
        members.push(link_name.clone());
    }
    if let Some(bridge) = bridge
        && let FoundKind::Bridge(members) = &mut host.link(&bridge).kind
    {
        members.push(link_name);
    }
}

/// The keys that are taken over, by their sections, or that say nothing to a host with static addresses.
const TAKEN: [(&str, &[&str]); 7] = [
    ("Match", &["Name", "MACAddress", "PermanentMACAddress"]),
    (
        "Network",
        &[
            "Address",
            "DHCP",
            "Gateway",
            "DNS",
            "Domains",
            "NTP",
            "VLAN",
            "Bond",
            "Bridge",
            "Description",
            "LinkLocalAddressing",
            "IPv6AcceptRA",
        ],
    ),
    ("Address", &["Address"]),
    ("Route", &["Gateway", "GatewayOnLink", "Destination", "Metric", "Table"]),
    ("Link", &["MTUBytes"]),
    ("DHCP", &[]),
    ("DHCPv4", &[]),
];

/// Names what of a file is not taken over.
fn name_the_rest(file: &str, network: &[Section], host: &mut FoundHost) {
    for section in network {
        let known = TAKEN.iter().find(|(name, _)| *name == section.name).map(|(_, keys)| *keys);
        // What is said to a DHCP server is of no use to a static address.
        if section.name.starts_with("DHCP") {
            continue;
        }
        let rest: Vec<&str> = section
            .keys
            .iter()
            .map(|(key, _)| key.as_str())
            .filter(|key| !known.unwrap_or_default().contains(key))
            .collect();
        if !rest.is_empty() {
            host.left_out.push(format!("{} in [{}] of {FOLDER}/{file}", rest.join(", "), section.name));
        }
        let is_of_table = section.get("Table").is_some();
        if section.name == "Route" && is_of_table && section.get("Destination").is_some() {
            host.left_out.push(format!("a route of a table of its own in {FOLDER}/{file}"));
        }
    }
}

fn take_route(route: &Section, link: &mut super::found_host::FoundLink) {
    let via: Option<IpAddr> = route.get("Gateway").and_then(|via| via.parse().ok());
    let table: Option<u32> = route.get("Table").and_then(|table| table.parse().ok());
    let to = route.get("Destination").filter(|to| *to != "0.0.0.0/0" && *to != "::/0");
    match (via, to.map(str::parse::<IpNet>)) {
        (Some(via), None) => {
            link.add_gateway(via);
            link.is_gateway_on_link |= matches!(route.get("GatewayOnLink"), Some("yes" | "true" | "1"));
            link.table = link.table.or(table);
        }
        (Some(via), Some(Ok(to))) => {
            link.routes.push((to, via, route.get("Metric").and_then(|metric| metric.parse().ok())));
        }
        _ => {}
    }
}
