//! What a person said about something that may be left unsaid.

/// A value of a text with the ways in which it can be missing told apart, so that no finding is made twice and
/// nothing is taken for forgotten that was declined on purpose.
///
/// ```
/// use impostazione_text::Stated;
///
/// let number = |text: Stated<&str>| text.and_then(|text| text.parse::<u8>().ok());
/// assert_eq!(number(Stated::Value("7")), Stated::Value(7));
/// assert_eq!(number(Stated::Value("seven")), Stated::Faulty);
/// assert_eq!(number(Stated::Absent).or(Stated::Value(1)), Stated::Value(1));
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Stated<T> {
    /// Nothing was written.
    #[default]
    Absent,
    /// Something was written that could not be read; a finding says so already.
    Faulty,
    /// The value.
    Value(T),
}

impl<T> Stated<T> {
    /// The value, if there is one.
    pub fn value(&self) -> Option<&T> {
        match self {
            Self::Value(value) => Some(value),
            Self::Absent | Self::Faulty => None,
        }
    }

    /// The value, to be changed, if there is one.
    pub fn value_mut(&mut self) -> Option<&mut T> {
        match self {
            Self::Value(value) => Some(value),
            Self::Absent | Self::Faulty => None,
        }
    }

    /// The value by move, if there is one.
    pub fn into_value(self) -> Option<T> {
        match self {
            Self::Value(value) => Some(value),
            Self::Absent | Self::Faulty => None,
        }
    }

    /// Whether nothing was written.
    pub fn is_absent(&self) -> bool {
        matches!(self, Self::Absent)
    }

    /// Makes another value of this one; `None` stands for one that could not be read.
    pub fn and_then<U>(self, read: impl FnOnce(T) -> Option<U>) -> Stated<U> {
        match self {
            Self::Value(value) => read(value).map_or(Stated::Faulty, Stated::Value),
            Self::Absent => Stated::Absent,
            Self::Faulty => Stated::Faulty,
        }
    }

    /// This, or the other where nothing was written here.
    #[must_use]
    pub fn or(self, other: Self) -> Self {
        if self.is_absent() { other } else { self }
    }

    /// A reference to what is inside.
    pub fn as_ref(&self) -> Stated<&T> {
        match self {
            Self::Value(value) => Stated::Value(value),
            Self::Absent => Stated::Absent,
            Self::Faulty => Stated::Faulty,
        }
    }
}
