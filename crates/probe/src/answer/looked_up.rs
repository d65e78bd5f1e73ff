//! What a DNS server answered.

use std::net::IpAddr;

use crate::obstacle::Obstacle;

/// The most records of an answer that are kept.
pub const MOST_RECORDS: usize = 32;

/// What a DNS server answered.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum LookedUp {
    /// Records of the kind that was asked for, or none: the name is there, without such a record.
    Records(Found),
    /// There is no such name (NXDOMAIN).
    NoSuchName,
    /// It answers that it does not, with this word of RFC 1035 or RFC 6895.
    Declined(String),
    /// Nothing came.
    Silent,
    /// Something came that is no answer: why, as the end of a sentence.
    Garbled(&'static str),
    /// It was not asked.
    NotLooked(Obstacle),
}

/// Records.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Found {
    /// Addresses.
    Addresses(Vec<IpAddr>),
    /// Names, without the dot at the end, in small letters.
    Names(Vec<String>),
    /// Whether there is a domain: how many records speak for it.
    Domain(usize),
}

impl LookedUp {
    /// Whether the server answered at all.
    pub fn is_answer(&self) -> bool {
        matches!(self, Self::Records(_) | Self::NoSuchName | Self::Declined(_))
    }

    /// The records.
    pub fn records(&self) -> Option<&Found> {
        match self {
            Self::Records(found) => Some(found),
            _ => None,
        }
    }
}
