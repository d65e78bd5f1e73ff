//! From what an author wrote to words that can be compared: compounds, camel case, accents and languages apart.

use std::collections::{HashMap, HashSet};

/// Articles and prepositions, which say nothing here.
const SILENT: &[&str] = &[
    "the", "a", "an", "of", "for", "to", "in", "on", "at", "by", "with", "this", "that", "its", "your",
    "der", "die", "das", "des", "den", "dem", "ein", "eine", "einer", "eines", "fur", "von", "vom", "zum",
    "zur", "im", "dieser", "dieses", "il", "lo", "la", "le", "gli", "i", "di", "del", "dello", "della",
    "dei", "delle", "per", "questa", "questo", "un", "una", "uno", "du", "de", "d", "l", "les", "au", "aux",
    "pour", "cette", "ce", "el", "los", "las", "al", "para", "este", "esta", "enter", "please", "specify",
    "will", "and", "und", "et", "y", "e", "o", "or",
];

/// A text as a list of small words without accents. Letters and digits are taken apart, and so are the humps of camel
/// case; `IPv4` and its like stay whole.
pub(super) fn words_of(text: &str) -> Vec<String> {
    let mut words: Vec<String> = Vec::new();
    let mut current = String::new();
    let characters: Vec<char> = text.chars().collect();
    for (at, &character) in characters.iter().enumerate() {
        if !character.is_alphanumeric() {
            push(&mut words, &mut current);
            continue;
        }
        let previous = at.checked_sub(1).and_then(|before| characters.get(before)).copied().unwrap_or(' ');
        let next = characters.get(at + 1).copied().unwrap_or(' ');
        let is_hump = character.is_uppercase()
            && (previous.is_lowercase() || (previous.is_uppercase() && next.is_lowercase()));
        // The v of IPv4 is small between capitals: no hump.
        let is_version = |c: char| matches!(c, 'v' | 'V');
        let keeps_ip = is_version(character) && current.eq_ignore_ascii_case("ip") && next.is_ascii_digit();
        let ends_version = character.is_ascii_digit()
            && (current.eq_ignore_ascii_case("ipv") || current.eq_ignore_ascii_case("v"))
            && matches!(character, '4' | '6');
        let changes_kind =
            character.is_ascii_digit() != previous.is_ascii_digit() && previous.is_alphanumeric();
        let starts_ipv = is_hump && current == "I" && character == 'P';
        if !starts_ipv && !keeps_ip && !ends_version && (is_hump || changes_kind) {
            push(&mut words, &mut current);
        }
        current.push(character);
    }
    push(&mut words, &mut current);
    words
}

fn push(words: &mut Vec<String>, current: &mut String) {
    if !current.is_empty() {
        let word: String = current.chars().flat_map(char::to_lowercase).map(plain).collect();
        current.clear();
        if !SILENT.contains(&word.as_str()) {
            words.push(word);
        }
    }
}

/// The letter without its accent.
fn plain(letter: char) -> char {
    match letter {
        'à' | 'á' | 'â' | 'ä' | 'ã' | 'å' => 'a',
        'è' | 'é' | 'ê' | 'ë' => 'e',
        'ì' | 'í' | 'î' | 'ï' => 'i',
        'ò' | 'ó' | 'ô' | 'ö' | 'õ' => 'o',
        'ù' | 'ú' | 'û' | 'ü' => 'u',
        'ç' => 'c',
        'ñ' => 'n',
        'ß' => 's',
        other => other,
    }
}

/// The first sentence of a text.
pub(super) fn first_sentence(text: &str) -> &str {
    let text = text.trim();
    let end = text
        .match_indices(['.', ';', '\n'])
        .find(|(at, found)| {
            *found == "\n"
                || text.get(at + 1..).is_some_and(|rest| rest.starts_with([' ', '\n']) || rest.is_empty())
        })
        .map_or(text.len(), |(at, _)| at);
    text.get(..end).unwrap_or(text)
}

/// What words and groups of words stand for.
#[derive(Debug, Default)]
pub(super) struct Vocabulary {
    /// Groups of words, by their words with blanks between, and the concepts that they stand for.
    phrases: HashMap<String, Vec<String>>,
    /// Single words that are known, also as parts of compounds.
    known: HashSet<String>,
    longest: usize,
}

impl Vocabulary {
    /// Teaches it that a phrase stands for a concept.
    pub(super) fn teach(&mut self, concept: &str, phrase: &str) {
        let words = words_of(phrase);
        self.longest = self.longest.max(words.len());
        self.known.extend(words.iter().cloned());
        let concepts = self.phrases.entry(words.join(" ")).or_default();
        if !concepts.iter().any(|known| known == concept) {
            concepts.push(concept.to_owned());
        }
    }

    /// Lets it take compounds with this word apart.
    pub(super) fn know(&mut self, word: &str) {
        self.known.insert(word.to_owned());
    }

