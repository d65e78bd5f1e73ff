//! Rules on the addresses of machines: whether they are addresses, and of the right subnet.

use std::net::IpAddr;

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
    let tried = Tried::of(&written.value);
    if let Some(tried) = tried.filter(|_| key != "in_use") {
        let text = &written.value;
        let (message, fix) = match tried {
            Tried::Dhcp => (
                format!("`{key}` is \"{text}\", but every address is static and DHCP is always off."),
                format!("write the address itself, such as {key} = \"{}\"", example(key)),
            ),
            Tried::Nothing => (
                format!("`{key}` has \"{text}\" in it, which is not an address."),
                "remove it: without an item there is no further address".to_owned(),
            ),
            Tried::Range(pattern) => (
                format!("`{key}` is \"{text}\", which is a range, but a link has one address here."),
                format!("write \"{pattern}\", and a range of the same length in the name of the machines"),
            ),
        };
        return Finding::new(&ADDRESS_MALFORMED, machine, written.place, message, fix);
    }
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

/// What people try in place of an address.
enum Tried {
    /// Having a server choose it.
    Dhcp,
    /// Saying that there is none, in a list.
    Nothing,
    /// The addresses of several machines, in another notation than that of patterns, which is this.
    Range(String),
}

impl Tried {
    fn of(text: &str) -> Option<Self> {
        if ["dhcp", "dhcp4", "dhcp6", "auto", "slaac"].iter().any(|word| text.eq_ignore_ascii_case(word)) {
            return Some(Self::Dhcp);
        }
        if text == "none" {
            return Some(Self::Nothing);
        }
        let (first, last) = text.split_once('-')?;
        let before = first.rfind(['.', ':'])? + 1;
        let (network, from) = first.split_at_checked(before)?;
        let to = last.strip_prefix(network).unwrap_or(last);
        let is_number = |text: &str| {
            !text.is_empty() && text.len() <= 4 && text.bytes().all(|byte| byte.is_ascii_digit())
        };
        let is_range = first.parse::<IpAddr>().is_ok() && is_number(from) && is_number(to);
        is_range.then(|| Self::Range(format!("{network}{{{from}..{to}}}")))
    }
}

fn example(key: &str) -> &'static str {
    if key.ends_with('6') { "fd64:10::11" } else { "10.64.10.11" }
}

/// What to write in place of a text that is no address.
pub(crate) fn fix_address(key: &str, fault: &AddressFault) -> String {
    match fault.meant {
        Some(meant) => format!("write \"{meant}\" if you mean that"),
        None if fault.reason.starts_with("is an IPv6") => {
            format!("write it as {key}6, or write an IPv4 address here")
        }
        None if fault.reason.starts_with("is an IPv4") => {
            format!("write it as {}, or write an IPv6 address here", key.trim_end_matches('6'))
        }
        None => format!("write the whole address, such as \"{}\"", example(key)),
    }
}
