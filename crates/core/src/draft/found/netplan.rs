//! Links from netplan files, by what netplan makes of them.

use impostazione_text::{Source, Sources};

use super::found_host::{FoundHost, FoundKind, FoundLink};
use super::host_files::HostFiles;
use crate::views::netplan::{
    InspectedHost, InspectedLink, NETPLAN_FOLDERS, NEWEST_NETPLAN, in_effect, in_order, inspect_netplan,
    looks_read,
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
    for special in &found.dns_for {
        host.left_out.push(format!("DNS servers for {} alone", special.domain));
    }
}

fn link_of(link: &InspectedLink, host: &mut FoundHost) -> FoundLink {
    let name = link.name.clone().unwrap_or_default();
    let kind = match link.kind {
        "wifi" => FoundKind::Wifi(link.ssids.first().cloned()),
        "bond" => FoundKind::Bond(link.members.clone(), link.mode.clone()),
        "vlan" => FoundKind::Vlan(
            link.over.clone().unwrap_or_default(),
            link.vlan.and_then(|tag| u16::try_from(tag).ok()),
        ),
        "bridge" => FoundKind::Bridge(link.members.clone()),
        "ethernet" => FoundKind::Ethernet,
        other => {
            host.left_out.push(format!("{}, a link of kind {other}", link.id));
            FoundKind::Ethernet
        }
    };
    let mut taken = FoundLink {
        name: if name.is_empty() && link.found_by_name.is_none() { String::new() } else { name },
        kind,
        mac: link.mac.clone(),
        has_dhcp: !link.dhcp.is_empty(),
        mtu: link.mtu_bytes,
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
        // A route to everything of one family is a default route as well.
        let is_default = route.to == "default" || route.to == "0.0.0.0/0" || route.to == "::/0";
        match (via, route.to.parse()) {
            (Some(via), _) if is_default => {
                taken.add_gateway(via);
                taken.is_gateway_on_link |= route.on_link;
                taken.table = taken.table.or(route.table);
            }
            (Some(via), Ok(to)) if route.table.is_none() => taken.routes.push((to, via, route.metric)),
            _ => {}
        }
    }
    if link.passthrough {
        host.left_out.push(format!("settings of {} for NetworkManager alone", link.id));
    }
    taken
}
