//! Machines that belong together.

use impostazione_net::Family;
use impostazione_text::{Stated, Written};

use crate::machine::link::{AddressChoice, LinkAddress};

/// Machines that belong together.
#[derive(Debug)]
pub struct Cluster {
    /// Its name in the sheet.
    pub name: Written<String>,
    /// How many machines are meant in the end.
    pub size: Stated<Written<usize>>,
    /// How many machines make it work.
    pub allowed_sizes: Stated<Written<AllowedSizes>>,
    /// The subnet of its shared address, by index.
    pub subnet: Stated<Written<usize>>,
    /// The IPv4 address that one of them answers at.
    pub address: Stated<AddressChoice>,
    /// The IPv6 address that one of them answers at.
    pub address6: Stated<AddressChoice>,
}

/// How many machines make a cluster work.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum AllowedSizes {
    /// An odd number, three or more: a majority is always there.
    Odd,
    /// Exactly two: one stands in for the other.
    Pair,
    /// Any number.
    #[default]
    Any,
}

impl Cluster {
    /// The shared addresses.
    pub fn addresses(&self) -> impl Iterator<Item = &LinkAddress> {
        Family::BOTH.into_iter().filter_map(|family| {
            super::link::static_of(match family {
                Family::V4 => &self.address,
                Family::V6 => &self.address6,
            })
        })
    }
}
