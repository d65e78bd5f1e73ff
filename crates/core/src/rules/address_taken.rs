//! Rules on addresses that somebody has, or that are kept for a purpose.

use std::collections::HashMap;
use std::net::IpAddr;

use impostazione_net::{Family, broadcast_of, host_range, network_of};
use impostazione_ovf::Meaning;
use impostazione_text::Place;
use ipnet::IpNet;

use super::address::{Assigned, assigned, report};
use super::check::Check;
use super::judge::Judge;
use super::link::links;
use super::told::against_sheet as told;
use super::told::{report_told, told_addresses, told_subnet};
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{AddressOwner, AddressUse, Machine, Site, Subnet};

pub(super) const CHECKS: &[Check] = &[
    Check::new(&ADDRESS_IS_NETWORK, check_is_network),
    Check::new(&ADDRESS_IS_BROADCAST, check_is_broadcast),
    Check::new(&ADDRESS_IS_GATEWAY, check_is_gateway),
    Check::new(&ADDRESS_IS_ROUTER_ANYCAST, check_is_router_anycast),
    Check::new(&ADDRESS_IN_DHCP_RANGE, check_in_dhcp_range),
    Check::new(&ADDRESS_KEPT_FREE, check_kept_free),
    Check::new(&ADDRESS_IN_USE, check_in_use),
    Check::new(&ADDRESS_DUPLICATE, check_duplicate),
];

