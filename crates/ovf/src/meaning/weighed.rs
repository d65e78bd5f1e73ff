//! What speaks for each meaning of a property, added up.

use foldhash::{HashMap, HashSet};

use super::meaning::Meaning;
use super::reading::SignSeen;

/// Where a sign was found. Signs of different sources do not depend on each other.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) enum Source {
    Key,
    Label,
    Section,
    Description,
    /// Type, default, choices and the mark of a password.
    Value,
    Neighbors,
}

/// What is known of a property beside its chances.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) enum Mark {
    /// A word in its name makes it another machine's, which no neighbor can settle.
    Strange,
    /// Its description mentions another machine.
    Foreign,
    /// The form that is wanted cannot be told.
    FormOpen,
    /// Something else than the meanings was understood.
    Understood,
}

/// What speaks for each meaning.
#[derive(Clone, Debug, Default)]
pub(super) struct Weighed {
    pub(super) chances: HashMap<Meaning, f64>,
    pub(super) signs: Vec<SignSeen>,
    sources: HashMap<Meaning, HashSet<Source>>,
    marks: HashSet<Mark>,
}

impl Weighed {
    pub(super) fn mark(&mut self, mark: Mark) {
        self.marks.insert(mark);
    }

    pub(super) fn is(&self, mark: Mark) -> bool {
        self.marks.contains(&mark)
    }

    pub(super) fn chance(&self, meaning: Meaning) -> f64 {
        self.chances.get(&meaning).copied().unwrap_or_default()
    }

    /// The largest chance of some meanings.
    pub(super) fn best_of(&self, meanings: &[Meaning]) -> f64 {
        meanings.iter().map(|meaning| self.chance(*meaning)).fold(0.0, f64::max)
    }

    /// Something speaks for a meaning, independently of what did before.
    pub(super) fn add(&mut self, meaning: Meaning, source: Source, strength: f64, text: String) {
        let after = 1.0 - (1.0 - self.chance(meaning)) * (1.0 - strength);
        self.chances.insert(meaning, after);
        self.sources.entry(meaning).or_default().insert(source);
        self.signs.push(SignSeen { text, meaning, after });
    }

    /// Another source says the same of a meaning, and no more than was said before.
    pub(super) fn agree(&mut self, meaning: Meaning, source: Source) {
        if self.chance(meaning) > 0.0 {
            self.sources.entry(meaning).or_default().insert(source);
        }
    }

    /// Something is to be known of a meaning, which is as likely as before.
    pub(super) fn note(&mut self, meaning: Meaning, text: &str) {
        let after = self.chance(meaning);
        self.signs.push(SignSeen { text: text.to_owned(), meaning, after });
    }

    /// Something speaks against a meaning.
    pub(super) fn lower(&mut self, meaning: Meaning, factor: f64, text: &str) {
        let before = self.chance(meaning);
        if before > 0.0 {
            let after = before * factor;
            self.chances.insert(meaning, after);
            self.signs.push(SignSeen { text: text.to_owned(), meaning, after });
        }
    }

    /// What spoke for one meaning speaks for another, of which it is a form.
    pub(super) fn turn(&mut self, from: Meaning, into: Meaning, text: &str) {
        let chance = self.chances.remove(&from).unwrap_or_default();
        let after = 1.0 - (1.0 - chance) * (1.0 - self.chance(into));
        self.chances.insert(into, after);
        let sources = self.sources.remove(&from).unwrap_or_default();
        self.sources.entry(into).or_default().extend(sources);
        for sign in self.signs.iter_mut().filter(|sign| sign.meaning == from) {
            sign.meaning = into;
        }
        self.signs.push(SignSeen { text: text.to_owned(), meaning: into, after });
    }

    /// How many sources speak for a meaning.
    pub(super) fn sources(&self, meaning: Meaning) -> usize {
        self.sources.get(&meaning).map_or(0, HashSet::len)
    }
}
