//! The files of a host under `/etc` other than netplan's, and the list of its logins.

mod accounts;
mod chrony;
mod hostname;
mod hosts;
mod known_hosts;
mod locale;
mod localtime;
mod resolved;
mod ssh;
mod sudoers;
mod systemd_link;
mod timesyncd;

use crate::machine::Machine;

pub use accounts::{ACCOUNTS_PATH, Login, Logins, accounts_file};
pub use chrony::{CHRONY_KEYS_PATH, CHRONY_SOURCES_PATH, chrony_keys_file, chrony_sources_file};
pub use hostname::{HOSTNAME_PATH, hostname_file};
pub use hosts::{HOSTS_PATH, SiteHost, hosts_file, site_hosts};
pub use known_hosts::{HOST_KEY_PATH, KNOWN_HOSTS_PATH, PUBLIC_HOST_KEY_PATH, known_hosts_file};
pub use locale::{DEBIAN_LOCALE_PATH, KEYBOARD_PATH, LOCALE_PATH, keyboard_file, locale_file};
pub use localtime::{LOCALTIME_PATH, TIMEZONE_PATH, localtime_target, timezone_file};
pub use resolved::{RESOLVED_PATH, multicast_dns_files, resolved_file};
pub use ssh::{SSH_MASKED, SSH_WANTED, SSHD_PATH, sshd_file};
pub use sudoers::{SUDOERS_PATH, sudoers_file};
pub use systemd_link::systemd_link_files;
pub use timesyncd::{TIMESYNCD_PATH, timesyncd_file};

/// First line of every file that takes comments.
pub const HEADER: &str = "# Written by Impostazione from the build sheet, which is the place for changes.\n";

/// A file that could not be made although no rule was broken: a fault of this program, never of a sheet.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error(
    "{machine}: {path} could not be made: {reason}; this is a fault of the program, and nothing was written"
)]
pub struct Unwritable {
    machine: String,
    path: String,
    reason: String,
}

impl Unwritable {
    /// The file of a machine that could not be made, and why.
    pub fn new(machine: &Machine, path: &str, reason: impl Into<String>) -> Self {
        Self { machine: machine.label().to_owned(), path: path.to_owned(), reason: reason.into() }
    }
}
