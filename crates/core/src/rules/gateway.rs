//! Rules on the way out of a subnet.

use std::collections::HashMap;
use std::net::IpAddr;

use impostazione_net::{Family, host_range};
use impostazione_text::Stated;

use super::check::Check;
use super::judge::Judge;
use super::told;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::Gateway;
use crate::machine::rules::gateway::DEFAULT_ROUTE_DUPLICATE;

pub(super) const CHECKS: &[Check] = &[
    Check::new(&GATEWAY_OUTSIDE_SUBNET, check_outside),
    Check::new(&GATEWAY_MISSING, check_missing),
    Check::new(&DEFAULT_ROUTE_DUPLICATE, check_duplicate),
];

/// A gateway that its subnet does not hold.
pub(crate) static GATEWAY_OUTSIDE_SUBNET: Rule = Rule {
    name: "gateway-outside-subnet",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a gateway is not in its subnet",
    explanation: "A machine reaches its gateway directly, so the gateway's address must be in the machine's subnet. \
        With a gateway outside, netplan writes its files without complaint and the machine cannot be reached from \
        other networks. With a single rented address the gateway is outside on purpose: write gateway_on_link = true. A link-local IPv6 gateway (fe80::…) is right in any subnet.",
    wrong: "[subnet.quay]\ngateway = \"10.64.11.1\"\n",
    right: "[subnet.quay]\ngateway = \"10.64.10.1\"\n",
    ..Rule::PLAIN
};

/// No gateway, and no word that there is none.
static GATEWAY_MISSING: Rule = Rule {
    name: "gateway-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a subnet in use has no gateway, and the sheet does not say that this is intended",
    explanation: "Without a gateway a machine answers only its own subnet. If that is intended, write gateway = \
        \"none\"; if this machine has its default route on another link, write default_route = false on this one.",
    wrong: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"slip\", address = \"10.64.30.11\" }\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"slip\", address = \"10.64.30.11\" }\n",
    about_absence: true,
    of_any_host: true,
    ..Rule::PLAIN
};

fn check_outside(judge: &mut Judge<'_>) {
    told::against_sheet::check_gateway_outside(judge, &GATEWAY_OUTSIDE_SUBNET);
    let site = judge.site;
    for subnet in &site.subnets {
        for family in Family::BOTH {
            let Some(side) = subnet.family(family) else { continue };
            let Some(gateway) = side.gateway_address() else { continue };
            let is_link_local = match gateway.value {
                IpAddr::V6(v6) => v6.is_unicast_link_local(),
                IpAddr::V4(_) => false,
            };
            let prefix = side.prefix.value;
            if is_link_local || prefix.contains(&gateway.value) || subnet.gateway_on_link {
                continue;
            }
            let (first, last) = host_range(prefix);
            judge.on_sheet(
                &GATEWAY_OUTSIDE_SUBNET,
                gateway.place,
                format!("The gateway {} is not in subnet {} ({prefix}).", gateway.value, subnet.name.value),
                outside_fix(judge, first, last),
            );
        }
    }
}

/// What to write in place of a gateway outside; of an address that is rented alone it is right.
fn outside_fix(judge: &Judge<'_>, first: IpAddr, last: IpAddr) -> String {
    let on_link = judge.say("gateway_on_link = true", "on-link: true");
    let on_purpose = format!("add {on_link} if it is outside on purpose (a single rented address)");
    if first == last {
        return on_purpose;
    }
    format!("write the router's address in the subnet, from {first} to {last}, or {on_purpose}")
}

fn check_missing(judge: &mut Judge<'_>) {
    let site = judge.site;
    for family in Family::BOTH {
        let mut users: HashMap<usize, (&str, usize)> = HashMap::new();
        for machine in &site.machines {
            for link in machine.links.iter().filter(|link| link.default_route) {
                if let Some(subnet) = link.subnet.value().filter(|_| link.has_family(family)) {
                    users.entry(subnet.value).or_insert((machine.label(), 0)).1 += 1;
                }
            }
        }
        for (index, subnet) in site.subnets.iter().enumerate() {
            let Some(side) = subnet.family(family) else { continue };
            let Some((user, count)) = users.get(&index) else { continue };
            if !side.gateway.is_absent() {
                continue;
            }
            let (first, _) = host_range(side.prefix.value);
            let key = if family == Family::V4 { "gateway" } else { "gateway6" };
            let who = match count {
                1 => format!("{user} has"),
                2 => format!("{user} and 1 more machine have"),
                more => format!("{user} and {} more machines have", more - 1),
            };
            let message = judge.say(
                format!("Subnet {} has no `{key}`, and {who} no other default route.", subnet.name.value),
                "No link has a default route, so the host reaches only its own networks.".to_owned(),
            );
            let fix = judge.say(
                format!("add {key} = \"{first}\", or the router's real address; or {key} = \"none\" if there is no \
                    router"),
                format!("add the router to the right link, as in routes: [{{to: default, via: {first}}}]")
                    .replace(": default", if family == Family::V4 { ": default" } else { ": \"::/0\"" }),
            );
            judge.on_sheet(&GATEWAY_MISSING, side.prefix.place, message, fix);
        }
    }
}

fn check_duplicate(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        for family in Family::BOTH {
            let mut ways = machine.links.iter().filter(|link| {
                let side = site.subnet_of(link).and_then(|subnet| subnet.family(family));
                link.default_route
                    && link.has_family(family)
                    && side.is_some_and(|side| matches!(side.gateway, Stated::Value(Gateway::At(_))))
            });
            let Some(first) = ways.next() else { continue };
            if let Some(second) = ways.next() {
                judge.on_machine(
                    &DEFAULT_ROUTE_DUPLICATE,
                    machine,
                    second.name.place,
                    format!(
                        "The links {} and {} both have an {} default route.",
                        first.name.value,
                        second.name.value,
                        family.name()
                    ),
                    format!("add default_route = false to {}, or to the other", second.name.value),
                );
                break;
            }
        }
    }
}
