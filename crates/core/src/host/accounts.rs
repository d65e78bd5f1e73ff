//! `accounts.json`: the logins of a host, for the step that puts an output on a root filesystem.

use std::fmt;

use serde::{Deserialize, Serialize};
use zeroize::Zeroizing;

use super::unwritable::Unwritable;
use crate::machine::{Machine, Site, StockLogins};

/// Where the file lies, beside the host's `rootfs`.
pub const ACCOUNTS_PATH: &str = "accounts.json";

/// The group of Debian's administrators.
const ADMINISTRATORS: &str = "sudo";
/// What a login starts where the sheet does not say.
const USUAL_SHELL: &str = "/bin/bash";

/// The same, read back.
#[derive(Clone, PartialEq, Eq, Deserialize)]
pub struct HostAccounts {
    format: u8,
    /// What becomes of logins that the image comes with.
    pub stock_logins: StockLogins,
    /// Whether root has no login of its own.
    pub root_locked: bool,
    /// The logins, in the order of the sheet.
    pub accounts: Vec<HostAccount>,
}

/// One login of a host.
#[derive(Clone, PartialEq, Eq, Deserialize)]
pub struct HostAccount {
    /// Its name.
    pub name: String,
    /// The person's name.
    pub full_name: String,
    /// Whether it may act as root.
    pub admin: bool,
    /// Groups beside its own.
    pub groups: Vec<String>,
    /// What it starts.
    pub shell: String,
    /// Hash of the password; `None` for a login that is entered with a key only.
    pub password_hash: Option<Zeroizing<String>>,
    /// Whether the password is to be changed at the first login.
    pub change_at_first_login: bool,
    /// Lines of `authorized_keys`.
    pub ssh_keys: Vec<String>,
}

/// The largest format of the file that is understood.
const FORMAT: u8 = 1;

impl HostAccounts {
    /// Reads the file. What is wrong with it is said without its values, among which are hashes.
    pub fn parse(bytes: &[u8]) -> Result<Self, String> {
        let logins: Self = serde_json::from_slice(bytes)
            .map_err(|error| format!("line {} column {}", error.line(), error.column()))?;
        if logins.format == FORMAT { Ok(logins) } else { Err(format!("its format is {}", logins.format)) }
    }

    /// The login of a name.
    pub fn account(&self, name: &str) -> Option<&HostAccount> {
        self.accounts.iter().find(|login| login.name == name)
    }
}

impl fmt::Debug for HostAccounts {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_list().entries(&self.accounts).finish()
    }
}

impl fmt::Debug for HostAccount {
    /// The name alone: a hash helps to guess the password.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.name)
    }
}

#[derive(Serialize)]
struct Accounts<'a> {
    format: u8,
    /// What becomes of logins that the image comes with: `lock`, `keep` or `refuse`.
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
