//! What the parts of a property's text speak of.

use super::examples::Examples;
use super::key_style::KeyStyle;
use super::signs::Signs;
use super::vocabulary::{Reader, Spoken};
use super::whose::{Mention, OwnNouns};
use super::words::{first_sentence, plain};
use crate::descriptor::Property;

/// What the parts of a property's text speak of.
pub(super) struct Texts {
    pub(super) key: Spoken,
    pub(super) label: Spoken,
    pub(super) class: Spoken,
    pub(super) category: Spoken,
    pub(super) sentence: Spoken,
    /// The part of the sentence before a clause that says more of what it is about.
    pub(super) head: Spoken,
    /// Key, label, class, and the category where it says something of one thing only.
    pub(super) name: Spoken,
    /// Name, and the first sentence of the description where the name says little.
    pub(super) all: Spoken,
    /// The strongest sign in the name, whatever speaks against it.
    pub(super) loudness: f64,
    /// Label and description, small, without accents and examples.
    pub(super) prose: String,
    /// The values that they show.
    pub(super) shown: Examples,
    /// Whether they speak of the machine itself.
    pub(super) mention: Mention,
}

/// Concepts of things that are not the machine itself.
pub(super) const FOREIGN: &[&str] = &[
    "syslog",
    "directory-service",
    "snmp",
    "other-host",
    "license",
    "mail",
    "mailrelay",
    "proxy",
    "range",
    "telephony",
];

/// Concepts of a network's own settings, several of which a category may announce.
pub(super) const OF_NETWORK: &[&str] = &[
    "ip", "address", "netmask", "gateway", "dns", "ntp", "hostname", "domain", "time", "machine", "name",
    "node",
];

/// From this strength on, what the name says is clear without the description.
pub(super) const CLEAR: f64 = 0.75;

/// Concepts that say how long or how many where they stand in a sentence about a text.
const OF_PROSE: &[&str] = &[
    "length",
    "count",
    "minimum",
    "maximum",
    "number",
    "interval",
    "age",
    "policy",
    "server",
    "enable",
    "hint",
    "reset",
    "attempts",
    "obsolete",
    "disable",
    "confirm",
    "description",
    "machine",
    "file",
    "name",
    "time",
    "range",
];

/// Concepts of an address.
pub(super) const OF_ADDRESS: &[&str] = &["ip", "ipv4", "ipv6", "address"];
/// Concepts of how an address is written.
const OF_LENGTH: &[&str] = &["prefixlen", "withprefix", "netmask", "length", "dhcp"];

/// What reads the texts of one package.
pub(super) struct Wording<'a> {
    pub(super) signs: &'a Signs,
    pub(super) reader: Reader<'a>,
    pub(super) own: OwnNouns,
    pub(super) style: KeyStyle,
    /// Whether sections are called differently, so that what they are called tells them apart.
    pub(super) has_sections: bool,
}

impl Wording<'_> {
    /// Reads a property's texts.
    pub(super) fn read(&self, property: &Property) -> Texts {
        let read = |text: &str| self.reader.read(text);
        let vocabulary = &self.signs.vocabulary;
        let name = beginning(self.style.name(&property.key));
        // Two letters of a key are explained by its label, where it has one.
        let key = if property.label.is_empty() { self.reader.read_short(name) } else { read(name) };
        let is_explained = key.words.iter().any(|word| AMBIGUOUS.contains(&word.as_str()))
            && !property.label.eq_ignore_ascii_case(name)
            && self.signs.loudest(&read(&property.label)) > 0.0;
        let key = if is_explained { self.reader.read_words(without_ambiguous(key.words)) } else { key };
        let (mut shown, label_text) = Examples::taken_from(beginning(&property.label));
        let (of_description, description_text) = Examples::taken_from(beginning(&property.description));
        shown.add(of_description);
        let prose = plain(&format!("{label_text}. {description_text}")).to_lowercase();
        let (label_text, of_label) = self.own.taken_from(&label_text, vocabulary);
        let (description_text, of_description) = self.own.taken_from(&description_text, vocabulary);
        let mut label = read(&label_text);
        if let Some(product) = self.style.prefix().map(read) {
            label.forget(&product);
        }
        // Two letters are a product's initials: `pw` is no password there.
        let class =
            read(Some(class_words(&property.class)).filter(|class| class.len() > 2).unwrap_or_default());
        let section = if self.has_sections { beginning(&property.section) } else { "" };
        let (category_text, _) =
            self.own.taken_from(&format!("{}. {section}", beginning(&property.category)), vocabulary);
        let category = read(&category_text);
        let first = without_denied(first_sentence(&description_text));
        let (sentence, head) = (read(&first), read(head_of(&first)));
        let own = key.with(&label).with(&class);
        let announces = OF_NETWORK.iter().filter(|concept| category.has(concept)).count();
        let name = if announces <= 1 { own.with(&category) } else { own };
        // "The collector that this machine reports to" is about the collector.
        let is_own = |mention: Mention, spoken: &Spoken| {
            mention.is_of_itself && !FOREIGN.iter().any(|concept| spoken.has(concept))
        };
        let mention = Mention {
            is_of_itself: is_own(of_label, &label) || is_own(of_description, &sentence),
            is_of_another: of_label.is_of_another || of_description.is_of_another,
        };
        let loudness = self.signs.loudest(&name);
        // What is said of an address later in its sentence is how it is written, and no other thing.
        let of_form: &[&str] = if sentence.is_before(OF_ADDRESS, OF_LENGTH) { OF_LENGTH } else { &[] };
        let (sentence, head) = (sentence.without(of_form), head.without(of_form));
        let all = if loudness == 0.0 {
            name.with(&sentence.without(if property.takes_number() { &["range"] } else { OF_PROSE }))
        } else if loudness < CLEAR {
            name.with(&sentence.without(OF_PROSE).without(FOREIGN).without(OF_LENGTH).without(OF_ADDRESS))
        } else {
            name.clone()
        };
        // What is outright its own has no other machine in it, whatever it is called.
        let all =
            if mention.is_of_itself { all.without(&["other-host", "server", "range", "pair"]) } else { all };
        Texts { key, label, class, category, sentence, head, name, all, loudness, prose, shown, mention }
    }
}

