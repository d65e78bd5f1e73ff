//! Settings that machines share.

use std::fmt;
use std::net::IpAddr;
use std::sync::Arc;

use crate::given::Given;
use crate::names::{DomainName, ZoneName};
use crate::source::{Place, Written};

/// Domain, servers and zone of a machine.
#[derive(Clone, Debug, Default)]
pub struct Settings {
    /// Domain of the machine's full name.
    pub domain: Given<Written<DomainName>>,
    /// Name servers.
    pub dns: Given<Arc<Choices<IpAddr>>>,
    /// Domains in which short names are looked up.
    pub search: Given<Arc<Choices<DomainName>>>,
    /// Time servers.
    pub ntp: Given<Arc<Choices<TimeServer>>>,
    /// Time zone.
    pub timezone: Given<Written<ZoneName>>,
}

/// A list that may be declined.
#[derive(Clone, Debug)]
pub struct Choices<T> {
    /// Where it stands.
    pub place: Place,
    /// The items that could be read.
    pub items: Vec<Written<T>>,
    /// Whether the sheet says that there is no more than these.
    pub ends_with_none: bool,
    /// Whether some item could not be read.
    pub has_faulty_items: bool,
}

impl<T> Choices<T> {
    /// Whether the sheet says that there is nothing at all, on purpose.
    pub fn is_declined(&self) -> bool {
        self.items.is_empty() && self.ends_with_none && !self.has_faulty_items
    }

    /// Whether it is an empty list, which says neither what nor that there is nothing.
    pub fn is_empty(&self) -> bool {
        self.items.is_empty() && !self.ends_with_none && !self.has_faulty_items
    }

    /// The items.
    pub fn values(&self) -> impl Iterator<Item = &T> {
        self.items.iter().map(|item| &item.value)
    }
}

/// A time server: its address, or a name to be looked up.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum TimeServer {
    /// By address.
    Address(IpAddr),
    /// By name.
    Name(DomainName),
}

impl fmt::Display for TimeServer {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Address(address) => address.fmt(f),
            Self::Name(name) => name.fmt(f),
        }
    }
}
