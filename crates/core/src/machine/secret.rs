//! Confidential values.

use std::fmt;

use crate::given::Given;
use crate::source::Written;

/// A named confidential value of the sheet.
#[derive(Debug)]
pub struct Secret {
    /// Its name in the sheet.
    pub name: Written<String>,
    /// The value; `Faulty` where it could not be had, which has its finding.
    pub value: Given<Hidden>,
}

/// A text that is never shown.
#[derive(Clone, PartialEq, Eq)]
pub struct Hidden(String);

impl Hidden {
    /// Hides a text.
    pub fn new(text: impl Into<String>) -> Self {
        Self(text.into())
    }

    /// The text, for the one file that it belongs into.
    pub fn reveal(&self) -> &str {
        &self.0
    }
}

impl fmt::Debug for Hidden {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("(hidden)")
    }
}

/// A key that a time server and its clients share (`chrony.keys`).
#[derive(Debug)]
pub struct TimeKey {
    /// Its name in the sheet.
    pub name: Written<String>,
    /// What the server calls it.
    pub number: Given<u32>,
    /// How it is used.
    pub hash: &'static str,
    /// Index in [`super::Site::secrets`].
    pub value: Given<usize>,
}
