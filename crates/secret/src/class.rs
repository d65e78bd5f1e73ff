//! Kinds of characters that passwords are asked to hold.

/// A kind of characters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum CharacterClass {
    /// Capital letters.
    Upper,
    /// Small letters.
    Lower,
    /// Digits.
    Digit,
    /// Everything else that can be seen.
    Symbol,
}

impl CharacterClass {
    /// All of them with the words of sheets and meanings files.
    pub const ALL: [(&'static str, Self); 4] =
        [("upper", Self::Upper), ("lower", Self::Lower), ("digit", Self::Digit), ("symbol", Self::Symbol)];

    /// The kind of this word.
    pub fn parse(word: &str) -> Option<Self> {
        Self::ALL.iter().find(|(known, _)| *known == word).map(|(_, class)| *class)
    }

    /// One of its characters, in words.
    pub fn one(self) -> &'static str {
        match self {
            Self::Upper => "a capital letter",
            Self::Lower => "a small letter",
            Self::Digit => "a digit",
            Self::Symbol => "a symbol",
        }
    }

    /// Whether a character is of it.
    pub fn has(self, c: char) -> bool {
        match self {
            Self::Upper => c.is_uppercase(),
            Self::Lower => c.is_lowercase(),
            Self::Digit => c.is_ascii_digit(),
            Self::Symbol => !c.is_alphanumeric() && !c.is_control() && !c.is_whitespace(),
        }
    }

    /// Its characters of ASCII, in their order.
    pub fn ascii(self) -> impl Iterator<Item = char> {
        ('!'..='~').filter(move |c| self.has(*c))
    }
}
