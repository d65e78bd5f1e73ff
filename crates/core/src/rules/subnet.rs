//! Rules on subnets: prefixes, masks, ranges, and links that name a subnet.

use impostazione_net::{Family, MaskFault, PrefixFault, RangeFault, dotted_mask};
use impostazione_text::{Written, nearest};

use super::{Check, Judge, Nature, Rule};
use crate::finding::{Finding, Severity};

pub(super) const RULES: &[&Rule] = &[
    &PREFIX_MALFORMED,
    &PREFIX_HAS_HOST_BITS,
    &NETMASK_NOT_CONTIGUOUS,
    &SUBNET_OVERLAP,
    &SUBNET_UNDEFINED,
    &RANGE_MALFORMED,
    &DHCP_RANGE_OUTSIDE_SUBNET,
    &SUBNET_FULL,
    &POOL_OVERLAP,
];

/// A prefix that cannot be read.
static PREFIX_MALFORMED: Rule = Rule {
    name: "prefix-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a prefix, or an address with a mask, cannot be read",
    explanation: "A subnet's prefix is its first address, a slash and the mask. The mask is a length (/24), dotted \
        (/255.255.255.0) or hexadecimal (/0xffffff00); IPv6 has the length only.",
    wrong: "[subnet.quay]\nprefix = \"10.64.10.0\"\n",
    right: "[subnet.quay]\nprefix = \"10.64.10.0/24\"\n",
    about_absence: false,
    check: Check::Reading,
};

/// A prefix with bits behind its mask.
static PREFIX_HAS_HOST_BITS: Rule = Rule {
    name: "prefix-has-host-bits",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a prefix names an address inside the subnet instead of its first",
    explanation: "The part of a prefix that the mask leaves to the machines must be zero. A prefix such as \
        10.64.10.7/24 is either the address of a machine, written in the wrong place, or has the wrong mask.",
    wrong: "[subnet.quay]\nprefix = \"10.64.10.7/24\"\n",
    right: "[subnet.quay]\nprefix = \"10.64.10.0/24\"\n",
    about_absence: false,
    check: Check::Reading,
};

/// A mask with zeros among its ones.
static NETMASK_NOT_CONTIGUOUS: Rule = Rule {
    name: "netmask-not-contiguous",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the ones of a mask do not all stand before its zeros",
    explanation: "A mask is a run of ones and then zeros (RFC 4632, section 3.1). 255.0.255.0 has a hole, and \
        0.0.0.255 is a mask turned round.",
    wrong: "[subnet.quay]\nprefix = \"10.64.10.0/255.0.255.0\"\n",
    right: "[subnet.quay]\nprefix = \"10.64.10.0/255.255.255.0\"\n",
    about_absence: false,
    check: Check::Reading,
};

/// Two subnets share addresses.
static SUBNET_OVERLAP: Rule = Rule {
    name: "subnet-overlap",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "two subnets share addresses",
    explanation: "An address that lies in two subnets cannot be routed: the router sends it to one of them. Often one \
        of the masks is too short.",
    wrong: "[subnet.breakwater]\nprefix = \"10.64.0.0/20\"\ngateway = \"10.64.0.1\"\n",
    right: "[subnet.breakwater]\nprefix = \"10.64.20.0/24\"\ngateway = \"10.64.20.1\"\n",
    about_absence: false,
    check: Check::Site(check_overlap),
};

/// A link names a subnet that the sheet does not have.
static SUBNET_UNDEFINED: Rule = Rule {
    name: "subnet-undefined",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a subnet is named that the sheet does not have",
    explanation: "A link takes its mask and its gateway from the subnet that it names, so the sheet must have a \
        [subnet.NAME] table of that name. Upper and lower case count.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"key\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: true,
    check: Check::Reading,
};

/// A range that cannot be read.
static RANGE_MALFORMED: Rule = Rule {
    name: "range-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a range is not a first and a last address",
    explanation: "A range is its first address, a hyphen and its last, both written in full and both included. A single \
        address is a range too.",
    wrong: "[subnet.quay]\nkept_free = [\"10.64.10.9-10.64.10.2\"]\n",
    right: "[subnet.quay]\nkept_free = [\"10.64.10.2-10.64.10.9\"]\n",
    about_absence: false,
    check: Check::Reading,
};

