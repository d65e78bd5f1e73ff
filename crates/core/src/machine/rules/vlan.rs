//! Rules on VLAN tags.

use impostazione_text::Written;

use crate::finding::{Finding, Nature, Rule, Severity};

/// The rules that are broken while it is read.
pub(crate) const RULES: &[&Rule] = &[&VLAN_OUT_OF_RANGE];

/// A tag outside of what tags can be.
pub(crate) static VLAN_OUT_OF_RANGE: Rule = Rule {
    name: "vlan-out-of-range",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a VLAN ID is not a number from 1 to 4094",
    explanation: "A VLAN ID has twelve bits; 0 and 4095 are reserved (IEEE 802.1Q, section 9.6).",
    wrong: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nvlan = 4095\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nvlan = 130\n",
    ..Rule::PLAIN
};

pub(crate) fn out_of_range(written: &Written<i64>) -> Finding {
    Finding::on_sheet(
        &VLAN_OUT_OF_RANGE,
        written.place,
        format!("{} is not a VLAN ID: these are 1 to 4094.", written.value),
        "write the VLAN ID that the switches use, as in vlan = 110",
    )
}
