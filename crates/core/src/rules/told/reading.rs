//! Rules on told values that cannot be read as what they mean, or are written in another form than the property wants.

use super::super::check::Check;
use super::super::judge::Judge;
use impostazione_ovf::Meaning;

use super::example::answered;
use super::value::told_finding;
use crate::appliance::{FaultKind, Origin, ReadValue, SheetValue, ToldValue, ValueFault, harmless_url};
use crate::finding::{Nature, Rule, Severity};
use crate::machine::rules::address::ADDRESS_MALFORMED;
use crate::machine::rules::locale::{KEYBOARD_UNKNOWN, LOCALE_UNKNOWN};
use crate::machine::rules::login::{ACCOUNT_NAME_INVALID, SSH_KEY_MALFORMED};
use crate::machine::rules::mtu::MTU_OUT_OF_RANGE;
use crate::machine::rules::naming::{DOMAIN_MALFORMED, HOSTNAME_MALFORMED, SEARCH_MALFORMED};
use crate::machine::rules::servers::{DNS_NOT_AN_ADDRESS, NTP_MALFORMED};
use crate::machine::rules::subnet::{NETMASK_NOT_CONTIGUOUS, PREFIX_MALFORMED};
use crate::machine::rules::timezone::TIMEZONE_UNKNOWN;
use crate::machine::rules::vlan::VLAN_OUT_OF_RANGE;

pub(crate) const CHECKS: &[Check] = &[
    Check::new(&ADDRESS_MALFORMED, |judge| check(judge, FaultKind::Address, &ADDRESS_MALFORMED)),
    Check::new(&PREFIX_MALFORMED, |judge| check(judge, FaultKind::Mask, &PREFIX_MALFORMED)),
    Check::new(&NETMASK_NOT_CONTIGUOUS, |judge| {
        check(judge, FaultKind::MaskWithHole, &NETMASK_NOT_CONTIGUOUS);
    }),
    Check::new(&HOSTNAME_MALFORMED, |judge| check(judge, FaultKind::Hostname, &HOSTNAME_MALFORMED)),
    Check::new(&DOMAIN_MALFORMED, |judge| check(judge, FaultKind::Domain, &DOMAIN_MALFORMED)),
    Check::new(&SEARCH_MALFORMED, |judge| check(judge, FaultKind::Search, &SEARCH_MALFORMED)),
    Check::new(&DNS_NOT_AN_ADDRESS, |judge| check(judge, FaultKind::NameServer, &DNS_NOT_AN_ADDRESS)),
    Check::new(&NTP_MALFORMED, |judge| check(judge, FaultKind::TimeServer, &NTP_MALFORMED)),
    Check::new(&TIMEZONE_UNKNOWN, |judge| check(judge, FaultKind::Zone, &TIMEZONE_UNKNOWN)),
    Check::new(&LOCALE_UNKNOWN, |judge| check(judge, FaultKind::Locale, &LOCALE_UNKNOWN)),
    Check::new(&KEYBOARD_UNKNOWN, |judge| check(judge, FaultKind::Keyboard, &KEYBOARD_UNKNOWN)),
    Check::new(&VLAN_OUT_OF_RANGE, |judge| check(judge, FaultKind::Vlan, &VLAN_OUT_OF_RANGE)),
    Check::new(&MTU_OUT_OF_RANGE, |judge| check(judge, FaultKind::Mtu, &MTU_OUT_OF_RANGE)),
    Check::new(&SSH_KEY_MALFORMED, |judge| check(judge, FaultKind::SshKey, &SSH_KEY_MALFORMED)),
    Check::new(&ACCOUNT_NAME_INVALID, |judge| check(judge, FaultKind::Username, &ACCOUNT_NAME_INVALID)),
    Check::new(&MAIL_ADDRESS_MALFORMED, |judge| check(judge, FaultKind::Mail, &MAIL_ADDRESS_MALFORMED)),
    Check::new(&PROXY_MALFORMED, |judge| check(judge, FaultKind::Proxy, &PROXY_MALFORMED)),
    Check::new(&SERVER_MALFORMED, |judge| check(judge, FaultKind::Server, &SERVER_MALFORMED)),
    Check::new(&ANSWER_MALFORMED, |judge| check(judge, FaultKind::Other, &ANSWER_MALFORMED)),
    Check::new(&ANSWER_IN_ANOTHER_FORM, |judge| check(judge, FaultKind::Form, &ANSWER_IN_ANOTHER_FORM)),
];

