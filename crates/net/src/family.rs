//! The two address families.

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};

use ipnet::{IpNet, Ipv4Net, Ipv6Net};

/// IPv4 or IPv6.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Family {
    /// Internet Protocol version 4.
    V4,
    /// Internet Protocol version 6.
    V6,
}

impl Family {
    /// Both, in the order in which messages and files name them.
    pub const BOTH: [Self; 2] = [Self::V4, Self::V6];

    /// Family of an address.
    pub fn of(address: IpAddr) -> Self {
        if address.is_ipv4() { Self::V4 } else { Self::V6 }
    }

    /// Its usual name.
    pub fn name(self) -> &'static str {
        match self {
            Self::V4 => "IPv4",
            Self::V6 => "IPv6",
        }
    }

    /// The other one.
    #[must_use]
    pub fn other(self) -> Self {
        match self {
            Self::V4 => Self::V6,
            Self::V6 => Self::V4,
        }
    }

    /// The prefix of all its addresses, to which a default route leads.
    pub fn everything(self) -> IpNet {
        match self {
            Self::V4 => Ipv4Net::new_assert(Ipv4Addr::UNSPECIFIED, 0).into(),
            Self::V6 => Ipv6Net::new_assert(Ipv6Addr::UNSPECIFIED, 0).into(),
        }
    }

    /// Bits in an address.
    pub fn bits(self) -> u8 {
        match self {
            Self::V4 => 32,
            Self::V6 => 128,
        }
    }
}
