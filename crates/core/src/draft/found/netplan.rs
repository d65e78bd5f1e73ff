//! Links from netplan files, by what netplan makes of them.

use impostazione_text::{Source, Sources};

use super::found_host::{FoundHost, FoundKind, FoundLink};
use super::host_files::HostFiles;
use crate::edit::quoted;
use crate::views::netplan::{
    InspectedHost, InspectedLink, InspectedRoute, NETPLAN_FOLDERS, NEWEST_NETPLAN, in_effect, in_order,
    inspect_netplan, looks_read,
};
use crate::views::review::ReviewedValue;

/// Reads the netplan files of a host. Whether there were any.
pub(super) fn read(files: &dyn HostFiles, host: &mut FoundHost) -> bool {
    let mut named = Vec::new();
    for folder in NETPLAN_FOLDERS {
        for name in in_order(files.list(folder)) {
            let path = format!("{folder}/{name}");
            if let Some(text) = files.text(&path) {
                named.push((name, Source::new(path, text)));
            }
        }
        for name in files.list(folder).into_iter().filter(|name| looks_read(name)) {
            host.left_out.push(format!("{folder}/{name}, which netplan does not read"));
        }
    }
    let sources = in_effect(named);
    !sources.is_empty() && take(sources, host)
}

/// Takes in files in the order in which netplan reads them. Whether they make links.
pub(super) fn take(files: Vec<Source>, host: &mut FoundHost) -> bool {
    let inspection = inspect_netplan(&host.from, Sources::default(), files, NEWEST_NETPLAN);
    for finding in inspection.findings.iter().filter(|finding| finding.is_in_the_way()) {
        host.left_out.push(format!("{}: {}", inspection.sources.in_words(finding.place), finding.message));
    }
    let Some(found) = &inspection.host else { return false };
    take_host(found, host);
    true
}

fn take_host(found: &InspectedHost, host: &mut FoundHost) {
    for link in found.links.iter().filter(|link| link.id != "lo") {
        let taken = link_of(link, host);
        host.links.push(taken);
    }
    // A bond has the address of its first member anyway.
    let of_ports: Vec<(String, Option<String>)> = host
        .links
        .iter()
        .map(|link| (link.name.clone(), link.mac.as_deref().map(str::to_lowercase)))
        .collect();
    for link in &mut host.links {
        let (FoundKind::Bond(members, _) | FoundKind::Bridge(members)) = &link.kind else { continue };
        let own = link.mac.as_deref().map(str::to_lowercase);
        let is_of_the_first = of_ports.iter().any(|(name, mac)| members.first() == Some(name) && *mac == own);
        if is_of_the_first {
            link.mac = None;
        }
    }
    let links = || found.links.iter().filter(|link| link.id != "lo");
    let has_none = |link: &InspectedLink| {
        link.link_local.as_ref().is_some_and(|families| !families.iter().any(|one| one == "ipv6"))
    };
    host.ipv6 = if links().any(|link| link.listens_to_routers == Some(true)) {
        Some("auto")
    } else if links().all(has_none) && links().next().is_some() {
        Some("off")
    } else {
        None
    };
    host.is_for_manager = links().all(|link| link.renderer == "NetworkManager") && links().next().is_some();
    for special in &found.dns_for {
        host.left_out.push(format!("DNS servers for {} alone", special.domain));
    }
}

/// The keys of netplan that are taken over, or that say nothing to a host with static addresses.
const TAKEN: [&str; 23] = [
    "match",
    "set-name",
    "dhcp4",
    "dhcp6",
    "accept-ra",
    "link-local",
    "addresses",
    "gateway4",
    "gateway6",
    "routes",
    "routing-policy",
    "nameservers",
    "mtu",
    "wakeonlan",
    "interfaces",
    "parameters",
    "id",
    "link",
    "access-points",
    "regulatory-domain",
    "renderer",
    "optional",
    "dhcp-identifier",
];

