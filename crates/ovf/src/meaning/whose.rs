//! Whether a text mentions the machine itself: "this server", "nicht die dieses Geräts", "de esta pasarela".

use foldhash::HashSet;

use super::vocabulary::Vocabulary;
use super::words::{plain, spoken_words};

/// Words that point at what is at hand.
const THIS: &[&str] = &[
    "this", "dieser", "dieses", "diesem", "diesen", "diese", "questo", "questa", "quest", "ce", "cet",
    "cette", "este", "esta", "deste", "desta", "neste", "nesta", "dit", "deze", "ten", "ta", "tego", "tej",
    "own", "eigene", "eigener", "eigenen", "propria", "proprio", "propia", "propio", "propre", "eigen",
    "wlasny", "wlasna",
];

/// Words that say whose something is.
const OWN: &[&str] = &[
    "own", "eigene", "eigener", "eigenen", "propria", "proprio", "propia", "propio", "propre", "eigen",
    "wlasny", "wlasna",
];

/// Words before a product's noun that make it the machine at hand.
const OF_THE: &[&str] = &[
    "the", "des", "der", "del", "dello", "della", "dell", "du", "de", "do", "da", "van", "von", "vom", "el",
    "la", "le",
];

/// Words that deny what follows.
const DENIED: &[&str] = &[
    "not", "never", "no", "nicht", "kein", "keine", "non", "niet", "geen", "nao", "nie", "pas", "statt",
    "than", "sondern", "neither", "nor", "ni", "instead",
];

/// Words that tell something else from what is at hand: "the other unit of the pair".
const OTHER: &[&str] = &[
    "other", "another", "anderen", "andere", "anderer", "altra", "altro", "autre", "otra", "otro", "outra",
    "outro", "inny", "innego", "second", "former", "first",
];

/// Verbs behind which a denial before them says nothing.
const VERBS: &[&str] =
    &["is", "are", "ist", "sind", "wird", "est", "sont", "es", "son", "jest", "goes", "go"];

/// What is said to be denied must stand this near.
const REACH: usize = 5;

/// Nouns that only ever stand for the machine at hand behind "this".
const MACHINES: &[&str] =
    &["server", "gateway", "router", "node", "member", "machine", "half", "peers", "host", "cluster", "pair"];

/// Nouns that say which kind of setting it is, too.
const KEPT: &[&str] = &["node", "member", "half", "peers", "cluster", "pair", "machine"];

/// Whether a text mentions the machine at hand.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Mention {
    /// It mentions it.
    pub(super) is_of_itself: bool,
    /// It says that it mentions something else.
    pub(super) is_of_another: bool,
}

/// What a package calls its machine.
#[derive(Debug, Default)]
pub(super) struct OwnNouns {
    nouns: HashSet<String>,
}

