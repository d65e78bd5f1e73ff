//! The whole site of a sheet on loopback: DNS servers, time servers and other services as the sheet says, or with faults.

mod clock;
mod fault;
mod guests;
mod mock_site;
mod names;
mod places;
mod ports;
mod ssh_server;
mod web_server;

pub use fault::{Fault, FaultFault, duration};
pub use mock_site::MockSite;
