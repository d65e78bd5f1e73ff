//! All texts that were read for one sheet.

use std::ops::Range;
use std::path::Path;

use crate::place::{Place, Position, Span};
use crate::source::{Source, SourceForm};

/// Which of the [`Sources`] a place lies in.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct SourceId(u16);

/// Every text that was read for one sheet, in the order of reading.
#[derive(Clone, Debug, Default)]
pub struct Sources {
    sources: Vec<Source>,
}

impl Sources {
    /// Adds a text. At most 65,536 texts are told apart; that many are never read for one sheet.
    pub fn add(&mut self, source: Source) -> SourceId {
        self.sources.push(source);
        SourceId(u16::try_from(self.sources.len() - 1).unwrap_or(u16::MAX))
    }

    /// The name that messages use for a file that the first text names: its path, from the folder of the first on.
    pub fn beside_first(&self, path: &str) -> String {
        let first = self.sources.first().map_or("", Source::name);
        let folder = Path::new(first).parent().unwrap_or_else(|| Path::new(""));
        folder.join(path).display().to_string()
    }

    /// A place in words, for messages that name a second one: its line, and its file where that is not the sheet.
    pub fn in_words(&self, place: Place) -> String {
        let line = self.position(place).line;
        if place.source == SourceId::default() {
            format!("line {line}")
        } else {
            format!("line {line} of {}", self.get(place.source).name())
        }
    }

    /// The id of a text, by its position in the order of reading.
    pub fn id_at(&self, position: usize) -> Option<SourceId> {
        (position < self.sources.len()).then(|| u16::try_from(position).ok().map(SourceId))?
    }

    /// The text with this id. Ids come from [`Sources::add`] on the same value only.
    pub fn get(&self, id: SourceId) -> &Source {
        &self.sources[usize::from(id.0)]
    }

    /// Says that the secrets of a text were told apart by its form, or what of it could not be read.
    pub fn mark_read(&mut self, id: SourceId, unread: Option<Range<usize>>) {
        if let Some(source) = self.sources.get_mut(usize::from(id.0)) {
            source.mark_read(unread.map(Span::from));
        }
    }

    /// Says how values are written in a text.
    pub fn set_form(&mut self, id: SourceId, form: SourceForm) {
        if let Some(source) = self.sources.get_mut(usize::from(id.0)) {
            source.set_form(form);
        }
    }

    /// Marks a value that is only a part of what it makes.
    pub fn mark_partial(&mut self, place: Place) {
        if let Some(source) = self.sources.get_mut(usize::from(place.source.0)) {
            source.mark_partial(place.span);
        }
    }

    /// Every text.
    pub fn all(&self) -> &[Source] {
        &self.sources
    }

    /// Marks a place as one that holds a secret, which nothing may show.
    pub fn mark_secret(&mut self, place: Place) {
        if let Some(source) = self.sources.get_mut(usize::from(place.source.0)) {
            source.mark_secret(place.span);
        }
    }

    /// Line and column at which a place begins.
    pub fn position(&self, place: Place) -> Position {
        self.get(place.source).position(place.span.start())
    }
}
