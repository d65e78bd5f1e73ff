//! Rules on MAC addresses.

use impostazione_net::MacFault;
use impostazione_text::Written;

use crate::finding::{Finding, Nature, Rule, Severity};

/// The rules that are broken while it is read.
pub(crate) const RULES: &[&Rule] = &[&MAC_MALFORMED];

/// A text that is no MAC address.
pub(crate) static MAC_MALFORMED: Rule = Rule {
    name: "mac-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a value is not a MAC address",
    explanation: "A MAC address is six pairs of hexadecimal digits separated by colons or hyphens, as on the label \
        of the device.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

pub(crate) fn malformed(machine: Option<String>, written: &Written<String>, fault: &MacFault) -> Finding {
    let message = format!("`mac` is \"{}\", which {}.", written.value, fault.reason);
    let fix = match fault.meant {
        Some(meant) => format!("write \"{meant}\""),
        None => "write six pairs of hexadecimal digits, such as \"02:64:10:00:00:21\"".to_owned(),
    };
    let finding = Finding::new(&MAC_MALFORMED, machine, written.place, message, fix);
    match fault.meant {
        Some(meant) => finding.with_certain(meant.to_string()),
        None => finding,
    }
}
