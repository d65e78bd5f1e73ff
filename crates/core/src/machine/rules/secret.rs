//! Rules on where values come from.

use impostazione_secret::store::StoreFault;
use impostazione_text::{Place, Written, capital, nearest};

use crate::finding::{Finding, Nature, Rule, Severity};
use crate::machine::secret::SecretScope;

/// The rules that are broken while it is read.
pub(crate) const RULES: &[&Rule] = &[
    &SECRET_UNDEFINED,
    &SECRET_MISSING,
    &SECRET_NOT_LOOKED_AT,
    &SECRET_FILE_READABLE_BY_OTHERS,
    &SECRET_STORE_CANNOT_OPEN,
];

/// A secret that the sheet does not have.
pub(crate) static SECRET_UNDEFINED: Rule = Rule {
    name: "secret-undefined",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a value comes from a secret that the sheet does not have",
    explanation: "`secret` names a [secret.NAME] table, which says where the value comes from.",
    wrong: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" } }\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// A secret that cannot be had.
pub static SECRET_MISSING: Rule = Rule {
    name: "secret-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the value of a secret, or a host key, is not available",
    explanation: "A file or a variable holds only the value, on one line. A prompt needs a terminal. The store holds \
        what `impostazione secret enter` or `secret generate` put there. The value must be available whenever the \
        sheet is checked, because a missing value cannot be proved right. `review` needs no values.",
    wrong: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay.secret\"\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// A secret that cannot be looked at from here.
pub(crate) static SECRET_NOT_LOOKED_AT: Rule = Rule {
    name: "secret-not-looked-at",
    severity: Severity::Warning,
    nature: Nature::Fault,
    summary: "the value of a secret, or a host key, could not be checked",
    explanation: "The store needs a key or a passphrase that was not given, a variable is not set, or there is no \
        terminal to ask for it. Everything else is checked, so a colleague or a CI job without the key can check a \
        sheet; whether the value exists and is long and strong enough is not known. Nothing is rendered in this \
        state.",
    wrong: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"env\"\nvariable = \"QUAY_WIFI\"\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n",
    about_credentials: true,
    not_looked_at: true,
    ..Rule::PLAIN
};

/// A value that others on this machine read.
pub(crate) static SECRET_FILE_READABLE_BY_OTHERS: Rule = Rule {
    name: "secret-file-readable-by-others",
    severity: Severity::Error,
    nature: Nature::Credential,
    summary: "other users can read the file of a secret",
    explanation: "A file that holds a password must be readable by its owner only (mode 0600). If others could read \
        it, assume that the password is known. The encrypted store is useless without its key, so there this is a \
        warning.",
    wrong: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"for-all-to-read.secret\"\n",
    right: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// A store that stays shut.
pub static SECRET_STORE_CANNOT_OPEN: Rule = Rule {
    name: "secret-store-cannot-open",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the encrypted store next to the sheet does not open",
    explanation: "Secrets that are from = \"store\", and prepared host keys, are in the store next to the sheet: \
        harbor.secrets.age for harbor.toml. To open it, give a private key (--key, or the variable IMPOSTAZIONE_KEY) or \
        a passphrase (typed on a terminal, or --passphrase-from).",
    wrong: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"store\"\n",
    right: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\n",
    about_credentials: true,
    ..Rule::PLAIN
};

pub(crate) fn undefined(name: &str, place: Place, known: &[&str]) -> Finding {
    let fix = match nearest(name, known.iter().copied(), 1).first() {
        Some(close) => format!("write secret = \"{close}\""),
        None => format!("add a table [secret.{name}] with from = \"store\", or another source"),
    };
    Finding::on_sheet(&SECRET_UNDEFINED, place, format!("The sheet has no secret \"{name}\"."), fix)
}

pub(crate) fn missing(place: Place, called: &str, reason: &str, fix: &str) -> Finding {
    let message = format!("The secret {called} is not available: {reason}.");
    Finding::on_sheet(&SECRET_MISSING, place, message, fix)
}

/// A value whose source cannot be reached from here.
pub(crate) fn not_looked_at(place: Place, called: &str, reason: &str, fix: &str) -> Finding {
    let message = format!("The secret {called} was not checked: {reason}.");
    Finding::on_sheet(&SECRET_NOT_LOOKED_AT, place, message, fix)
}

/// What is in a store that stays shut, since nobody gave what opens it.
pub(crate) fn store_not_looked_at(
    place: Place,
    fault: &StoreFault,
    secrets: &[String],
    host_keys: usize,
) -> Finding {
    let secrets = match secrets {
        [] => None,
        [only] => Some(format!("the secret {only}")),
        [others @ .., last] => Some(format!("the secrets {} and {last}", others.join(", "))),
    };
    let keys = match host_keys {
        0 => None,
        1 => Some("the host key of 1 host".to_owned()),
        many => Some(format!("the host keys of {many} hosts")),
    };
    let what: Vec<String> = secrets.into_iter().chain(keys).collect();
    // A key that was given and is another one is said by the fault itself.
    let not_given =
        if matches!(fault, StoreFault::NeedsAnotherKey(_)) { "" } else { ", which was not given" };
    let message = format!("{}{not_given}. Not checked: {}.", begun(fault), what.join(", and "));
    Finding::on_sheet(&SECRET_NOT_LOOKED_AT, place, message, fault.fix())
}

/// Values that the store does not hold, by their holders.
pub(crate) fn not_in_store(
    secret: &Written<String>,
    scope: SecretScope,
    holders: &[String],
    sheet: &str,
    may_be_made_up: bool,
) -> Finding {
    let name = &secret.value;
    let for_whom = match holders {
        [] => String::new(),
        [only] => format!(" for {only}"),
        [first, others @ ..] => format!(
            " for {first} and {} other {}{}",
            others.len(),
            if scope == SecretScope::Cluster { "cluster" } else { "machine" },
            if others.len() == 1 { "" } else { "s" }
        ),
    };
    let enter = match holders {
        [] => format!("`impostazione secret enter {sheet} {name}`"),
        [first, ..] => format!("`impostazione secret enter {sheet} {name} --for {first}`"),
    };
    Finding::on_sheet(
        &SECRET_MISSING,
        secret.place,
        format!("The store has no value for {name}{for_whom}."),
        if may_be_made_up {
            format!("run {enter} to type it, or `impostazione secret generate {sheet} {name}` to generate it")
        } else {
            format!("run {enter} to type it; it belongs to something that already exists")
        },
    )
}

/// Hosts whose host keys the store does not hold.
pub(crate) fn host_key_missing(place: Place, machines: &[String], sheet: &str) -> Finding {
    let whose = match machines {
        [] => String::new(),
        [only] => only.clone(),
        [first, others @ ..] => {
            format!("{first} and {} other host{}", others.len(), if others.len() == 1 { "" } else { "s" })
        }
    };
    Finding::on_sheet(
        &SECRET_MISSING,
        place,
        format!("The store has no host key for {whose}."),
        format!("run `impostazione secret generate {sheet} --host-keys`"),
    )
}

pub(crate) fn file_readable(path: &Written<String>, secret: &str, mode: u32) -> Finding {
    Finding::on_sheet(
        &SECRET_FILE_READABLE_BY_OTHERS,
        path.place,
        format!("Other users can read {}, which holds the secret {secret} (mode {mode:04o}).", path.value),
        format!("run chmod 600 {}, and change the secret if somebody may have read it", path.value),
    )
}

pub(crate) fn store_readable(place: Place, store: &str, mode: u32) -> Finding {
    Finding::on_sheet(
        &SECRET_FILE_READABLE_BY_OTHERS,
        place,
        format!("Other users can read the encrypted store {store} (mode {mode:04o})."),
        format!("run chmod 600 {store}"),
    )
    .weighing(Severity::Warning, Nature::Credential)
}

pub(crate) fn store_cannot_open(place: Place, fault: &StoreFault) -> Finding {
    Finding::on_sheet(&SECRET_STORE_CANNOT_OPEN, place, format!("{}.", begun(fault)), fault.fix())
}

/// What is wrong as the beginning of a sentence; a path keeps the letter that it begins with.
fn begun(fault: &StoreFault) -> String {
    let text = fault.to_string();
    let is_word = text.split(' ').next().is_some_and(|word| word.chars().all(char::is_alphabetic));
    if is_word { capital(&text) } else { text }
}
