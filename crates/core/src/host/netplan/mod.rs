//! The netplan file of a host.

mod document;
mod write;

pub use write::{NETPLAN_PATH, netplan_file};
