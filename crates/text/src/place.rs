//! Places within texts.

use std::ops::Range;

use crate::sources::SourceId;

/// A part of a text, in bytes from its start. Always lies on character boundaries of that text.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Span {
    start: u32,
    end: u32,
}

impl Span {
    /// The span from `start` up to, not including, `end`, in bytes. Offsets past 4 GiB are cut off; no text
    /// that long is ever read.
    pub fn new(start: usize, end: usize) -> Self {
        let narrow = |offset: usize| u32::try_from(offset).unwrap_or(u32::MAX);
        Self { start: narrow(start), end: narrow(end.max(start)) }
    }

    /// First byte.
    pub fn start(self) -> usize {
        self.start as usize
    }

    /// One past the last byte.
    pub fn end(self) -> usize {
        self.end as usize
    }

    /// Whether it holds nothing.
    pub fn is_empty(self) -> bool {
        self.start == self.end
    }

    /// The same span as a range of byte offsets.
    pub fn range(self) -> Range<usize> {
        self.start()..self.end()
    }

    /// Whether the two spans share a byte, or touch where one of them is empty.
    pub fn meets(self, other: Span) -> bool {
        self.start <= other.end && other.start <= self.end
    }
}

impl From<Range<usize>> for Span {
    fn from(range: Range<usize>) -> Self {
        Self::new(range.start, range.end)
    }
}

/// A part of one source: where a value was written, or where a finding points.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Place {
    /// The text.
    pub source: SourceId,
    /// The part of it.
    pub span: Span,
}

/// A value together with the place where a person wrote it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Written<T> {
    /// What was written, typed.
    pub value: T,
    /// Where it was written.
    pub place: Place,
}

impl<T> Written<T> {
    /// Pairs a value with its place.
    pub fn new(value: T, place: Place) -> Self {
        Self { value, place }
    }

    /// The same place with a value made from this one.
    pub fn with<U>(&self, value: U) -> Written<U> {
        Written { value, place: self.place }
    }
}

/// A line and a column as an editor shows them: both count from 1, columns in characters.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Position {
    /// Line, from 1.
    pub line: usize,
    /// Column, from 1, in characters (Unicode scalar values).
    pub column: usize,
}
