//! A network that is simulated on loopback, by its map.

use std::collections::HashMap;
use std::net::{IpAddr, SocketAddr};

use impostazione_core::finding::Asked;
use impostazione_core::network::{Mapped, NetworkMap, Transport, Whose};
use jiff::Timestamp;

use super::network::{Network, Reach, Standing};
use crate::answer::{Doubt, Leases, Presence, Seen};
use crate::obstacle::Obstacle;
use crate::stop::Stop;
use crate::target::Target;

/// What a link of the simulated network is called.
const LINK: &str = "the map";

/// The network of a map, as it is before the machines start or after that.
#[derive(Debug)]
pub struct MappedNetwork {
    when: Asked,
    addresses: HashMap<IpAddr, Mapped>,
    leases: Vec<IpAddr>,
}

impl MappedNetwork {
    /// The network of a map.
    pub fn new(map: NetworkMap, when: Asked) -> Self {
        let addresses = map.addresses.into_iter().map(|mapped| (mapped.address, mapped)).collect();
        Self { when, addresses, leases: map.leases }
    }

    /// Who has an address now.
    fn whose(&self, mapped: &Mapped) -> Whose {
        match self.when {
            Asked::Before => mapped.before,
            Asked::After if mapped.up_at.is_some_and(|from| Timestamp::now() < from) => Whose::Nobody,
            Asked::After => mapped.after,
        }
    }

    /// Whether an address does not accept connections yet.
    fn is_not_ready(&self, mapped: &Mapped) -> bool {
        self.when == Asked::After && mapped.ready_at.is_some_and(|from| Timestamp::now() < from)
    }

    /// Whether anybody has an address: what the map says, never whether a port is open.
    fn presence(&self, address: IpAddr) -> Presence {
        let Some(mapped) = self.addresses.get(&address) else {
            return Presence::NotLooked(Obstacle::NotInMap);
        };
        match self.whose(mapped) {
            Whose::Nobody => Presence::Nobody(LINK.to_owned()),
            Whose::Somebody => Presence::Somebody(Seen::Neighbor { mac: mapped.mac, link: LINK.to_owned() }),
            Whose::BehindRouter => Presence::CannotTell(Doubt::BehindRouter { echo_was_asked: true }),
        }
    }
}

impl Network for MappedNetwork {
    fn standing(&self, target: Target) -> Standing {
        Standing::Known(self.presence(target.address))
    }

    fn look_at_neighbors(&self, targets: &[Target], _: &Stop, settled: &mut dyn FnMut(Target, Presence)) {
        for target in targets {
            settled(*target, self.presence(target.address));
        }
    }

    fn reach(&self, transport: Transport, to: SocketAddr) -> Reach {
        let Some(mapped) = self.addresses.get(&to.ip()) else { return Reach::Barred(Obstacle::NotInMap) };
        let port = mapped.port(transport, to.port());
        match (self.whose(mapped), port) {
            (Whose::Nobody, _) => Reach::Nobody,
            (_, _) if transport == Transport::Tcp && self.is_not_ready(mapped) => Reach::Refused,
            (_, Some(at)) => Reach::At(at),
            // A machine that has started answers for its ports, also for those at which nothing listens.
            (Whose::Somebody, None) if self.when == Asked::After => Reach::Refused,
            (_, None) => Reach::Nobody,
        }
    }

    fn echoes(&self, _: IpAddr) -> Option<bool> {
        None
    }

    fn offers(&self, _: IpAddr, _: &Stop) -> Leases {
        let of_four = |address: &IpAddr| match address {
            IpAddr::V4(address) => Some((*address, None)),
            IpAddr::V6(_) => None,
        };
        Leases::Offered(self.leases.iter().filter_map(of_four).collect())
    }
}
