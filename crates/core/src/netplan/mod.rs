//! Netplan files.

mod document;
mod write;

pub use write::{NETPLAN_PATH, netplan_file};
