//! Rules on addresses that machines had before.

use std::collections::HashMap;
use std::net::IpAddr;

use impostazione_net::Family;

use super::check::Check;
use super::judge::Judge;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{Link, Machine, Site, SubnetFamily};

pub(super) const CHECKS: &[Check] = &[Check::new(&REPLACED_ADDRESS_TAKEN, check)];

/// An address that was given up, and is not.
static REPLACED_ADDRESS_TAKEN: Rule = Rule {
    name: "replaced-address-taken",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an address that a machine gives up is still somebody's",
    explanation: "replaces is the address that a machine had before, so that nothing may answer there any more. It cannot \
        be the address that the machine has now, another machine's, a router's or a server's, one in use, or one that \
        another machine gives up too. If the old address is given to another machine, remove replaces.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", replaces = \"10.64.10.12\" }\n[[host]]\nname = \"gauge-02\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.12\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", replaces = \"10.64.10.150\" }\n[[host]]\nname = \"gauge-02\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.12\" }\n",
    ..Rule::PLAIN
};

fn check(judge: &mut Judge<'_>) {
    let site = judge.site;
    // Who gives each address up.
    let mut given_up: HashMap<IpAddr, &Machine> = HashMap::new();
    for machine in &site.machines {
        for link in &machine.links {
            let Some(before) = &link.replaces else { continue };
            let address = before.value;
            let earlier = *given_up.entry(address).or_insert(machine);
            let (is, fix) = if let Some(owner) = owner(site, machine, link, address) {
                (owner, "write the address that it had before, or remove replaces".to_owned())
            } else if std::ptr::eq(earlier, machine) {
                continue;
            } else {
                let fix =
                    "write the address that each of them had before, or remove replaces from one".to_owned();
                (format!("also given up by {}", earlier.called()), fix)
            };
            let message = format!("{} gives up {address}, but it is {is}.", machine.called());
            judge.on_machine(&REPLACED_ADDRESS_TAKEN, machine, before.place, message, fix);
        }
    }
}

/// Whose an address is, as the end of a sentence.
fn owner(site: &Site, machine: &Machine, link: &Link, address: IpAddr) -> Option<String> {
    if link.addresses().any(|own| own.address.value == address) {
        return Some("still the address of this link".to_owned());
    }
    if let Some(found) = site.address_uses().get(&address).and_then(|uses| uses.first()) {
        return Some(match site.owning_link(found.owner) {
            Some((other, link)) if std::ptr::eq(other, machine) => {
                format!("the address of its link {}", link.name.value)
            }
            Some((other, _)) => format!("the address of {}", other.called()),
            None => "the address of a cluster".to_owned(),
        });
    }
    for subnet in &site.subnets {
        let name = &subnet.name.value;
        let gateway = subnet.family(Family::of(address)).and_then(SubnetFamily::gateway_address);
        if gateway.is_some_and(|gateway| gateway.value == address) {
            return Some(format!("the gateway of subnet {name}"));
        }
        if let Some(found) = subnet.in_use.iter().find(|found| found.address.value == address) {
            return Some(format!("in use in subnet {name}: {}", found.user));
        }
    }
    site.asked_servers().get(&address).map(|server| format!("a {} of the site", server.word()))
}
