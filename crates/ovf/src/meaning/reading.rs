//! What a property wants, and what led to that.

use super::meaning::{CERTAIN, Meaning, UNDERSTOOD};
use super::subject::LinkHint;
use crate::descriptor::Property;

/// What a property wants, as far as can be told.
#[derive(Clone, Debug, PartialEq)]
pub struct Reading {
    /// Its meaning.
    pub meaning: Meaning,
    /// How sure that is, from 0 to 1.
    pub confidence: f64,
    /// The link that it is about.
    pub link: Option<LinkHint>,
    /// The account that it is about.
    pub account: Option<String>,
    /// Which of several it wants, from 1.
    pub position: Option<usize>,
    /// What stands between several values in it, where its text says so.
    pub separator: Option<String>,
    /// What it is to be where there is no value, where its text says so.
    pub when_missing: Option<String>,
    /// How the value is written, where its text shows it.
    pub written: WrittenForm,
    /// What it may want, the likeliest first, by what speaks for it. Empty where nothing was understood.
    pub guesses: Vec<Guess>,
    /// What led to the meaning, in the order in which it counted.
    pub signs: Vec<SignSeen>,
    /// Whether a person has written the meaning down.
    pub is_reviewed: bool,
    /// Whether the key of the property mentions a secret.
    pub is_secret_key: bool,
}

/// How a value is written, beside what it is.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct WrittenForm {
    /// Whether an IPv6 address stands in brackets.
    pub has_brackets: bool,
    /// The scheme of a URL that the value stands in: `https`.
    pub scheme: Option<String>,
}

/// What a property may want.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Guess {
    /// The meaning.
    pub meaning: Meaning,
    /// How much speaks for it, from 0 to 1.
    pub chance: f64,
}

/// Something that spoke for or against a meaning.
#[derive(Clone, Debug, PartialEq)]
pub struct SignSeen {
    /// What it was, in words.
    pub text: String,
    /// The meaning that it spoke for or against.
    pub meaning: Meaning,
    /// How sure the meaning was after it, from 0 to 1.
    pub after: f64,
}

impl Reading {
    /// Whether the meaning is sure enough to be acted upon.
    pub fn is_certain(&self) -> bool {
        self.meaning != Meaning::Other && self.confidence >= CERTAIN
    }

    /// Whether anything in the property's texts was understood. Where nothing was, `other` only says so.
    pub fn is_understood(&self) -> bool {
        self.meaning != Meaning::Other || self.confidence >= UNDERSTOOD
    }

    /// Whether a person has to say what the property wants.
    pub fn needs_review(&self) -> bool {
        if self.meaning == Meaning::Other { !self.is_understood() } else { !self.is_certain() }
    }

    /// The two meanings that are the most likely, where it is not certain.
    pub fn likely(&self) -> Vec<Guess> {
        let own = Guess { meaning: self.meaning, chance: self.confidence };
        let is_other = |guess: &&Guess| {
            guess.meaning != self.meaning && guess.meaning.unplaced() != self.meaning.unplaced()
        };
        let rest = self.guesses.iter().filter(is_other).copied();
        let own = (self.meaning != Meaning::Other).then_some(own);
        own.into_iter().chain(rest).take(2).collect()
    }

    /// Whether the property that it is of wants a password: its package marks it as one, or that is certainly what it means.
    pub fn wants_password(&self, property: &Property) -> bool {
        property.is_password || (self.meaning == Meaning::Password && self.is_certain())
    }
}
