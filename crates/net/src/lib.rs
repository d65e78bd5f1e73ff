//! Addresses, masks, prefixes, ranges and MAC addresses, and the names of hosts, domains, links, accounts and time zones: read
//! strictly, with a reason, in words that end a sentence, where a text is none.
//!
//! ```
//! use impostazione_net::{Family, Hostname, parse_mask, parse_prefix};
//!
//! let quay = parse_prefix("10.64.10.0/255.255.255.0", Family::V4).unwrap();
//! assert_eq!(quay.to_string(), "10.64.10.0/24");
//! assert_eq!(parse_mask("0xffffff00", Family::V4), Ok(24));
//! assert_eq!(Hostname::parse("gauge_01").unwrap_err().reason, "has the character '_' in it");
//! ```

mod address;
mod family;
mod mac;
mod mail;
mod mask;
mod names;
mod prefix;
mod range;
mod server;

pub use address::{AddressFault, parse_address};
pub use family::Family;
pub use mac::{MacAddress, MacFault};
pub use mail::MailAddress;
pub use mask::{MaskFault, dotted_mask, parse_mask};
pub use names::{
    AccountName, Country, DomainName, Hostname, KeyboardLayout, LinkName, LocaleName, NameFault, ZoneName,
    nearest_zones,
};
pub use prefix::{PrefixFault, broadcast_of, host_range, network_of, parse_prefix, respelled};
pub use range::{AddressRange, RangeFault};
pub use server::{ServerAddress, ServerFault, ServerName};
