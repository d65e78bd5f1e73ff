//! Rules on subnets: prefixes, masks, ranges, and links that name a subnet.

use impostazione_net::{Family, MaskFault, PrefixFault, RangeFault, dotted_mask};
use impostazione_text::{Written, nearest};

use crate::finding::{Finding, Nature, Rule, Severity};

/// The rules that are broken while it is read.
pub(crate) const RULES: &[&Rule] = &[
    &PREFIX_MALFORMED,
    &PREFIX_HAS_HOST_BITS,
    &NETMASK_NOT_CONTIGUOUS,
    &SUBNET_UNDEFINED,
    &ADDRESS_RANGE_MALFORMED,
];

/// A prefix that cannot be read.
pub(crate) static PREFIX_MALFORMED: Rule = Rule {
    name: "prefix-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a prefix, or an address with a mask, cannot be read",
    explanation: "A subnet's prefix is its first address, a slash and the mask. The mask is a length (/24), dotted \
        (/255.255.255.0) or hexadecimal (/0xffffff00); for IPv6 it is always a length.",
    wrong: "[subnet.quay]\nprefix = \"10.64.10.0\"\n",
    right: "[subnet.quay]\nprefix = \"10.64.10.0/24\"\n",
    ..Rule::PLAIN
};

/// A prefix with bits behind its mask.
pub(crate) static PREFIX_HAS_HOST_BITS: Rule = Rule {
    name: "prefix-has-host-bits",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a prefix has host bits set",
    explanation: "The host bits of a prefix must be zero. A prefix such as 10.64.10.7/24 is either the address of a \
        machine in the wrong place, or has the wrong mask.",
    wrong: "[subnet.quay]\nprefix = \"10.64.10.7/24\"\n",
    right: "[subnet.quay]\nprefix = \"10.64.10.0/24\"\n",
    ..Rule::PLAIN
};

/// A mask with zeros between its ones.
pub(crate) static NETMASK_NOT_CONTIGUOUS: Rule = Rule {
    name: "netmask-not-contiguous",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a mask is not contiguous",
    explanation: "A mask is a run of ones and then zeros (RFC 4632, section 3.1). 255.0.255.0 has a hole, and \
        0.0.0.255 is an inverted mask (a wildcard mask).",
    wrong: "[subnet.quay]\nprefix = \"10.64.10.0/255.0.255.0\"\n",
    right: "[subnet.quay]\nprefix = \"10.64.10.0/255.255.255.0\"\n",
    ..Rule::PLAIN
};

/// A link names a subnet that the sheet does not have.
pub(crate) static SUBNET_UNDEFINED: Rule = Rule {
    name: "subnet-undefined",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a link names a subnet that the sheet does not have",
    explanation: "A link takes its mask and gateway from the subnet it names, so the sheet must have a [subnet.NAME] \
        table with that name. Upper and lower case matter.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"key\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// A range that cannot be read.
pub(crate) static ADDRESS_RANGE_MALFORMED: Rule = Rule {
    name: "address-range-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a range is not a first and a last address",
    explanation: "A range is a first address, a hyphen and a last address, both in full and both included. A single \
        address is a range too.",
    wrong: "[subnet.quay]\nkept_free = [\"10.64.10.9-10.64.10.2\"]\n",
    right: "[subnet.quay]\nkept_free = [\"10.64.10.2-10.64.10.9\"]\n",
    ..Rule::PLAIN
};

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
        let message = format!("\"{text}\" does not have its mask after a slash.");
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
            format!("\"{text}\" is not a prefix: the part before the slash {}.", fault.reason),
            match fault.meant {
                Some(meant) => {
                    let mask = text.split_once('/').map_or("", |(_, mask)| mask);
                    format!("write {key} = \"{meant}/{mask}\" if you mean that")
                }
                None => format!("write an {} prefix, as in {key} = \"{example}\"", family.name()),
            },
        ),
        PrefixFault::Mask(MaskFault::Malformed) => (
            &PREFIX_MALFORMED,
            format!("\"{text}\" is not a prefix: the part after the slash is not an {} mask.", family.name()),
            match family {
                Family::V4 => format!(
                    "write a length from 0 to 32, or a mask such as 255.255.255.0, as in {key} = \"{example}\""
                ),
                Family::V6 => format!("write a length from 0 to 128, as in {key} = \"{example}\""),
            },
        ),
        PrefixFault::Mask(MaskFault::NotContiguous) => (
            &NETMASK_NOT_CONTIGUOUS,
            format!("The mask of \"{text}\" is not contiguous."),
            format!("write a length, as in {key} = \"{address}/24\", or a mask such as 255.255.255.0"),
        ),
        PrefixFault::Mask(MaskFault::Inverted(length)) => (
            &NETMASK_NOT_CONTIGUOUS,
            format!("The mask of \"{text}\" is inverted (a wildcard mask)."),
            format!("write /{length} or /{} if you mean that", dotted_mask(*length)),
        ),
        PrefixFault::HostBits(meant) => (
            &PREFIX_HAS_HOST_BITS,
            format!("\"{text}\" is an address in subnet {meant}, not the subnet itself."),
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
        MaskFault::Malformed => {
            (&PREFIX_MALFORMED, format!("`{key}` is \"{text}\", which has no valid mask."))
        }
        MaskFault::NotContiguous => {
            (&NETMASK_NOT_CONTIGUOUS, format!("`{key}` is \"{text}\", whose mask is not contiguous."))
        }
        MaskFault::Inverted(_) => (
            &NETMASK_NOT_CONTIGUOUS,
            format!("`{key}` is \"{text}\", whose mask is inverted (a wildcard mask)."),
        ),
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
    let message = format!("`{key}` is \"{}\", which does not have its mask after a slash.", written.value);
    Finding::new(&PREFIX_MALFORMED, machine, written.place, message, format!("write \"{usual}\""))
        .with_certain(usual)
}

pub(crate) fn range_malformed(written: &Written<String>, fault: &RangeFault) -> Finding {
    let text = &written.value;
    let (message, fix) = match fault {
        RangeFault::Address { meant: Some(meant), .. } => (
            format!("\"{text}\" is not a range: it has no hyphen between two full addresses."),
            format!("write \"{meant}\" if you mean that"),
        ),
        RangeFault::Address { end, fault, meant: None } => (
            format!("\"{text}\" is not a range: \"{end}\" {}.", fault.reason),
            "write both addresses in full, as in \"10.64.10.200-10.64.10.239\"".to_owned(),
        ),
        RangeFault::Reversed(meant) => {
            (format!("\"{text}\" ends before it starts."), format!("write \"{meant}\" if you mean that"))
        }
        RangeFault::MixedFamilies => (
            format!("\"{text}\" starts with one address family and ends with the other."),
            "write two IPv4 or two IPv6 addresses".to_owned(),
        ),
    };
    Finding::on_sheet(&ADDRESS_RANGE_MALFORMED, written.place, message, fix)
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
