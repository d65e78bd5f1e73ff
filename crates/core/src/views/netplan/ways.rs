//! Rules on the routes of netplan files: whether their routers can be reached, and whether one way is there twice.

use std::net::IpAddr;

use impostazione_net::{Family, broadcast_of, host_range, network_of};
use impostazione_text::Written;
use ipnet::IpNet;

use super::links::{ReadLink, ReadRoute};
use super::sentences;
use crate::finding::Finding;
use crate::machine::rules::gateway::DEFAULT_ROUTE_DUPLICATE;
use crate::machine::rules::route::ROUTE_DUPLICATE;
use crate::rules::{ADDRESS_IS_BROADCAST, ADDRESS_IS_NETWORK, GATEWAY_OUTSIDE_SUBNET, ROUTE_UNREACHABLE};

/// Looks at the routes of all links.
pub(super) fn check(links: &[ReadLink<'_>], findings: &mut Vec<Finding>) {
    for link in links {
        for route in &link.routes {
            findings.extend(ignored(link, route).or_else(|| unreachable(link, route)));
        }
        for address in link.addresses.iter().filter(|address| address.length.is_none()) {
            findings.push(sentences::value_ignored(
                address.at.place,
                &link.definition.id.value,
                &address.text,
                "address",
            ));
        }
    }
    twice(links, findings);
}

/// What netplan hands on, and nobody can read.
fn ignored(link: &ReadLink<'_>, route: &ReadRoute) -> Option<Finding> {
    if let Some(metric) = &route.metric_ignored {
        let id = &link.definition.id.value;
        return Some(sentences::value_ignored(metric.place, id, &metric.value, "metric"));
    }
    let to = route.to.as_ref()?;
    if to.value == "default" || route.network().is_some() {
        return None;
    }
    Some(sentences::value_ignored(to.place, &link.definition.id.value, &to.value, "network"))
}

fn is_link_local6(route: &ReadRoute) -> bool {
    matches!(route.via.as_ref().map(|via| via.value), Some(IpAddr::V6(v6)) if v6.is_unicast_link_local())
}

/// A router that no network of the link holds.
fn unreachable(link: &ReadLink<'_>, route: &ReadRoute) -> Option<Finding> {
    let via = route.via.as_ref()?;
    let family = Family::of(via.value);
    let id = &link.definition.id.value;
    // Two families beside each other are refused by netplan.
    let is_mixed = route.network().is_some_and(|network| Family::of(network.addr()) != family);
    if route.is_on_link || is_link_local6(route) || is_mixed || id == "lo" {
        return None;
    }
    if link.has_unread_addresses {
        return None;
    }
    // Where addresses come from others, their networks are not known here.
    let asks_others = link.dhcp.iter().any(|(asked, _)| *asked == family)
        || (family == Family::V6 && link.definition.body.flag("accept-ra") != Some(false));
    let networks: Vec<IpNet> = link
        .addresses
        .iter()
        .filter(|address| Family::of(address.at.value) == family)
        .filter_map(super::links::ReadAddress::network)
        .collect();
    let is_default = route.is_default();
    let rule = if is_default { &GATEWAY_OUTSIDE_SUBNET } else { &ROUTE_UNREACHABLE };
    let whose = if is_default { "default route" } else { "route" };
    if link.addresses.iter().any(|address| address.at.value == via.value) {
        // An address that is also the gateway has a rule of its own.
        return (!is_default).then(|| {
            Finding::on_sheet(
                &ROUTE_UNREACHABLE,
                via.place,
                format!("The router {} of a route is {id}'s own address.", via.value),
                "write the address of the router that leads there",
            )
        });
    }
    if let Some(network) = networks.iter().find(|network| network.contains(&via.value)) {
        return reserved(id, via, *network, is_default);
    }
    if networks.is_empty() && asks_others {
        return None;
    }
    if networks.is_empty() {
        // A tunnel or a VRF has addresses in other ways, and a member has none of its own.
        let has_none = link.addresses.is_empty() && link.dhcp.is_empty();
        return (!has_none || route.key.is_some() || is_default).then(|| {
            Finding::on_sheet(
                rule,
                via.place,
                format!("{id} has no {} address to reach {}.", family.name(), via.value),
                "give the link an address of that family, add on-link: true, or write the route on another link",
            )
        });
    }
    if asks_others {
        return None;
    }
    let known: Vec<String> = networks.iter().map(ToString::to_string).collect();
    Some(Finding::on_sheet(
        rule,
        via.place,
        format!(
            "The router {} of the {whose} is outside {}, the network of {id}.",
            via.value,
            known.join(" and ")
        ),
        "write the router's address in that network, or add on-link: true if it is reached on the link itself",
    ))
}

/// A router that is an address which its network keeps for a purpose. The gateway of a network has rules of its own.
fn reserved(id: &str, via: &Written<IpAddr>, network: IpNet, is_default: bool) -> Option<Finding> {
    let (rule, what) = if network_of(network) == Some(via.value) {
        (&ADDRESS_IS_NETWORK, "the network address of")
    } else if broadcast_of(network) == Some(via.value) {
        (&ADDRESS_IS_BROADCAST, "the broadcast address of")
    } else {
        return None;
    };
    let (first, last) = host_range(network);
    (!is_default).then(|| {
        Finding::on_sheet(
            rule,
            via.place,
            format!("The router {} of a route is {what} {id} ({network}).", via.value),
            format!("write the router's address, from {first} to {last}"),
        )
    })
}

/// Ways that are there twice with the same metric in the same table.
fn twice(links: &[ReadLink<'_>], findings: &mut Vec<Finding>) {
    let mut seen: Vec<(IpNet, u32, Option<u32>, &ReadRoute, &ReadLink<'_>)> = Vec::new();
    for link in links {
        for route in link.routes.iter().filter(|route| route.from.is_none()) {
            let Some(network) = route.network().map(|network| network.trunc()) else { continue };
            let table = route.table.unwrap_or(super::links::MAIN_TABLE);
            let first = seen.iter().find(|(to, of, metric, other, _)| {
                *to == network && *of == table && *metric == route.metric && other.kind == route.kind
            });
            let Some((.., first, of)) = first else {
                seen.push((network, table, route.metric, route, link));
                continue;
            };
            let place = route.via.as_ref().map_or(route.place, |via| via.place);
            let way = |route: &ReadRoute, link: &ReadLink<'_>| {
                let via =
                    route.via.as_ref().map_or_else(String::new, |via| format!(" through {}", via.value));
                format!("{}{via}", link.definition.id.value)
            };
            let (this, that) = (way(route, link), way(first, of));
            if this == that {
                continue;
            }
            let is_default = route.is_default();
            let rule = if is_default { &DEFAULT_ROUTE_DUPLICATE } else { &ROUTE_DUPLICATE };
            let what = if is_default {
                format!("The {} default route", if network.addr().is_ipv4() { "IPv4" } else { "IPv6" })
            } else {
                format!("The route to {network}")
            };
            findings.push(Finding::on_sheet(
                rule,
                place,
                format!("{what} goes over {that} and over {this}, both with the same metric."),
                "remove one of them, or give each its own metric: the lowest is used first",
            ));
        }
    }
}
