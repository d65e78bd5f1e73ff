//! Who can log in.

use std::collections::{BTreeMap, BTreeSet};

use impostazione_core::machine::{Account, StockLogins};
use impostazione_core::network::inside_rules::{LOGINS, SSH};
use ssh_key::{HashAlg, PublicKey};

use super::expected::Host;
use super::fact::InsideFact;
use super::said::{Said, Unsaid};

/// What a login starts that is none (`nologin(8)`).
const NO_SHELLS: [&str; 4] = ["nologin", "false", "sync", "true"];

/// All that is judged of logins.
pub(super) fn facts(host: Host<'_>, said: &Said) -> Vec<InsideFact> {
    vec![accounts(host, said), own_keys(host, said), openings(host, said), service(host, said)]
}

fn of_sheet(host: Host<'_>) -> Vec<&Account> {
    let own = host.machine.host().into_iter().flat_map(|own| &own.accounts);
    own.filter_map(|index| host.site.accounts.get(*index)).collect()
}

/// The fingerprints of lines of `authorized_keys`; of one that cannot be read the line.
fn fingerprints<'l>(lines: impl Iterator<Item = &'l str>) -> BTreeSet<String> {
    let used = lines.map(str::trim).filter(|line| !line.is_empty() && !line.starts_with('#'));
    used.map(fingerprint).collect()
}

fn fingerprint(line: &str) -> String {
    // Options may stand in front, in which blanks stand between quotes.
    let words: Vec<&str> = line.split_whitespace().collect();
    let key = (0..words.len()).find_map(|at| {
        let pair = words.get(at..at + 2)?.join(" ");
        PublicKey::from_openssh(&pair).ok()
    });
    key.map_or_else(|| "a line without a key".to_owned(), |key| key.fingerprint(HashAlg::Sha256).to_string())
}

/// Whether the logins of the sheet are there, and the administrators in their group.
fn accounts(host: Host<'_>, said: &Said) -> InsideFact {
    let about = "accounts";
    let (Ok(passwd), Ok(group)) = (said.of("passwd"), said.of("group")) else {
        let fix = "look into /etc/passwd and /etc/group on the host";
        return InsideFact::not_looked(&LOGINS, about, "the lists of users and groups cannot be read", fix);
    };
    let known: BTreeSet<&str> = passwd.lines().filter_map(|line| line.split(':').next()).collect();
    let administrators: BTreeSet<&str> = group
        .lines()
        .filter(|line| line.starts_with("sudo:") || line.starts_with("wheel:"))
        .filter_map(|line| line.rsplit(':').next())
        .flat_map(|members| members.split(','))
        .collect();
    let (mut found, mut wrong) = (Vec::new(), Vec::new());
    for account in of_sheet(host) {
        let name = account.name.value.as_str();
        let is_admin = administrators.contains(name);
        if !known.contains(name) {
            wrong.push(format!("{name} is missing"));
        } else if account.is_admin && name != "root" && !is_admin {
            wrong.push(format!("{name} is no administrator"));
        }
        let role = if is_admin { " (administrator)" } else { "" };
        if known.contains(name) {
            found.push(format!("{name}{role}"));
        }
    }
    if wrong.is_empty() {
        return InsideFact::right(&LOGINS, about, found);
    }
    let says = format!("has other accounts than the sheet says: {}", crate::judge::listed(&wrong));
    InsideFact::wrong(&LOGINS, about, found, says, "place the host's output again and boot it")
}

/// Whether the account that looks has the keys of the sheet, and no others.
fn own_keys(host: Host<'_>, said: &Said) -> InsideFact {
    let who = said.anyway("account").trim().to_owned();
    let about = format!("SSH keys of {who}");
    let Ok(lines) = said.of("own-keys") else {
        let fix = "look into ~/.ssh/authorized_keys on the host";
        return InsideFact::not_looked(&LOGINS, about, "its file of keys cannot be read", fix);
    };
    let account = of_sheet(host).into_iter().find(|account| account.name.value.as_str() == who);
    let expected =
        fingerprints(account.into_iter().flat_map(|account| &account.keys).map(|key| key.line.as_str()));
    let found: Vec<String> = fingerprints(lines.lines()).into_iter().collect();
    let what = format!("for {who} the key");
    let fix =
        "look who added the line to ~/.ssh/authorized_keys, and remove it, or name the key in the sheet";
    InsideFact::compared(&LOGINS, &about, (found, expected.into_iter().collect()), &what, fix)
}

/// A login as it is on the host.
#[derive(Default)]
struct Opening {
    has_shell: bool,
    has_password: bool,
    is_empty: bool,
    keys: BTreeSet<String>,
}

