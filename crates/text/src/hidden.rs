//! A text that is never shown.

use std::fmt;

use zeroize::Zeroizing;

/// A text that is never shown and is wiped from memory when it is no longer needed.
#[derive(Clone, PartialEq, Eq)]
pub struct Hidden(Zeroizing<String>);

impl Hidden {
    /// Hides a text.
    pub fn new(text: impl Into<String>) -> Self {
        Self(Zeroizing::new(text.into()))
    }

    /// The text, for the one file that it belongs into.
    pub fn reveal(&self) -> &str {
        &self.0
    }

    /// How many characters it has.
    pub fn length(&self) -> usize {
        self.0.chars().count()
    }
}

impl fmt::Debug for Hidden {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("(hidden)")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_cannot_be_printed() {
        let hidden = Hidden::new("nine gulls");
        assert_eq!(format!("{hidden:?} {:?}", Some(&hidden)), "(hidden) Some((hidden))");
        assert_eq!((hidden.reveal(), hidden.length()), ("nine gulls", 10));
    }
}