/// No address of mail.
static MAIL_ADDRESS_MALFORMED: Rule = Rule {
    name: "mail-address-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an appliance gets an invalid mail address",
    explanation: "A mail address is a mailbox, an @ and a domain, without a display name. Alerts to anything else \
        are lost, and nobody notices.",
    wrong: answered!("\"alert_mail\" = \"watch.capovetro.example\""),
    right: answered!("\"alert_mail\" = \"watch@capovetro.example\""),
    ..Rule::PLAIN
};

/// No proxy.
static PROXY_MALFORMED: Rule = Rule {
    name: "proxy-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an appliance gets an invalid proxy",
    explanation: "A proxy is a server and its port, or a URL that starts with http, https or socks5 and ends with \
        the port. With anything else the appliance cannot reach the outside.",
    wrong: answered!("\"proxy\" = \"htp://10.64.10.8:3128\""),
    right: answered!("\"proxy\" = \"http://10.64.10.8:3128\""),
    ..Rule::PLAIN
};

/// No server.
static SERVER_MALFORMED: Rule = Rule {
    name: "server-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an appliance gets an invalid mail or license server",
    explanation: "A server is its address or name, with a port from 1 to 65535 after a colon if it needs one. An \
        IPv6 address with a port is in brackets.",
    wrong: answered!("\"mail_relay\" = \"10.64.10.9:250000\""),
    right: answered!("\"mail_relay\" = \"10.64.10.9:25\""),
    ..Rule::PLAIN
};

/// A text in the place of a number, a switch or a key.
static ANSWER_MALFORMED: Rule = Rule {
    name: "answer-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an appliance gets a value that is not what its property asks for",
    explanation: "The meaning of a property comes from its texts, or from the meanings file. A number of machines is \
        a whole number, a switch is on or off, a license key is not a placeholder. If the meaning is wrong, correct \
        it in a meanings file: `inspect PACKAGE --save-meanings FILE` writes one.",
    wrong: answered!("\"license_key\" = \"XXXXX-XXXXX-XXXXX\""),
    right: answered!("\"license_key\" = \"QUAY7-TIDE2-MAST4\""),
    ..Rule::PLAIN
};

/// The right value, written otherwise.
static ANSWER_IN_ANOTHER_FORM: Rule = Rule {
    name: "answer-in-another-form",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "an appliance gets a value in a different form than its property needs",
    explanation: "A mask can be dotted or a length, a name short or full, a list can have commas or spaces, a switch \
        can be true or yes. The form that a property needs comes from its type, its texts and its default. An \
        appliance that cannot read an answer silently falls back to its default, or stops.",
    wrong: answered!("\"net.netmask\" = \"24\""),
    right: answered!("\"net.netmask\" = \"255.255.255.0\""),
    ..Rule::PLAIN
};

