//! Servers that appliances are told to ask.

use std::net::IpAddr;

use impostazione_net::Family;
use impostazione_ovf::Meaning;

use super::super::check::Check;
use super::super::judge::Judge;
use super::super::set_apart::{is_for_documentation, purpose};
use super::example::answered;
use super::value::report_told;
use crate::appliance::{ToldAppliance, ToldValue, TypedValue};
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{Link, Machine};

pub(crate) const CHECKS: &[Check] = &[Check::new(&SERVER_IS_SELF, check_self)];

/// A machine that asks itself.
static SERVER_IS_SELF: Rule = Rule {
    name: "server-is-self",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "an appliance gets its own address as that of a server",
    explanation: "A DNS server, time server, proxy, or server of mail or licenses is another machine. With its own \
        address there an appliance asks itself and waits. Often two fields were filled in in the wrong order. If the \
        appliance is that server, write serves for DNS and NTP, and waive the rule for the others.",
    wrong: answered!("\"license_server\" = \"10.64.10.61\""),
    right: answered!("\"license_server\" = \"10.64.10.9\""),
    ..Rule::PLAIN
};

/// What a value names servers of.
fn kind(meaning: Meaning) -> Option<&'static str> {
    match meaning {
        Meaning::Dns | Meaning::Dns1 | Meaning::Dns2 => Some("DNS server"),
        Meaning::Ntp | Meaning::Ntp1 | Meaning::Ntp2 => Some("time server"),
        Meaning::MailRelay => Some("mail relay"),
        Meaning::LicenseServer => Some("license server"),
        Meaning::Proxy => Some("proxy"),
        _ => None,
    }
}

/// Every server that an appliance is told by its address, in its own right.
fn told_servers<'a>(
    judge: &Judge<'a>,
) -> impl Iterator<Item = (&'a ToldAppliance<'a>, &'a ToldValue<'a>, &'static str, IpAddr)> + use<'a> {
    judge.told_values().filter(|(_, told)| told.is_own_word()).flat_map(|(appliance, told)| {
        let kind = kind(told.meaning);
        let addresses = told.typed().map(TypedValue::server_addresses).unwrap_or_default();
        addresses.into_iter().filter_map(move |address| Some((appliance, told, kind?, address)))
    })
}

fn serves(machine: &Machine, meaning: Meaning) -> bool {
    match meaning {
        Meaning::Dns | Meaning::Dns1 | Meaning::Dns2 => machine.serves.dns,
        Meaning::Ntp | Meaning::Ntp1 | Meaning::Ntp2 => machine.serves.ntp,
        _ => false,
    }
}

fn is_own(machine: &Machine, address: IpAddr) -> bool {
    machine.links.iter().flat_map(Link::addresses).any(|found| found.address.value == address)
}

fn check_self(judge: &mut Judge<'_>) {
    for (appliance, told, kind, address) in told_servers(judge) {
        let machine = appliance.machine;
        if is_own(machine, address) && !serves(machine, told.meaning) {
            let message = format!("The {kind} {address} is {} itself.", machine.called());
            let fix = format!("write the address of the {kind}");
            report_told(judge, &SERVER_IS_SELF, machine, told, &message, fix);
        }
    }
}

/// Servers whose address is set apart.
pub(crate) fn check_special(judge: &mut Judge<'_>, rule: &'static Rule) {
    for (appliance, told, kind, address) in told_servers(judge) {
        let machine = appliance.machine;
        // Its own loopback is right where something on it answers, such as a proxy.
        let may_be_itself =
            address.is_loopback() && (serves(machine, told.meaning) || told.meaning == Meaning::Proxy);
        if let Some(what) = purpose(address).filter(|_| !may_be_itself) {
            let fix = format!("write the address of the {kind}");
            report_told(judge, rule, machine, told, &format!("The {kind} {address} {what}."), fix);
        }
    }
}

/// Servers whose address was copied from an example.
pub(crate) fn check_documentation(judge: &mut Judge<'_>, rule: &'static Rule) {
    for (appliance, told, kind, address) in told_servers(judge) {
        if is_for_documentation(address) {
            let message = format!("The {kind} {address} is an address reserved for documentation.");
            let fix = format!("write the address of the {kind}");
            report_told(judge, rule, appliance.machine, told, &message, fix);
        }
    }
}

/// Servers that are another machine of the sheet, which does not say that it is one.
pub(crate) fn check_server(judge: &mut Judge<'_>, rule: &'static Rule) {
    let site = judge.site;
    for (appliance, told, kind, address) in told_servers(judge) {
        let key = match kind {
            "DNS server" => "dns",
            "time server" => "ntp",
            _ => continue,
        };
        // What the site asks, and what is taken from a machine by name, is meant.
        if site.asked_servers().contains_key(&address) || told.take().is_some() {
            continue;
        }
        let owners = site.address_uses().get(&address).into_iter().flatten();
        let other = owners.filter_map(|used| site.owning_link(used.owner)).find(|(machine, _)| {
            !std::ptr::eq(*machine, appliance.machine) && !serves(machine, told.meaning)
        });
        if let Some((other, _)) = other {
            let message = format!("The {kind} {address} is {}, which is no such server.", other.called());
            let fix =
                format!("write the address of the {kind}, or serves = [\"{key}\"] on {}", other.called());
            report_told(judge, rule, appliance.machine, told, &message, fix);
        }
    }
}

/// A DNS server twice, in one list or in two values.
pub(crate) fn check_dns_duplicate(judge: &mut Judge<'_>, rule: &'static Rule) {
    for appliance in judge.told {
        let mut seen: Vec<IpAddr> = Vec::new();
        let mut of_position = false;
        for told in &appliance.values {
            let Some(TypedValue::NameServers(servers)) = told.typed() else { continue };
            // A second property that asks for the whole list is no second mention.
            if told.position.is_none() && of_position {
                continue;
            }
            let mut own: Vec<IpAddr> = Vec::new();
            for server in servers {
                let is_again = own.contains(server) || (told.position.is_some() && seen.contains(server));
                if is_again && told.is_own_word() {
                    let message = format!("The DNS server {server} is already given.");
                    let fix = "write another server".to_owned();
                    report_told(judge, rule, appliance.machine, told, &message, fix);
                }
                own.push(*server);
            }
            if told.position.is_some() {
                of_position = true;
                seen.extend(own);
            }
        }
    }
}

/// DNS servers of a family in which the machine has no address, where it is told no others.
pub(crate) fn check_dns_family(judge: &mut Judge<'_>, rule: &'static Rule) {
    for appliance in judge.told {
        let machine = appliance.machine;
        let has_address = |family: Family| machine.links.iter().any(|link| link.has_family(family));
        let servers = |told: &ToldValue<'_>| match told.typed() {
            Some(TypedValue::NameServers(servers)) => servers.clone(),
            _ => Vec::new(),
        };
        let is_reached = |server: &IpAddr| has_address(Family::of(*server));
        let has_any = Family::BOTH.into_iter().any(has_address);
        if !has_any || appliance.values.iter().flat_map(servers).any(|server| is_reached(&server)) {
            continue;
        }
        for told in appliance.values.iter().filter(|told| told.is_own_word()) {
            let Some(first) = servers(told).first().copied() else { continue };
            let message = format!(
                "{first} is an {} address, but {} has no address of that family.",
                Family::of(first).name(),
                machine.called()
            );
            let fix = "write a DNS server that it can reach".to_owned();
            report_told(judge, rule, machine, told, &message, fix);
        }
    }
}
