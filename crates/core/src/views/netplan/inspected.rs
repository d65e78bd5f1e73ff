//! What netplan files make of a host, as it is shown.

use std::collections::BTreeMap;

use impostazione_net::Family;
use serde::Serialize;

use super::definitions::{Backend, Definitions};
use super::links::{ReadLink, ReadRoute, tag};
use super::section::Kind;
use super::yaml::Map;
use crate::views::review::{ReviewedDnsFor, ReviewedValue};

/// A host as far as netplan files speak of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct InspectedHost {
    /// What messages call it: the path that was inspected.
    pub name: String,
    /// The program that netplan writes for, where a link does not say otherwise.
    pub renderer: &'static str,
    /// DNS servers of all its links.
    pub dns: ReviewedValue,
    /// Domains with DNS servers of their own.
    pub dns_for: Vec<ReviewedDnsFor>,
    /// Search domains of all its links.
    pub search: ReviewedValue,
    /// Its links.
    pub links: Vec<InspectedLink>,
}

/// One link of such a host.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct InspectedLink {
    /// What the files call it.
    pub id: String,
    /// Its name on the host; `null` where the files leave it to the port that is found.
    pub name: Option<String>,
    /// What it is.
    pub kind: &'static str,
    /// Who sets it up.
    pub renderer: &'static str,
    /// The hardware address by which it is found.
    pub mac: Option<String>,
    /// The hardware address that it is given.
    pub mac_set: Option<String>,
    /// The pattern of names by which it is found.
    pub found_by_name: Option<String>,
    /// The drivers by which it is found.
    pub found_by_driver: Vec<String>,
    /// The bond, bridge or VRF that it is a member of.
    pub member_of: Option<String>,
    /// What a bond, bridge or VRF is made of, by what the files call it.
    pub members: Vec<String>,
    /// How a bond shares its traffic among them, or how a tunnel leads through.
    pub mode: Option<String>,
    /// What else is said of a bond or bridge.
    pub parameters: BTreeMap<String, String>,
    /// The link that carries a VLAN.
    pub over: Option<String>,
    /// The tag of a VLAN.
    pub vlan: Option<u64>,
    /// The wireless networks that are joined.
    pub ssids: Vec<String>,
    /// The size of its packets.
    pub mtu_bytes: Option<u32>,
    /// Its addresses with their masks.
    pub addresses: ReviewedValue,
    /// The families in which it asks a DHCP server: `IPv4`, `IPv6`.
    pub dhcp: Vec<&'static str>,
    /// The routers that its default routes of the main table lead to.
    pub gateways: Vec<String>,
    /// All its routes, those among them.
    pub routes: Vec<InspectedRoute>,
    /// Its DNS servers.
    pub dns: Vec<String>,
    /// Its search domains; `~` before one says that its servers are asked for it.
    pub search: Vec<String>,
    /// Whether a magic packet wakes the host.
    pub wake_on_lan: bool,
    /// Whether it listens to router advertisements, where the files say so.
    #[serde(skip)]
    pub listens_to_routers: Option<bool>,
    /// The families in which it has link-local addresses, where the files say so.
    #[serde(skip)]
    pub link_local: Option<Vec<String>>,
    /// What a bond or bridge is made of, in the order of the files.
    #[serde(skip)]
    pub members_in_order: Vec<String>,
    /// The keys that the files have for it.
    #[serde(skip)]
    pub keys: Vec<String>,
    /// Whether settings are passed through to `NetworkManager`, which may change all the rest.
    pub passthrough: bool,
}

/// A route.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct InspectedRoute {
    /// The network that it leads to, or `default`.
    pub to: String,
    /// The router.
    pub via: Option<String>,
    /// Its metric; the lowest is taken first.
    pub metric: Option<u32>,
    /// The number of a table that is not the main one.
    pub table: Option<u32>,
    /// The address that packets leave with.
    pub from: Option<String>,
    /// What happens to packets: `unicast` where they go on.
    #[serde(rename = "type")]
    pub kind: String,
    /// How far the network is away: `global`, `link` or `host`.
    pub scope: Option<String>,
    /// The size of its packets.
    pub mtu_bytes: Option<u32>,
    /// Whether the router is reached on the link itself, outside its networks.
    pub on_link: bool,
}

