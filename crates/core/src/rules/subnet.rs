//! Rules on subnets: prefixes, masks, ranges, and links that name a subnet.

use std::collections::HashSet;
use std::sync::Arc;

use impostazione_net::Family;
use impostazione_text::{Place, Written, capital};

use super::check::Check;
use super::judge::Judge;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{Machine, SettingOrigin};

pub(super) const CHECKS: &[Check] = &[
    Check::new(&SUBNET_OVERLAP, check_overlap),
    Check::new(&DHCP_RANGE_OUTSIDE_SUBNET, check_dhcp_ranges),
    Check::new(&SUBNET_FULL, check_full),
    Check::new(&POOL_OVERLAP, check_pools),
    Check::new(&SUBNET_SETTING_UNUSED, check_settings),
];

/// Two subnets share addresses.
static SUBNET_OVERLAP: Rule = Rule {
    name: "subnet-overlap",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "two subnets overlap",
    explanation: "An address in two subnets cannot be routed: the router sends it to one of them. Often one of the \
        masks is too short.",
    wrong: "[subnet.breakwater]\nprefix = \"10.64.0.0/20\"\ngateway = \"10.64.0.1\"\n",
    right: "[subnet.breakwater]\nprefix = \"10.64.20.0/24\"\ngateway = \"10.64.20.1\"\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// A DHCP range that its subnet does not hold.
static DHCP_RANGE_OUTSIDE_SUBNET: Rule = Rule {
    name: "dhcp-range-outside-subnet",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a DHCP range is not in its subnet",
    explanation: "Static addresses must stay out of DHCP ranges. A range outside its subnet has no effect, so either \
        the range or the prefix is mistyped.",
    wrong: "[subnet.quay]\ndhcp_ranges = [\"10.64.11.200-10.64.11.239\"]\n",
    right: "[subnet.quay]\ndhcp_ranges = [\"10.64.10.200-10.64.10.239\"]\n",
    ..Rule::PLAIN
};

/// No address left.
static SUBNET_FULL: Rule = Rule {
    name: "subnet-full",
    severity: Severity::Note,
    nature: Nature::Judgment,
    summary: "a subnet has no free address left",
    explanation: "Every address of the subnet is given to a machine, leased, kept free or in use, so there is none \
        for the next machine. Subnets with fewer than eight addresses, which usually connect two routers, are not \
        checked.",
    wrong: "[subnet.slip]\nprefix = \"10.64.30.0/29\"\ngateway = \"10.64.30.1\"\nkept_free = [\"10.64.30.2-10.64.30.6\"]\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/29\"\ngateway = \"10.64.30.1\"\nkept_free = [\"10.64.30.2-10.64.30.5\"]\n",
    ..Rule::PLAIN
};

/// Addresses that are handed out twice.
static POOL_OVERLAP: Rule = Rule {
    name: "pool-overlap",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a pool overlaps with a subnet or another pool",
    explanation: "An appliance hands out the addresses of a pool itself, and routes them to itself. It cannot reach \
        the part of a subnet that overlaps with the pool.",
    wrong: "[pool.logbook-internal]\nprefix = \"10.64.0.0/16\"\n",
    right: "[pool.logbook-internal]\nprefix = \"10.128.0.0/16\"\n",
    ..Rule::PLAIN
};

/// A setting that nobody has.
static SUBNET_SETTING_UNUSED: Rule = Rule {
    name: "subnet-setting-unused",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "no machine has a setting of a subnet",
    explanation: "domain, dns, search, ntp and timezone in a subnet apply to machines whose default route leaves \
        through it, and to machines without a default route whose only link with an address is in it. A machine's own \
        setting replaces the subnet's. If no machine has the setting, it is in the wrong subnet, or it was written below \
        the subnet's header instead of [common]'s.",
    wrong: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\ntimezone = \"Europe/Malta\"\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\ntimezone = \"Europe/Malta\"\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"slip\", address = \"10.64.30.11\" }\n",
    about_absence: true,
    ..Rule::PLAIN
};

fn check_overlap(judge: &mut Judge<'_>) {
    let site = judge.site;
    for family in Family::BOTH {
        let mut seen: Vec<(&str, &Written<ipnet::IpNet>)> = site
            .subnets
            .iter()
            .filter_map(|subnet| Some((subnet.name.value.as_str(), &subnet.family(family)?.prefix)))
            .collect();
        // Sorted by first address, shorter mask first, a prefix overlaps one before it only if that one, or the
        // one that holds it, contains it: prefixes are nested or apart, never crossed.
        seen.sort_by_key(|(_, prefix)| (prefix.value.network(), prefix.value.prefix_len()));
        let mut holders: Vec<(&str, &Written<ipnet::IpNet>)> = Vec::new();
        for (name, prefix) in seen {
            while holders.last().is_some_and(|(_, holder)| !holder.value.contains(&prefix.value.network())) {
                holders.pop();
            }
            if let Some((other, held_by)) = holders.last() {
                let (later, (first_name, first)) = if held_by.place < prefix.place {
                    ((name, prefix), (*other, *held_by))
                } else {
                    ((*other, *held_by), (name, prefix))
                };
                let line = judge.in_words(first.place);
                judge.on_sheet(
                    &SUBNET_OVERLAP,
                    later.1.place,
                    format!(
                        "{} is {}, and overlaps with {}, {} (at {line}).",
                        capital(&judge.network_named(later.0)),
                        later.1.value,
                        judge.network_named(first_name),
                        first.value
                    ),
                    "correct the address or the mask of one of them",
                );
            }
            holders.push((name, prefix));
        }
    }
}

fn check_dhcp_ranges(judge: &mut Judge<'_>) {
    let site = judge.site;
    for subnet in &site.subnets {
        for range in &subnet.dhcp_ranges {
            let family = Family::of(range.value.first());
            let Some(side) = subnet.family(family) else {
                if subnet.side(family).is_absent() {
                    judge.on_sheet(
                        &DHCP_RANGE_OUTSIDE_SUBNET,
                        range.place,
                        format!(
                            "{} is {}, but subnet {} has no {} prefix.",
                            range.value,
                            family.name(),
                            subnet.name.value,
                            family.name()
                        ),
                        "correct the range, or add the prefix to the subnet",
                    );
                }
                continue;
            };
            let prefix = side.prefix.value;
            if prefix.contains(&range.value.first()) && prefix.contains(&range.value.last()) {
                continue;
            }
            judge.on_sheet(
                &DHCP_RANGE_OUTSIDE_SUBNET,
                range.place,
                format!(
                    "{} is not in subnet {}, which is {} to {}.",
                    range.value,
                    subnet.name.value,
                    prefix.network(),
                    prefix.broadcast()
                ),
                "correct the range, or move it to the right subnet",
            );
        }
    }
}

fn check_full(judge: &mut Judge<'_>) {
    let site = judge.site;
    for subnet in &site.subnets {
        let Some(side) = subnet.family(Family::V4) else { continue };
        let prefix = side.prefix.value;
        // Counting through larger subnets takes long, and nobody fills them.
        if !(20..=29).contains(&prefix.prefix_len()) {
            continue;
        }
        let is_free = prefix
            .hosts()
            .any(|address| subnet.allows(address) && !site.address_uses().contains_key(&address));
        if !is_free {
            judge.on_sheet(
                &SUBNET_FULL,
                side.prefix.place,
                format!("Subnet {} ({prefix}) has no free address left.", subnet.name.value),
                "free addresses that are kept or leased without need, or use a larger subnet",
            );
        }
    }
}

fn check_pools(judge: &mut Judge<'_>) {
    let site = judge.site;
    let subnets = site.subnets.iter().flat_map(|subnet| {
        Family::BOTH.into_iter().filter_map(move |family| {
            Some((format!("subnet {}", subnet.name.value), subnet.family(family)?.prefix.clone()))
        })
    });
    let mut seen: Vec<(String, Written<ipnet::IpNet>)> = subnets.collect();
    for pool in &site.pools {
        for prefix in &pool.prefixes {
            let other = seen.iter().find(|(_, other)| {
                other.value.contains(&prefix.value.network()) || prefix.value.contains(&other.value.network())
            });
            if let Some((name, other)) = other {
                let line = judge.in_words(other.place);
                judge.on_sheet(
                    &POOL_OVERLAP,
                    prefix.place,
                    format!(
                        "Pool {} is {}, and overlaps with {name}, {} (at {line}).",
                        pool.name.value, prefix.value, other.value
                    ),
                    "write a prefix that nothing else in the site uses, such as one in 10.128.0.0/9",
                );
            }
        }
        seen.extend(pool.prefixes.iter().map(|prefix| (format!("pool {}", pool.name.value), prefix.clone())));
    }
}

fn check_settings(judge: &mut Judge<'_>) {
    let site = judge.site;
    if site.subnets.iter().all(|subnet| subnet.settings.is_none()) {
        return;
    }
    let mut leaving_by: Vec<Vec<&Machine>> = site.subnets.iter().map(|_| Vec::new()).collect();
    for machine in &site.machines {
        let subnet = site.subnet_for_settings(machine);
        if let Some(machines) = subnet.and_then(|index| leaving_by.get_mut(index)) {
            machines.push(machine);
        }
    }
    for ((index, subnet), leaving) in site.subnets.iter().enumerate().zip(leaving_by) {
        let Some(settings) = &subnet.settings else { continue };
        // Where one has nothing of its own, it has them all.
        if leaving.iter().any(|machine| Arc::ptr_eq(&machine.settings, settings)) {
            continue;
        }
        let in_use: HashSet<Place> =
            leaving.iter().flat_map(|machine| machine.settings.stated()).map(|(_, place)| place).collect();
        let name = &subnet.name.value;
        let unused = settings.stated().into_iter().filter(|(_, place)| {
            site.setting_origin(*place) == SettingOrigin::Subnet(index) && !in_use.contains(place)
        });
        for (key, place) in unused {
            let has_link = |machine: &&Machine| {
                machine.links.iter().any(|link| {
                    link.subnet.value().is_some_and(|written| written.value == index)
                        && link.addresses().next().is_some()
                })
            };
            let (why, fix) = match (leaving.first(), site.machines.iter().find(has_link)) {
                (Some(_), _) => (
                    "every machine whose default route leads through it has its own".to_owned(),
                    format!("remove {key} here, or on the machines that should have it"),
                ),
                (None, Some(machine)) => (
                    format!("{} has a link in it, but its default route leads elsewhere", machine.called()),
                    format!(
                        "write {key} on the machines that should have it, or in the subnet that their default route leads through"
                    ),
                ),
                (None, None) => (
                    "no machine has a link in it".to_owned(),
                    format!(
                        "remove the line; if it is meant for all machines, move it to [common], above the header \
                         [subnet.{name}]"
                    ),
                ),
            };
            let message = format!("No machine gets {key} from subnet {name}: {why}.");
            judge.on_sheet(&SUBNET_SETTING_UNUSED, place, message, fix);
        }
    }
}
