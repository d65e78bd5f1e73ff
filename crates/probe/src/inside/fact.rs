//! One thing that was looked at inside of a host.

use impostazione_core::finding::Rule;

/// One thing that was looked at inside of a host.
#[derive(Clone, Debug, PartialEq)]
pub struct InsideFact {
    /// What it is, in a few words.
    pub about: String,
    /// Whether it is right.
    pub state: InsideState,
    /// What was found, one value each.
    pub found: Vec<String>,
    /// The rule that is broken where it is wrong.
    pub(crate) rule: &'static Rule,
    /// What is wrong, as a sentence without the machine's name in front; or why it was not looked at.
    pub(crate) says: String,
    /// What to do.
    pub(crate) fix: String,
}

/// Whether something inside of a host is right.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum InsideState {
    /// It is as the sheet says.
    Right,
    /// It is not.
    Wrong,
    /// It may become so.
    NotYet,
    /// It was not looked at.
    NotLooked,
}

impl InsideState {
    /// What it is called.
    pub fn word(self) -> &'static str {
        match self {
            Self::Right => "right",
            Self::Wrong => "wrong",
            Self::NotYet => "not yet",
            Self::NotLooked => "not looked at",
        }
    }

    /// The same for other programs.
    pub fn key(self) -> &'static str {
        match self {
            Self::NotYet => "not-yet",
            Self::NotLooked => "unknown",
            other => other.word(),
        }
    }
}

impl InsideFact {
    pub(super) fn right(rule: &'static Rule, about: impl Into<String>, found: Vec<String>) -> Self {
        Self {
            about: about.into(),
            state: InsideState::Right,
            found,
            rule,
            says: String::new(),
            fix: String::new(),
        }
    }

    pub(super) fn wrong(
        rule: &'static Rule,
        about: impl Into<String>,
        found: Vec<String>,
        says: impl Into<String>,
        fix: impl Into<String>,
    ) -> Self {
        let (about, says, fix) = (about.into(), says.into(), fix.into());
        Self { about, state: InsideState::Wrong, found, rule, says, fix }
    }

    /// Something that was not looked at: why, as the end of a sentence, and what to do.
    pub(super) fn not_looked(
        rule: &'static Rule,
        about: impl Into<String>,
        why: impl Into<String>,
        fix: impl Into<String>,
    ) -> Self {
        let (about, says, fix) = (about.into(), why.into(), fix.into());
        Self { about, state: InsideState::NotLooked, found: Vec::new(), rule, says, fix }
    }

    /// Whether two lists have the same values, in whatever order: else what is missing, and what is too many.
    pub(super) fn compared(
        rule: &'static Rule,
        about: &str,
        (found, expected): (Vec<String>, Vec<String>),
        what: &str,
        fix: impl Into<String>,
    ) -> Self {
        let missing: Vec<&String> = expected.iter().filter(|one| !found.contains(one)).collect();
        let more: Vec<&String> = found.iter().filter(|one| !expected.contains(one)).collect();
        if missing.is_empty() && more.is_empty() {
            return Self::right(rule, about, found);
        }
        let list = |values: &[&String]| crate::judge::listed(values);
        let says = match (missing.is_empty(), more.is_empty()) {
            (false, true) => format!("lacks {what} {}", list(&missing)),
            (true, false) => format!("has {what} {}, which the sheet does not give it", list(&more)),
            _ => format!("has {what} {} and not {}", list(&more), list(&missing)),
        };
        Self::wrong(rule, about, found.clone(), says, fix)
    }
}
