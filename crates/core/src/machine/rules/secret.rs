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
    summary: "a value is to come from a secret that the sheet does not name",
    explanation: "secret names a [secret.NAME] table, which says where the value comes from.",
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
    summary: "the value of a secret, or a host key, cannot be had",
    explanation: "A file or a variable holds the value alone, on one line; a prompt needs a terminal; the store holds what \
        `impostazione secret enter` or `secret generate` put there. The value must be there whenever the sheet is judged, \
        since what cannot be had cannot be proved right. `review` asks for none.",
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
    summary: "the value of a secret, or a host key, could not be looked at",
    explanation: "The store wants a key or a passphrase that was not given, a variable is not set, or there is no terminal to \
        ask on. Everything else is judged, so that a colleague or a job without the key can check a sheet; whether the value \
        is there, and is long and strong enough, is not known. Nothing is rendered like that.",
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
    summary: "others may read the file of a secret",
    explanation: "A file that holds a password is for its owner alone (mode 0600). Where others could read it, take the \
        password for known. The encrypted store is no secret without its key, so that this is a warning there.",
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
    summary: "the encrypted store beside the sheet does not open",
    explanation: "Secrets that are from = \"store\", and host keys that were made beforehand, are in the store beside the \
        sheet, which for harbor.toml is harbor.secrets.age. It opens with a private key (--key, or the variable IMPOSTAZIONE_KEY), or with a \
        passphrase (asked for on a terminal, or --passphrase-from).",
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
    let message = format!("The secret {called} cannot be had: {reason}.");
    Finding::on_sheet(&SECRET_MISSING, place, message, fix)
}

/// A value whose source cannot be reached from here.
pub(crate) fn not_looked_at(place: Place, called: &str, reason: &str, fix: &str) -> Finding {
    let message = format!("The secret {called} was not looked at: {reason}.");
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
    let message = format!("{fault}, which was not given. Not looked at: {}.", what.join(", and "));
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
        format!("The store holds no value of {name}{for_whom}."),
        if may_be_made_up {
            format!(
                "put it there with {enter}, or have it made up with `impostazione secret generate {sheet} {name}`"
            )
        } else {
            format!("put it there with {enter}; it belongs to something that has it already")
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
        format!("The store holds no host key of {whose}."),
        format!("have it made with `impostazione secret generate {sheet} --host-keys`"),
    )
}

pub(crate) fn file_readable(path: &Written<String>, secret: &str, mode: u32) -> Finding {
    Finding::on_sheet(
        &SECRET_FILE_READABLE_BY_OTHERS,
        path.place,
        format!("Others may read {}, which holds the secret {secret}: its mode is {mode:04o}.", path.value),
        format!("chmod 600 {}, and change the secret if somebody may have read it", path.value),
    )
}

pub(crate) fn store_readable(place: Place, store: &str, mode: u32) -> Finding {
    Finding::on_sheet(
        &SECRET_FILE_READABLE_BY_OTHERS,
        place,
        format!("Others may read the encrypted store {store}: its mode is {mode:04o}."),
        format!("chmod 600 {store}"),
    )
    .weighing(Severity::Warning, Nature::Credential)
}

pub(crate) fn store_cannot_open(place: Place, fault: &StoreFault) -> Finding {
    let text = fault.to_string();
    // A path keeps the letter that it begins with.
    let is_word = text.split(' ').next().is_some_and(|word| word.chars().all(char::is_alphabetic));
    let message = if is_word { capital(&text) } else { text };
    Finding::on_sheet(&SECRET_STORE_CANNOT_OPEN, place, format!("{message}."), fault.fix())
}