fn check(judge: &mut Judge<'_>, kind: FaultKind, rule: &'static Rule) {
    for (appliance, told) in judge.told_values() {
        let ReadValue::Wrong(fault) = &told.read else { continue };
        if fault.kind != kind {
            continue;
        }
        let item = harmless_url(&fault.item);
        let message = if kind == FaultKind::SshKey {
            format!("The key {}.", fault.reason)
        } else if told.is_confidential && matches!(told.meaning, Meaning::LicenseKey) {
            format!("The value {}.", fault.reason)
        } else if told.is_confidential {
            // A reason may quote a part of the value.
            format!("The value is not a valid {}.", told.meaning.called())
        } else {
            format!("\"{item}\" {}.", fault.reason)
        };
        let mut finding = told_finding(rule, appliance.machine, told, &message, fix(told, fault));
        if let (SheetValue::Is(right), Some(meant)) = (&told.of_sheet, &fault.meant)
            && told.is_answered()
            && fault.item == told.text.reveal()
            && right != meant
        {
            finding.fix = format!("{}; write \"{meant}\" if you mean that", finding.fix);
        }
        if !told.is_reviewed && kind != FaultKind::Form {
            finding.fix = format!(
                "{}; if it does not ask for a {}, correct that in a meanings file",
                finding.fix,
                told.meaning.called()
            );
        }
        let finding = match certain(told, fault) {
            Some(meant) => finding.with_certain(meant),
            None => finding,
        };
        judge.report_on_value(appliance.machine, finding);
    }
}

/// The same value in the form that is wanted.
fn certain(told: &ToldValue<'_>, fault: &ValueFault) -> Option<String> {
    let is_all = told.origin == Origin::Literal && fault.item == told.text.reveal();
    let meant = fault.meant.clone().filter(|_| is_all && fault.kind == FaultKind::Form)?;
    let is_sheets = match &told.of_sheet {
        SheetValue::Is(right) => *right == meant,
        SheetValue::Nothing | SheetValue::Unclear => true,
    };
    is_sheets.then_some(meant)
}

/// What to write in place of a value that cannot be read.
fn fix(told: &ToldValue<'_>, fault: &ValueFault) -> String {
    if let Some(meant) = fault.meant.as_ref().filter(|_| !told.is_confidential) {
        let meant = harmless_url(meant);
        return if fault.item == told.text.reveal() {
            format!("write \"{meant}\" if you mean that")
        } else {
            format!("write \"{meant}\" instead of \"{}\" if you mean that", harmless_url(&fault.item))
        };
    }
    match fault.kind {
        FaultKind::Address => "write the whole address, such as \"10.64.10.11\"",
        FaultKind::Mask | FaultKind::MaskWithHole => {
            "write the mask of the subnet, such as \"255.255.255.0\" or \"24\""
        }
        FaultKind::Hostname => "write letters, digits and inner hyphens, such as \"gauge-01\"",
        FaultKind::Domain | FaultKind::Search => {
            "write labels with dots between them, such as \"capovetro.example\""
        }
        FaultKind::NameServer => "write the server's address",
        FaultKind::TimeServer => {
            "write the server's address or its name, such as \"clock.capovetro.example\""
        }
        FaultKind::Zone => "write a time zone such as \"Europe/Rome\" or \"Etc/UTC\"",
        FaultKind::Locale => "write a language and a country, such as \"it_IT.UTF-8\"",
        FaultKind::Keyboard => "write the layout's short name, such as \"it\" or \"gb\"",
        FaultKind::Vlan => "write the VLAN ID that the switches use, such as \"110\"",
        FaultKind::Mtu => "write the MTU that the switches use, such as \"1500\" or \"9000\"",
        FaultKind::SshKey => "write the line of a file that ends in .pub, with its type and the whole key",
        FaultKind::Mail => "write a mailbox, an @ and a domain, such as \"watch@capovetro.example\"",
        FaultKind::Proxy => "write server and port, such as \"http://10.64.10.8:3128\"",
        FaultKind::Server => "write the server, with its port if it needs one, such as \"10.64.10.9:25\"",
        FaultKind::Username => "write the login's name, such as \"keeper\"",
        FaultKind::Peer => "write the address or the name of another machine of the cluster",
        FaultKind::Other => "write what the property asks for",
        FaultKind::Form => "write one value in the form that the property needs",
    }
    .to_owned()
}
