//! The hashes of all passwords of logins, made on every processor.

use std::collections::HashMap;
use std::path::Path;

use impostazione_secret::{SaltKey, hash_password, is_of_method, random_salt, verify_password};
use impostazione_text::Hidden;
use impostazione_text::files::read_file;
use rayon::prelude::*;
use serde::Deserialize;

use crate::host::{ACCOUNTS_PATH, Unwritable};
use crate::machine::{Account, Machine, Site};
use crate::rules::ProvedSite;

/// Largest list of logins of an earlier run that is read.
const ACCOUNTS_LIMIT: u64 = 16 * 1024 * 1024;

/// How hashes are made.
#[derive(Clone, Copy)]
pub struct Hashing<'a> {
    /// The key from which salts are derived, so that the same passwords give the same bytes. Without one, salts are random,
    /// and a hash of an earlier run is kept while it is of the password.
    pub salt_key: Option<&'a SaltKey>,
    /// The output tree of an earlier run, if there is one.
    pub earlier: Option<&'a Path>,
    /// What is told of each hash that is made.
    pub seen: &'a (dyn Fn(u64) + Sync),
}

impl Default for Hashing<'_> {
    fn default() -> Self {
        Self { salt_key: None, earlier: None, seen: &|_| {} }
    }
}

/// Hashes by machine and account.
#[derive(Debug, Default)]
pub struct PasswordHashes(HashMap<(String, usize), String>);

impl PasswordHashes {
    /// The hash of an account, by its index, on a machine.
    pub fn of(&self, machine: &Machine, account: usize) -> Option<&str> {
        self.0.get(&(machine.label().to_owned(), account)).map(String::as_str)
    }

    /// The same word in place of each hash, where sheets are compared, and their passwords by themselves.
    pub(crate) fn stand_ins(site: &Site) -> Self {
        let of_machine = |machine: &Machine| {
            let accounts = machine.host().into_iter().flat_map(|host| &host.accounts).copied();
            let label = machine.label().to_owned();
            accounts.map(|account| ((label.clone(), account), "*".to_owned())).collect::<Vec<_>>()
        };
        let with_password = |account: &usize| site.accounts.get(*account).is_some_and(Account::has_password);
        let hashes = site.machines.iter().flat_map(of_machine);
        Self(hashes.filter(|((_, account), _)| with_password(account)).collect())
    }
}

/// A password to be hashed.
struct Wanted<'a> {
    machine: &'a Machine,
    account: usize,
    name: &'a str,
    password: &'a Hidden,
}

fn wanted<'a>(site: &'a Site, picked: &impl Fn(&str) -> bool) -> Vec<Wanted<'a>> {
    let mut wanted = Vec::new();
    for machine in site.machines.iter().filter(|machine| picked(machine.label())) {
        for index in machine.host().into_iter().flat_map(|host| &host.accounts) {
            let Some(account) = site.accounts.get(*index) else { continue };
            let secret = account.password.value().and_then(|password| site.secrets.get(password.value));
            let password = secret.and_then(|secret| secret.value_for(site, machine).value());
            if let Some(password) = password {
                wanted.push(Wanted { machine, account: *index, name: account.name.value.as_str(), password });
            }
        }
    }
    wanted
}

/// How many hashes the machines that are picked need.
pub fn count_passwords(site: &Site, picked: impl Fn(&str) -> bool) -> u64 {
    wanted(site, &picked).len() as u64
}

/// Hashes the passwords of all logins of the machines that are picked.
pub fn hash_passwords(
    proved: ProvedSite<'_>,
    picked: impl Fn(&str) -> bool,
    hashing: Hashing<'_>,
) -> Result<PasswordHashes, Unwritable> {
    let wanted = wanted(proved.site(), &picked);
    let mut earlier: HashMap<&str, HashMap<String, String>> = HashMap::new();
    if let Some(tree) = hashing.earlier.filter(|_| hashing.salt_key.is_none()) {
        for one in &wanted {
            earlier.entry(one.machine.label()).or_insert_with(|| earlier_hashes(tree, one.machine.label()));
        }
    }
    let hash = |one: &Wanted<'_>| -> Result<((String, usize), String), Unwritable> {
        let kept = earlier.get(one.machine.label()).and_then(|hashes| hashes.get(one.name));
        let method = one.machine.settings.hash_method();
        let unwritable = |reason: String| Unwritable::new(one.machine, ACCOUNTS_PATH, reason);
        let hash = match kept.filter(|hash| is_of_method(hash, method) && verify_password(one.password, hash))
        {
            Some(hash) => hash.clone(),
            None => {
                let salt = match hashing.salt_key {
                    Some(key) => key.salt(one.machine.label(), one.name),
                    None => random_salt().map_err(|fault| unwritable(fault.to_string()))?,
                };
                hash_password(one.password, method, salt).map_err(|fault| unwritable(fault.to_string()))?
            }
        };
        (hashing.seen)(1);
        Ok(((one.machine.label().to_owned(), one.account), hash))
    };
    // Finer than rayon's own splitting, since each takes long.
    let hashes: Result<HashMap<_, _>, Unwritable> = wanted.par_iter().with_max_len(1).map(hash).collect();
    hashes.map(PasswordHashes)
}

/// The hashes of a machine's logins in the output tree of an earlier run, by the login's name.
fn earlier_hashes(tree: &Path, machine: &str) -> HashMap<String, String> {
    #[derive(Deserialize)]
    struct File {
        accounts: Vec<HashedAccount>,
    }
    #[derive(Deserialize)]
    struct HashedAccount {
        name: String,
        password_hash: Option<String>,
    }
    let bytes = read_file(&tree.join(machine).join(ACCOUNTS_PATH), ACCOUNTS_LIMIT).unwrap_or_default();
    let file: File = serde_json::from_slice(&bytes).unwrap_or(File { accounts: Vec::new() });
    file.accounts.into_iter().filter_map(|login| Some((login.name, login.password_hash?))).collect()
}
