//! Rules on the MTU.

use impostazione_text::Written;

use crate::finding::{Finding, Nature, Rule, Severity};

/// A size that no link has.
pub(crate) static MTU_OUT_OF_RANGE: Rule = Rule {
    name: "mtu-out-of-range",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an MTU is out of range",
    explanation: "The MTU of an IPv4 link is at least 68 bytes (RFC 791) and at most 65535. Below 1280 bytes the \
        kernel silently disables IPv6 on the interface (RFC 8200, section 5).",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", mtu = 15000000 }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", mtu = 1500 }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

pub(crate) fn out_of_range(machine: Option<String>, written: &Written<i64>) -> Finding {
    Finding::new(
        &MTU_OUT_OF_RANGE,
        machine,
        written.place,
        format!("{} is not a valid MTU: the range is 68 to 65535.", written.value),
        "write the MTU that the switches use, as in mtu = 1500 or mtu = 9000",
    )
}
