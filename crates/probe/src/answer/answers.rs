//! All answers of a run.

use std::collections::HashMap;
use std::net::{IpAddr, SocketAddr};

use impostazione_core::machine::Subnet;

use super::clock::Clock;
use super::connection::Connection;
use super::lease::Leases;
use super::looked_up::LookedUp;
use super::presence::Presence;
use crate::network::Target;
use crate::question::Lookup;

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

    /// What DHCP servers offered in a subnet.
    pub fn leases_in(&self, subnet: &Subnet) -> Option<&Leases> {
        self.leases.get(&subnet.name.value)
    }
}
