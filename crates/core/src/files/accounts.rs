//! `accounts.json`: the logins of a host, for the step that puts an output on a root filesystem.

use serde::Serialize;

use super::Unwritable;
use crate::machine::{Machine, Site};

/// Where the file lies, beside the host's `rootfs`.
pub const ACCOUNTS_PATH: &str = "accounts.json";

#[derive(Serialize)]
struct Accounts<'a> {
    format: u8,
    accounts: Vec<Account<'a>>,
}

#[derive(Serialize)]
struct Account<'a> {
    name: &'a str,
    full_name: &'a str,
    admin: bool,
    /// Hash of the password; `null` for a login that is entered with a key only.
    password_hash: Option<&'a str>,
    ssh_keys: Vec<&'a str>,
}

/// The logins of a host, in the order of the sheet.
pub fn accounts_file(site: &Site, machine: &Machine) -> Result<Vec<u8>, Unwritable> {
    let indexes = machine.host().map(|host| host.accounts.as_slice()).unwrap_or_default();
    let accounts = indexes
        .iter()
        .filter_map(|index| site.accounts.get(*index))
        .map(|account| Account {
            name: account.name.value.as_str(),
            full_name: &account.full_name,
            admin: account.is_admin,
            password_hash: None,
            ssh_keys: account.keys.iter().map(|key| key.line.as_str()).collect(),
        })
        .collect();
    let mut bytes = serde_json::to_vec_pretty(&Accounts { format: 1, accounts })
        .map_err(|error| Unwritable::new(machine, ACCOUNTS_PATH, error.to_string()))?;
    bytes.push(b'\n');
    Ok(bytes)
}
