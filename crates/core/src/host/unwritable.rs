//! A file that could not be made.

use crate::machine::Machine;

/// A file that could not be made although no rule was broken: a fault of this program, never of a sheet.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error(
    "{machine}: {path} could not be made: {reason}; this is a bug in impostazione, and nothing was written"
)]
pub struct Unwritable {
    machine: String,
    path: String,
    reason: String,
}

impl Unwritable {
    /// The file of a machine that could not be made, and why.
    pub fn new(machine: &Machine, path: &str, reason: impl Into<String>) -> Self {
        Self { machine: machine.label().to_owned(), path: path.to_owned(), reason: reason.into() }
    }

    /// Why, as the end of a sentence.
    pub(crate) fn reason(&self) -> &str {
        &self.reason
    }
}
