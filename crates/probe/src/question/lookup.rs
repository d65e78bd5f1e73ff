//! Questions to DNS servers.

use std::fmt;
use std::net::IpAddr;

use impostazione_core::network::Transport;
use impostazione_net::Family;

/// A question to a DNS server.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Lookup {
    /// The server.
    pub server: IpAddr,
    /// How it is asked first.
    pub transport: Transport,
    /// What is asked.
    pub sought: Sought,
}

/// What a DNS server is asked for (RFC 1035, section 3.2.2; RFC 3596).
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Sought {
    /// The addresses of a name in a family (A, AAAA).
    Addresses(String, Family),
    /// The names of an address (PTR).
    Names(IpAddr),
    /// Whether there is a domain (SOA).
    Domain(String),
}

impl Lookup {
    /// A question over UDP.
    pub fn new(server: IpAddr, sought: Sought) -> Self {
        Self { server, transport: Transport::Udp, sought }
    }
}

impl Sought {
    /// The type of the records.
    pub fn record(&self) -> &'static str {
        match self {
            Self::Addresses(_, Family::V4) => "A",
            Self::Addresses(_, Family::V6) => "AAAA",
            Self::Names(_) => "PTR",
            Self::Domain(_) => "SOA",
        }
    }
}

impl fmt::Display for Sought {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Addresses(name, _) | Self::Domain(name) => write!(f, "{name} {}", self.record()),
            Self::Names(address) => write!(f, "{address} {}", self.record()),
        }
    }
}
