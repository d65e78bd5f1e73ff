//! How much was asked, and what came of it.

use std::collections::BTreeMap;

/// What was asked about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Subject {
    /// Addresses that machines will have, and those that they had.
    Addresses,
    /// Routers.
    Gateways,
    /// DNS servers.
    NameServers,
    /// Names of machines and servers, and names of addresses.
    Names,
    /// Domains.
    Domains,
    /// Time servers.
    Clocks,
    /// Other servers.
    Services,
    /// DHCP servers.
    Leases,
}

/// What came of it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Verdict {
    /// It is as the sheet says.
    Right,
    /// It is not.
    Wrong,
    /// It is not known.
    Unknown,
}

/// How many things are right, wrong or not known.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Count {
    /// As the sheet says.
    pub right: usize,
    /// Not as the sheet says.
    pub wrong: usize,
    /// Not known.
    pub unknown: usize,
}

/// The counts, by what was asked about.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Tally(BTreeMap<Subject, Count>);

impl Subject {
    /// What it is called in a list.
    pub fn word(self) -> &'static str {
        match self {
            Self::Addresses => "addresses",
            Self::Gateways => "gateways",
            Self::NameServers => "DNS servers",
            Self::Names => "names",
            Self::Domains => "domains",
            Self::Clocks => "time servers",
            Self::Services => "other servers",
            Self::Leases => "DHCP servers",
        }
    }

    /// The same for other programs.
    pub fn key(self) -> &'static str {
        match self {
            Self::Addresses => "addresses",
            Self::Gateways => "gateways",
            Self::NameServers => "dns-servers",
            Self::Names => "names",
            Self::Domains => "domains",
            Self::Clocks => "time-servers",
            Self::Services => "other-servers",
            Self::Leases => "dhcp-servers",
        }
    }
}

impl Verdict {
    /// The worse of two: wrong, then not known, then right.
    #[must_use]
    pub(super) fn and(self, other: Self) -> Self {
        match (self, other) {
            (Self::Wrong, _) | (_, Self::Wrong) => Self::Wrong,
            (Self::Unknown, _) | (_, Self::Unknown) => Self::Unknown,
            _ => Self::Right,
        }
    }
}

impl Tally {
    pub(super) fn count(&mut self, subject: Subject, verdict: Verdict) {
        let count = self.0.entry(subject).or_default();
        match verdict {
            Verdict::Right => count.right += 1,
            Verdict::Wrong => count.wrong += 1,
            Verdict::Unknown => count.unknown += 1,
        }
    }

    /// The counts of what was asked about at all.
    pub fn counts(&self) -> impl Iterator<Item = (Subject, Count)> {
        self.0.iter().map(|(subject, count)| (*subject, *count))
    }
}
