//! The table of signs, which a person can extend.

use std::collections::BTreeMap;

use foldhash::{HashMap, HashMapExt, HashSet, HashSetExt};
use std::sync::OnceLock;

use serde::Deserialize;

use super::meaning::Meaning;
use super::subject;
use super::toml_fault::at_its_line;
use super::vocabulary::{Spoken, Vocabulary};

/// The signs that the program brings.
const OWN: &str = include_str!("signs.toml");

/// Largest table that is read.
pub const SIGNS_LIMIT: u64 = 4 * 1024 * 1024;

/// What speaks for which meaning.
#[derive(Debug)]
pub struct Signs {
    pub(super) vocabulary: Vocabulary,
    pub(super) lines: Vec<Sign>,
    /// Which of the lines speak for each meaning.
    by_meaning: HashMap<Meaning, Vec<usize>>,
    /// Words that do not make a name another's.
    pub(super) own_words: HashSet<String>,
}

/// One line of the table.
#[derive(Clone, Debug)]
pub(super) struct Sign {
    pub(super) meaning: Meaning,
    pub(super) all: Vec<String>,
    pub(super) none: Vec<String>,
    pub(super) strength: f64,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    #[serde(default)]
    same: BTreeMap<String, Vec<String>>,
    #[serde(default)]
    short: BTreeMap<String, String>,
    #[serde(default)]
    plain: Vec<PlainWords>,
    #[serde(default)]
    sign: Vec<Line>,
    #[serde(default)]
    own: Vec<OwnWords>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct PlainWords {
    words: Vec<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct OwnWords {
    words: Vec<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Line {
    meaning: String,
    all: Vec<String>,
    #[serde(default)]
    none: Vec<String>,
    strength: f64,
}

impl Signs {
    /// The signs that the program brings.
    pub fn own() -> &'static Self {
        static SIGNS: OnceLock<Signs> = OnceLock::new();
        SIGNS.get_or_init(|| {
            let mut signs = Self::empty();
            // A test reads the table; what could not be read would be missing here.
            let _ = signs.add(OWN);
            signs
        })
    }

    /// The signs that the program brings, and those of a table in TOML beside them. Fails with what is wrong with the
    /// table.
    pub fn with(table: &str) -> Result<Self, String> {
        let mut signs = Self::empty();
        signs.add(OWN)?;
        signs.add(table)?;
        Ok(signs)
    }

    fn empty() -> Self {
        let mut vocabulary = Vocabulary::default();
        subject::words().for_each(|word| vocabulary.know(word));
        Self { vocabulary, lines: Vec::new(), by_meaning: HashMap::new(), own_words: HashSet::new() }
    }

    /// The lines that speak for a meaning, in their order.
    pub(super) fn of(&self, meaning: Meaning) -> impl Iterator<Item = &Sign> {
        let known = self.by_meaning.get(&meaning).map(Vec::as_slice).unwrap_or_default();
        known.iter().filter_map(|at| self.lines.get(*at))
    }

    /// The strength of the strongest sign that a text has, whatever speaks against it. Zero where there is none.
    pub(super) fn loudest(&self, spoken: &Spoken) -> f64 {
        let fitting = self.lines.iter().filter(|sign| sign.all.iter().all(|concept| spoken.has(concept)));
        fitting.map(|sign| sign.strength).fold(0.0, f64::max)
    }

    /// The meanings that a text has a sign of, whatever speaks against them, the strongest first.
    pub(super) fn mentioned_in(&self, spoken: &Spoken) -> Vec<Meaning> {
        let fitting = self.lines.iter().filter(|sign| sign.all.iter().all(|concept| spoken.has(concept)));
        let mut fitting: Vec<&Sign> = fitting.collect();
        fitting.sort_by(|one, other| other.strength.total_cmp(&one.strength));
        fitting.into_iter().map(|sign| sign.meaning).collect()
    }

    fn add(&mut self, text: &str) -> Result<(), String> {
        let table: Table = toml::from_str(text).map_err(|error| at_its_line(text, &error))?;
        // What short forms stand for is settled by the concepts themselves first.
        for concept in table.same.keys() {
            self.vocabulary.teach(concept, concept);
        }
        for (piece, word) in &table.short {
            self.vocabulary.know_piece(piece, word);
        }
        for (concept, phrases) in table.same {
            for phrase in phrases {
                self.vocabulary.teach(&concept, &phrase);
            }
        }
        for word in table.plain.into_iter().flat_map(|plain| plain.words) {
            self.vocabulary.know_alone(&word);
        }
        for word in table.own.into_iter().flat_map(|own| own.words) {
            if word.len() < 4 {
                self.vocabulary.know_alone(&word);
            } else {
                self.vocabulary.know(&word);
            }
            self.own_words.insert(word);
        }
        for line in table.sign {
            let meaning = Meaning::parse(&line.meaning)
                .ok_or_else(|| format!("there is no meaning \"{}\"", line.meaning))?;
            if !(0.0..=1.0).contains(&line.strength) || line.all.is_empty() {
                return Err(format!("a sign of {} needs `all`, and a strength from 0 to 1", line.meaning));
            }
            for concept in &line.all {
                self.vocabulary.teach(concept, concept);
            }
            self.by_meaning.entry(meaning).or_default().push(self.lines.len());
            self.lines.push(Sign { meaning, all: line.all, none: line.none, strength: line.strength });
        }
        // A short form of a word that nothing knows would never count, and nobody would notice.
        if let Some((piece, word)) = table.short.iter().find(|(_, word)| !self.vocabulary.knows(word)) {
            return Err(format!("short form {piece}: no line has the word \"{word}\" that it stands for"));
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_own_table_is_read_in_full() {
        let signs = Signs::with("").unwrap();
        assert_eq!(signs.lines.len(), OWN.lines().filter(|line| *line == "[[sign]]").count());
        assert_eq!(Signs::own().lines.len(), signs.lines.len());
    }

    #[test]
    fn a_table_of_ones_own_adds_to_it() {
        let signs = Signs::with(
            "[same]\nnetmask = [\"maska\"]\n[[sign]]\nmeaning = \"mtu\"\nall = [\"crate\"]\nstrength = 0.9\n",
        )
        .unwrap();
        assert!(signs.vocabulary.read("maska").has("netmask"));
        assert!(
            Signs::with("[[sign]]\nmeaning = \"tide\"\nall = [\"x\"]\nstrength = 0.5")
                .unwrap_err()
                .contains("tide")
        );
        assert!(Signs::with("[[sing]]").is_err());
        assert!(Signs::with("[short]\nmxp = \"mtuu\"").unwrap_err().contains("mtuu"));
        assert!(Signs::with("[short]\nmxp = \"mtu\"").unwrap().vocabulary.read("mxp").has("mtu"));
    }
}
