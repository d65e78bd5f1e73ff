//! Rules on VLAN tags.

use std::collections::HashMap;

use impostazione_text::{Place, Stated};

use super::check::Check;
use super::judge::Judge;
use super::link::links;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::LinkKind;

pub(super) const CHECKS: &[Check] = &[
    Check::new(&VLAN_DUPLICATE, check_duplicate),
    Check::new(&VLAN_MISSING, check_missing),
    Check::new(&VLAN_TWICE_ON_LINK, check_twice),
];

/// A tag twice.
static VLAN_DUPLICATE: Rule = Rule {
    name: "vlan-duplicate",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "two subnets or pools have the same VLAN ID",
    explanation: "A VLAN ID is one network on all switches of a site. Two subnets with the same ID are not \
        separated; usually an entry was copied and its VLAN ID was not changed.",
    wrong: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nvlan = 130\n[subnet.mole]\nprefix = \"10.64.31.0/24\"\nvlan = 130\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nvlan = 130\n[subnet.mole]\nprefix = \"10.64.31.0/24\"\nvlan = 131\n",
    ..Rule::PLAIN
};

/// A link that would not know its tag.
static VLAN_MISSING: Rule = Rule {
    name: "vlan-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a link of kind vlan is in a subnet without a VLAN ID",
    explanation: "A vlan link gets its VLAN ID from its subnet, so that it is the same for all machines.",
    wrong: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\nlink.radar = { kind = \"vlan\", over = \"eth0\", subnet = \"slip\", address = \"10.64.30.11\", default_route = false }\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nvlan = 130\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\nlink.radar = { kind = \"vlan\", over = \"eth0\", subnet = \"slip\", address = \"10.64.30.11\", default_route = false }\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// A tag twice on one link.
static VLAN_TWICE_ON_LINK: Rule = Rule {
    name: "vlan-twice-on-link",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a link has two vlans with the same ID",
    explanation: "The kernel creates one interface per VLAN ID on a link, and refuses the second. Put a second \
        address in the same subnet into more_addresses.",
    wrong: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nvlan = 130\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\nlink.radar = { kind = \"vlan\", over = \"eth0\", subnet = \"slip\", address = \"10.64.30.11\", default_route = false }\nlink.sonar = { kind = \"vlan\", over = \"eth0\", subnet = \"slip\", address = \"10.64.30.12\", default_route = false }\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nvlan = 130\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\nlink.radar = { kind = \"vlan\", over = \"eth0\", subnet = \"slip\", address = \"10.64.30.11\", more_addresses = [\"10.64.30.12\"], default_route = false }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

fn check_duplicate(judge: &mut Judge<'_>) {
    let site = judge.site;
    let of_subnets = site
        .subnets
        .iter()
        .filter_map(|subnet| Some((format!("subnet {}", subnet.name.value), subnet.vlan.value()?)));
    let of_pools =
        site.pools.iter().filter_map(|pool| Some((format!("pool {}", pool.name.value), pool.vlan.as_ref()?)));
    let mut seen: HashMap<u16, (String, Place)> = HashMap::new();
    for (name, tag) in of_subnets.chain(of_pools) {
        match seen.get(&tag.value) {
            None => {
                seen.insert(tag.value, (name, tag.place));
            }
            Some((other, place)) => {
                let line = judge.in_words(*place);
                judge.on_sheet(
                    &VLAN_DUPLICATE,
                    tag.place,
                    format!("{} is already the VLAN ID of {other} (at {line}).", tag.value),
                    "write the VLAN ID that the switches use for this one",
                );
            }
        }
    }
}

fn check_missing(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (machine, link) in links(judge).filter(|(_, link)| matches!(link.kind, LinkKind::Vlan(_))) {
        let message = match (&link.subnet, site.subnet_of(link)) {
            (_, Some(subnet)) if subnet.vlan.is_absent() => {
                format!("Subnet {} has no `vlan`, so {} has no VLAN ID.", subnet.name.value, link.name.value)
            }
            (Stated::Absent, None) => {
                format!("The vlan {} is in no subnet, so it has no VLAN ID.", link.name.value)
            }
            _ => continue,
        };
        let place = link.subnet.value().map_or(link.name.place, |subnet| subnet.place);
        judge.on_machine(
            &VLAN_MISSING,
            machine,
            place,
            message,
            "add the VLAN ID to the subnet, as in vlan = 110, or write kind = \"ethernet\" if the link is untagged",
        );
    }
}

fn check_twice(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        let mut seen: Vec<(&str, u16, &str)> = Vec::new();
        for link in &machine.links {
            let LinkKind::Vlan(Stated::Value(over)) = &link.kind else { continue };
            let Some(tag) = site.subnet_of(link).and_then(|subnet| subnet.vlan.value()) else { continue };
            let first = seen.iter().find(|(other, value, _)| *other == over.value && *value == tag.value);
            if let Some((_, _, first)) = first {
                judge.on_machine(
                    &VLAN_TWICE_ON_LINK,
                    machine,
                    link.name.place,
                    format!("{} and {first} are both vlan {} on {}.", link.name.value, tag.value, over.value),
                    judge.say(
                        format!("write the other subnet, or add its address to {first} with more_addresses"),
                        format!("write the other VLAN ID, or move its address to {first}"),
                    ),
                );
            }
            seen.push((&over.value, tag.value, link.name.value.as_str()));
        }
    }
}