/// A DHCP range that its subnet does not hold.
static DHCP_RANGE_OUTSIDE_SUBNET: Rule = Rule {
    name: "dhcp-range-outside-subnet",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a DHCP range does not lie in its subnet",
    explanation: "Static addresses are kept out of the ranges that a DHCP server leases. A range outside its subnet keeps \
        nothing out, so one of the two is mistyped.",
    wrong: "[subnet.quay]\ndhcp_ranges = [\"10.64.11.200-10.64.11.239\"]\n",
    right: "[subnet.quay]\ndhcp_ranges = [\"10.64.10.200-10.64.10.239\"]\n",
    about_absence: false,
    check: Check::Site(check_dhcp_ranges),
};

/// No address left.
static SUBNET_FULL: Rule = Rule {
    name: "subnet-full",
    severity: Severity::Note,
    nature: Nature::Judgement,
    summary: "a subnet has no free address left",
    explanation: "Every address of the subnet is given to a machine, leased, kept free or in use. The next machine has \
        no place there. Subnets of fewer than eight addresses, which join two routers as a rule, are passed \
        over.",
    wrong: "[subnet.slip]\nprefix = \"10.64.30.0/29\"\ngateway = \"10.64.30.1\"\nkept_free = [\"10.64.30.2-10.64.30.6\"]\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/29\"\ngateway = \"10.64.30.1\"\nkept_free = [\"10.64.30.2-10.64.30.5\"]\n",
    about_absence: false,
    check: Check::Site(check_full),
};

/// Addresses that are handed out twice.
static POOL_OVERLAP: Rule = Rule {
    name: "pool-overlap",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a pool shares addresses with a subnet or with another pool",
    explanation: "An appliance hands out the addresses of a pool by itself, and routes them to itself. What it shares \
        with a subnet is cut off, seen from the appliance.",
    wrong: "[pool.logbook-internal]\nprefix = \"10.64.0.0/16\"\n",
    right: "[pool.logbook-internal]\nprefix = \"10.128.0.0/16\"\n",
    about_absence: false,
    check: Check::Site(check_pools),
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
                        "Subnet {} is {}, and shares addresses with subnet {first_name}, {}, at {line}.",
                        later.0, later.1.value, first.value
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
                            "{} is {}, and subnet {} has no {} prefix.",
                            range.value,
                            family.name(),
                            subnet.name.value,
                            family.name()
                        ),
                        "correct the range, or give the subnet its prefix",
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
                    "{} does not lie in subnet {}, which runs from {} to {}.",
                    range.value,
                    subnet.name.value,
                    prefix.network(),
                    prefix.broadcast()
                ),
                "correct the range, or move it to the subnet that it belongs to",
            );
        }
    }
}

/// A prefix that cannot be read, under the rule that its fault belongs to.
pub(crate) fn prefix_faulty(
    key: &str,
    family: Family,
    written: &Written<String>,
    fault: &PrefixFault,
) -> Finding {
    let text = &written.value;
    let (address, example) = match family {
        Family::V4 => ("10.64.10.0", "10.64.10.0/24"),
        Family::V6 => ("fd64:10::", "fd64:10::/64"),
    };
    if let PrefixFault::Spelling(usual) = fault {
        let message =
            format!("\"{text}\" does not write its mask behind a slash, in one of the three spellings.");
        let fix = format!("write {key} = \"{usual}\"");
        return Finding::on_sheet(&PREFIX_MALFORMED, written.place, message, fix).with_certain(usual);
    }
    let (rule, message, fix) = match fault {
        PrefixFault::Spelling(_) => (&PREFIX_MALFORMED, String::new(), String::new()),
        PrefixFault::NoMask => (
            &PREFIX_MALFORMED,
            format!("\"{text}\" has no mask."),
            format!("write the mask after a slash, as in {key} = \"{example}\""),
        ),
        PrefixFault::Address(fault) => (
            &PREFIX_MALFORMED,
            format!("\"{text}\" is no prefix: what stands before the slash {}.", fault.reason),
            match fault.meant {
                Some(meant) => {
                    let mask = text.split_once('/').map_or("", |(_, mask)| mask);
                    format!("write {key} = \"{meant}/{mask}\", if that is what was meant")
                }
                None => format!("write an {} prefix, as in {key} = \"{example}\"", family.name()),
            },
        ),
        PrefixFault::Mask(MaskFault::Malformed) => (
            &PREFIX_MALFORMED,
            format!("\"{text}\" is no prefix: what stands after the slash is no {} mask.", family.name()),
            match family {
                Family::V4 => format!(
                    "write a length from 0 to 32, or a mask such as 255.255.255.0, as in {key} = \"{example}\""
                ),
                Family::V6 => format!("write a length from 0 to 128, as in {key} = \"{example}\""),
            },
        ),
        PrefixFault::Mask(MaskFault::NotContiguous) => (
            &NETMASK_NOT_CONTIGUOUS,
            format!("The mask of \"{text}\" has zeros among its ones."),
            format!("write a length, as in {key} = \"{address}/24\", or a mask such as 255.255.255.0"),
        ),
        PrefixFault::Mask(MaskFault::Inverted(length)) => (
            &NETMASK_NOT_CONTIGUOUS,
            format!("The mask of \"{text}\" is turned round: its zeros stand before its ones."),
            format!("write /{length} or /{} if that was meant", dotted_mask(*length)),
        ),
        PrefixFault::HostBits(meant) => (
            &PREFIX_HAS_HOST_BITS,
            format!("\"{text}\" is an address inside subnet {meant}, not the subnet itself."),
            format!("write {key} = \"{meant}\", or correct the mask"),
        ),
    };
    Finding::on_sheet(rule, written.place, message, fix)
}

