//! How grave a finding is, and who may set it aside.

use serde::Serialize;

/// How grave a finding is. An error keeps `render` from writing anything.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Worth knowing; often on purpose.
    Note,
    /// Likely a slip, yet a machine can come up with it.
    Warning,
    /// The machine would not come up as meant, or no right file can be written.
    Error,
}

impl Severity {
    /// The word used in messages.
    pub fn word(self) -> &'static str {
        match self {
            Self::Note => "note",
            Self::Warning => "warning",
            Self::Error => "error",
        }
    }
}

/// What a rule is about, which decides on who may set it aside.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Nature {
    /// No right file can be written, or the machine does not come up as meant: never set aside.
    Fault,
    /// Likely a slip, yet it may be meant: a waiver sets it aside, and in a lab a warning is a note.
    Judgment,
    /// Somebody may get in, or nobody: a waiver sets it aside, and in a lab it is a step less grave.
    Credential,
}
