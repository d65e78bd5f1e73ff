//! Records that DNS lacks.

use std::fmt;
use std::net::IpAddr;

use hickory_proto::rr::Name;

/// A record to add to DNS, as a zone file has it (RFC 1035, section 5).
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct RecordToAdd {
    /// Whose record it is, with the dot at the end.
    pub owner: String,
    /// Its type.
    pub kind: &'static str,
    /// What it says.
    pub value: String,
}

impl RecordToAdd {
    /// The address of a name.
    pub(super) fn of_address(name: &str, address: IpAddr) -> Self {
        let kind = if address.is_ipv4() { "A" } else { "AAAA" };
        Self { owner: format!("{name}."), kind, value: address.to_string() }
    }

    /// The name of an address.
    pub(super) fn of_name(address: IpAddr, name: &str) -> Self {
        Self { owner: Name::from(address).to_ascii(), kind: "PTR", value: format!("{name}.") }
    }
}

impl fmt::Display for RecordToAdd {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} IN {} {}", self.owner, self.kind, self.value)
    }
}
