//! Ranges of addresses, such as those that a DHCP server leases.

use std::fmt;
use std::net::IpAddr;

use super::address::{AddressFault, parse_address};
use super::family::Family;

/// Addresses from a first to a last, both included, of one family.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct AddressRange {
    first: IpAddr,
    last: IpAddr,
}

/// Why a text is not a range.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RangeFault {
    /// One of its ends is no address.
    Address {
        /// The text of that end.
        end: String,
        /// Why it is none.
        fault: AddressFault,
        /// The range that was probably meant.
        meant: Option<AddressRange>,
    },
    /// The first address comes after the last.
    Reversed(AddressRange),
    /// The ends are of different families.
    MixedFamilies,
}

impl AddressRange {
    /// Reads `first-last` or a single address. Space around the hyphen is allowed.
    ///
    /// ```
    /// use impostazione_net::AddressRange;
    ///
    /// let leased = AddressRange::parse("10.64.10.200 - 10.64.10.239").unwrap();
    /// assert!(leased.contains("10.64.10.239".parse().unwrap()));
    /// assert!(AddressRange::parse("10.64.10.9-10.64.10.2").is_err());
    /// ```
    pub fn parse(text: &str) -> Result<Self, RangeFault> {
        let end = |part: &str| {
            parse_address(part, None).map_err(|fault| RangeFault::Address {
                end: part.to_owned(),
                fault,
                meant: Self::guess(text),
            })
        };
        let (first, last) = match text.split_once('-') {
            Some((first, last)) => (end(first.trim_end())?, end(last.trim_start())?),
            None => (end(text)?, end(text)?),
        };
        if Family::of(first) != Family::of(last) {
            Err(RangeFault::MixedFamilies)
        } else if first > last {
            Err(RangeFault::Reversed(Self { first: last, last: first }))
        } else {
            Ok(Self { first, last })
        }
    }

    /// The range that is meant by another sign between the addresses, or by the last part alone of the second.
    fn guess(text: &str) -> Option<Self> {
        let signs = ["-", " to ", "..", "–", "—", " "];
        let (first, last) = signs.iter().find_map(|sign| text.split_once(sign))?;
        let (first, last) = (first.trim(), last.trim());
        let address: IpAddr = first.parse().ok()?;
        let last = match last.parse::<u8>() {
            Ok(part) => format!("{}.{part}", first.rsplit_once('.')?.0).parse().ok()?,
            Err(_) => last.parse().ok()?,
        };
        (Family::of(address) == Family::of(last) && address <= last).then_some(Self { first: address, last })
    }

    /// First address.
    pub fn first(self) -> IpAddr {
        self.first
    }

    /// Last address.
    pub fn last(self) -> IpAddr {
        self.last
    }

    /// Whether an address lies in the range.
    pub fn contains(self, address: IpAddr) -> bool {
        Family::of(address) == Family::of(self.first) && self.first <= address && address <= self.last
    }
}

impl fmt::Display for AddressRange {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.first == self.last {
            write!(f, "{}", self.first)
        } else {
            write!(f, "{}-{}", self.first, self.last)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn both_ends_belong_to_a_range() {
        let range = AddressRange::parse("10.64.10.200 - 10.64.10.239").unwrap();
        let inside = |text: &str| range.contains(text.parse().unwrap());
        assert!(inside("10.64.10.200") && inside("10.64.10.239"));
        assert!(!inside("10.64.10.199") && !inside("10.64.10.240") && !inside("fd64::1"));
        assert_eq!(AddressRange::parse("10.64.10.9").unwrap().to_string(), "10.64.10.9");
    }

    #[test]
    fn wrong_ranges_say_why() {
        let meant = |text: &str| match AddressRange::parse(text) {
            Err(RangeFault::Address { meant, .. }) => meant.map(|range| range.to_string()),
            other => panic!("{other:?}"),
        };
        assert_eq!(meant("10.64.10.9-10.64.10"), None);
        assert_eq!(meant("10.64.10.200-239"), Some("10.64.10.200-10.64.10.239".into()));
        assert_eq!(meant("10.64.10.2 to 10.64.10.9"), Some("10.64.10.2-10.64.10.9".into()));
        assert_eq!(meant("10.64.10.2..10.64.10.9"), Some("10.64.10.2-10.64.10.9".into()));
        assert!(matches!(AddressRange::parse("10.64.10.9-10.64.10.2"), Err(RangeFault::Reversed(_))));
        assert_eq!(AddressRange::parse("10.64.10.9-fd64::1"), Err(RangeFault::MixedFamilies));
    }
}
