//! Rules on what is switched on or off in an appliance against the sheet.

use impostazione_net::Family;
use impostazione_ovf::Meaning;

use super::super::check::Check;
use super::super::judge::Judge;
use super::example::answered;
use super::value::report_told;
use crate::appliance::{AboutLink, ToldAppliance, ToldValue, TypedValue};
use crate::finding::{Nature, Rule, Severity};
use crate::machine::Link;

pub(crate) const CHECKS: &[Check] = &[
    Check::new(&DHCP_BESIDE_ADDRESS, check_dhcp),
    Check::new(&HTTPS_SWITCHED_OFF, check_https),
    Check::new(&SSH_SWITCHED_OFF, check_ssh),
];

/// An address that is not used.
static DHCP_BESIDE_ADDRESS: Rule = Rule {
    name: "dhcp-beside-address",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "an appliance is set to DHCP, but the sheet gives it an address",
    explanation: "With DHCP on, the appliance takes whatever address it gets, or none, instead of the one in the \
        sheet. Switch DHCP off, or write address = \"none\" on the link.",
    wrong: answered!("\"use_dhcp\" = true"),
    right: answered!("\"use_dhcp\" = false"),
    ..Rule::PLAIN
};

/// Pages that anybody on the way can read.
static HTTPS_SWITCHED_OFF: Rule = Rule {
    name: "https-switched-off",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "an appliance is set to serve its pages without encryption",
    explanation: "Anyone on the path can read the administrator's password. Leave HTTPS on; if a proxy in front of \
        the appliance does the encryption, waive the rule.",
    wrong: answered!("\"enable_https\" = false"),
    right: answered!("\"enable_https\" = true"),
    ..Rule::PLAIN
};

/// A door that is needed.
static SSH_SWITCHED_OFF: Rule = Rule {
    name: "ssh-switched-off",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "SSH is off on an appliance that is managed over SSH",
    explanation: "The meanings file says that the product is managed over SSH, on port 22. With SSH off nobody gets \
        in.",
    wrong: concat!(
        "[[appliance]]\nname = \"logbook\"\npackage = \"packages/asks.ovf\"\nmeanings = \"packages/asks.meanings.toml\"\n",
        "link.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"enable_ssh\" = false\n"
    ),
    right: concat!(
        "[[appliance]]\nname = \"logbook\"\npackage = \"packages/asks.ovf\"\nmeanings = \"packages/asks.meanings.toml\"\n",
        "link.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"enable_ssh\" = true\n"
    ),
    ..Rule::PLAIN
};

/// The values that switch something on or off, in their own right.
fn switched<'a>(
    judge: &Judge<'a>,
    meaning: Meaning,
    is_on: bool,
) -> impl Iterator<Item = (&'a ToldAppliance<'a>, &'a ToldValue<'a>)> + use<'a> {
    judge.told_values().filter(move |(_, told)| {
        told.meaning == meaning && told.is_own_word() && told.typed() == Some(&TypedValue::Switch(is_on))
    })
}

/// The links that a value is about.
fn links_of<'a>(appliance: &ToldAppliance<'a>, told: &ToldValue<'a>) -> Vec<&'a Link> {
    match &told.link {
        AboutLink::Link(link) => vec![link],
        AboutLink::Machine | AboutLink::Unclear(_) => appliance.machine.links.iter().collect(),
    }
}

fn check_dhcp(judge: &mut Judge<'_>) {
    for (appliance, told) in switched(judge, Meaning::DhcpEnabled, true) {
        let links = links_of(appliance, told);
        let Some(found) = links.iter().find_map(|link| link.addresses().next()) else { continue };
        let message = format!(
            "DHCP is on, but the sheet gives {} the address {}.",
            appliance.machine.called(),
            found.address.value
        );
        let fix = "switch it off, or write address = \"none\" on the link".to_owned();
        report_told(judge, &DHCP_BESIDE_ADDRESS, appliance.machine, told, &message, fix);
    }
}

/// IPv6 that is switched off beside an address of it.
pub(crate) fn check_ipv6_off(judge: &mut Judge<'_>, rule: &'static Rule) {
    for (appliance, told) in switched(judge, Meaning::Ipv6Enabled, false) {
        let links = links_of(appliance, told);
        let six = |link: &&&Link| link.has_family(Family::V6);
        let Some(link) = links.iter().find(six) else { continue };
        let message = format!("IPv6 is off, but the link {} has an IPv6 address.", link.name.value);
        let fix = "switch it on, or remove the IPv6 address".to_owned();
        report_told(judge, rule, appliance.machine, told, &message, fix);
    }
}

fn check_https(judge: &mut Judge<'_>) {
    for (appliance, told) in switched(judge, Meaning::HttpsEnabled, false) {
        let fix = "switch it on".to_owned();
        report_told(judge, &HTTPS_SWITCHED_OFF, appliance.machine, told, "HTTPS is off.", fix);
    }
}

fn check_ssh(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (appliance, told) in switched(judge, Meaning::SshEnabled, false) {
        let port = site.meanings_of(appliance.appliance).and_then(|file| file.administration.as_ref()?.port);
        if port == Some(22) {
            let message = "SSH is off, but the meanings file says that the product is managed over it.";
            report_told(
                judge,
                &SSH_SWITCHED_OFF,
                appliance.machine,
                told,
                message,
                "switch it on".to_owned(),
            );
        }
    }
}
