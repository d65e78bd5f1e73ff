//! Rules on the addresses of machines: whether they are addresses, and of the right subnet.

use std::net::IpAddr;

use impostazione_net::{Family, dotted_mask, host_range};
use impostazione_ovf::Meaning;
use impostazione_text::{Place, Stated};

use super::check::Check;
use super::judge::Judge;
use super::set_apart::is_special;
use super::told::{report_told, switches, told_addresses, told_subnet};
use crate::appliance::ToldValue;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{Ipv6Mode, Link, LinkAddress, Machine, Site, Subnet, SubnetFamily};

pub(super) const CHECKS: &[Check] = &[
    Check::new(&ADDRESS_MISSING, check_missing),
    Check::new(&ADDRESS_OUTSIDE_SUBNET, check_outside_subnet),
    Check::new(&OUTSIDE_ADDRESS_IN_SUBNET, check_outside_in_subnet),
    Check::new(&NETMASK_DISAGREES, check_netmask),
    Check::new(&IPV6_OFF_HAS_ADDRESS, check_ipv6_off),
];

/// A link without an address.
static ADDRESS_MISSING: Rule = Rule {
    name: "address-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a link has no address, and the sheet does not say that this is intended",
    explanation: "A machine is reached only by its addresses. If a link should have none, write address = \"none\". \
        No DHCP server is ever used.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// An address that is not in its link's subnet.
static ADDRESS_OUTSIDE_SUBNET: Rule = Rule {
    name: "address-outside-subnet",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an address is not in the subnet of its link",
    explanation: "A machine with an address from another subnet is cut off: its neighbors do not answer, and it \
        cannot reach its gateway. Either a digit of the address is wrong, or the link names the wrong subnet.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.11.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

/// An address that is in its link's subnet although it is said to be outside.
static OUTSIDE_ADDRESS_IN_SUBNET: Rule = Rule {
    name: "outside-address-in-subnet",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an address with outside_subnet = true is in the subnet of its link",
    explanation: "outside_subnet = true is for an address that the network routes to the machine. One that is in the \
        link's subnet needs the subnet's mask, and would get the mask of a single address.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", more_addresses = [{ address = \"10.64.10.12\", outside_subnet = true }] }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", more_addresses = [{ address = \"10.64.203.9\", outside_subnet = true }] }\n",
    ..Rule::PLAIN
};

/// An address whose own mask is not the subnet's.
static NETMASK_DISAGREES: Rule = Rule {
    name: "netmask-disagrees",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an address has a different mask than its subnet",
    explanation: "An address may be written with its mask, in any notation, but it must be the mask of the link's \
        subnet. With a different mask the machine looks for remote machines on the link, or sends local traffic to \
        the router.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11/16\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11/255.255.255.0\" }\n",
    ..Rule::PLAIN
};

/// An address of a family that is switched off.
static IPV6_OFF_HAS_ADDRESS: Rule = Rule {
    name: "ipv6-off-has-address",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a machine has an IPv6 address although IPv6 is off",
    explanation: "ipv6 = \"off\" removes every IPv6 address from the machine, link-local addresses included. An \
        address6 would bring IPv6 back on that link.",
    wrong: "[subnet.slip]\nprefix6 = \"fd64:30::/64\"\n[[host]]\nname = \"gauge-01\"\nipv6 = \"off\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\nlink.lan1 = { subnet = \"slip\", address6 = \"fd64:30::11\", default_route = false }\n",
    right: "[subnet.slip]\nprefix6 = \"fd64:30::/64\"\n[[host]]\nname = \"gauge-01\"\nipv6 = \"static\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\nlink.lan1 = { subnet = \"slip\", address6 = \"fd64:30::11\", default_route = false }\n",
    ..Rule::PLAIN
};

/// A static address with all that is known of it.
pub(super) struct Assigned<'a> {
    /// The address, and who has it.
    pub(super) claim: Claim<'a>,
    pub(super) side: &'a SubnetFamily,
}

impl Assigned<'_> {
    pub(super) fn address(&self) -> IpAddr {
        self.claim.address
    }

    pub(super) fn is_in_prefix(&self) -> bool {
        self.side.prefix.value.contains(&self.address())
    }
}

/// An address that is given to somebody, and the subnet that it is to be in.
#[derive(Clone, Copy)]
pub(super) struct Claim<'a> {
    /// The machine that has it; `None` for the shared address of a cluster.
    pub(super) machine: Option<&'a Machine>,
    pub(super) address: IpAddr,
    /// The prefix length that was written with it, if any.
    pub(super) own_length: Option<u8>,
    /// Whether it is meant to be in another subnet than its link, or in none.
    pub(super) is_outside_subnet: bool,
    /// Where that stands.
    pub(super) place: Place,
    pub(super) subnet: &'a Subnet,
    /// The value by which an appliance is told it in place of what its link has.
    pub(super) told: Option<&'a ToldValue<'a>>,
}

/// Every static address of a link or a cluster, and every one that an appliance is told in place of those.
pub(super) fn claims<'a>(judge: &Judge<'a>) -> impl Iterator<Item = Claim<'a>> + use<'a> {
    let site = judge.site;
    let claim = |machine: Option<&'a Machine>, found: &'a LinkAddress, subnet: &'a Subnet| Claim {
        machine,
        address: found.address.value,
        own_length: found.own_length,
        is_outside_subnet: found.is_outside_subnet,
        place: found.address.place,
        subnet,
        told: None,
    };
    let of_links = site.machines.iter().flat_map(move |machine| {
        machine.links.iter().flat_map(move |link| {
            let subnet = site.subnet_of(link);
            link.addresses().filter_map(move |found| {
                let subnet =
                    if found.is_outside_subnet { subnet_around(site, found, subnet?) } else { subnet? };
                Some(claim(Some(machine), found, subnet))
            })
        })
    });
    let of_clusters = site.clusters.iter().flat_map(move |cluster| {
        let subnet = cluster.subnet.value().and_then(|written| site.subnets.get(written.value));
        cluster.addresses().filter_map(move |found| Some(claim(None, found, subnet?)))
    });
    let of_told = judge.told.iter().flat_map(move |appliance| {
        told_addresses(site, appliance).filter_map(move |(value, address)| {
            Some(Claim {
                machine: Some(appliance.machine),
                address,
                own_length: None,
                is_outside_subnet: false,
                place: value.place,
                subnet: told_subnet(site, appliance, value)?,
                told: Some(value),
            })
        })
    });
    of_links.chain(of_clusters).chain(of_told)
}

/// The subnet of the sheet that an address from outside its link's subnet is in, or else one of its family.
fn subnet_around<'a>(site: &'a Site, found: &LinkAddress, of_link: &'a Subnet) -> &'a Subnet {
    let address = found.address.value;
    let family = Family::of(address);
    let side_of = |subnet: &'a Subnet| subnet.family(family);
    let holds =
        |subnet: &&Subnet| subnet.family(family).is_some_and(|side| side.prefix.value.contains(&address));
    let of_family = || site.subnets.iter().find(|subnet| side_of(subnet).is_some());
    let around = site.subnets.iter().find(holds);
    around.or_else(|| side_of(of_link).map(|_| of_link)).or_else(of_family).unwrap_or(of_link)
}

/// Every static address whose subnet is known in its family.
pub(super) fn assigned<'a>(judge: &Judge<'a>) -> impl Iterator<Item = Assigned<'a>> + use<'a> {
    claims(judge).filter_map(|claim| {
        let side = claim.subnet.family(Family::of(claim.address))?;
        Some(Assigned { claim, side })
    })
}

