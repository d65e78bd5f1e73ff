//! Words that are written shorter than they are spoken: `hstnm`, `gtwy`, `pfx`.

use foldhash::HashMap;

/// Shortest form that is taken for a word of its own.
const SHORTEST: usize = 3;

/// Shortest form of a word that is not one of the main ones: three letters are those of many words.
const SHORTEST_OF_ANY: usize = 4;

/// The consonants of a word, and the letter that it begins with. Letters that stand double count once.
pub(super) fn consonants(word: &str) -> String {
    let mut kept = String::new();
    for (at, letter) in word.chars().enumerate() {
        let is_vowel = matches!(letter, 'a' | 'e' | 'i' | 'o' | 'u');
        if (at == 0 || !is_vowel) && !kept.ends_with(letter) {
            kept.push(letter);
        }
    }
    kept
}

/// Whether a word has no vowel but perhaps its first letter, as short forms of keys have.
pub(super) fn has_no_vowels(word: &str) -> bool {
    !word.chars().skip(1).any(|letter| matches!(letter, 'a' | 'e' | 'i' | 'o' | 'u'))
        && word.chars().all(|letter| letter.is_ascii_lowercase())
}

/// What short forms stand for.
#[derive(Debug, Default)]
pub(super) struct ShortForms {
    /// Consonants, and the word that they are of.
    words: HashMap<String, String>,
    /// Forms that the table says, with vowels or without.
    told: HashMap<String, String>,
    /// Pieces of two letters, which only count inside a longer form.
    pieces: HashMap<String, String>,
}

impl ShortForms {
    /// Lets it know one of the main words by its consonants. The first word with the same ones stays.
    pub(super) fn know_main(&mut self, word: &str) {
        self.know_from(word, SHORTEST);
    }

    /// Lets it know any word by its consonants.
    pub(super) fn know(&mut self, word: &str) {
        self.know_from(word, SHORTEST_OF_ANY);
    }

    fn know_from(&mut self, word: &str, shortest: usize) {
        if word.len() < 4 || !word.is_ascii() {
            return;
        }
        let short = consonants(word);
        if short.len() >= shortest && short != word {
            self.words.entry(short).or_insert_with(|| word.to_owned());
        }
    }

    /// Lets it know a short form. One of two letters only counts as a part of a longer one.
    pub(super) fn know_piece(&mut self, piece: &str, word: &str) {
        let known = if piece.len() >= SHORTEST { &mut self.told } else { &mut self.pieces };
        known.entry(piece.to_owned()).or_insert_with(|| word.to_owned());
    }

    /// The word that these letters are the consonants of, in their order, nearly all of them.
    pub(super) fn word(&self, short: &str) -> Option<&str> {
        if let Some(word) = self.told.get(short) {
            return Some(word);
        }
        if short.len() < SHORTEST || !has_no_vowels(short) {
            return None;
        }
        let plain = consonants(short);
        if let Some(word) = self.words.get(&plain) {
            return Some(word);
        }
        let near = |full: &str| {
            plain.len() > SHORTEST
                && full.len() > plain.len()
                && plain.len() * 4 >= full.len() * 3
                && full.chars().next() == plain.chars().next()
                && is_within(&plain, full)
        };
        let found = self.words.iter().filter(|(full, _)| near(full));
        found.min_by_key(|(full, word)| (full.len(), word.len(), *word)).map(|(_, word)| word.as_str())
    }

    /// The word that a part of a longer form stands for.
    pub(super) fn part(&self, short: &str) -> Option<&str> {
        if short.len() < SHORTEST { self.pieces.get(short).map(String::as_str) } else { self.word(short) }
    }
}

/// Whether letters are in a word in their order.
fn is_within(letters: &str, word: &str) -> bool {
    let mut rest = word.chars();
    letters.chars().all(|letter| rest.any(|other| other == letter))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn consonants_stand_for_their_word() {
        let mut short = ShortForms::default();
        for word in ["gateway", "router", "prefix", "password", "mask"] {
            short.know_main(word);
        }
        short.know_piece("nm", "name");
        assert_eq!(short.word("gtwy"), Some("gateway"));
        assert_eq!(short.word("rtr"), Some("router"));
        assert_eq!(short.word("prfx"), Some("prefix"));
        assert_eq!(short.word("pswrd"), Some("password"));
        assert_eq!(short.word("pfx"), None, "three letters are nearly any word");
        assert_eq!(short.word("psswrd"), Some("password"));
        assert_eq!(short.word("nm"), None);
        assert_eq!(short.part("nm"), Some("name"));
        assert_eq!(short.word("qrz"), None);
        assert_eq!(short.word("gateaux"), None);
    }
}
