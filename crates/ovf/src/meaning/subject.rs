//! Which link, account or position a property is about.

use std::fmt;

use super::vocabulary::Spoken;
use super::words::words_of;

/// Which of a machine's links a property is about, as far as its author says.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum LinkHint {
    /// The one with this word for it.
    Named(String),
    /// The adapter of this number, from 1.
    Adapter(usize),
}

impl fmt::Display for LinkHint {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Named(word) => f.write_str(word),
            Self::Adapter(number) => write!(f, "adapter {number}"),
        }
    }
}

impl LinkHint {
    /// The hint in a name that somebody has given to a link or a network: `mgmt` mentions the management link.
    pub fn in_name(name: &str) -> Option<Self> {
        link_word(&Spoken { words: words_of(name), ..Spoken::default() })
    }

    /// The hint as a meanings file writes it.
    pub fn parse(text: &str) -> Self {
        match text.strip_prefix("adapter ").and_then(|number| number.parse().ok()) {
            Some(number) => Self::Adapter(number),
            None => Self::Named(text.to_owned()),
        }
    }
}

/// Words for links, each with what it is called here.
const LINKS: &[(&str, &[&str])] = &[
    (
        "management",
        &[
            "management",
            "mgmt",
            "mgt",
            "mng",
            "gestione",
            "gestion",
            "verwaltung",
            "admin network",
            "verwaltungs",
        ],
    ),
    ("data", &["data", "daten", "dati", "donnees", "datos"]),
    ("storage", &["storage", "iscsi", "speicher"]),
    ("cluster", &["heartbeat", "interconnect", "replication", "sync"]),
    ("public", &["public", "external", "outside", "wan", "frontend", "offentlich", "pubblica", "publique"]),
    ("private", &["private", "inside", "lan", "backend", "privata", "privee"]),
    ("signal", &["signal", "signals", "segnali", "signale"]),
    ("control", &["control", "controllo"]),
    ("service", &["service", "servizio", "dienst"]),
    ("sensor", &["sensor", "capture", "mirror"]),
    ("production", &["production", "produzione"]),
];

/// Words for accounts, each with the usual name of the login.
const ACCOUNTS: &[(&str, &[&str])] = &[
    ("root", &["root", "superuser"]),
    (
        "admin",
        &[
            "admin",
            "administrator",
            "administrators",
            "administrative",
            "amministratore",
            "administrateur",
            "administrador",
            "adm",
        ],
    ),
    ("operator", &["operator", "operators", "operatore", "operateur", "operador", "bediener"]),
    ("support", &["support", "assistenza", "soporte"]),
    ("service", &["service", "servizio"]),
    ("maintenance", &["maintenance", "manutenzione", "wartung", "mantenimiento"]),
    ("console", &["console", "konsole"]),
    ("audit", &["audit", "auditor"]),
    ("viewer", &["viewer", "readonly", "guest", "monitor", "leser"]),
    ("ldap", &["ldap", "bind"]),
    ("mail", &["smtp", "mail"]),
    ("proxy", &["proxy"]),
    ("database", &["database", "db", "datenbank"]),
];

/// All words for links and accounts.
pub(super) fn words() -> impl Iterator<Item = &'static str> {
    LINKS.iter().chain(ACCOUNTS).flat_map(|(_, words)| words.iter().copied())
}

fn word_among(
    spoken: &Spoken,
    table: &'static [(&'static str, &'static [&'static str])],
) -> Option<&'static str> {
    spoken.words.iter().find_map(|word| {
        table.iter().find(|(_, words)| words.contains(&word.as_str())).map(|(name, _)| *name)
    })
}

/// The link that a name mentions, by a word.
pub(super) fn link_word(spoken: &Spoken) -> Option<LinkHint> {
    word_among(spoken, LINKS).map(|word| LinkHint::Named(word.to_owned()))
}

/// The adapter that a name counts: `eth0`, `nic2`.
pub(super) fn adapter(spoken: &Spoken) -> Option<usize> {
    let is_adapter =
        |word: &str| matches!(word, "eth" | "nic" | "adapter" | "interface" | "iface" | "if" | "port");
    spoken.words.windows(2).find_map(|pair| match pair {
        [word, number] if is_adapter(word) => number.parse().ok().filter(|number| *number < 32),
        _ => None,
    })
}

/// The account that a name mentions.
pub(super) fn account(spoken: &Spoken) -> Option<String> {
    word_among(spoken, ACCOUNTS).map(str::to_owned)
}

/// Which of several: by a word, or by the last number.
pub(super) fn position(spoken: &Spoken) -> Option<usize> {
    // "If the first one fails" is about the second.
    let by_word = [("tertiary", 3), ("secondary", 2), ("primary", 1)];
    by_word
        .into_iter()
        .find(|(concept, _)| spoken.has(concept))
        .map(|(_, position)| position)
        .or_else(|| spoken.numbers.iter().copied().rfind(|number| *number < 32))
}

/// Whether a word stands for a link in any package.
pub(super) fn is_link_word(word: &str) -> bool {
    LINKS.iter().any(|(_, words)| words.contains(&word))
}
