//! What is asked whether anybody has it.

use std::net::IpAddr;

/// An address that is asked for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Target {
    /// The address.
    pub address: IpAddr,
    /// An address by which it is told on which link that is: itself, unless it is one that every link may have.
    pub near: IpAddr,
}

impl From<IpAddr> for Target {
    fn from(address: IpAddr) -> Self {
        Self { address, near: address }
    }
}