/// What these definitions make of a host; nothing where there are none.
pub(super) fn host(name: &str, definitions: &Definitions, links: &[ReadLink<'_>]) -> Option<InspectedHost> {
    if links.is_empty() {
        return None;
    }
    let manager = definitions.renderer.as_ref().is_some_and(|renderer| renderer.value == "NetworkManager");
    let mut dns_for: Vec<ReviewedDnsFor> = Vec::new();
    let (mut dns, mut search) = (Vec::new(), Vec::new());
    let add = |list: &mut Vec<String>, item: String| {
        if !list.contains(&item) {
            list.push(item);
        }
    };
    for link in links {
        let servers: Vec<String> = link.dns.iter().map(|server| server.value.to_string()).collect();
        let is_routed = |domain: &str| domain.starts_with('~') && domain != "~.";
        let is_special = !link.search.is_empty() && link.search.iter().all(|domain| is_routed(&domain.value));
        for domain in &link.search {
            match domain.value.strip_prefix('~') {
                Some(domain) if is_special && !servers.is_empty() => {
                    dns_for.push(ReviewedDnsFor { domain: domain.to_owned(), servers: servers.clone() });
                }
                Some(_) => {}
                None => add(&mut search, domain.value.clone()),
            }
        }
        for server in servers.into_iter().filter(|_| !is_special) {
            add(&mut dns, server);
        }
    }
    let stated = |values: Vec<String>| {
        if values.is_empty() { ReviewedValue::Nothing } else { ReviewedValue::Values(values) }
    };
    Some(InspectedHost {
        name: name.to_owned(),
        renderer: if manager { "NetworkManager" } else { "networkd" },
        dns: stated(dns),
        dns_for,
        search: stated(search),
        links: links.iter().map(|link| inspected(definitions, link)).collect(),
    })
}

fn inspected(definitions: &Definitions, link: &ReadLink<'_>) -> InspectedLink {
    let definition = link.definition;
    let body = &definition.body;
    let matched = body.map("match");
    let matched_text = |key: &str| matched.and_then(|matched| matched.text(key)).map(|text| text.value);
    let text = |key: &str| body.text(key).map(|text| text.value);
    let parameters = body.map("parameters");
    let mut parameters_shown = BTreeMap::new();
    for (key, value) in parameters.into_iter().flat_map(|parameters| &parameters.entries) {
        let shown = match value.value.list() {
            Some(items) => items.iter().filter_map(|item| item.value.text()).collect::<Vec<_>>().join(", "),
            None => match (value.value.text(), value.value.map()) {
                (Some(text), _) => text.to_owned(),
                (None, Some(map)) => {
                    let of_ports = map.entries.iter();
                    let of_ports = of_ports.map(|(port, value)| {
                        format!("{} {}", port.value, value.value.text().unwrap_or_default())
                    });
                    of_ports.collect::<Vec<_>>().join(", ")
                }
                (None, None) => continue,
            },
        };
        if key.value != "mode" {
            parameters_shown.insert(key.value.clone(), shown);
        }
    }
    let addresses: Vec<String> = link.addresses.iter().map(|address| address.text.clone()).collect();
    let ways = link
        .routes
        .iter()
        .filter(|route| route.is_default() && route.is_in_main_table() && route.is_unicast());
    InspectedLink {
        id: definition.id.value.clone(),
        name: link.is_interface_name.then(|| link.name.value.clone()),
        kind: definition.kind.word(),
        renderer: match definitions.backend(definition) {
            Backend::Networkd => "networkd",
            Backend::NetworkManager => "NetworkManager",
            Backend::OpenVSwitch => "Open vSwitch",
        },
        mac: matched_text("macaddress"),
        mac_set: text("macaddress"),
        found_by_name: matched_text("name"),
        found_by_driver: matched
            .map(|matched| match matched_text("driver") {
                Some(driver) => vec![driver],
                None => matched.texts("driver").into_iter().map(|driver| driver.value).collect(),
            })
            .unwrap_or_default(),
        member_of: definition
            .bond
            .clone()
            .or_else(|| definition.bridge.clone())
            .or_else(|| definition.vrf.clone()),
        members: members(definitions, &definition.id.value, definition.kind),
        mode: match definition.kind {
            Kind::Bond => link.parameter("mode").map(|mode| mode.value),
            Kind::Tunnel => text("mode"),
            _ => None,
        },
        parameters: parameters_shown,
        over: if definition.kind == Kind::Vlan { text("link") } else { None },
        vlan: if definition.kind == Kind::Vlan { tag(definition).map(|tag| tag.value) } else { None },
        ssids: body
            .map("access-points")
            .map(|points| points.entries.iter().map(|(ssid, _)| ssid.value.clone()).collect())
            .unwrap_or_default(),
        mtu_bytes: link.mtu().map(|mtu| mtu.value),
        addresses: if addresses.is_empty() { ReviewedValue::None } else { ReviewedValue::Values(addresses) },
        dhcp: link
            .dhcp
            .iter()
            .map(|(family, _)| match family {
                Family::V4 => "IPv4",
                Family::V6 => "IPv6",
            })
            .collect(),
        gateways: ways.filter_map(|route| Some(route.via.as_ref()?.value.to_string())).collect(),
        routes: link.routes.iter().map(shown_route).collect(),
        dns: each_once(link.dns.iter().map(|server| server.value.to_string())),
        search: each_once(link.search.iter().map(|domain| domain.value.clone())),
        wake_on_lan: body.flag("wakeonlan") == Some(true),
        listens_to_routers: body.flag("accept-ra"),
        link_local: body
            .get("link-local")
            .map(|_| body.texts("link-local").into_iter().map(|family| family.value).collect()),
        members_in_order: each_once(body.texts("interfaces").into_iter().map(|member| member.value)),
        keys: each_once(body.entries.iter().map(|(key, _)| key.value.clone())),
        passthrough: passes_through(body)
            || body
                .map("access-points")
                .into_iter()
                .flat_map(|points| &points.entries)
                .filter_map(|(_, point)| point.value.map())
                .any(passes_through),
    }
}

fn each_once(items: impl Iterator<Item = String>) -> Vec<String> {
    let mut list = Vec::new();
    for item in items {
        if !list.contains(&item) {
            list.push(item);
        }
    }
    list
}

fn passes_through(body: &Map) -> bool {
    body.map("networkmanager").is_some_and(|manager| manager.get("passthrough").is_some())
}

/// What a bond, bridge or VRF is made of. The order is that of the definitions.
fn members(definitions: &Definitions, id: &str, kind: Kind) -> Vec<String> {
    let is_member = |of: &Option<String>| of.as_deref() == Some(id);
    let members = definitions.all.iter().filter(|other| match kind {
        Kind::Bond => is_member(&other.bond),
        Kind::Bridge => is_member(&other.bridge),
        Kind::Vrf => is_member(&other.vrf),
        _ => false,
    });
    members.map(|member| member.id.value.clone()).collect()
}

fn shown_route(route: &ReadRoute) -> InspectedRoute {
    InspectedRoute {
        to: match route.to.as_ref() {
            Some(_) if route.is_default() => "default".to_owned(),
            Some(to) => to.value.clone(),
            None => String::new(),
        },
        via: route.via.as_ref().map(|via| via.value.to_string()),
        metric: route.metric,
        table: route.table.filter(|_| !route.is_in_main_table()),
        from: route.from.clone(),
        kind: route.kind.clone(),
        scope: route.scope.clone(),
        mtu_bytes: route.mtu,
        on_link: route.is_on_link,
    }
}
