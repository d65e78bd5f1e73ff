//! Netplan files that stand on a host, whoever wrote them: what they make of it, and what is wrong with that.

mod inspect;
mod join;
mod netplan_rules;
mod read;
mod site;
mod wording;
mod yaml;

pub use inspect::*;
pub(crate) use netplan_rules::RULES;
pub use read::{ReadHost, SIZE_LIMIT, in_order, read, source};
pub use site::NetplanExtras;
