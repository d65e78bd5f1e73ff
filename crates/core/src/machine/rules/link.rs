//! Rules on links themselves: their names, what they are made of, and how they are found.

use impostazione_net::NameFault;
use impostazione_text::Written;

use crate::finding::{Finding, Nature, Rule, Severity};

/// The rules that are broken while it is read.
pub(crate) const RULES: &[&Rule] = &[&LINK_NAME_INVALID];

/// A name that the kernel does not take.
pub(crate) static LINK_NAME_INVALID: Rule = Rule {
    name: "link-name-invalid",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a link has a name that no network interface can have",
    explanation: "Interface names have 1 to 15 bytes. Netplan accepts longer names, but no interface ever has one, \
        so the machine comes up without a network. Letters, digits, hyphens, underscores and dots are safe.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.enx026410000011eth = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.enx026410000011 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

pub(crate) fn name_invalid(machine: Option<String>, written: &Written<String>, fault: &NameFault) -> Finding {
    Finding::new(
        &LINK_NAME_INVALID,
        machine,
        written.place,
        format!("The link name \"{}\" {}.", written.value, fault.reason),
        "write the name that the kernel gives the interface, such as eth0 or enp1s0",
    )
}