impl Texts {
    /// Whether key, label and class speak of nothing that there is a sign for.
    pub(super) fn is_silent(&self) -> bool {
        self.loudness == 0.0
    }

    /// The words of the key before its last: where it stands in a path.
    pub(super) fn stem(&self) -> &[String] {
        self.key.words.split_last().map(|(_, before)| before).unwrap_or_default()
    }
}

/// As much of a text as is read: whoever means something says it sooner.
pub(super) fn beginning(text: &str) -> &str {
    const MOST: usize = 2_000;
    let end = text.char_indices().nth(MOST).map_or(text.len(), |(at, _)| at);
    text.get(..end).unwrap_or(text)
}

/// Short words that stand for several things: `nm` is a mask or a name.
const AMBIGUOUS: &[&str] = &["nm"];

/// The words of a key without those that stand for several things.
fn without_ambiguous(words: Vec<String>) -> Vec<String> {
    words.into_iter().filter(|word| !AMBIGUOUS.contains(&word.as_str())).collect()
}

/// A sentence without what it says is not there: "the name, without its domain" is about a name.
fn without_denied(sentence: &str) -> String {
    const DENIES: &[&str] = &[
        "without", "no", "not", "never", "ohne", "kein", "keine", "keinen", "nicht", "senza", "non", "sans",
        "pas", "sin", "zonder", "geen", "niet", "sem", "nao", "bez", "nie",
    ];
    const ARTICLES: &[&str] =
        &["the", "a", "an", "its", "der", "die", "das", "den", "il", "lo", "la", "le", "el", "de", "o", "do"];
    let mut kept = String::with_capacity(sentence.len());
    let mut left_out = 0;
    for token in plain(sentence).split_inclusive(|letter: char| letter.is_whitespace()) {
        let word = token.trim_matches(|letter: char| !letter.is_alphanumeric()).to_lowercase();
        if DENIES.contains(&word.as_str()) {
            left_out = 2;
            continue;
        }
        if left_out > 0 {
            left_out -= usize::from(!ARTICLES.contains(&word.as_str()));
            if token.trim_end().ends_with([',', ';', ':', '.']) {
                left_out = 0;
            }
            continue;
        }
        kept.push_str(token);
    }
    kept
}

/// A sentence before its first clause: "DNS suffix that completes the host name" is about a suffix.
fn head_of(sentence: &str) -> &str {
    const CLAUSES: &[&str] = &[
        " that ",
        " which ",
        " who ",
        ", der ",
        ", die ",
        ", das ",
        ", den ",
        " che ",
        " qui ",
        " que ",
        ", die ",
        " dat ",
        ", ktory ",
        ", ktora ",
        " where ",
        " for which ",
        " with ",
        ", with ",
    ];
    let end = CLAUSES.iter().filter_map(|clause| sentence.find(clause)).min();
    end.and_then(|end| sentence.get(..end)).unwrap_or(sentence)
}

/// A class without what all classes of a package begin with: `org.capovetro.net` is about `net`.
pub(super) fn class_words(class: &str) -> &str {
    class.rsplit('.').next().unwrap_or_default()
}
