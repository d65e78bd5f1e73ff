//! What words and groups of words stand for.

use foldhash::{HashMap, HashSet, HashSetExt};
use std::cell::RefCell;

use strsim::osa_distance;

use super::short_forms::{ShortForms, has_no_vowels};
use super::words::words_of;

/// Shortest word in which a slip of the finger is looked for: in shorter ones each is another word.
const LONG_WORD: usize = 6;

/// Longest word that is taken apart; a stranger wrote it.
const LONGEST_WORD: usize = 48;

/// What words and groups of words stand for.
#[derive(Debug, Default)]
pub(super) struct Vocabulary {
    /// Groups of words, by their words with blanks between, and the concepts that they stand for.
    phrases: HashMap<String, Vec<String>>,
    /// Single words that are known, also as parts of compounds.
    known: HashSet<String>,
    /// Short words that are known as they are only.
    alone: HashSet<String>,
    /// The known words that are long enough for a slip, by their first letter and their length.
    long: HashMap<(char, usize), Vec<(u32, String)>>,
    short: ShortForms,
    longest: usize,
}

impl Vocabulary {
    /// Teaches it that a phrase stands for a concept.
    pub(super) fn teach(&mut self, concept: &str, phrase: &str) {
        let words = words_of(phrase);
        self.longest = self.longest.max(words.len());
        for word in &words {
            self.know(word);
            if concept == phrase {
                self.short.know_main(word);
            } else {
                self.short.know(word);
            }
        }
        let concepts = self.phrases.entry(words.join(" ")).or_default();
        if !concepts.iter().any(|known| known == concept) {
            concepts.push(concept.to_owned());
        }
    }

    /// Lets it take compounds with this word apart, and not take it for a slip in another.
    pub(super) fn know(&mut self, word: &str) {
        if self.known.insert(word.to_owned())
            && word.len() + 1 >= LONG_WORD
            && let Some(first) = word.chars().next()
        {
            self.long.entry((first, word.len())).or_default().push((letters(word), word.to_owned()));
        }
    }

    /// Teaches it a short form that keys are made of.
    pub(super) fn know_piece(&mut self, piece: &str, word: &str) {
        self.short.know_piece(piece, word);
    }

    /// Lets it know a word as it is, and not as a part of compounds.
    pub(super) fn know_alone(&mut self, word: &str) {
        self.alone.insert(word.to_owned());
    }

    /// Whether a word is one that it knows as it is.
    pub(super) fn knows(&self, word: &str) -> bool {
        self.known.contains(word) || self.alone.contains(word)
    }

    /// What a text mentions, read by itself.
    pub(super) fn read(&self, text: &str) -> Spoken {
        Reader::new(self).read(text)
    }

