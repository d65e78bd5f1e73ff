//! Rules on MAC addresses.

use std::collections::HashMap;

use impostazione_net::MacAddress;
use impostazione_text::Place;

use super::check::Check;
use super::judge::Judge;
use super::link::links;
use crate::finding::{Nature, Rule, Severity};

pub(super) const CHECKS: &[Check] =
    &[Check::new(&MAC_DUPLICATE, check_duplicate), Check::new(&MAC_NOT_UNICAST, check_unicast)];

/// A MAC address twice.
static MAC_DUPLICATE: Rule = Rule {
    name: "mac-duplicate",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "two links of the sheet have the same MAC address",
    explanation: "Every interface has its own MAC address. Two links with the same address are usually a copied \
        entry, and the second is never found; a switch sends the packets for both to the one that was active last.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\", subnet = \"quay\", address = \"10.64.10.11\" }\n[[host]]\nname = \"gauge-02\"\nlink.lan0 = { mac = \"02-64-10-00-00-21\", subnet = \"quay\", address = \"10.64.10.12\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\", subnet = \"quay\", address = \"10.64.10.11\" }\n[[host]]\nname = \"gauge-02\"\nlink.lan0 = { mac = \"02:64:10:00:00:22\", subnet = \"quay\", address = \"10.64.10.12\" }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// A MAC address of no single interface.
static MAC_NOT_UNICAST: Rule = Rule {
    name: "mac-not-unicast",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a MAC address is not the address of a single interface",
    explanation: "The second digit of an interface's MAC address is even; an odd digit means a multicast address, \
        and ff:ff:ff:ff:ff:ff is broadcast. All zeros is nobody's address (IEEE 802, section 8.2).",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"03:64:10:00:00:21\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

fn check_duplicate(judge: &mut Judge<'_>) {
    let mut seen: HashMap<MacAddress, (&str, &str, Place)> = HashMap::new();
    for (machine, link) in links(judge) {
        let Some(mac) = link.mac() else { continue };
        // A bond may be given the address of a member, and a bridge too: they act for it.
        if !link.kind.is_physical() {
            continue;
        }
        let here = (machine.label(), link.name.value.as_str(), mac.place);
        if let Some((other, other_link, place)) = seen.get(&mac.value) {
            let whose = if *other == machine.label() {
                format!("its own link {other_link}")
            } else {
                format!("{other_link} of {other}")
            };
            let line = judge.in_words(*place);
            judge.on_machine(
                &MAC_DUPLICATE,
                machine,
                mac.place,
                format!("{} is already the MAC address of {whose} (at {line}).", mac.value),
                "write the address from the label of the port",
            );
        } else {
            seen.insert(mac.value, here);
        }
    }
}

fn check_unicast(judge: &mut Judge<'_>) {
    for (machine, link) in links(judge) {
        let Some(mac) = link.mac().filter(|mac| !mac.value.is_of_one_interface()) else { continue };
        judge.on_machine(
            &MAC_NOT_UNICAST,
            machine,
            mac.place,
            format!("{} is not the address of a single interface.", mac.value),
            "write the address from the label of the port; its second digit is even",
        );
    }
}