impl OwnNouns {
    /// What the names of the product and of its machine stand for, and the nouns behind "this" in its texts.
    pub(super) fn of<'a>(
        names: &[&str],
        texts: impl Iterator<Item = &'a str>,
        vocabulary: &Vocabulary,
    ) -> Self {
        let mut nouns: HashSet<String> = names
            .iter()
            .flat_map(|name| name.split([',', ':', ';', '(']))
            .flat_map(|name| heads(name, vocabulary))
            .collect();
        for text in texts {
            let tokens = spoken_words(text);
            for pair in tokens.windows(2) {
                if let [this, noun] = pair
                    && THIS.contains(&this.as_str())
                    && is_machine(noun, vocabulary)
                {
                    nouns.insert(noun.clone());
                }
            }
        }
        Self { nouns }
    }

    /// Those that would else stand for another machine: a recorder's own address is its own.
    pub(super) fn names<'a>(&'a self, vocabulary: &'a Vocabulary) -> impl Iterator<Item = &'a String> {
        const FOREIGN: &[&str] = &["other-host", "range", "syslog", "snmp", "directory-service", "telephony"];
        self.nouns.iter().filter(|noun| {
            let spoken = vocabulary.read(noun);
            spoken.unknown.is_empty()
                && spoken.concepts.iter().all(|concept| FOREIGN.contains(&concept.as_str()))
        })
    }

    /// Whether a word is one of them.
    pub(super) fn has(&self, word: &str) -> bool {
        self.nouns.contains(word) || word.strip_suffix('s').is_some_and(|single| self.nouns.contains(single))
    }

    /// How many words behind the one at a place belong to a mention of the machine at hand that begins there.
    fn reach(&self, words: &[String], at: usize, vocabulary: &Vocabulary) -> Option<usize> {
        let (first, noun) = (words.get(at)?, words.get(at + 1)?);
        if OWN.contains(&first.as_str()) && is_own_setting(noun, vocabulary) {
            return Some(0);
        }
        let is_this = THIS.contains(&first.as_str());
        if is_this && (is_machine(noun, vocabulary) || self.has(noun)) {
            return Some(1);
        }
        // "crane 1" is one of several.
        if words.get(at + 2).is_some_and(|next| next.chars().all(|letter| letter.is_ascii_digit())) {
            return None;
        }
        // "this clinical gateway": a word may stand between.
        let is_behind = |noun: &String| self.has(noun) || MACHINES.contains(&noun.as_str());
        let is_between = noun == "virtual" || !vocabulary.knows(noun);
        if is_this && is_between && words.get(at + 2).is_some_and(is_behind) {
            return Some(2);
        }
        (OF_THE.contains(&first.as_str()) && self.has(noun)).then_some(1)
    }

    /// A text without its mentions of the machine at hand, and whether there were any.
    pub(super) fn taken_from(&self, text: &str, vocabulary: &Vocabulary) -> (String, Mention) {
        let mut mention = Mention::default();
        let mut rest = String::with_capacity(text.len());
        for sentence in text.split_inclusive(['.', ';', '?', '\n']) {
            let written: Vec<String> = plain(sentence)
                .split(|letter: char| !letter.is_alphanumeric())
                .filter(|word| !word.is_empty())
                .map(str::to_owned)
                .collect();
            let small: Vec<String> = written.iter().map(|word| word.to_lowercase()).collect();
            let mut kept: Vec<bool> = vec![true; small.len()];
            for at in 0..small.len() {
                let Some(reach) = self.reach(&small, at, vocabulary) else { continue };
                let of = kind_of_mention(&small, at);
                mention.is_of_itself |= of.is_of_itself;
                mention.is_of_another |= of.is_of_another;
                // "number of this node" still mentions a node.
                let is_node = small.get(at + reach).is_some_and(|noun| KEPT.contains(&noun.as_str()));
                let gone = reach + usize::from(!is_node);
                kept.iter_mut().skip(at).take(gone).for_each(|kept| *kept = false);
            }
            for (word, _) in written.iter().zip(&kept).filter(|(_, kept)| **kept) {
                rest.push_str(word);
                rest.push(' ');
            }
            // What ended the sentence still does.
            if let Some(end) = sentence.chars().last().filter(|end| matches!(end, '.' | ';' | '?' | '\n')) {
                rest.truncate(rest.trim_end_matches(' ').len());
                rest.push(end);
                rest.push(' ');
            }
        }
        (rest.trim_end().to_owned(), mention)
    }
}

/// Whether a mention is of the machine at hand or of another, by the words before it.
fn kind_of_mention(words: &[String], at: usize) -> Mention {
    let before = words.get(at.saturating_sub(REACH)..at).unwrap_or_default();
    // "Whatever is not local is handed to this router": what is denied ends at the verb.
    let verb = before.iter().rposition(|word| VERBS.contains(&word.as_str()));
    let before = before.get(verb.map_or(0, |verb| verb + 1)..).unwrap_or_default();
    let is_of_another = before.iter().any(|word| DENIED.contains(&word.as_str()));
    let near = before.get(before.len().saturating_sub(3)..).unwrap_or_default();
    let is_other = near.iter().any(|word| OTHER.contains(&word.as_str()));
    Mention { is_of_itself: !is_of_another && !is_other, is_of_another }
}

/// Whether a text denies that the thing of a concept is meant: "is no router", "kein Gateway des Netzes".
pub(super) fn denies(text: &str, concept: &str, vocabulary: &Vocabulary) -> bool {
    const IS: &[&str] = &["is", "ist", "est", "es", "e", "jest", "are", "sind"];
    let tokens = spoken_words(text);
    tokens.iter().enumerate().filter(|(_, word)| IS.contains(&word.as_str())).any(|(at, _)| {
        let behind: Vec<&String> = tokens.iter().skip(at + 1).take(3).collect();
        let denied = behind.iter().position(|word| DENIED.contains(&word.as_str()));
        let is_thing = |word: &&&String| vocabulary.read(word).has(concept);
        denied.is_some_and(|at| behind.iter().skip(at).any(|word| is_thing(&word)))
    })
}