    /// A compound's parts where all of them are known: `subnetmask`, `Rechnername`.
    fn apart(&self, word: String) -> Vec<String> {
        let is_of_a_length = (3..=LONGEST_WORD).contains(&word.len());
        if self.knows(&word) || !is_of_a_length || !word.is_ascii() || is_number(&word) {
            return vec![word];
        }
        if let Some(short) = self.short.word(&word) {
            return vec![short.to_owned()];
        }
        if let Some(meant) = self.meant(&word) {
            return vec![meant.to_owned()];
        }
        let takes_pieces = has_no_vowels(&word);
        if word.len() >= 4
            && let Some(parts) = self.split(&word, 4, takes_pieces)
        {
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

    fn split(&self, word: &str, most: usize, takes_pieces: bool) -> Option<Vec<String>> {
        if word.is_empty() {
            return Some(Vec::new());
        }
        if most == 0 {
            return None;
        }
        (2..=word.len()).rev().find_map(|length| {
            let (head, rest) = word.split_at(length);
            let is_word = self.known.contains(head)
                && (length >= 3 || matches!(head, "ip" | "gw" | "vm" | "db" | "pw" | "id"));
            let found = if is_word {
                head.to_owned()
            } else if takes_pieces || length >= 3 || rest.is_empty() {
                self.short.part(head)?.to_owned()
            } else {
                return None;
            };
            let mut parts = vec![found];
            parts.extend(self.split(rest, most - 1, takes_pieces)?);
            Some(parts)
        })
    }

    /// The long word that was meant where one finger slipped.
    fn meant(&self, word: &str) -> Option<&str> {
        if word.len() + 1 < LONG_WORD {
            return None;
        }
        let first = word.chars().next()?;
        let lengths = word.len() - 1..=word.len() + 1;
        let written = letters(word);
        let candidates = lengths.filter_map(|length| self.long.get(&(first, length))).flatten();
        candidates
            // One slip changes at most two letters.
            .filter(|(known, _)| (known ^ written).count_ones() <= 2)
            .map(|(_, known)| known.as_str())
            .filter(|known| known.len() >= LONG_WORD)
            // A word that only ends another way is another form of it, or another word.
            .filter(|known| word.len() >= LONG_WORD || known.chars().last() == word.chars().last())
            .find(|known| osa_distance(known, word) == 1)
    }
}

/// Which of the small letters are in a word, a bit each.
fn letters(word: &str) -> u32 {
    word.bytes().filter(u8::is_ascii_lowercase).fold(0, |letters, letter| letters | 1 << (letter - b'a'))
}

fn is_number(word: &str) -> bool {
    word.bytes().all(|byte| byte.is_ascii_digit())
}

/// Reads the texts of one package, in which some words are names and stand for nothing else.
pub(super) struct Reader<'a> {
    vocabulary: &'a Vocabulary,
    /// Words that name a link or the product here.
    names: HashSet<String>,
    seen: RefCell<HashMap<String, Vec<String>>>,
}

impl<'a> Reader<'a> {
    pub(super) fn new(vocabulary: &'a Vocabulary) -> Self {
        Self::with_names(vocabulary, HashSet::new())
    }

    /// Reads with words that are names here.
    pub(super) fn with_names(vocabulary: &'a Vocabulary, names: HashSet<String>) -> Self {
        Self { vocabulary, names, seen: RefCell::default() }
    }

    /// Whether a word is a name here.
    pub(super) fn is_name(&self, word: &str) -> bool {
        self.names.contains(word)
    }

    /// What a text mentions: concepts, and words that are none as they are, and the numbers in it.
    pub(super) fn read(&self, text: &str) -> Spoken {
        self.read_words(words_of(text))
    }

    /// The same of a key that nothing explains, in which two letters are a word.
    pub(super) fn read_short(&self, key: &str) -> Spoken {
        let words = words_of(key);
        let is_alone = words.len() == 1;
        let meant = |word: String| match self.vocabulary.short.part(&word) {
            Some(meant) if word.len() == 2 && !is_alone && !self.vocabulary.knows(&word) => meant.to_owned(),
            _ => word,
        };
        self.read_words(words.into_iter().map(meant).collect())
    }

    /// The same of words.
    pub(super) fn read_words(&self, written: Vec<String>) -> Spoken {
        let mut words: Vec<String> = Vec::with_capacity(written.len());
        for word in written {
            let parts = self.apart(word);
            // A slip may be in a word that is written as two: `SubnetMaks`.
            if let ([part], Some(last)) = (parts.as_slice(), words.last())
                && part.len() >= 3
                && !is_number(part)
                && !self.vocabulary.knows(part)
                && !self.names.contains(part)
                && let Some(meant) = self.vocabulary.meant(&format!("{last}{part}"))
            {
                let meant = meant.to_owned();
                words.pop();
                words.push(meant);
                continue;
            }
            words.extend(parts);
        }
        let mut spoken = Spoken::default();
        let mut at = 0;
        while at < words.len() {
            let most = self.vocabulary.longest.min(words.len() - at);
            let found = (1..=most).rev().find_map(|length| {
                let group = words.get(at..at + length)?;
                if let [word] = group
                    && self.names.contains(word)
                {
                    return None;
                }
                Some((length, self.vocabulary.phrases.get(&group.join(" "))?))
            });
            if let Some((length, concepts)) = found {
                spoken.order.extend(concepts.iter().cloned());
                spoken.concepts.extend(concepts.iter().cloned());
                at += length;
                continue;
            }
            if let Some(number) = words.get(at).and_then(|word| word.parse::<usize>().ok()) {
                spoken.numbers.push(number);
            } else if let Some(word) = words.get(at)
                && !self.names.contains(word)
            {
                spoken.concepts.insert(word.clone());
                spoken.unknown.push(word.clone());
            }
            at += 1;
        }
        spoken.words = words;
        spoken
    }

