//! Rules on links themselves.

use super::{Check, Rule};
use crate::finding::{Finding, Severity};
use crate::names::NameFault;
use crate::source::Written;

pub(super) const RULES: &[&Rule] = &[&LINK_NAME_INVALID];

/// A name that the kernel does not take.
static LINK_NAME_INVALID: Rule = Rule {
    name: "link-name-invalid",
    severity: Severity::Error,
    summary: "a link has a name that no interface can have",
    explanation: "The kernel takes interface names of 1 to 15 bytes. Netplan lets longer names pass, and no interface is \
        ever found under them, so the machine comes up without a network. Letters, digits, hyphens, underscores and dots \
        are safe.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.enx026410000011eth = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.enx026410000011 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: false,
    check: Check::Reading,
};

pub(crate) fn name_invalid(machine: Option<String>, written: &Written<String>, fault: &NameFault) -> Finding {
    Finding {
        rule: &LINK_NAME_INVALID,
        machine,
        place: written.place,
        message: format!("The link name \"{}\" {}.", written.value, fault.reason),
        fix: "write the name that the kernel gives the interface, such as eth0 or enp1s0".to_owned(),
    }
}
