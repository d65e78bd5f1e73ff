//! What a way to the network can do.

use std::net::{IpAddr, SocketAddr};

use impostazione_core::network::Transport;

use crate::answer::{Leases, Presence};
use crate::obstacle::Obstacle;
use crate::stop::Stop;
use crate::target::Target;

/// A way to the network. All that is asked goes through it.
pub trait Network: Sync {
    /// Where an address is, seen from here. Sends nothing.
    fn standing(&self, target: Target) -> Standing;

    /// Whether anybody has each of some addresses that are [`Standing::Attached`]. Says each answer as soon as it is there.
    fn look_at_neighbors(&self, targets: &[Target], stop: &Stop, settled: &mut dyn FnMut(Target, Presence));

    /// Where a port of an address is reached.
    fn reach(&self, transport: Transport, to: SocketAddr) -> Reach;

    /// Whether an address answers an ICMP echo request; `None` where that may not be asked.
    fn echoes(&self, address: IpAddr) -> Option<bool>;

    /// What DHCP servers offer on the link over which an address is reached without a router.
    fn offers(&self, near: IpAddr, stop: &Stop) -> Leases;
}

/// Where an address is, seen from here.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Standing {
    /// On a link of this computer.
    Attached,
    /// Behind a router.
    BehindRouter,
    /// That is known already.
    Known(Presence),
}

/// Where a port is reached.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Reach {
    /// There.
    At(SocketAddr),
    /// Nobody is there to answer.
    Nobody,
    /// Whoever is there does not accept connections at that port.
    Refused,
    /// It may not be asked.
    Barred(Obstacle),
}
