//! The services of a site on loopback, and the map that leads to them.

use std::collections::BTreeSet;
use std::io;
use std::net::IpAddr;
use std::sync::Arc;

use impostazione_core::machine::{Choices, Site};
use impostazione_core::network::{NetworkMap, TimeKeyValue, Transport};
use impostazione_text::Hidden;

use super::clock::TimeServing;
use super::fault::Fault;
use super::guests;
use super::names::{NameServing, Zone};
use super::places::{Places, main_addresses};
use super::ports::{Answering, Pair, Ports};

/// The services of a site on loopback. They end with it.
pub struct MockSite {
    map: NetworkMap,
    ports: Ports,
}

impl MockSite {
    /// Starts the services of a site, with what is wrong. `sheet` is what the map calls the sheet, and `keys` are the time keys
    /// whose values are available.
    pub fn start(site: &Site, sheet: &str, faults: &[Fault], keys: &[TimeKeyValue]) -> io::Result<Self> {
        let mut places = Places::of(site);
        for fault in faults {
            places.with_fault(fault, site);
        }
        let zone = Arc::new(zone(site, &places, faults));
        let serves_nothing = |server: IpAddr| {
            let owners = site.address_uses().get(&server).into_iter().flatten();
            let mut machines =
                owners.filter_map(|found| site.owning_link(found.owner)).map(|(machine, _)| machine);
            machines.any(|machine| faults.contains(&Fault::ServesNothing(machine.label().to_owned())))
        };
        let mut ports = Ports::default();
        guests::start(site, faults, &mut places, &mut ports)?;
        for server in places.name_servers.clone() {
            let pair = Pair::new()?;
            let at = pair.at;
            let is_silent = faults.contains(&Fault::Silent(server)) || serves_nothing(server);
            let serving = NameServing {
                zone: Arc::clone(&zone),
                refuses: faults.contains(&Fault::Refuses(server)),
                finds_outside: !faults.contains(&Fault::NoOutside(server)),
            };
            let over_tcp = !is_silent && !faults.contains(&Fault::NoTcp(server));
            let answering: Answering =
                Arc::new(move |question| if is_silent { None } else { serving.answer(question) });
            ports.answer_pair(pair, &answering, over_tcp)?;
            places.map_port(server, Transport::Udp, 53, at);
            if over_tcp {
                places.map_port(server, Transport::Tcp, 53, at);
            }
        }
        for (nth, server) in places.clocks.clone().into_iter().enumerate() {
            let is_silent = faults.contains(&Fault::Silent(server)) || serves_nothing(server);
            let serving = time_serving(server, nth == 0, faults, keys);
            let answering: Answering =
                Arc::new(move |question| if is_silent { None } else { serving.answer(question) });
            let at = ports.answer_udp(answering)?;
            places.map_port(server, Transport::Udp, 123, at);
        }
        for (server, port) in places.services.clone() {
            if !faults.contains(&Fault::Silent(server)) {
                let at = ports.accept_only()?;
                places.map_port(server, Transport::Tcp, port, at);
            }
        }
        let mut map = NetworkMap::new(sheet);
        map.leases = faults
            .iter()
            .filter_map(|fault| match fault {
                Fault::Lease(address) => Some(*address),
                _ => None,
            })
            .collect();
        map.addresses = places.mapped.into_values().collect();
        Ok(Self { map, ports })
    }

    /// The map that leads to them.
    pub fn map(&self) -> &NetworkMap {
        &self.map
    }
}

impl Drop for MockSite {
    fn drop(&mut self) {
        self.ports.end();
    }
}

fn time_serving(server: IpAddr, is_first: bool, faults: &[Fault], keys: &[TimeKeyValue]) -> TimeServing {
    let mut serving = TimeServing { keys: keys.to_vec(), ..TimeServing::default() };
    for fault in faults {
        match fault {
            Fault::Unsynchronized(address) if *address == server => serving.is_unsynchronized = true,
            Fault::ClockOff(address, by) if address.map_or(is_first, |address| address == server) => {
                serving.ahead_seconds = *by;
            }
            Fault::OtherTimeKey(address) if *address == server => {
                for key in &mut serving.keys {
                    key.value = Hidden::new("HEX:ffffffffffffffffffffffffffffffff");
                }
            }
            _ => {}
        }
    }
    serving
}

/// What the DNS servers of a site know.
fn zone(site: &Site, places: &Places, faults: &[Fault]) -> Zone {
    let mut zone = Zone::default();
    let is = |of: fn(String) -> Fault, name: &str| faults.contains(&of(name.to_owned()));
    for machine in &site.machines {
        let Some(name) = machine.fqdn() else { continue };
        let name = name.to_ascii_lowercase();
        let label = machine.label();
        let mut addresses = main_addresses(site, machine);
        zone.domains.extend(machine.domain().map(str::to_ascii_lowercase));
        for address in &addresses {
            if is(Fault::OtherReverse, label) {
                zone.names.insert(*address, format!("left-over.{}", machine.domain().unwrap_or("example")));
            } else if !is(Fault::NoReverse, label) {
                zone.names.insert(*address, name.clone());
            }
        }
        if is(Fault::OtherName, label) {
            // Whatever it is, the machine does not have it.
            addresses = addresses.iter().map(|address| another(*address, site)).collect();
        }
        if !is(Fault::NoName, label) {
            zone.addresses.insert(name, addresses);
        }
    }
    zone.addresses.extend(places.named.iter().map(|(name, address)| (name.clone(), vec![*address])));
    zone.domains.extend(searched(site));
    zone.unknown_domains = faults
        .iter()
        .filter_map(|fault| match fault {
            Fault::NoDomain(domain) => Some(domain.clone()),
            _ => None,
        })
        .collect();
    zone
}

/// Domains in which machines look for names.
fn searched(site: &Site) -> BTreeSet<String> {
    let of_subnets = site.subnets.iter().filter_map(|subnet| subnet.settings.as_deref());
    let own = site.machines.iter().map(|machine| &*machine.settings);
    let mut domains = BTreeSet::new();
    for settings in std::iter::once(&*site.common).chain(of_subnets).chain(own) {
        let search = settings.search.value().into_iter().flat_map(|list| Choices::values(list));
        domains.extend(search.map(|domain| domain.as_str().to_ascii_lowercase()));
        domains.extend(settings.dns_for.iter().map(|one| one.domain.value.as_str().to_ascii_lowercase()));
    }
    domains
}

/// An address near another one that no machine has.
fn another(address: IpAddr, site: &Site) -> IpAddr {
    let mut other = address;
    for _ in 0..4096 {
        other = match other {
            IpAddr::V4(four) => IpAddr::V4((four.to_bits().wrapping_add(1)).into()),
            IpAddr::V6(six) => IpAddr::V6((six.to_bits().wrapping_add(1)).into()),
        };
        if !site.address_uses().contains_key(&other) {
            break;
        }
    }
    other
}
