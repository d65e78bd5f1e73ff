//! What DHCP servers offered.

use std::net::Ipv4Addr;

use crate::obstacle::Obstacle;

/// What DHCP servers offered in a subnet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Leases {
    /// These addresses, each with the server that offers it, where that said who it is. None offered: empty.
    Offered(Vec<(Ipv4Addr, Option<Ipv4Addr>)>),
    /// This computer is not in the subnet.
    NotAttached,
    /// They were not asked.
    NotLooked(Obstacle),
}
