//! `accounts.json`: the logins of a host, for the step that puts an output on a root filesystem.

use serde::Serialize;

use super::Unwritable;
use crate::machine::{Machine, Site};

/// Where the file lies, beside the host's `rootfs`.
pub const ACCOUNTS_PATH: &str = "accounts.json";

/// The group of Debian's administrators.
const ADMINISTRATORS: &str = "sudo";
/// What a login starts where the sheet does not say.
const USUAL_SHELL: &str = "/bin/bash";

#[derive(Serialize)]
struct Accounts<'a> {
    format: u8,
    /// What becomes of logins that the image brings along: `lock`, `keep` or `refuse`.
    stock_logins: &'static str,
    /// Whether root has no login of its own.
    root_locked: bool,
    #[serde(rename = "accounts")]
    logins: Vec<Account<'a>>,
}

#[derive(Serialize)]
struct Account<'a> {
    name: &'a str,
    full_name: &'a str,
    admin: bool,
    /// Groups beside its own.
    groups: Vec<&'a str>,
    shell: &'a str,
    /// Hash of the password; `null` for a login that is entered with a key only.
    password_hash: Option<&'a str>,
    change_at_first_login: bool,
    ssh_keys: Vec<&'a str>,
}

/// The logins of a host, in the order of the sheet. `hash_of` gives the hash of the password of an account by its index, which
/// is there for every account that has one.
pub fn accounts_file<'h>(
    site: &Site,
    machine: &Machine,
    hash_of: impl Fn(usize) -> Option<&'h str>,
) -> Result<Vec<u8>, Unwritable> {
    let indexes = machine.host().map(|host| host.accounts.as_slice()).unwrap_or_default();
    let mut accounts = Vec::with_capacity(indexes.len());
    for index in indexes {
        let Some(account) = site.accounts.get(*index) else { continue };
        let password_hash = hash_of(*index);
        if account.has_password() && password_hash.is_none() {
            let reason = format!("the password of {} was not hashed", account.name.value);
            return Err(Unwritable::new(machine, ACCOUNTS_PATH, reason));
        }
        let groups = account.is_admin.then_some(ADMINISTRATORS).into_iter();
        let own = account.groups.iter().map(String::as_str);
        accounts.push(Account {
            name: account.name.value.as_str(),
            full_name: &account.full_name,
            admin: account.is_admin,
            groups: groups
                .chain(own.filter(|group| !(account.is_admin && *group == ADMINISTRATORS)))
                .collect(),
            shell: account.shell.as_deref().unwrap_or(USUAL_SHELL),
            password_hash,
            change_at_first_login: account.changes_password(),
            ssh_keys: account.keys.iter().map(|key| key.line.as_str()).collect(),
        });
    }
    let all = Accounts {
        format: 1,
        stock_logins: machine.settings.stock_logins().word(),
        root_locked: !accounts.iter().any(|account| account.name == "root"),
        logins: accounts,
    };
    let mut bytes = serde_json::to_vec_pretty(&all)
        .map_err(|error| Unwritable::new(machine, ACCOUNTS_PATH, error.to_string()))?;
    bytes.push(b'\n');
    Ok(bytes)
}
