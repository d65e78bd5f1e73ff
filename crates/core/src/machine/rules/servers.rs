//! Rules on DNS servers and time servers.

use impostazione_net::AddressFault;
use impostazione_text::Written;

use crate::finding::{Finding, Nature, Rule, Severity};
use crate::machine::TimeServerFault;

/// The rules that are broken while it is read.
pub(crate) const RULES: &[&Rule] = &[&DNS_NOT_AN_ADDRESS, &NTP_MALFORMED];

/// A DNS server that is no address.
pub(crate) static DNS_NOT_AN_ADDRESS: Rule = Rule {
    name: "dns-not-an-address",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a DNS server is not an address",
    explanation: "Names are looked up at DNS servers, so a DNS server itself must be given by its IPv4 or IPv6 \
        address, without a mask or a port.",
    wrong: "[common]\ndns = [\"10.64.10.53\", \"ns2.capovetro.example\"]\n",
    right: "[common]\ndns = [\"10.64.10.53\", \"10.64.10.54\"]\n",
    ..Rule::PLAIN
};

/// A time server that is neither address nor name.
pub(crate) static NTP_MALFORMED: Rule = Rule {
    name: "ntp-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a time server is neither an address nor a name",
    explanation: "A time server is given by its address or by its name, without a port.",
    wrong: "[common]\nntp = [\"10.64.10.300\"]\n",
    right: "[common]\nntp = [\"10.64.10.121\", \"10.64.10.122\", \"clock.capovetro.example\"]\n",
    ..Rule::PLAIN
};

pub(crate) fn dns_not_an_address(
    machine: Option<String>,
    written: &Written<String>,
    fault: &AddressFault,
) -> Finding {
    let text = &written.value;
    let is_name =
        text.chars().any(|c| c.is_ascii_alphabetic()) && !text.contains(':') && fault.meant.is_none();
    let (reason, fix) = if is_name {
        (
            "is a name; a DNS server is given by its address".to_owned(),
            "write the server's address".to_owned(),
        )
    } else {
        (fault.reason.clone(), super::address::fix_address("dns", fault))
    };
    Finding::new(
        &DNS_NOT_AN_ADDRESS,
        machine,
        written.place,
        format!("The DNS server \"{text}\" {reason}."),
        fix,
    )
}

pub(crate) fn ntp_malformed(
    machine: Option<String>,
    written: &Written<String>,
    fault: &TimeServerFault,
) -> Finding {
    let (reason, meant) = fault.reason(&written.value);
    let fix = match (&fault.name, meant) {
        (Some(name), meant) if name.reason == reason => match meant {
            Some(meant) => format!("write \"{meant}\""),
            None => "write the server's address or its name, such as \"clock.capovetro.example\"".to_owned(),
        },
        _ => super::address::fix_address("ntp", &fault.address),
    };
    let finding = Finding::new(
        &NTP_MALFORMED,
        machine,
        written.place,
        format!("The time server \"{}\" {reason}.", written.value),
        fix,
    );
    match fault.name.as_ref().and_then(|name| name.meant.as_ref()) {
        Some(meant) => finding.with_certain(meant),
        None => finding,
    }
}
