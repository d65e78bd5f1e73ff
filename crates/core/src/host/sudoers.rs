//! Who may act as root.

use std::fmt::Write as _;

use super::header::HEADER;
use crate::machine::{Machine, Site};

/// Where the file lies on the host. sudo ignores names with a dot in them.
pub const SUDOERS_PATH: &str = "etc/sudoers.d/60-impostazione";

/// The host's administrators (`sudoers(5)`): those who have a password are asked for it, and those with keys alone, who have
/// none to give, are not. Nothing where there is none.
pub fn sudoers_file(site: &Site, machine: &Machine) -> Option<String> {
    let accounts = machine.host()?.accounts.iter().filter_map(|index| site.accounts.get(*index));
    let mut text = HEADER.to_owned();
    let mut has_any = false;
    for account in accounts.filter(|account| account.is_admin && account.name.value.as_str() != "root") {
        // Writing to a String does not fail.
        let unasked = if account.has_password() { "" } else { "NOPASSWD: " };
        let _ = writeln!(text, "{} ALL=(ALL:ALL) {unasked}ALL", account.name.value);
        has_any = true;
    }
    has_any.then_some(text)
}
