//! Rules on what appliances are told, at the properties of their packages and at their consoles.

pub(super) mod against_sheet;
mod example;
pub(super) mod in_cluster;
pub(super) mod names;
pub(super) mod reading;
pub(super) mod servers;
pub(super) mod switches;
pub(super) mod unsure;
mod value;

pub(super) use value::{report_told, told_addresses, told_subnet};