/// The subnet's own address.
pub(crate) static ADDRESS_IS_NETWORK: Rule = Rule {
    name: "address-is-network",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an address is the network address of its subnet",
    explanation: "The first address of an IPv4 subnet is its network address, which no machine may have. A /31, a \
        /32 (RFC 3021) and IPv6 have no such address.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.0\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// The subnet's broadcast address.
pub(crate) static ADDRESS_IS_BROADCAST: Rule = Rule {
    name: "address-is-broadcast",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an address is the broadcast address of its subnet",
    explanation: "The last address of an IPv4 subnet is its broadcast address, which no machine may have. A /31, a \
        /32 (RFC 3021) and IPv6 have no such address.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.255\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.25\" }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// The router's address.
static ADDRESS_IS_GATEWAY: Rule = Rule {
    name: "address-is-gateway",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an address is the gateway's",
    explanation: "A machine with the address of its gateway cuts off the whole subnet as soon as it comes up, \
        because it attracts all traffic that should leave the subnet. Often two fields were filled in in the wrong \
        order.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.1\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// An address that a DHCP server leases.
static ADDRESS_IN_DHCP_RANGE: Rule = Rule {
    name: "address-in-dhcp-range",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a static address is in a DHCP range",
    explanation: "A DHCP server does not know about static addresses, and leases them too. The machine works until \
        its address is leased to something else. Choose an address outside the ranges, or have the DHCP range \
        changed.",
    wrong: "[subnet.quay]\ndhcp_ranges = [\"10.64.10.200-10.64.10.239\"]\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.211\" }\n",
    right: "[subnet.quay]\ndhcp_ranges = [\"10.64.10.200-10.64.10.239\"]\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

/// An address that the sheet may not use.
static ADDRESS_KEPT_FREE: Rule = Rule {
    name: "address-kept-free",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an address is in a range that is kept free",
    explanation: "kept_free of a subnet lists addresses that this sheet must not use, usually for routers and \
        switches. Choose another address, or shorten the range if it is out of date.",
    wrong: "[subnet.quay]\nkept_free = [\"10.64.10.2-10.64.10.9\"]\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.5\" }\n",
    right: "[subnet.quay]\nkept_free = [\"10.64.10.2-10.64.10.9\"]\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

/// An address that somebody has.
static ADDRESS_IN_USE: Rule = Rule {
    name: "address-in-use",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an address is in use by something outside the sheet",
    explanation: "in_use of a subnet lists the addresses of machines outside the sheet. Two machines with one \
        address disturb each other, which is hard to see on either of them.",
    wrong: "[subnet.quay]\nin_use = { \"10.64.10.40\" = \"crane controller\" }\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.40\" }\n",
    right: "[subnet.quay]\nin_use = { \"10.64.10.40\" = \"crane controller\" }\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.41\" }\n",
    ..Rule::PLAIN
};

/// An address given twice.
static ADDRESS_DUPLICATE: Rule = Rule {
    name: "address-duplicate",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "two links of the sheet have the same address",
    explanation: "Two machines with one address disturb each other. Usually an entry was copied and its address was \
        not changed.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n[[host]]\nname = \"gauge-02\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n[[host]]\nname = \"gauge-02\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.12\" }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// What to write in place of an address that is taken: the next one that nothing uses.
fn other_address(judge: &mut Judge<'_>, at: &Assigned<'_>) -> String {
    match judge.suggest_address(at.claim.subnet, at.address()) {
        Some(free) => judge.other_than(at.claim.place, at.claim.subnet, free),
        None => format!(
            "write a free address from {}; there is none near this one",
            judge.network(at.claim.subnet)
        ),
    }
}

/// Reports every machine and every gateway that has an address which its subnet keeps for a purpose.
fn report_reserved(
    judge: &mut Judge<'_>,
    rule: &'static Rule,
    reserved: impl Fn(IpNet) -> Option<IpAddr>,
    message: impl Fn(IpAddr, &str, IpNet) -> String,
) {
    let site = judge.site;
    for at in assigned(judge) {
        let prefix = at.side.prefix.value;
        if reserved(prefix) == Some(at.address()) {
            let fix = other_address(judge, &at);
            let message = message(at.address(), &judge.network(at.claim.subnet), prefix);
            report(judge, rule, &at.claim, message, fix);
        }
    }
    for subnet in &site.subnets {
        for side in Family::BOTH.into_iter().filter_map(|family| subnet.family(family)) {
            let Some(gateway) = side.gateway_address() else { continue };
            let prefix = side.prefix.value;
            if reserved(prefix) == Some(gateway.value) {
                let (first, last) = host_range(prefix);
                let message =
                    format!("The gateway {}", message(gateway.value, &judge.network(subnet), prefix));
                judge.on_sheet(
                    rule,
                    gateway.place,
                    message,
                    format!("write the router's address, from {first} to {last}"),
                );
            }
        }
    }
}

fn check_is_network(judge: &mut Judge<'_>) {
    told::check_gateway_is(judge, &ADDRESS_IS_NETWORK, |_, gateway, side| told::names_subnet(gateway, side));
    report_reserved(judge, &ADDRESS_IS_NETWORK, network_of, names_subnet);
    report_routers(judge, &ADDRESS_IS_NETWORK, network_of, names_subnet);
}

/// The address of whichever router answers.
static ADDRESS_IS_ROUTER_ANYCAST: Rule = Rule {
    name: "address-is-router-anycast",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an IPv6 address is the first of its subnet, which belongs to its routers",
    explanation: "The first address of an IPv6 subnet is the anycast address of its routers, and each router answers \
        to it (RFC 4291, section 2.6.1). A router would answer in place of the machine. A /127 and a /128 have no \
        such address (RFC 6164).",
    wrong: "[subnet.quay]\nprefix6 = \"fd64:10::/64\"\ngateway6 = \"fd64:10::1\"\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", address6 = \"fd64:10::\" }\n",
    right: "[subnet.quay]\nprefix6 = \"fd64:10::/64\"\ngateway6 = \"fd64:10::1\"\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", address6 = \"fd64:10::11\" }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// The longest prefix of a subnet with routers (RFC 6164).
const LONGEST_WITH_ROUTERS: u8 = 126;

fn check_is_router_anycast(judge: &mut Judge<'_>) {
    for at in assigned(judge) {
        let prefix = at.side.prefix.value;
        let is_it = at.address().is_ipv6()
            && at.address() == prefix.network()
            && prefix.prefix_len() <= LONGEST_WITH_ROUTERS;
        if is_it {
            let message = format!(
                "{} is the first address of {} ({prefix}), which belongs to its routers.",
                at.address(),
                judge.network(at.claim.subnet)
            );
            let fix = other_address(judge, &at);
            report(judge, &ADDRESS_IS_ROUTER_ANYCAST, &at.claim, message, fix);
        }
    }
}

/// Reports every router of a route that is an address which the link's subnet keeps for a purpose.
fn report_routers(
    judge: &mut Judge<'_>,
    rule: &'static Rule,
    reserved: impl Fn(IpNet) -> Option<IpAddr>,
    message: impl Fn(IpAddr, &str, IpNet) -> String,
) {
    let site = judge.site;
    for (machine, link) in links(judge) {
        for route in link.routes() {
            let via = route.via.value;
            let Some(subnet) = site.subnet_of(link) else { continue };
            let Some(side) = subnet.family(Family::of(via)) else { continue };
            let prefix = side.prefix.value;
            if reserved(prefix) == Some(via) {
                let (first, last) = host_range(prefix);
                let message = format!("The router {}", message(via, &judge.network(subnet), prefix));
                let fix = format!("write the router's address, from {first} to {last}");
                judge.on_machine(rule, machine, route.via.place, message, fix);
            }
        }
    }
}

fn names_subnet(address: IpAddr, subnet: &str, prefix: IpNet) -> String {
    format!("{address} is the network address of {subnet} ({prefix}).")
}

fn reaches_all(address: IpAddr, subnet: &str, prefix: IpNet) -> String {
    format!("{address} is the broadcast address of {subnet} ({prefix}).")
}

fn check_is_broadcast(judge: &mut Judge<'_>) {
    told::check_gateway_is(judge, &ADDRESS_IS_BROADCAST, |_, gateway, side| told::reaches_all(gateway, side));
    report_reserved(judge, &ADDRESS_IS_BROADCAST, broadcast_of, reaches_all);
    report_routers(judge, &ADDRESS_IS_BROADCAST, broadcast_of, reaches_all);
}

fn check_is_gateway(judge: &mut Judge<'_>) {
    told::check_gateway_is(judge, &ADDRESS_IS_GATEWAY, |appliance, gateway, _| {
        told::is_itself(appliance, gateway)
    });
    for at in assigned(judge) {
        let Some(gateway) = at.side.gateway_address() else { continue };
        if gateway.value == at.address() {
            let line = judge.in_words(gateway.place);
            let message = format!(
                "{} is the address of the gateway of {} (at {line}).",
                at.address(),
                judge.network(at.claim.subnet)
            );
            let fix = other_address(judge, &at);
            report(judge, &ADDRESS_IS_GATEWAY, &at.claim, message, fix);
        }
    }
}

fn check_in_dhcp_range(judge: &mut Judge<'_>) {
    for at in assigned(judge).filter(Assigned::is_in_prefix) {
        let prefix = at.side.prefix.value;
        // A range that is not in its subnet is mistyped, and has a finding of its own.
        let leased = at.claim.subnet.dhcp_ranges.iter().find(|range| {
            range.value.contains(at.address())
                && prefix.contains(&range.value.first())
                && prefix.contains(&range.value.last())
        });
        let Some(range) = leased else { continue };
        let message = format!(
            "{} is in {}, a DHCP range of subnet {} ({}).",
            at.address(),
            range.value,
            at.claim.subnet.name.value,
            judge.in_words(range.place)
        );
        let fix = other_address(judge, &at);
        report(judge, &ADDRESS_IN_DHCP_RANGE, &at.claim, message, fix);
    }
}

fn check_kept_free(judge: &mut Judge<'_>) {
    for at in assigned(judge).filter(Assigned::is_in_prefix) {
        let Some(range) = at.claim.subnet.kept_free.iter().find(|range| range.value.contains(at.address()))
        else {
            continue;
        };
        let message = format!(
            "{} is in {}, which subnet {} keeps free ({}).",
            at.address(),
            range.value,
            at.claim.subnet.name.value,
            judge.in_words(range.place)
        );
        let fix = other_address(judge, &at);
        report(judge, &ADDRESS_KEPT_FREE, &at.claim, message, fix);
    }
}

fn check_in_use(judge: &mut Judge<'_>) {
    for at in assigned(judge) {
        let Some(used) = at.claim.subnet.in_use.iter().find(|used| used.address.value == at.address()) else {
            continue;
        };
        let message = format!(
            "{} is already in use: {} ({}).",
            at.address(),
            used.user,
            judge.in_words(used.address.place)
        );
        let fix = other_address(judge, &at);
        report(judge, &ADDRESS_IN_USE, &at.claim, message, fix);
    }
}

fn check_duplicate(judge: &mut Judge<'_>) {
    check_told_duplicate(judge);
    let site = judge.site;
    let mut wrong: Vec<(AddressUse, AddressUse, IpAddr)> = Vec::new();
    for (address, uses) in site.address_uses() {
        if let [first, others @ ..] = uses.as_slice() {
            wrong.extend(others.iter().map(|other| (*other, *first, *address)));
        }
    }
    // The index has no order of its own.
    wrong.sort_by_key(|(used, _, address)| (used.place, *address));
    for (used, first, address) in wrong {
        let line = judge.in_words(first.place);
        let (machine, subnet) = match site.owning_link(used.owner) {
            Some((machine, link)) => (Some(machine), site.subnet_of(link)),
            None => (None, cluster_subnet(site, used.owner)),
        };
        let whose = match (site.owning_link(first.owner), machine) {
            (Some((other, link)), Some(machine)) if std::ptr::eq(other, machine) => {
                format!("its own link {}", link.name.value)
            }
            (Some((other, _)), _) => other.label().to_owned(),
            (None, _) => "a cluster".to_owned(),
        };
        // One that the network routes to a machine has no neighbors in a subnet.
        let holds = |subnet: &&Subnet| {
            subnet.family(Family::of(address)).is_some_and(|side| side.prefix.value.contains(&address))
        };
        let pattern = pattern_from(site, address, used.place);
        let fix =
            match (pattern, subnet.filter(holds).and_then(|subnet| judge.suggest_address(subnet, address))) {
                (Some(pattern), _) => {
                    format!("every machine of this entry gets it: write a pattern, such as \"{pattern}\"")
                }
                (None, Some(free)) => match subnet {
                    Some(subnet) => judge.other_than(used.place, subnet, free),
                    None => format!("write a free address, such as {free}"),
                },
                (None, None) => "write another address for one of them".to_owned(),
            };
        let message = format!("{address} is already the address of {whose} (at {line}).");
        match machine {
            Some(machine) => judge.on_machine(&ADDRESS_DUPLICATE, machine, used.place, message, fix),
            None => judge.on_sheet(&ADDRESS_DUPLICATE, used.place, message, fix),
        }
    }
}

/// The pattern that gives each machine of an entry its own address, from the one that they all have at a place.
fn pattern_from(site: &Site, address: IpAddr, place: Place) -> Option<String> {
    let count =
        site.address_uses().get(&address)?.iter().filter(|used| used.place == place).take(256).count();
    let text = address.to_string();
    let (network, number) = text.split_at_checked(text.rfind(['.', ':'])? + 1)?;
    let first: usize = number.parse().ok()?;
    let last = first.checked_add(count.checked_sub(1)?)?;
    (count > 1 && last < 255).then(|| format!("{network}{{{first}..{last}}}"))
}

/// Addresses that an appliance is told for itself, and that a machine, a cluster or another appliance has.
fn check_told_duplicate(judge: &mut Judge<'_>) {
    let site = judge.site;
    let mut first: HashMap<IpAddr, &Machine> = HashMap::new();
    for appliance in judge.told {
        for (value, address) in told_addresses(site, appliance) {
            let machine = appliance.machine;
            let is_shared = value.meaning == Meaning::VirtualAddress;
            let of_sheet = site.address_uses().get(&address).and_then(|uses| uses.first()).map(|used| {
                match site.owning_link(used.owner) {
                    Some((other, link)) if std::ptr::eq(other, machine) => {
                        format!("its own link {}", link.name.value)
                    }
                    Some((other, _)) => other.called().to_owned(),
                    None => "a cluster".to_owned(),
                }
            });
            let same_cluster = |other: &Machine| {
                let cluster = |machine: &Machine| machine.cluster.as_ref().map(|written| written.value);
                cluster(other).is_some() && cluster(other) == cluster(machine)
            };
            let of_told = first
                .get(&address)
                .filter(|other| !(std::ptr::eq(**other, machine) || is_shared && same_cluster(other)));
            let message = match (of_sheet, of_told) {
                (Some(whose), _) => format!("{address} is already the address of {whose}."),
                (None, Some(other)) => {
                    format!("{address} is already given to {} as its address.", other.called())
                }
                (None, None) => String::new(),
            };
            first.entry(address).or_insert(machine);
            if message.is_empty() {
                continue;
            }
            let free =
                told_subnet(site, appliance, value).and_then(|subnet| judge.suggest_address(subnet, address));
            let fix = match free {
                Some(free) => format!("write a free address, such as {free}"),
                None => "write another address".to_owned(),
            };
            report_told(judge, &ADDRESS_DUPLICATE, machine, value, &message, fix);
        }
    }
}

fn cluster_subnet(site: &Site, owner: AddressOwner) -> Option<&Subnet> {
    let AddressOwner::Cluster(index) = owner else { return None };
    let cluster = site.clusters.get(index as usize)?;
    site.subnets.get(cluster.subnet.value()?.value)
}
