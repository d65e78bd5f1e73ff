//! Rules on the addresses of machines: whether they are addresses, and of the right subnet.

use impostazione_net::AddressFault;
use impostazione_text::Written;

use crate::finding::{Finding, Nature, Rule, Severity};

/// The rules that are broken while it is read.
pub(crate) const RULES: &[&Rule] = &[&ADDRESS_MALFORMED];

/// A text that is no address.
pub(crate) static ADDRESS_MALFORMED: Rule = Rule {
    name: "address-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a value is not a valid address",
    explanation: "An IPv4 address has four parts from 0 to 255, separated by dots, without leading zeros. An IPv6 \
        address has eight groups; '::' may replace one run of zero groups. `address` and `gateway` take IPv4, \
        `address6` and `gateway6` take IPv6.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

/// A text that is no address, wherever one belongs.
pub(crate) fn malformed(
    machine: Option<String>,
    key: &str,
    written: &Written<String>,
    fault: &AddressFault,
) -> Finding {
    Finding::new(
        &ADDRESS_MALFORMED,
        machine,
        written.place,
        match key {
            "in_use" => format!("`in_use` names \"{}\", which {}.", written.value, fault.reason),
            key => format!("`{key}` is \"{}\", which {}.", written.value, fault.reason),
        },
        fix_address(key, fault),
    )
}

/// What to write in place of a text that is no address.
pub(crate) fn fix_address(key: &str, fault: &AddressFault) -> String {
    let six = key.ends_with('6');
    match fault.meant {
        Some(meant) => format!("write \"{meant}\" if you mean that"),
        None if fault.reason.starts_with("is an IPv6") => {
            format!("write it as {key}6, or write an IPv4 address here")
        }
        None if fault.reason.starts_with("is an IPv4") => {
            format!("write it as {}, or write an IPv6 address here", key.trim_end_matches('6'))
        }
        None if six => "write the whole address, such as \"fd64:10::11\"".to_owned(),
        None => "write the whole address, such as \"10.64.10.11\"".to_owned(),
    }
}
