//! Rules on routes other than the default route, and on routing tables.

use std::net::IpAddr;

use impostazione_net::{Family, host_range};
use impostazione_text::{Place, Stated};
use ipnet::IpNet;

use super::check::Check;
use super::judge::Judge;
use super::link::links;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::Link;
use crate::machine::rules::route::ROUTE_DUPLICATE;

pub(super) const CHECKS: &[Check] = &[
    Check::new(&ROUTE_UNREACHABLE, check_unreachable),
    Check::new(&ROUTE_DUPLICATE, check_duplicate),
    Check::new(&ROUTING_TABLE_DUPLICATE, check_table_duplicate),
    Check::new(&ROUTING_TABLE_WITHOUT_GATEWAY, check_table_gateway),
    Check::new(&ROUTE_TO_OWN_SUBNET, check_own_subnet),
    Check::new(&DEFAULT_ROUTE_SECOND, check_second_default),
];

/// A route by a router that cannot be reached.
pub(crate) static ROUTE_UNREACHABLE: Rule = Rule {
    name: "route-unreachable",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the router of a route is not in the subnet of its link",
    explanation: "A machine sends packets to a router on the same link, so the router's address must be in the \
        subnet of the link, and the link must have an address of the same family. Otherwise the route is not set up.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", routes = [{ to = \"10.64.96.0/20\", via = \"10.64.20.1\" }] }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", routes = [{ to = \"10.64.96.0/20\", via = \"10.64.10.2\" }] }\n",
    ..Rule::PLAIN
};

/// A table for two.
static ROUTING_TABLE_DUPLICATE: Rule = Rule {
    name: "routing-table-duplicate",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "two links of a machine have the same routing table",
    explanation: "The routing table of a link has one default route, through the gateway of its subnet. Two links \
        need two tables, or the replies of one leave through the other.",
    wrong: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n[subnet.mole]\nprefix = \"10.64.31.0/24\"\ngateway = \"10.64.31.1\"\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\nlink.lan1 = { subnet = \"slip\", address = \"10.64.30.11\", routing_table = 140 }\nlink.lan2 = { subnet = \"mole\", address = \"10.64.31.11\", routing_table = 140 }\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n[subnet.mole]\nprefix = \"10.64.31.0/24\"\ngateway = \"10.64.31.1\"\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\nlink.lan1 = { subnet = \"slip\", address = \"10.64.30.11\", routing_table = 140 }\nlink.lan2 = { subnet = \"mole\", address = \"10.64.31.11\", routing_table = 141 }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// A table with nothing in it.
static ROUTING_TABLE_WITHOUT_GATEWAY: Rule = Rule {
    name: "routing-table-without-gateway",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a link has a routing table of its own, and its subnet no gateway",
    explanation: "routing_table makes replies leave through the gateway of the link that the request came in on. If \
        the subnet has no gateway, or the link no address, the table would be empty.",
    wrong: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"none\"\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\nlink.lan1 = { subnet = \"slip\", address = \"10.64.30.11\", routing_table = 140 }\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\nlink.lan1 = { subnet = \"slip\", address = \"10.64.30.11\", routing_table = 140 }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// A way that is there already.
static ROUTE_TO_OWN_SUBNET: Rule = Rule {
    name: "route-to-own-subnet",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "a route leads to the subnet of its own link",
    explanation: "A link's own subnet is reached on the link itself. A route to it sends packets to a router that \
        sends them back, or is never used. Write the network behind the router, or remove the route.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", routes = [{ to = \"10.64.10.128/25\", via = \"10.64.10.2\" }] }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", routes = [{ to = \"10.64.96.0/20\", via = \"10.64.10.2\" }] }\n",
    ..Rule::PLAIN
};

/// A way out beside another.
static DEFAULT_ROUTE_SECOND: Rule = Rule {
    name: "default-route-second",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a second default route exists in addition to the gateway's",
    explanation: "Of two default routes the one with the lower metric is used, and the other only while the first \
        link is down; a router that has failed is not noticed. The gateway of a subnet has no metric, which counts \
        as 0 for IPv4 and as 1024 for IPv6. Waive the rule if you want the second default route.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", routes = [{ to = \"0.0.0.0/0\", via = \"10.64.10.2\", metric = 900 }] }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

fn check_own_subnet(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (machine, link) in links(judge) {
        for route in link.routes() {
            let to = route.to.value;
            let side = site.subnet_of(link).and_then(|subnet| subnet.family(Family::of(to.addr())));
            let Some(prefix) = side.map(|side| side.prefix.value) else { continue };
            // The same network with no metric is a route that is there twice.
            let is_twice = to == prefix && route.metric.is_none();
            if !prefix.contains(&to) || is_twice {
                continue;
            }
            judge.on_machine(
                &ROUTE_TO_OWN_SUBNET,
                machine,
                route.to.place,
                format!("{to} is in {prefix}, the subnet of {} itself.", link.name.value),
                "write the network behind the router, or remove the route",
            );
        }
    }
}

fn check_second_default(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        for link in &machine.links {
            // One without a metric is a default route that is there twice.
            for route in link.routes().iter().filter(|route| route.to.value.prefix_len() == 0) {
                let family = Family::of(route.to.value.addr());
                let own = machine.links.iter().find_map(|link| site.default_gateway(link, family));
                let (Some(gateway), Some(metric)) = (own, &route.metric) else { continue };
                // What the kernel takes for no metric.
                let of_gateway = if family == Family::V4 { 0 } else { 1024 };
                let taken = if metric.value < of_gateway { route.via.value } else { gateway.value };
                judge.on_machine(
                    &DEFAULT_ROUTE_SECOND,
                    machine,
                    route.to.place,
                    format!(
                        "{} is a second default route through {}, in addition to the gateway {}: {taken} is used \
                            while its link is up.",
                        route.to.value, route.via.value, gateway.value
                    ),
                    "remove the route, or write the network behind its router",
                );
            }
        }
    }
}

fn is_link_local6(address: IpAddr) -> bool {
    matches!(address, IpAddr::V6(v6) if v6.is_unicast_link_local())
}

fn is_in_doubt(link: &Link) -> bool {
    Family::BOTH.into_iter().any(|family| matches!(link.choice_in(family), Stated::Faulty))
}

fn check_unreachable(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (machine, link) in links(judge) {
        for route in link.routes() {
            let via = route.via.value;
            let family = Family::of(via);
            let place = route.via.place;
            if family != Family::of(route.to.value.addr()) {
                judge.on_machine(
                    &ROUTE_UNREACHABLE,
                    machine,
                    place,
                    format!(
                        "{} is {}, and the router {via} is {}.",
                        route.to.value,
                        Family::of(route.to.value.addr()).name(),
                        family.name()
                    ),
                    "write a router and a network of the same family",
                );
                continue;
            }
            if is_in_doubt(link) || matches!(link.subnet, Stated::Faulty) {
                continue;
            }
            if !link.has_family(family) {
                judge.on_machine(
                    &ROUTE_UNREACHABLE,
                    machine,
                    place,
                    format!("{} has no {} address to reach {via}.", link.name.value, family.name()),
                    "give the link an address of that family, or write the route on another link",
                );
                continue;
            }
            let Some(subnet) = site.subnet_of(link) else { continue };
            let Some(prefix) = subnet.family(family).map(|side| side.prefix.value) else { continue };
            let is_own = link.addresses().any(|found| found.address.value == via);
            if is_own {
                judge.on_machine(
                    &ROUTE_UNREACHABLE,
                    machine,
                    place,
                    format!("The router {via} is the link's own address."),
                    "write the address of the router that leads there",
                );
            } else if !prefix.contains(&via) && !is_link_local6(via) && !subnet.has_router_on_link(via) {
                let (first, last) = host_range(prefix);
                judge.on_machine(
                    &ROUTE_UNREACHABLE,
                    machine,
                    place,
                    format!("The router {via} is not in subnet {} ({prefix}).", subnet.name.value),
                    format!("write the router's address in the subnet, from {first} to {last}, or write the route on another link"),
                );
            }
        }
    }
}

fn check_duplicate(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        let mut ways: Vec<(IpNet, Option<u32>, String, Option<Place>)> = Vec::new();
        if machine.links.iter().all(|link| link.routes().is_empty()) {
            continue;
        }
        for link in &machine.links {
            for family in Family::BOTH.into_iter().filter(|family| link.has_family(*family)) {
                if let Some(side) = site.subnet_of(link).and_then(|subnet| subnet.family(family)) {
                    ways.push((side.prefix.value, None, format!("the subnet of {}", link.name.value), None));
                }
                if let Some(gateway) = site.default_gateway(link, family) {
                    let to = match family {
                        Family::V4 => IpNet::new(IpAddr::V4(0.into()), 0),
                        Family::V6 => IpNet::new(IpAddr::V6(0.into()), 0),
                    };
                    let Ok(to) = to else { continue };
                    ways.push((
                        to,
                        None,
                        format!("the default route of {} through {}", link.name.value, gateway.value),
                        None,
                    ));
                }
            }
        }
        for link in &machine.links {
            for route in link.routes() {
                let metric = route.metric.as_ref().map(|metric| metric.value);
                let first = ways.iter().find(|(to, other, _, _)| *to == route.to.value && *other == metric);
                if let Some((_, _, what, place)) = first {
                    let line =
                        place.map_or_else(String::new, |place| format!(" at {}", judge.in_words(place)));
                    judge.on_machine(
                        &ROUTE_DUPLICATE,
                        machine,
                        route.to.place,
                        format!("{} already has a route: {what}{line}.", route.to.value),
                        "remove one of them, or add a metric to one: the lowest is used first",
                    );
                } else {
                    let what = format!("the route through {}", route.via.value);
                    ways.push((route.to.value, metric, what, Some(route.to.place)));
                }
            }
        }
    }
}

fn check_table_duplicate(judge: &mut Judge<'_>) {
    for machine in &judge.site.machines {
        let mut seen: Vec<(u32, &Link)> = Vec::new();
        for link in &machine.links {
            let Some(table) = link.options.as_ref().and_then(|options| options.routing_table.as_ref()) else {
                continue;
            };
            if let Some((_, other)) = seen.iter().find(|(number, _)| *number == table.value) {
                judge.on_machine(
                    &ROUTING_TABLE_DUPLICATE,
                    machine,
                    table.place,
                    format!("{} is already the table of {}.", table.value, other.name.value),
                    "write another number from 1 to 252",
                );
            }
            seen.push((table.value, link));
        }
    }
}

fn check_table_gateway(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (machine, link) in links(judge) {
        let Some(table) = link.options.as_ref().and_then(|options| options.routing_table.as_ref()) else {
            continue;
        };
        if is_in_doubt(link) {
            continue;
        }
        let sides = || Family::BOTH.into_iter().filter_map(|family| site.subnet_of(link)?.family(family));
        let has_doubt = sides().any(|side| matches!(side.gateway, Stated::Faulty))
            || site.subnet_of(link).is_none_or(|subnet| {
                Family::BOTH.into_iter().any(|family| matches!(subnet.side(family), Stated::Faulty))
            }) && !link.subnet.is_absent();
        let has_gateway = Family::BOTH.into_iter().any(|family| site.gateway_of(link, family).is_some());
        if !has_gateway && !has_doubt {
            judge.on_machine(
                &ROUTING_TABLE_WITHOUT_GATEWAY,
                machine,
                table.place,
                format!("{} has a routing table, but no gateway for it.", link.name.value),
                judge.say(
                    "add a gateway to its subnet, or write default_route = false instead of routing_table",
                    "write the router of that table, as in {to: default, via: 10.64.10.1, table: 140}",
                ),
            );
        }
    }
}
