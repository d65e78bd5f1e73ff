//! Knocking at the port where a machine is administered.

mod certificate;
mod http;
mod knock;
mod ssh;
mod timed;
mod tls;

pub(crate) use certificate::read_certificate;
pub(crate) use knock::{LONGEST, knock, speaks_plain};
pub(crate) use ssh::greet as greet_ssh;
