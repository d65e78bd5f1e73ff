//! Rules on name servers and time servers.

use super::{Check, Judge, Rule};
use crate::finding::{Finding, Severity};
use crate::given::Given;
use crate::machine::{Choices, Machine};
use crate::names::NameFault;
use crate::net::AddressFault;
use crate::source::Written;

pub(super) const RULES: &[&Rule] = &[&DNS_MISSING, &DNS_NOT_AN_ADDRESS, &NTP_MISSING, &NTP_MALFORMED];

/// No word on name servers.
static DNS_MISSING: Rule = Rule {
    name: "dns-missing",
    severity: Severity::Error,
    summary: "a machine is given no name server, and the sheet does not say so",
    explanation: "A machine without a name server finds nothing by name: no updates, no time servers by name. Where that \
        is meant, dns = \"none\" says so. An empty list says neither.",
    wrong: "[common]\ndns = []\n",
    right: "[common]\ndns = \"none\"\n",
    about_absence: true,
    check: Check::Site(check_dns_missing),
};

/// A name server that is no address.
static DNS_NOT_AN_ADDRESS: Rule = Rule {
    name: "dns-not-an-address",
    severity: Severity::Error,
    summary: "a name server is not given by its address",
    explanation: "A name server is what names are looked up at, so it cannot be given by name itself. It is given by its \
        IPv4 or IPv6 address, without a mask or a port.",
    wrong: "[common]\ndns = [\"ns1.capovetro.example\"]\n",
    right: "[common]\ndns = [\"10.64.10.53\"]\n",
    about_absence: false,
    check: Check::Reading,
};

/// No word on time servers.
static NTP_MISSING: Rule = Rule {
    name: "ntp-missing",
    severity: Severity::Error,
    summary: "a machine is given no time server, and the sheet does not say so",
    explanation: "A machine without a time server drifts, and small boards start in the past, so that certificates are \
        refused. Where that is meant, ntp = \"none\" says so. An empty list says neither.",
    wrong: "[common]\nntp = []\n",
    right: "[common]\nntp = \"none\"\n",
    about_absence: true,
    check: Check::Site(check_ntp_missing),
};

/// A time server that is neither address nor name.
static NTP_MALFORMED: Rule = Rule {
    name: "ntp-malformed",
    severity: Severity::Error,
    summary: "a time server is neither an address nor a name",
    explanation: "A time server is given by its address or by its name, without a port.",
    wrong: "[common]\nntp = [\"10.64.10.300\"]\n",
    right: "[common]\nntp = [\"10.64.10.121\", \"clock.capovetro.example\"]\n",
    about_absence: false,
    check: Check::Reading,
};

/// Reports each list that is missing or empty once: at `[common]`'s list where that is to blame for several machines.
fn check_list<T>(
    judge: &mut Judge<'_>,
    rule: &'static Rule,
    key: &str,
    what: &str,
    example: &str,
    list_of: impl Fn(&Machine) -> &Given<std::sync::Arc<Choices<T>>>,
) {
    let site = judge.site;
    let fix = format!("write {example}, or {key} = \"none\" if there is to be none");
    let lacking: Vec<&Machine> =
        site.machines.iter().filter(|machine| list_of(machine).is_absent()).collect();
    if let [first, others @ ..] = lacking.as_slice() {
        let message = match others.len() {
            0 => format!("The sheet gives {} no {what}.", first.called()),
            1 => format!("The sheet gives {} and one more machine no {what}.", first.called()),
            more => format!("The sheet gives {} and {more} more machines no {what}.", first.called()),
        };
        let fix = format!(
            "write {example} in [common] or on the machine, or {key} = \"none\" if there is to be none"
        );
        judge.on_machine(rule, first, first.place, message, fix);
    }
    let mut reported = Vec::new();
    for machine in &site.machines {
        let Some(list) = list_of(machine).value().filter(|list| list.is_empty()) else { continue };
        if !reported.contains(&list.place) {
            reported.push(list.place);
            judge.on_sheet(rule, list.place, format!("The list `{key}` is empty."), fix.clone());
        }
    }
}

fn check_dns_missing(judge: &mut Judge<'_>) {
    check_list(judge, &DNS_MISSING, "dns", "name server", "dns = [\"10.64.10.53\"]", |machine| {
        &machine.settings.dns
    });
}

fn check_ntp_missing(judge: &mut Judge<'_>) {
    check_list(judge, &NTP_MISSING, "ntp", "time server", "ntp = [\"10.64.10.121\"]", |machine| {
        &machine.settings.ntp
    });
}

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
            "is a name, and a name server is given by its address".to_owned(),
            "write the server's address".to_owned(),
        )
    } else {
        (fault.reason.clone(), super::report::fix_address("dns", fault))
    };
    Finding {
        rule: &DNS_NOT_AN_ADDRESS,
        machine,
        place: written.place,
        message: format!("The name server \"{text}\" {reason}."),
        fix,
    }
}

/// A time server that is no address, and, where a fault is given, no name either; without one it looks like a mistyped
/// address.
pub(crate) fn ntp_malformed(
    machine: Option<String>,
    written: &Written<String>,
    address: &AddressFault,
    name: Option<&NameFault>,
) -> Finding {
    let looks_like_address = written.value.chars().all(|c| c.is_ascii_digit() || ".:/,".contains(c));
    let (reason, fix) = match name {
        Some(name) if !looks_like_address && address.meant.is_none() => {
            let fix = match &name.meant {
                Some(meant) => format!("write \"{meant}\""),
                None => {
                    "write the server's address or its name, such as \"clock.capovetro.example\"".to_owned()
                }
            };
            (&name.reason, fix)
        }
        _ => (&address.reason, super::report::fix_address("ntp", address)),
    };
    Finding {
        rule: &NTP_MALFORMED,
        machine,
        place: written.place,
        message: format!("The time server \"{}\" {reason}.", written.value),
        fix,
    }
}