/// Names what of a link is not taken over.
fn name_the_rest(link: &InspectedLink, host: &mut FoundHost) {
    let mut leave = |what: String| host.left_out.push(format!("{what} of {}", link.id));
    for key in link.keys.iter().filter(|key| !TAKEN.contains(&key.as_str())) {
        // These are said below, with more.
        let is_of_made_link = key == "macaddress" && matches!(link.kind, "bond" | "bridge");
        if key != "networkmanager" && !is_of_made_link {
            leave(key.clone());
        }
    }
    if link.passthrough {
        leave("settings for NetworkManager alone".to_owned());
    }
    if link.mac.is_none() && (link.found_by_name.is_some() || !link.found_by_driver.is_empty()) {
        leave("the pattern or the driver by which the port is found".to_owned());
    }
    if link.ssids.len() > 1 {
        leave(format!("the Wi-Fi networks behind {}", link.ssids.first().map_or("", String::as_str)));
    }
    let known = ["mii-monitor-interval", "primary", "lacp-rate", "transmit-hash-policy", "stp"];
    for parameter in link.parameters.keys().filter(|parameter| !known.contains(&parameter.as_str())) {
        leave(format!("the parameter {parameter}"));
    }
    for route in &link.routes {
        let is_default = is_default(route);
        let is_whole = route.via.is_some()
            && route.kind == "unicast"
            && route.from.is_none()
            && route.mtu_bytes.is_none();
        let is_plain = is_whole && (is_default || (route.table.is_none() && !route.on_link));
        if !is_plain || (is_default && route.metric.is_some()) {
            leave(format!("the route to {}, or a part of it", route.to));
        }
    }
}

/// Whether a route leads to everything.
fn is_default(route: &InspectedRoute) -> bool {
    matches!(route.to.as_str(), "default" | "0.0.0.0/0" | "::/0")
}

/// What of a bond or a bridge a sheet has keys for.
fn more_of(link: &InspectedLink) -> Vec<(&'static str, String)> {
    let parameter = |name: &str| link.parameters.get(name);
    let mut more = Vec::new();
    if let Some(interval) = parameter("mii-monitor-interval").map(|text| text.trim_end_matches("ms")) {
        // The usual one is not written.
        if interval != "100" && interval.parse::<u32>().is_ok() {
            more.push(("link_check_ms", interval.to_owned()));
        }
    }
    for (name, key) in
        [("primary", "primary"), ("lacp-rate", "lacp_rate"), ("transmit-hash-policy", "hash_policy")]
    {
        more.extend(parameter(name).map(|value| (key, quoted(value))));
    }
    if link.kind == "bridge" && parameter("stp").is_none_or(|stp| stp == "true") {
        // netplan's own default.
        more.push(("spanning_tree", "true".to_owned()));
    }
    more
}

fn link_of(link: &InspectedLink, host: &mut FoundHost) -> FoundLink {
    let name = link.name.clone().unwrap_or_default();
    let kind = match link.kind {
        "wifi" => FoundKind::Wifi(link.ssids.first().cloned()),
        "bond" => FoundKind::Bond(link.members_in_order.clone(), link.mode.clone()),
        "vlan" => FoundKind::Vlan(
            link.over.clone().unwrap_or_default(),
            link.vlan.and_then(|tag| u16::try_from(tag).ok()),
        ),
        "bridge" => FoundKind::Bridge(link.members_in_order.clone()),
        "ethernet" => FoundKind::Ethernet,
        other => {
            host.left_out.push(format!("{}, a link of kind {other}", link.id));
            FoundKind::Ethernet
        }
    };
    let mut taken = FoundLink {
        name: if name.is_empty() && link.found_by_name.is_none() { String::new() } else { name },
        kind,
        // What a bond or a bridge is given stands where a port has what it is found by.
        mac: if matches!(link.kind, "bond" | "bridge") { link.mac_set.clone() } else { link.mac.clone() },
        has_dhcp: !link.dhcp.is_empty(),
        mtu: link.mtu_bytes,
        more: more_of(link),
        wakes_on_lan: link.wake_on_lan,
        dns: link.dns.clone(),
        search: link.search.clone(),
        ..FoundLink::default()
    };
    let addresses = match &link.addresses {
        ReviewedValue::Values(addresses) => addresses.as_slice(),
        ReviewedValue::None | ReviewedValue::Nothing | ReviewedValue::Unreadable => &[],
    };
    for address in addresses {
        if let Ok(address) = address.parse() {
            taken.add_address(address);
        }
    }
    for route in &link.routes {
        let via = route.via.as_deref().and_then(|via| via.parse().ok());
        match (via, route.to.parse()) {
            (Some(via), _) if is_default(route) => {
                taken.add_gateway(via);
                taken.is_gateway_on_link |= route.on_link;
                taken.table = taken.table.or(route.table);
            }
            (Some(via), Ok(to)) if route.table.is_none() => taken.routes.push((to, via, route.metric)),
            _ => {}
        }
    }
    name_the_rest(link, host);
    taken
}
