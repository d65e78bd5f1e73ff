//! A network that is simulated on loopback, by its map.

use std::collections::HashMap;
use std::net::{IpAddr, SocketAddr};

use impostazione_core::network::{Mapped, NetworkMap, Transport, Whose};

use super::network::{Network, Reach, Standing};
use crate::answer::{Doubt, Leases, Presence, Seen};
use crate::obstacle::Obstacle;
use crate::stop::Stop;
use crate::target::Target;

/// What a link of the simulated network is called.
const LINK: &str = "the map";

/// The network of a map, as it is before the machines start.
#[derive(Debug)]
pub struct MappedNetwork {
    addresses: HashMap<IpAddr, Mapped>,
    leases: Vec<IpAddr>,
}

impl MappedNetwork {
    /// The network of a map.
    pub fn new(map: NetworkMap) -> Self {
        let addresses = map.addresses.into_iter().map(|mapped| (mapped.address, mapped)).collect();
        Self { addresses, leases: map.leases }
    }

    /// Whether anybody has an address: what the map says, never whether a port is open.
    fn presence(&self, address: IpAddr) -> Presence {
        let Some(mapped) = self.addresses.get(&address) else {
            return Presence::NotLooked(Obstacle::NotInMap);
        };
        match mapped.before {
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
        match mapped.port(transport, to.port()) {
            Some(at) if mapped.before != Whose::Nobody => Reach::At(at),
            _ => Reach::Nobody,
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
