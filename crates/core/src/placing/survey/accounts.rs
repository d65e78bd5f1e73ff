//! Who can log in on a root filesystem.

use std::collections::{HashMap, HashSet};

use impostazione_rootfs::{RootfsFault, View};
use serde::Serialize;
use zeroize::Zeroizing;

/// Where the users are (`passwd(5)`).
pub(crate) const PASSWD: &str = "etc/passwd";
/// Where the hashes of their passwords are (`shadow(5)`).
pub(crate) const SHADOW: &str = "etc/shadow";

/// A user that can log in.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct FoundAccount {
    /// The name.
    pub name: String,
    /// The number.
    pub uid: u32,
    /// How a password opens it.
    pub password: FoundPassword,
    /// How many SSH keys open it.
    pub ssh_keys: usize,
    /// Whether it may act as root.
    #[serde(rename = "admin")]
    pub is_admin: bool,
    /// Whether the image brought it along, and no placement made it.
    #[serde(rename = "stock")]
    pub is_stock: bool,
    /// Line of `etc/passwd`, from 1.
    pub line: usize,
    /// Its home folder, without the slash in front.
    #[serde(skip)]
    pub home: String,
}

/// What stands in place of a password.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum FoundPassword {
    /// None opens it.
    Locked,
    /// One does.
    Set,
    /// Nothing is asked for.
    Empty,
}

/// Shells that end at once.
const NO_SHELLS: [&str; 4] = ["/usr/sbin/nologin", "/sbin/nologin", "/bin/false", "/usr/bin/false"];

/// The users that can log in, in the order of `etc/passwd`.
pub(super) fn accounts(view: View<'_>) -> Result<Vec<FoundAccount>, RootfsFault> {
    let passwd = view.text(PASSWD)?.unwrap_or_default();
    let shadow = view.read(SHADOW)?;
    let shadow =
        Zeroizing::new(shadow.map(|bytes| String::from_utf8_lossy(&bytes).into_owned()).unwrap_or_default());
    let hashes: HashMap<&str, Vec<&str>> = shadow
        .lines()
        .map(|line| line.split(':').collect::<Vec<_>>())
        .filter_map(|fields| Some((*fields.first()?, fields)))
        .collect();
    let group = view.text("etc/group")?.unwrap_or_default();
    let admins = members(&group, "sudo");
    let mut found = Vec::new();
    for (index, line) in passwd.lines().enumerate() {
        let fields: Vec<&str> = line.split(':').collect();
        let [name, in_passwd, uid, _, _, home, shell, ..] = fields.as_slice() else { continue };
        let Ok(uid) = uid.parse::<u32>() else { continue };
        let home = home.trim_start_matches('/').to_owned();
        if NO_SHELLS.contains(shell) {
            continue;
        }
        let entry = hashes.get(name);
        let hash = match (*in_passwd, entry) {
            ("x", Some(fields)) => fields.get(1).copied().unwrap_or("*"),
            ("x", None) => "*",
            (hash, _) => hash,
        };
        // A day in the past on which the account ended shuts it, keys and all.
        let has_ended = entry.and_then(|fields| fields.get(7)).is_some_and(|day| *day == "0" || *day == "1");
        let password = match hash {
            "" => FoundPassword::Empty,
            hash if hash.starts_with(['!', '*']) => FoundPassword::Locked,
            _ => FoundPassword::Set,
        };
        let keys = if home.is_empty() { 0 } else { keys_in(view, &home) };
        if has_ended || (password == FoundPassword::Locked && keys == 0) {
            continue;
        }
        found.push(FoundAccount {
            name: (*name).to_owned(),
            uid,
            password,
            ssh_keys: keys,
            is_admin: uid == 0 || admins.contains(name),
            is_stock: true,
            line: index + 1,
            home,
        });
    }
    Ok(found)
}

/// The members of a group.
fn members<'a>(group: &'a str, name: &str) -> HashSet<&'a str> {
    let line = group.lines().find(|line| line.split(':').next() == Some(name));
    line.and_then(|line| line.split(':').nth(3)).map(|list| list.split(',').collect()).unwrap_or_default()
}

/// How many keys open a login. A file that cannot be read opens nothing.
fn keys_in(view: View<'_>, home: &str) -> usize {
    ["authorized_keys", "authorized_keys2"]
        .iter()
        .filter_map(|name| view.text(&format!("{home}/.ssh/{name}")).ok().flatten())
        .map(|text| {
            text.lines().filter(|line| !line.trim().is_empty() && !line.trim_start().starts_with('#')).count()
        })
        .sum()
}