/// The nouns of a name that stand for its machine: the last before a preposition, and a first word that is a name by itself.
/// A "printer server" is no printer, and a "camera of the lighthouse" no lighthouse.
fn heads(name: &str, vocabulary: &Vocabulary) -> Vec<String> {
    const PREPOSITIONS: &[&str] = &[
        "of", "for", "at", "on", "in", "with", "di", "del", "della", "dello", "dei", "delle", "per", "de",
        "d", "du", "des", "pour", "para", "do", "da", "dos", "das", "von", "der", "fur", "im", "am", "van",
        "voor", "het", "dla", "w",
    ];
    let words = spoken_words(name);
    let end = words.iter().skip(1).position(|word| PREPOSITIONS.contains(&word.as_str()));
    let before = words.get(..end.map_or(words.len(), |end| end + 1)).unwrap_or_default();
    let is_noun = |word: &&String| {
        word.len() >= 3 && word.chars().all(char::is_alphabetic) && may_be_product(word, vocabulary)
    };
    let last = before.iter().rfind(is_noun);
    let first = before.first().filter(is_noun).filter(|word| !vocabulary.read(word).unknown.is_empty());
    first.into_iter().chain(last).cloned().collect()
}

/// Whether a word of a product's name stands for its machine, and not for a setting: "quorum", "name".
fn may_be_product(word: &str, vocabulary: &Vocabulary) -> bool {
    const KINDS: &[&str] = &[
        "other-host",
        "range",
        "syslog",
        "snmp",
        "directory-service",
        "telephony",
        "gateway",
        "server",
        "machine",
    ];
    let spoken = vocabulary.read(word);
    let is_kind = |concept: &String| KINDS.contains(&concept.as_str()) || spoken.unknown.contains(concept);
    spoken.concepts.iter().all(is_kind)
}

/// Whether a noun behind "own" is what a machine has of its own.
fn is_own_setting(noun: &str, vocabulary: &Vocabulary) -> bool {
    let spoken = vocabulary.read(noun);
    ["address", "ip", "ipv4", "ipv6", "name", "hostname"].iter().any(|concept| spoken.has(concept))
}

/// Whether a noun behind "this" is a machine: one that has no meaning of its own here, or one of those that do.
fn is_machine(noun: &str, vocabulary: &Vocabulary) -> bool {
    if MACHINES.contains(&noun) {
        return true;
    }
    let spoken = vocabulary.read(noun);
    if spoken.unknown.is_empty() {
        return MACHINES.iter().any(|machine| spoken.has(machine)) || spoken.has("other-host");
    }
    !vocabulary.knows(noun) && noun.len() >= 4
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::meaning::Signs;

    fn taken(product: &str, text: &str) -> (String, Mention) {
        let vocabulary = &Signs::own().vocabulary;
        OwnNouns::of(&[product], std::iter::once(text), vocabulary).taken_from(text, vocabulary)
    }

    #[test]
    fn the_machine_itself_is_known_and_what_is_not_it() {
        for text in [
            "IPv4 address of this server",
            "Adresse dieses Geräts im Netz",
            "La que usará esta pasarela",
            "Indirizzo di questo server",
            "Address that the capstan answers at",
        ] {
            let (_, mention) = taken("Capstan", text);
            assert!(mention.is_of_itself && !mention.is_of_another, "{text}");
        }
        for text in [
            "Not the address of this machine",
            "IPv4-Adresse des ersten Druckers, nicht die dieses Servers",
            "La máquina a la que se envían los estudios, no esta pasarela",
            "Et non cette machine",
            "De lezer, niet dit systeem",
        ] {
            assert!(taken("Capstan", text).1.is_of_another, "{text}");
        }
        for text in ["Readers connect to this address", "Leave this field empty", "The other machine"] {
            assert_eq!(taken("Capstan", text).1, Mention::default(), "{text}");
        }
        assert_eq!(taken("", "IPv4 address of this gateway. No dots").0, "IPv4 address of. No dots");
    }

    #[test]
    fn a_router_that_is_none() {
        let vocabulary = &Signs::own().vocabulary;
        assert!(denies("Supplied with the kiosks and is no router", "gateway", vocabulary));
        assert!(!denies("Leave empty if there is no way", "gateway", vocabulary));
    }
}
