//! Time servers as they are written.

use std::fmt;
use std::net::IpAddr;

use impostazione_net::{AddressFault, DomainName, NameFault, parse_address};

/// A time server: its address, or a name to be looked up.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum TimeServer {
    /// By address.
    Address(IpAddr),
    /// By name.
    Name(DomainName),
}

/// Why a text is no time server.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TimeServerFault {
    /// Why it is no address.
    pub address: AddressFault,
    /// Why it is no name either; `None` where it looks like a mistyped address.
    pub name: Option<NameFault>,
}

impl TimeServer {
    /// Reads an address or a name.
    pub fn parse(text: &str) -> Result<Self, TimeServerFault> {
        let address = match parse_address(text, None) {
            Ok(address) => return Ok(Self::Address(address)),
            Err(fault) => fault,
        };
        match DomainName::parse(text) {
            // A last label of digits is no domain of the public name system: a mistyped address (RFC 3696, section 2).
            Ok(name) if ends_in_digits(name.as_str()) => Err(TimeServerFault { address, name: None }),
            Ok(name) => Ok(Self::Name(name)),
            Err(fault) => Err(TimeServerFault { address, name: Some(fault) }),
        }
    }

    /// Its address, where it is given by one.
    pub fn address(&self) -> Option<IpAddr> {
        match self {
            Self::Address(address) => Some(*address),
            Self::Name(_) => None,
        }
    }
}

fn ends_in_digits(name: &str) -> bool {
    name.rsplit('.').next().is_some_and(|last| last.bytes().all(|byte| byte.is_ascii_digit()))
}

impl TimeServerFault {
    /// The reason to give for a text, and what was probably meant.
    pub fn reason(&self, text: &str) -> (&str, Option<String>) {
        let looks_like_address = text.chars().all(|c| c.is_ascii_digit() || ".:/,".contains(c));
        match &self.name {
            Some(name) if !looks_like_address && self.address.meant.is_none() => {
                (&name.reason, name.meant.clone())
            }
            _ => (&self.address.reason, self.address.meant.map(|meant| meant.to_string())),
        }
    }
}

impl fmt::Display for TimeServer {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Address(address) => address.fmt(f),
            Self::Name(name) => name.fmt(f),
        }
    }
}
