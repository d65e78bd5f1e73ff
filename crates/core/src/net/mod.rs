//! Address arithmetic: addresses, masks, prefixes and ranges, read strictly and with a reason when they are wrong.

mod address;
mod family;
mod mac;
mod mask;
mod prefix;
mod range;

pub use address::{AddressFault, parse_address};
pub use family::Family;
pub use mac::{MacAddress, MacFault};
pub use mask::{MaskFault, dotted_mask, parse_mask};
pub use prefix::{PrefixFault, broadcast_of, host_range, network_of, parse_prefix, respelled};
pub use range::{AddressRange, RangeFault};
