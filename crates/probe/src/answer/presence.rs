//! Whether anybody has an address.

use impostazione_net::MacAddress;

use crate::obstacle::Obstacle;

/// Whether anybody has an address, as far as that can be told from here.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Presence {
    /// Nobody answers on the link that leads there without a router, by this name.
    Nobody(String),
    /// Somebody does.
    Somebody(Seen),
    /// This computer itself has it, on the link of this name.
    ThisComputer(String),
    /// It cannot be told from here.
    CannotTell(Doubt),
    /// It was not looked at.
    NotLooked(Obstacle),
}

/// By what somebody was seen.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Seen {
    /// By the hardware address, which answered on the link of this name.
    Neighbor {
        /// The hardware address; `None` where it has another form than an Ethernet's.
        mac: Option<MacAddress>,
        /// The link of this computer.
        link: String,
    },
    /// A connection to a TCP port was accepted.
    Accepted(u16),
    /// A connection to a TCP port was refused.
    Refused(u16),
    /// It answered an ICMP echo request.
    Echo,
}

/// Why it cannot be told whether anybody has an address.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Doubt {
    /// It is behind a router, and nothing answered.
    BehindRouter {
        /// Whether ICMP was asked too.
        echo_was_asked: bool,
    },
    /// The link that leads there has no neighbors to ask, as a tunnel.
    NoNeighbors(String),
    /// Nobody answers on this link, which is a radio: an access point may keep those on it apart.
    Radio(String),
    /// Somebody entered its hardware address by hand.
    FixedEntry,
}

impl Presence {
    /// The hardware address of whoever answered.
    pub fn mac(&self) -> Option<MacAddress> {
        match self {
            Self::Somebody(Seen::Neighbor { mac, .. }) => *mac,
            _ => None,
        }
    }

    /// The link of this computer on which it was asked without a router.
    pub fn link(&self) -> Option<&str> {
        match self {
            Self::Nobody(link) | Self::Somebody(Seen::Neighbor { link, .. }) | Self::ThisComputer(link) => {
                Some(link)
            }
            _ => None,
        }
    }
}
