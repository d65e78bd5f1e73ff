//! What a rule is.

use std::fmt;

use super::Judge;
use crate::finding::Severity;

/// A named check.
pub struct Rule {
    /// Its name, public and stable.
    pub name: &'static str,
    /// How grave its findings are.
    pub severity: Severity,
    /// Whether a person may set it aside.
    pub nature: Nature,
    /// What it finds, in a few words.
    pub summary: &'static str,
    /// What goes wrong on the machine when it is broken, and what to do.
    pub explanation: &'static str,
    /// A piece of a sheet that breaks it, and no other rule.
    pub wrong: &'static str,
    /// The same piece, mended.
    pub right: &'static str,
    /// Whether it is broken by something that is missing. Such findings are held back while the sheet's TOML cannot
    /// be read in full, since what is missing may stand in the unread part.
    pub about_absence: bool,
    /// What looks for it.
    pub check: Check,
}

/// What a rule is about, which decides on who may set it aside.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Nature {
    /// No right file can be written, or the machine does not come up as meant: never set aside.
    Fault,
    /// Likely a slip, yet it may be meant: a waiver sets it aside, and in a lab a warning is a note.
    Judgement,
    /// Somebody may get in, or nobody: a waiver sets it aside, and in a lab it is a step less grave.
    Credential,
}

/// What looks for breaches of a rule.
#[derive(Clone, Copy, Debug)]
pub enum Check {
    /// Reading and typing the sheet finds them.
    Reading,
    /// Looking a root filesystem over finds them, when something is to be placed on it or it is inspected.
    Rootfs,
    /// This function finds them in the finished site.
    Site(fn(&mut Judge<'_>)),
}

impl fmt::Debug for Rule {
    /// The name alone, which stands for the rest.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Rule({})", self.name)
    }
}

impl PartialEq for Rule {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name
    }
}