pub(super) fn report(
    judge: &mut Judge<'_>,
    rule: &'static Rule,
    claim: &Claim<'_>,
    message: String,
    fix: String,
) {
    match (claim.told, claim.machine) {
        (Some(told), Some(machine)) => report_told(judge, rule, machine, told, &message, fix),
        (_, Some(machine)) => judge.on_machine(rule, machine, claim.place, message, fix),
        (_, None) => judge.on_sheet(rule, claim.place, message, fix),
    }
}

fn check_missing(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        for link in &machine.links {
            let says_something = !link.address.is_absent() || !link.address6.is_absent();
            if says_something || link.addresses().next().is_some() || machine.parent_of(link).is_some() {
                continue;
            }
            let fix = match site.subnet_of(link).and_then(|subnet| {
                let side = subnet.family(Family::V4).or_else(|| subnet.family(Family::V6))?;
                judge.suggest_address(subnet, host_range(side.prefix.value).0)
            }) {
                Some(free) => {
                    let key = if free.is_ipv4() { "address" } else { "address6" };
                    format!(
                        "add {key} = \"{free}\" or another free address, or address = \"none\" if it should have \
                            none"
                    )
                }
                None => "add address = \"…\", or address = \"none\" if it should have none".to_owned(),
            };
            judge.on_machine(
                &ADDRESS_MISSING,
                machine,
                link.name.place,
                format!("The link {} has no address.", link.name.value),
                fix,
            );
        }
    }
}

/// Whether the address stands in `more_addresses` of a sheet.
fn is_further(claim: &Claim<'_>) -> bool {
    let links = claim.machine.iter().flat_map(|machine| &machine.links);
    let further = links.flat_map(|link| &link.options).flat_map(|options| &options.more_addresses);
    claim.told.is_none() && further.into_iter().any(|found| found.address.place == claim.place)
}

