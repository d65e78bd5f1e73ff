//! What is asked around a machine that has started: what it serves itself, and whether its earlier address is silent.

use std::net::IpAddr;

use impostazione_core::finding::Asked;
use impostazione_core::machine::{Machine, Site, TimeServer};
use impostazione_net::Family;
use impostazione_text::Place;

use super::expected::{ExpectedAddress, ExpectedClock, ExpectedNameServer, Mention, Owner, Witness};
use super::plan::{Plan, name_of, subnet_of};

/// The questions; nothing where the machine serves nothing and has replaced nothing. `port` is the one at which machines like it are
/// administered.
pub(super) fn around<'a>(site: &'a Site, machine: &'a Machine, port: u16) -> Option<Plan<'a>> {
    let mut plan = Plan::empty(site, Asked::After);
    let mention = |place: Place| Mention { place, machines: vec![machine], is_shared: false };
    let main: Vec<(IpAddr, Place)> = Family::BOTH
        .into_iter()
        .filter_map(|family| {
            let own = site.way_out(machine)?.address_in(family)?;
            Some((own.address.value, own.address.place))
        })
        .collect();
    for link in &machine.links {
        let Some(before) = &link.replaces else { continue };
        plan.addresses.push(ExpectedAddress {
            address: before.value,
            owner: Owner::Machine(machine),
            subnet: subnet_of(site, link, before.value),
            is_old: true,
            ports: vec![port],
            place: before.place,
        });
        // That the machine itself answers on the link shows that silence there means something.
        if let Some(subnet) = link.subnet.value().and_then(|subnet| site.subnets.get(subnet.value)) {
            let own = link.addresses().map(|own| own.address.value);
            plan.witnesses.extend(own.map(|address| Witness { address, subnet }));
        }
    }
    if machine.serves.ntp {
        plan.clocks.extend(main.iter().map(|(address, place)| ExpectedClock {
            server: TimeServer::Address(*address),
            key: None,
            mention: mention(*place),
            is_of_sheet: false,
            resolvers: Vec::new(),
        }));
    }
    if machine.serves.dns {
        let servers: Vec<IpAddr> = main.iter().map(|(address, _)| *address).collect();
        plan.name_servers.extend(main.iter().map(|(address, place)| ExpectedNameServer {
            address: *address,
            mention: mention(*place),
            is_of_sheet: false,
            domain: machine.domain().unwrap_or(".").to_owned(),
            is_general: true,
        }));
        plan.names.extend(name_of(site, machine, &servers));
        let is_other = |other: &&Machine| {
            !std::ptr::eq(*other, machine) && other.domain().is_some() && other.domain() == machine.domain()
        };
        let other = site.machines.iter().filter(is_other).find_map(|other| name_of(site, other, &servers));
        plan.names.extend(other);
    }
    let is_empty = plan.addresses.is_empty() && plan.clocks.is_empty() && plan.name_servers.is_empty();
    (!is_empty).then_some(plan)
}
