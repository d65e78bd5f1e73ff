//! Rules on addresses that are set apart: for a purpose, for documentation, or for a server of the site.

use std::net::IpAddr;

use impostazione_net::Family;
use impostazione_text::{Place, capital};

use super::address::{assigned, report};
use super::check::Check;
use super::judge::Judge;
use super::set_apart::{is_for_documentation, is_global, is_special, kept_for, prefix_is_private, purpose};
use super::told::{self, report_told, told_addresses};
use crate::finding::{Nature, Rule, Severity};

pub(super) const CHECKS: &[Check] = &[
    Check::new(&ADDRESS_SPECIAL_PURPOSE, check_special),
    Check::new(&ADDRESS_FOR_DOCUMENTATION, check_documentation),
    Check::new(&PREFIX_NOT_PRIVATE, check_private),
    Check::new(&ADDRESS_IS_SERVER, check_server),
];

/// An address that no machine is given.
static ADDRESS_SPECIAL_PURPOSE: Rule = Rule {
    name: "address-special-purpose",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an address is reserved and cannot be a static address",
    explanation: "Loopback (127.0.0.0/8, ::1), multicast (224.0.0.0/4, ff00::/8), unspecified (0.0.0.0/8, ::), \
        link-local (169.254.0.0/16, fe80::/10) and the reserved class E (240.0.0.0/4) cannot be the address of a \
        machine, a subnet or a server (RFC 6890).",
    wrong: "[subnet.slip]\nprefix = \"169.254.30.0/24\"\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// An address from an example.
static ADDRESS_FOR_DOCUMENTATION: Rule = Rule {
    name: "address-for-documentation",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "an address is reserved for documentation",
    explanation: "192.0.2.0/24, 198.51.100.0/24, 203.0.113.0/24 (RFC 5737), 2001:db8::/32 (RFC 3849) and 3fff::/20 \
        (RFC 9637) are reserved for documentation, and lead nowhere. Such an address was copied from an example.",
    wrong: "[common]\ndns = [\"10.64.10.53\", \"192.0.2.53\"]\n",
    right: "[common]\ndns = [\"10.64.10.53\", \"10.64.10.54\"]\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// Addresses of the public network.
static PREFIX_NOT_PRIVATE: Rule = Rule {
    name: "prefix-not-private",
    severity: Severity::Note,
    nature: Nature::Judgment,
    summary: "a subnet has public addresses",
    explanation: "Private addresses are 10.0.0.0/8, 172.16.0.0/12 and 192.168.0.0/16 (RFC 1918), 100.64.0.0/10 \
        behind a provider (RFC 6598), and fc00::/7 (RFC 4193). All others belong to somebody. If they belong to you, \
        waive the rule.",
    wrong: "[subnet.slip]\nprefix = \"172.64.30.0/24\"\n",
    right: "[subnet.slip]\nprefix = \"172.16.30.0/24\"\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// The address of a server.
static ADDRESS_IS_SERVER: Rule = Rule {
    name: "address-is-server",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a machine has the address of a DNS server or time server of the site",
    explanation: "A machine with the address of a server gets its packets, and all other machines lose the server. \
        If the machine is that server, write serves.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.53\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nserves = [\"dns\"]\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.53\" }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

fn check_special(judge: &mut Judge<'_>) {
    told::against_sheet::check_gateway_is(judge, &ADDRESS_SPECIAL_PURPOSE, |_, gateway, _| {
        told::against_sheet::is_set_apart(gateway)
    });
    told::servers::check_special(judge, &ADDRESS_SPECIAL_PURPOSE);
    let site = judge.site;
    for subnet in &site.subnets {
        for side in Family::BOTH.into_iter().filter_map(|family| subnet.family(family)) {
            let prefix = side.prefix.value;
            if let Some(what) = purpose(prefix.network()).filter(|_| prefix.prefix_len() > 0) {
                judge.on_sheet(
                    &ADDRESS_SPECIAL_PURPOSE,
                    side.prefix.place,
                    format!(
                        "{} is {prefix}, and {} {what}.",
                        capital(&judge.network(subnet)),
                        prefix.network()
                    ),
                    "write the subnet's real prefix; private networks are in 10.0.0.0/8 or fd00::/8",
                );
            } else if let Some(gateway) = side.gateway_address()
                && let Some(what) = purpose(gateway.value)
                && !matches!(gateway.value, IpAddr::V6(v6) if v6.is_unicast_link_local())
            {
                judge.on_sheet(
                    &ADDRESS_SPECIAL_PURPOSE,
                    gateway.place,
                    format!("The gateway {} {what}.", gateway.value),
                    "write the router's address in the subnet",
                );
            }
        }
    }
    for at in assigned(judge) {
        let Some(what) = purpose(at.address()).filter(|_| !at.is_in_prefix()) else { continue };
        let message = format!("{} {what}, so no machine can have it.", at.address());
        let fix =
            format!("write an address in {} ({})", judge.network(at.claim.subnet), at.side.prefix.value);
        report(judge, &ADDRESS_SPECIAL_PURPOSE, &at.claim, message, fix);
    }
    for machine in &site.machines {
        for server in machine.settings.servers() {
            let is_itself = if server.is_for_names { machine.serves.dns } else { machine.serves.ntp };
            let is_right = is_itself && server.address.is_loopback();
            let Some(what) = purpose(server.address).filter(|_| !is_right) else { continue };
            judge.on_setting(
                &ADDRESS_SPECIAL_PURPOSE,
                machine,
                server.list,
                server.place,
                format!("The {} {} {what}.", server.word(), server.address),
                "write the server's address",
            );
        }
    }
}

fn check_documentation(judge: &mut Judge<'_>) {
    told::servers::check_documentation(judge, &ADDRESS_FOR_DOCUMENTATION);
    let site = judge.site;
    for subnet in &site.subnets {
        for side in Family::BOTH.into_iter().filter_map(|family| subnet.family(family)) {
            if is_for_documentation(side.prefix.value.network()) {
                judge.on_sheet(
                    &ADDRESS_FOR_DOCUMENTATION,
                    side.prefix.place,
                    format!(
                        "{} is {}, which is reserved for documentation.",
                        capital(&judge.network(subnet)),
                        side.prefix.value
                    ),
                    "write the subnet's real prefix",
                );
            }
        }
    }
    for machine in &site.machines {
        for server in machine.settings.servers() {
            if is_for_documentation(server.address) {
                judge.on_setting(
                    &ADDRESS_FOR_DOCUMENTATION,
                    machine,
                    server.list,
                    server.place,
                    format!(
                        "The {} {} is an address reserved for documentation.",
                        server.word(),
                        server.address
                    ),
                    "write the server's address",
                );
            }
        }
    }
}

fn check_private(judge: &mut Judge<'_>) {
    let site = judge.site;
    for subnet in &site.subnets {
        for side in Family::BOTH.into_iter().filter_map(|family| subnet.family(family)) {
            let prefix = side.prefix.value;
            let first = prefix.network();
            if prefix_is_private(prefix) || is_for_documentation(first) || is_special(first) {
                continue;
            }
            if !is_global(first) {
                let what = kept_for(first).unwrap_or("belongs to nobody");
                judge.on_sheet(
                    &PREFIX_NOT_PRIVATE,
                    side.prefix.place,
                    format!("{} is {prefix}, and {first} {what}.", capital(&judge.network(subnet))),
                    "write the subnet's real prefix; private networks are in 10.0.0.0/8 or fd00::/8",
                );
                continue;
            }
            // What is nearly a private prefix was likely meant to be one.
            let near = match first {
                IpAddr::V4(v4) => match v4.octets() {
                    [172, ..] => " (172.16.0.0/12 ends at 172.31.255.255)",
                    [192, ..] => " (of those that start with 192, only 192.168.0.0/16 is private)",
                    _ => "",
                },
                IpAddr::V6(_) => "",
            };
            judge.on_sheet(
                &PREFIX_NOT_PRIVATE,
                side.prefix.place,
                format!("{} is {prefix}, which is public{near}.", capital(&judge.network(subnet))),
                judge.say(
                    "correct it if you mean a private network; if the addresses are yours, waive the rule",
                    "correct it if you mean a private network",
                ),
            );
        }
    }
}

fn check_server(judge: &mut Judge<'_>) {
    told::servers::check_server(judge, &ADDRESS_IS_SERVER);
    check_told_server(judge);
    let site = judge.site;
    let mut wrong = Vec::new();
    for (address, server) in site.asked_servers() {
        for used in site.address_uses().get(address).into_iter().flatten() {
            let Some((machine, link)) = site.owning_link(used.owner) else { continue };
            let is_itself = if server.is_for_names { machine.serves.dns } else { machine.serves.ntp };
            // An item that takes the machine's own address says as much as `serves`.
            if !is_itself && !takes_from(judge, server.place) {
                wrong.push((used.place, machine, link, *address, *server));
            }
        }
    }
    // The index has no order of its own.
    wrong.sort_by_key(|(place, ..)| *place);
    for (place, machine, link, address, server) in wrong {
        let line = judge.in_words(server.place);
        let role = if server.is_for_names { "dns" } else { "ntp" };
        let subnet = site.subnet_of(link);
        let free = subnet.and_then(|subnet| Some((subnet, judge.suggest_address(subnet, address)?)));
        let fix = match free {
            Some((subnet, free)) => {
                let other = judge.other_than(place, subnet, free);
                format!("{other}, or serves = [\"{role}\"] if it is that server")
            }
            None => format!("write another address, or serves = [\"{role}\"] if it is that server"),
        };
        judge.on_machine(
            &ADDRESS_IS_SERVER,
            machine,
            place,
            format!("{address} is the address of a {}, at {line}.", server.word()),
            fix,
        );
    }
}

/// Addresses that an appliance is told for itself, and that are those of a server.
fn check_told_server(judge: &mut Judge<'_>) {
    let site = judge.site;
    for appliance in judge.told {
        for (value, address) in told_addresses(site, appliance) {
            let Some(server) = site.asked_servers().get(&address) else { continue };
            // A machine of the sheet that is the server is named as its owner.
            if site.address_uses().contains_key(&address) {
                continue;
            }
            let message = format!(
                "{address} is the address of a {}, at {}.",
                server.word(),
                judge.in_words(server.place)
            );
            let fix = "write another address".to_owned();
            report_told(judge, &ADDRESS_IS_SERVER, appliance.machine, value, &message, fix);
        }
    }
}

/// Whether the server at a place is taken from a machine of the sheet.
fn takes_from(judge: &Judge<'_>, place: Place) -> bool {
    judge.text_at(place).starts_with('{')
}
