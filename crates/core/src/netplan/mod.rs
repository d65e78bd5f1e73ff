//! Netplan files.

mod document;
mod read;
mod write;

pub(crate) use read::is_readable;
pub use read::{Beside, ReadHost, SIZE_LIMIT, in_order, read, source};
pub use write::{NETPLAN_PATH, netplan_file};