/// An address with a mask that cannot be read.
pub(crate) fn address_mask_faulty(
    machine: Option<String>,
    key: &str,
    written: &Written<String>,
    fault: &MaskFault,
) -> Finding {
    let text = &written.value;
    let (rule, message) = match fault {
        MaskFault::Malformed => (&PREFIX_MALFORMED, format!("`{key}` is \"{text}\", whose mask is none.")),
        MaskFault::NotContiguous => {
            (&NETMASK_NOT_CONTIGUOUS, format!("`{key}` is \"{text}\", whose mask has zeros among its ones."))
        }
        MaskFault::Inverted(_) => {
            (&NETMASK_NOT_CONTIGUOUS, format!("`{key}` is \"{text}\", whose mask is turned round."))
        }
    };
    let address = text.split('/').next().unwrap_or_default();
    let fix = format!("write \"{address}\" alone: the mask comes from the subnet");
    Finding::new(rule, machine, written.place, message, fix)
}

/// An address whose mask does not stand behind a slash.
pub(crate) fn address_respelled(
    machine: Option<String>,
    key: &str,
    written: &Written<String>,
    usual: &str,
) -> Finding {
    let message = format!("`{key}` is \"{}\", which does not write its mask behind a slash.", written.value);
    Finding::new(&PREFIX_MALFORMED, machine, written.place, message, format!("write \"{usual}\""))
        .with_certain(usual)
}

pub(crate) fn range_malformed(written: &Written<String>, fault: &RangeFault) -> Finding {
    let text = &written.value;
    let (message, fix) = match fault {
        RangeFault::Address { meant: Some(meant), .. } => (
            format!("\"{text}\" is no range: it has no hyphen between two whole addresses."),
            format!("write \"{meant}\" if that was meant"),
        ),
        RangeFault::Address { end, fault, meant: None } => (
            format!("\"{text}\" is no range: \"{end}\" {}.", fault.reason),
            "write both addresses in full, as in \"10.64.10.200-10.64.10.239\"".to_owned(),
        ),
        RangeFault::Reversed(meant) => {
            (format!("\"{text}\" ends before it begins."), format!("write \"{meant}\" if that was meant"))
        }
        RangeFault::MixedFamilies => (
            format!("\"{text}\" begins in one address family and ends in the other."),
            "write two IPv4 or two IPv6 addresses".to_owned(),
        ),
    };
    Finding::on_sheet(&RANGE_MALFORMED, written.place, message, fix)
}

pub(crate) fn undefined(machine: Option<String>, written: &Written<String>, known: &[&str]) -> Finding {
    let fix = match nearest(&written.value, known.iter().copied(), 1).first() {
        Some(close) => format!("write subnet = \"{close}\""),
        None if known.is_empty() => {
            format!("add a table [subnet.{}] with its prefix and gateway", written.value)
        }
        None => format!(
            "write one of {}, or add a table [subnet.{}]",
            known.iter().take(8).copied().collect::<Vec<_>>().join(", "),
            written.value
        ),
    };
    Finding::new(
        &SUBNET_UNDEFINED,
        machine,
        written.place,
        format!("The sheet has no subnet \"{}\".", written.value),
        fix,
    )
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
                "give back what is kept or leased without need, or plan a larger subnet",
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
                        "Pool {} is {}, and shares addresses with {name}, {}, at {line}.",
                        pool.name.value, prefix.value, other.value
                    ),
                    "write a prefix that nothing else of the site has, such as one below 10.128.0.0/9",
                );
            }
        }
        seen.extend(pool.prefixes.iter().map(|prefix| (format!("pool {}", pool.name.value), prefix.clone())));
    }
}