fn check_outside_subnet(judge: &mut Judge<'_>) {
    let site = judge.site;
    for claim in claims(judge).filter(|claim| !claim.is_outside_subnet) {
        let (address, subnet) = (claim.address, claim.subnet);
        let family = Family::of(address);
        let name = &subnet.name.value;
        let (message, fix) = match subnet.side(family) {
            Stated::Absent => {
                let key = if family == Family::V4 { "prefix" } else { "prefix6" };
                (
                    format!("{address} is an {} address, and subnet {name} has no `{key}`.", family.name()),
                    format!("add {key} to subnet {name}, or remove the address"),
                )
            }
            Stated::Value(side) if !side.prefix.value.contains(&address) && !is_special(address) => {
                let prefix = side.prefix.value;
                let (first, last) = host_range(prefix);
                let other = site.subnets.iter().find(|other| {
                    other.family(family).is_some_and(|side| side.prefix.value.contains(&address))
                });
                let hint = match other {
                    Some(other) => {
                        format!(", or subnet = \"{}\", which has {address}", other.name.value)
                    }
                    None => String::new(),
                };
                let in_it = if first == last {
                    format!("write {first}, which is its only address")
                } else {
                    format!("write an address from {first} to {last}")
                };
                let routed = if is_further(&claim) {
                    format!(
                        ", or {{ address = \"{address}\", outside_subnet = true }} if the network routes it to this machine"
                    )
                } else {
                    String::new()
                };
                (format!("{address} is not in subnet {name} ({prefix})."), format!("{in_it}{hint}{routed}"))
            }
            Stated::Value(_) | Stated::Faulty => continue,
        };
        report(judge, &ADDRESS_OUTSIDE_SUBNET, &claim, message, fix);
    }
}

fn check_outside_in_subnet(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        for link in &machine.links {
            let Some(subnet) = site.subnet_of(link) else { continue };
            for found in link.addresses().filter(|found| found.is_outside_subnet) {
                let address = found.address.value;
                let Some(side) = subnet.family(Family::of(address)) else { continue };
                let prefix = side.prefix.value;
                if !prefix.contains(&address) {
                    continue;
                }
                judge.on_machine(
                    &OUTSIDE_ADDRESS_IN_SUBNET,
                    machine,
                    found.address.place,
                    format!(
                        "{address} is in subnet {} ({prefix}), although outside_subnet is true.",
                        subnet.name.value
                    ),
                    format!("write \"{address}\" in more_addresses, without outside_subnet"),
                );
            }
        }
    }
}

fn spelled(family: Family, length: u8) -> String {
    match family {
        Family::V4 => format!("/{length} ({})", dotted_mask(length)),
        Family::V6 => format!("/{length}"),
    }
}

fn check_netmask(judge: &mut Judge<'_>) {
    for at in assigned(judge).filter(|at| !at.claim.is_outside_subnet) {
        let length = at.side.prefix.value.prefix_len();
        let Some(own) = at.claim.own_length.filter(|own| *own != length) else { continue };
        let family = Family::of(at.address());
        let message = format!(
            "{} has the mask {}, but subnet {} has {}.",
            at.address(),
            spelled(family, own),
            at.claim.subnet.name.value,
            spelled(family, length)
        );
        let fix = format!("write \"{}\" without a mask, or correct the mask of the subnet", at.address());
        report(judge, &NETMASK_DISAGREES, &at.claim, message, fix);
    }
    check_told_masks(judge);
}

/// Masks and lengths that appliances are told, against the subnet of the link that they are about.
fn check_told_masks(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (appliance, value) in judge.told_values().filter(|(_, value)| value.is_own_word()) {
        let Some(typed) = value.typed() else { continue };
        let Some(length) = typed.length() else { continue };
        let Some(subnet) = told_subnet(site, appliance, value) else { continue };
        let families: &[Family] = match (value.meaning, typed.family()) {
            (_, Some(Family::V4)) | (Meaning::Netmask, _) => &[Family::V4],
            (_, Some(Family::V6)) | (Meaning::PrefixLength6, _) => &[Family::V6],
            // A length without more may be that of either family.
            _ => &Family::BOTH,
        };
        let sides = families.iter().filter_map(|family| Some((*family, subnet.family(*family)?)));
        let lengths: Vec<(Family, u8)> =
            sides.map(|(family, side)| (family, side.prefix.value.prefix_len())).collect();
        let Some((family, right)) = lengths.first().copied() else { continue };
        if lengths.iter().any(|(_, right)| *right == length) {
            continue;
        }
        let message = format!(
            "The mask is {}, but subnet {} has {}.",
            spelled(family, length),
            subnet.name.value,
            spelled(family, right)
        );
        let fix = format!("write the mask of the subnet, {}", spelled(family, right));
        report_told(judge, &NETMASK_DISAGREES, appliance.machine, value, &message, fix);
    }
}

fn check_ipv6_off(judge: &mut Judge<'_>) {
    switches::check_ipv6_off(judge, &IPV6_OFF_HAS_ADDRESS);
    let site = judge.site;
    for machine in site.machines.iter().filter(|machine| machine.settings.ipv6() == Ipv6Mode::Off) {
        let Some(ipv6) = machine.settings.ipv6.value() else { continue };
        for found in machine.links.iter().flat_map(Link::addresses) {
            if Family::of(found.address.value) == Family::V6 {
                let line = judge.in_words(ipv6.place);
                judge.on_machine(
                    &IPV6_OFF_HAS_ADDRESS,
                    machine,
                    found.address.place,
                    format!("{} is an IPv6 address, but IPv6 is off (at {line}).", found.address.value),
                    "remove the address, or write ipv6 = \"static\" on the machine",
                );
            }
        }
    }
}