    fn apart(&self, word: String) -> Vec<String> {
        if self.names.contains(&word) {
            return vec![word];
        }
        let mut seen = self.seen.borrow_mut();
        seen.entry(word).or_insert_with_key(|word| self.vocabulary.apart(word.clone())).clone()
    }
}

/// What a text mentions.
#[derive(Clone, Debug, Default)]
pub(super) struct Spoken {
    /// Concepts, and words that stand for none.
    pub(super) concepts: HashSet<String>,
    /// The concepts in the order in which they are mentioned.
    pub(super) order: Vec<String>,
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

    /// Whether the first of some concepts is mentioned before the first of some others.
    pub(super) fn is_before(&self, some: &[&str], others: &[&str]) -> bool {
        let first =
            |concepts: &[&str]| self.order.iter().position(|concept| concepts.contains(&concept.as_str()));
        first(some).is_some_and(|some| first(others).is_none_or(|others| some < others))
    }

    /// This without some concepts.
    pub(super) fn without(&self, concepts: &[&str]) -> Self {
        let mut rest = self.clone();
        rest.concepts.retain(|concept| !concepts.contains(&concept.as_str()));
        rest
    }

    /// This and the other together.
    pub(super) fn with(&self, other: &Self) -> Self {
        Self {
            concepts: self.concepts.union(&other.concepts).cloned().collect(),
            order: self.order.iter().chain(&other.order).cloned().collect(),
            numbers: self.numbers.iter().chain(&other.numbers).copied().collect(),
            words: self.words.iter().chain(&other.words).cloned().collect(),
            unknown: self.unknown.iter().chain(&other.unknown).cloned().collect(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn vocabulary() -> Vocabulary {
        let mut vocabulary = Vocabulary::default();
        for (concept, phrase) in [
            ("netmask", "subnet mask"),
            ("hostname", "rechner name"),
            ("hostname", "host name"),
            ("host", "host"),
            ("name", "name"),
            ("gateway", "gateway"),
            ("dns", "dns"),
            ("server", "server"),
            ("ip", "ip"),
            ("address", "address"),
        ] {
            vocabulary.teach(concept, phrase);
        }
        vocabulary.know_piece("nm", "name");
        vocabulary.know("serve");
        vocabulary
    }

    #[test]
    fn compounds_and_phrases() {
        let vocabulary = vocabulary();
        assert!(vocabulary.read("subnetmask").has("netmask"));
        assert!(vocabulary.read("Rechnername").has("hostname"));
        let spoken = vocabulary.read("dnsserver2");
        assert!(spoken.has("dns") && spoken.has("server"));
        assert_eq!(spoken.numbers, [2]);
        assert!(vocabulary.read("ipaddress").has("ip"));
        assert!(vocabulary.read("shipaddress").has("shipaddress"));
    }

    #[test]
    fn short_forms_and_slips() {
        let vocabulary = vocabulary();
        assert!(vocabulary.read("hstnm").has("hostname"));
        assert!(vocabulary.read("hostnm").has("hostname"));
        assert!(vocabulary.read("gtwy").has("gateway"));
        assert!(vocabulary.read("GATWAY").has("gateway"));
        assert!(vocabulary.read("gatewya").has("gateway"));
        assert!(vocabulary.read("serve").has("serve"), "a word of its own is no slip in another");
        assert!(!vocabulary.read("grating").has("gateway"));
    }

    #[test]
    fn a_name_stands_for_nothing_else() {
        let vocabulary = vocabulary();
        let reader = Reader::with_names(&vocabulary, HashSet::from_iter(["gateway".to_owned()]));
        let spoken = reader.read("address of the gateway");
        assert!(spoken.has("address") && !spoken.has("gateway") && spoken.unknown.is_empty());
    }
}