    /// What a text mentions: concepts, and words that are none as they are, and the numbers in it.
    pub(super) fn read(&self, text: &str) -> Spoken {
        let words: Vec<String> = words_of(text).into_iter().flat_map(|word| self.apart(word)).collect();
        let mut spoken = Spoken::default();
        let mut at = 0;
        while at < words.len() {
            let most = self.longest.min(words.len() - at);
            let found = (1..=most).rev().find_map(|length| {
                let phrase = words.get(at..at + length)?.join(" ");
                Some((length, self.phrases.get(&phrase)?))
            });
            if let Some((length, concepts)) = found {
                spoken.concepts.extend(concepts.iter().cloned());
                at += length;
                continue;
            }
            if let Some(number) = words.get(at).and_then(|word| word.parse::<usize>().ok()) {
                spoken.numbers.push(number);
            } else if let Some(word) = words.get(at) {
                spoken.concepts.insert(word.clone());
                spoken.unknown.push(word.clone());
            }
            at += 1;
        }
        spoken.words = words;
        spoken
    }

    /// A compound's parts where all of them are known: `subnetmask`, `Rechnername`.
    fn apart(&self, word: String) -> Vec<String> {
        if self.known.contains(&word) || word.len() < 4 || !word.is_ascii() {
            return vec![word];
        }
        if let Some(parts) = self.split(&word, 4) {
            return parts;
        }
        // Whatever else it is, a word that ends like that is a server.
        let end = ["servers", "server", "serveur", "serveurs", "servidor"]
            .into_iter()
            .find(|end| word.ends_with(end) && word.len() > end.len() + 2);
        match end.and_then(|end| word.strip_suffix(end)) {
            Some(head) => vec![head.to_owned(), "server".to_owned()],
            None => vec![word],
        }
    }

    fn split(&self, word: &str, most: usize) -> Option<Vec<String>> {
        if word.is_empty() {
            return Some(Vec::new());
        }
        if most == 0 {
            return None;
        }
        (2..=word.len()).rev().find_map(|length| {
            let (head, rest) = word.split_at(length);
            if !self.known.contains(head)
                || (length < 3 && !matches!(head, "ip" | "gw" | "vm" | "db" | "pw" | "id"))
            {
                return None;
            }
            let mut parts = vec![head.to_owned()];
            parts.extend(self.split(rest, most - 1)?);
            Some(parts)
        })
    }
}

/// What a text mentions.
#[derive(Clone, Debug, Default)]
pub(super) struct Spoken {
    /// Concepts, and words that stand for none.
    pub(super) concepts: HashSet<String>,
    /// Numbers that stand alone, in their order.
    pub(super) numbers: Vec<usize>,
    /// The words as they were, in their order.
    pub(super) words: Vec<String>,
    /// Words that stand for no concept.
    pub(super) unknown: Vec<String>,
}

impl Spoken {
    pub(super) fn has(&self, concept: &str) -> bool {
        self.concepts.contains(concept)
    }

    /// Takes away what a product's name brings in, unless nothing would be left.
    pub(super) fn forget(&mut self, product: &Self) {
        let rest: HashSet<String> = self.concepts.difference(&product.concepts).cloned().collect();
        if rest.iter().any(|concept| !self.unknown.contains(concept)) {
            self.concepts = rest;
        }
    }

    /// This and the other together.
    pub(super) fn with(&self, other: &Self) -> Self {
        Self {
            concepts: self.concepts.union(&other.concepts).cloned().collect(),
            numbers: self.numbers.iter().chain(&other.numbers).copied().collect(),
            words: self.words.iter().chain(&other.words).cloned().collect(),
            unknown: self.unknown.iter().chain(&other.unknown).cloned().collect(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn spellings_come_apart() {
        let words = |text: &str| words_of(text).join(" ");
        assert_eq!(words("managementIPv4Address0"), "management ipv4 address 0");
        assert_eq!(words("DNSServer2"), "dns server 2");
        assert_eq!(words("net.ip_addr-1"), "net ip addr 1");
        assert_eq!(words("Adresse IP de la passerelle"), "adresse ip passerelle");
        assert_eq!(words("Präfixlänge"), "prafixlange");
        assert_eq!(words("IPAddress"), "ip address");
        assert_eq!(words("ipv6Prefix"), "ipv6 prefix");
        assert_eq!(words("NTP1"), "ntp 1");
    }

    #[test]
    fn the_first_sentence_ends_at_its_full_stop() {
        assert_eq!(first_sentence("Address of the node. Not 10.64.0.1."), "Address of the node");
        assert_eq!(first_sentence("For example 10.64.10.61"), "For example 10.64.10.61");
        assert_eq!(first_sentence("One\ntwo"), "One");
    }

    #[test]
    fn compounds_and_phrases() {
        let mut vocabulary = Vocabulary::default();
        for (concept, phrase) in [
            ("netmask", "subnet mask"),
            ("hostname", "rechner name"),
            ("dns", "dns"),
            ("server", "server"),
            ("ip", "ip"),
            ("address", "address"),
        ] {
            vocabulary.teach(concept, phrase);
        }
        assert!(vocabulary.read("subnetmask").has("netmask"));
        assert!(vocabulary.read("Rechnername").has("hostname"));
        let spoken = vocabulary.read("dnsserver2");
        assert!(spoken.has("dns") && spoken.has("server"));
        assert_eq!(spoken.numbers, [2]);
        assert!(vocabulary.read("ipaddress").has("ip"));
        assert!(vocabulary.read("shipaddress").has("shipaddress"));
    }
}
