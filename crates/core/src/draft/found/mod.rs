//! Hosts that are there already, as the beginning of a sheet: what their files say of links, names, time and logins.
//!
//! Each kind of network file has its reader, which gives links; what is seen and not taken over is named.

mod dhcpcd;
mod found_host;
mod host_files;
mod in_step;
mod ini;
mod interfaces;
mod logins;
mod manager;
mod netplan;
mod networkd;
mod read;
mod settings;

pub use found_host::{FoundHost, FoundKind, FoundLink, FoundLogin, FoundSsh};
pub use host_files::{FilesInMemory, HostFiles, RootfsFiles};
pub(super) use in_step::{groups, name_of};
pub use read::{host_from_files, host_from_netplan, host_from_output};
