//! Rules on name servers and time servers.

use super::{Check, Judge, Rule};
use crate::finding::{Finding, Severity};
use crate::given::Given;
use crate::machine::{Choices, Machine, TimeServer};
use crate::names::NameFault;
use crate::net::{AddressFault, Family};
use crate::source::Written;

pub(super) const RULES: &[&Rule] = &[
    &DNS_MISSING,
    &DNS_NOT_AN_ADDRESS,
    &DNS_DUPLICATE,
    &DNS_FAMILY_MISMATCH,
    &NTP_MISSING,
    &NTP_MALFORMED,
    &NTP_NAME_NEEDS_DNS,
];

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

/// A name server twice.
static DNS_DUPLICATE: Rule = Rule {
    name: "dns-duplicate",
    severity: Severity::Warning,
    summary: "a name server stands twice in its list",
    explanation: "The second mention helps nobody when the server is down. Usually a digit was to be changed after copying.",
    wrong: "[common]\ndns = [\"10.64.10.53\", \"10.64.10.53\"]\n",
    right: "[common]\ndns = [\"10.64.10.53\", \"10.64.10.54\"]\n",
    about_absence: false,
    check: Check::Site(check_dns_duplicate),
};

/// Name servers that cannot be reached.
static DNS_FAMILY_MISMATCH: Rule = Rule {
    name: "dns-family-mismatch",
    severity: Severity::Error,
    summary: "a machine has no address of the family of its name servers",
    explanation: "A machine with IPv4 addresses only reaches no name server that has an IPv6 address, and the other way \
        round. At least one server must be of a family in which the machine has an address.",
    wrong: "[common]\ndns = [\"fd64:10::53\"]\n",
    right: "[common]\ndns = [\"fd64:10::53\", \"10.64.10.53\"]\n",
    about_absence: false,
    check: Check::Site(check_dns_family),
};

/// A time server whose name nobody can look up.
static NTP_NAME_NEEDS_DNS: Rule = Rule {
    name: "ntp-name-needs-dns",
    severity: Severity::Error,
    summary: "a time server is given by name, and the machine asks no name server",
    explanation: "Without a name server the machine cannot find a time server by its name, and its clock is never set. Give \
        the time server by its address.",
    wrong: "[common]\ndns = \"none\"\nntp = [\"clock.capovetro.example\"]\n",
    right: "[common]\ndns = \"none\"\nntp = [\"10.64.10.121\"]\n",
    about_absence: false,
    check: Check::Site(check_ntp_name),
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

fn check_dns_duplicate(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        let Some(list) = machine.settings.dns.value() else { continue };
        for (index, server) in list.items.iter().enumerate() {
            if list.items.iter().take(index).any(|earlier| earlier.value == server.value) {
                judge.on_setting(
                    &DNS_DUPLICATE,
                    machine,
                    list.place,
                    server.place,
                    format!("The name server {} stands in this list already.", server.value),
                    "write another server, or take it out; \"none\" as the last item says that there is no more",
                );
            }
        }
    }
}

fn check_dns_family(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        let Some(list) = machine.settings.dns.value().filter(|list| !list.has_faulty_items) else { continue };
        let has_address = |family: Family| machine.links.iter().any(|link| link.address_in(family).is_some());
        let is_in_doubt = machine.links.iter().any(|link| {
            Family::BOTH.into_iter().any(|family| matches!(link.choice_in(family), Given::Faulty))
        });
        let has_any = Family::BOTH.into_iter().any(has_address);
        let Some(first) = list.items.first().filter(|_| has_any && !is_in_doubt) else { continue };
        if list.values().any(|server| has_address(Family::of(*server))) {
            continue;
        }
        let (of_servers, of_machine) = match Family::of(first.value) {
            Family::V4 => (Family::V4, Family::V6),
            Family::V6 => (Family::V6, Family::V4),
        };
        judge.on_machine(
            &DNS_FAMILY_MISMATCH,
            machine,
            first.place,
            format!(
                "The name servers have {} addresses, and the machine has {} ones only.",
                of_servers.name(),
                of_machine.name()
            ),
            format!(
                "add a name server with an {} address, or give the machine an {} address",
                of_machine.name(),
                of_servers.name()
            ),
        );
    }
}

fn check_ntp_name(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        let settings = &machine.settings;
        let (Some(dns), Some(ntp)) = (settings.dns.value(), settings.ntp.value()) else { continue };
        if !dns.is_declined() {
            continue;
        }
        for server in &ntp.items {
            if let TimeServer::Name(name) = &server.value {
                judge.on_setting(
                    &NTP_NAME_NEEDS_DNS,
                    machine,
                    ntp.place,
                    server.place,
                    format!("The time server {name} is given by name, and no name server is asked."),
                    "write the server's address, or give a name server",
                );
            }
        }
    }
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
