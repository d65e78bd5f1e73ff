//! All answers of a run.

use std::collections::HashMap;
use std::net::{IpAddr, SocketAddr};

use impostazione_core::machine::Subnet;

use super::clock::Clock;
use super::connection::Connection;
use super::lease::Leases;
use super::looked_up::{Found, LookedUp};
use super::presence::Presence;
use crate::question::{Lookup, addresses_of};
use crate::target::Target;

/// The most addresses that are asked where a server is given by name.
const MOST_OF_A_NAME: usize = 4;

/// The answers, each by its question. What is missing was not asked.
#[derive(Clone, Debug, Default)]
pub struct Answers {
    /// Whether anybody has an address.
    pub presences: HashMap<Target, Presence>,
    /// What DNS servers answered.
    pub lookups: HashMap<Lookup, LookedUp>,
    /// What time servers answered, with the name of a key or without.
    pub clocks: HashMap<(IpAddr, Option<String>), Clock>,
    /// Whether a port accepts connections.
    pub connections: HashMap<SocketAddr, Connection>,
    /// What DHCP servers offered, by the name of the subnet.
    pub leases: HashMap<String, Leases>,
}

impl Answers {
    /// Whether anybody has an address.
    pub fn presence(&self, target: impl Into<Target>) -> Option<&Presence> {
        self.presences.get(&target.into())
    }

    /// What a DNS server answered.
    pub fn lookup(&self, lookup: &Lookup) -> Option<&LookedUp> {
        self.lookups.get(lookup)
    }

    /// The addresses of a server that is given by name, as these DNS servers know it.
    pub fn addresses_of_name(&self, name: &str, resolvers: &[IpAddr]) -> Vec<IpAddr> {
        let mut found = Vec::new();
        for lookup in addresses_of(name, resolvers) {
            let records = self.lookup(&lookup).and_then(LookedUp::records);
            let Some(Found::Addresses(addresses)) = records else { continue };
            for address in addresses {
                if !found.contains(address) && found.len() < MOST_OF_A_NAME {
                    found.push(*address);
                }
            }
        }
        found
    }

    /// What DHCP servers offered in a subnet.
    pub fn leases_in(&self, subnet: &Subnet) -> Option<&Leases> {
        self.leases.get(&subnet.name.value)
    }
}