/// Whether anybody else can log in.
fn openings(host: Host<'_>, said: &Said) -> InsideFact {
    let about = "who can log in";
    let (shadow, keys) = match (said.of("shadow"), said.of("keys")) {
        (Ok(shadow), Ok(keys)) => (shadow, keys),
        (Err(Unsaid::NeedsRoot), _) | (_, Err(Unsaid::NeedsRoot)) => {
            return needs_root(&LOGINS, about, "passwd -S -a", host);
        }
        _ => {
            let fix = "look with `sudo passwd -S -a` on the host";
            return InsideFact::not_looked(&LOGINS, about, "the list of passwords cannot be read", fix);
        }
    };
    let mut logins: BTreeMap<&str, Opening> = BTreeMap::new();
    for line in said.anyway("passwd").lines() {
        let fields: Vec<&str> = line.split(':').collect();
        let (Some(name), Some(shell)) = (fields.first(), fields.get(6)) else { continue };
        let program = shell.rsplit('/').next().unwrap_or_default();
        logins.entry(name).or_default().has_shell = !NO_SHELLS.contains(&program);
    }
    for (name, kind) in shadow.lines().filter_map(|line| line.split_once(' ')) {
        let Some(login) = logins.get_mut(name) else { continue };
        (login.has_password, login.is_empty) = (kind == "password", kind == "empty");
    }
    for (name, line) in keys.lines().filter_map(|line| line.split_once(' ')) {
        if let Some(login) = logins.get_mut(name) {
            login.keys.extend(fingerprints(std::iter::once(line)));
        }
    }
    let (mut found, mut wrong) = (Vec::new(), Vec::new());
    let meant = of_sheet(host);
    let keeps = host.machine.settings.stock_logins() == StockLogins::Keep;
    for (name, login) in logins.iter().filter(|(_, login)| login.has_shell) {
        let account = meant.iter().find(|account| account.name.value.as_str() == *name);
        if login.is_empty {
            wrong.push(format!("{name} has an empty password"));
        }
        let by: Vec<&str> =
            [("a password", login.has_password || login.is_empty), ("keys", !login.keys.is_empty())]
                .into_iter()
                .filter_map(|(way, is)| is.then_some(way))
                .collect();
        if by.is_empty() {
            continue;
        }
        found.push(format!("{name} by {}", by.join(" and ")));
        match account {
            None if keeps => {}
            None => wrong.push(format!("{name} can log in by {}", by.join(" and "))),
            Some(account) => {
                let expected = fingerprints(account.keys.iter().map(|key| key.line.as_str()));
                if login.has_password && !account.has_password() {
                    wrong.push(format!("{name} has a password"));
                }
                if login.keys != expected {
                    wrong.push(format!("{name} has other SSH keys"));
                }
            }
        }
    }
    for account in &meant {
        let name = account.name.value.as_str();
        let has = logins.get(name).is_some_and(|login| login.has_password);
        if account.has_password() && !has {
            wrong.push(format!("{name} has no password that works"));
        }
    }
    if wrong.is_empty() {
        return InsideFact::right(&LOGINS, about, found);
    }
    let says = format!("lets in others than the sheet says: {}", crate::judge::listed(&wrong));
    let fix = "`usermod -p '*' NAME` on the host locks a password; remove keys from ~/.ssh/authorized_keys of that login";
    InsideFact::wrong(&LOGINS, about, found, says, fix)
}

/// Something that takes root, with what to type.
pub(super) fn needs_root(
    rule: &'static impostazione_core::finding::Rule,
    about: &str,
    command: &str,
    host: Host<'_>,
) -> InsideFact {
    let label = host.machine.label();
    InsideFact::not_looked(
        rule,
        about,
        "that takes root, and sudo asks the account for a password",
        format!("`ssh -t {label} sudo {command}`"),
    )
}

/// What sshd itself says that holds for it.
fn service(host: Host<'_>, said: &Said) -> InsideFact {
    let about = "what sshd says";
    let shown = match said.of("sshd") {
        Ok(shown) => shown,
        Err(Unsaid::NeedsRoot) => return needs_root(&SSH, about, "sshd -T", host),
        Err(_) => {
            let fix = "look with `sudo sshd -T` on the host";
            return InsideFact::not_looked(&SSH, about, "sshd did not answer", fix);
        }
    };
    let ssh = &host.machine.settings.ssh;
    // Blocks for certain users may say otherwise of root.
    let of_root = said.of("sshd-root").unwrap_or_default();
    let of = |key: &str| -> Vec<&str> {
        let values = shown.lines().chain(of_root.lines()).filter_map(|line| line.split_once(' '));
        let mut values: Vec<&str> =
            values.filter(|(known, _)| *known == key).map(|(_, value)| value).collect();
        values.dedup();
        values
    };
    let (mut found, mut wrong) = (Vec::new(), Vec::new());
    let mut check = |key: &str, is_right: &dyn Fn(&str) -> bool, meant: &str| {
        for value in of(key) {
            found.push(format!("{key} {value}"));
            if !is_right(value) {
                wrong.push(format!("{key} is {value} and not {meant}"));
            }
        }
    };
    let port = ssh.port().to_string();
    check("port", &|value| value == port, &port);
    let passwords = if ssh.allows_passwords() { "yes" } else { "no" };
    check("passwordauthentication", &|value| value == passwords, passwords);
    check("kbdinteractiveauthentication", &|value| value == passwords, passwords);
    if ssh.allows_root() {
        check("permitrootlogin", &|value| value != "no", "yes or prohibit-password");
    } else {
        check("permitrootlogin", &|value| value == "no", "no");
    }
    check("permitemptypasswords", &|value| value == "no", "no");
    let own_files = ".ssh/authorized_keys .ssh/authorized_keys2";
    check("authorizedkeysfile", &|value| value == own_files, own_files);
    for key in ["authorizedkeyscommand", "trustedusercakeys"] {
        check(key, &|value| value == "none", "none");
    }
    check("hostbasedauthentication", &|value| value == "no", "no");
    if wrong.is_empty() {
        return InsideFact::right(&SSH, about, found);
    }
    let says = format!("has an SSH service that is set up otherwise: {}", crate::judge::listed(&wrong));
    let fix = "look into /etc/ssh/sshd_config and sshd_config.d on the host; place the host's output again";
    InsideFact::wrong(&SSH, about, found, says, fix)
}
