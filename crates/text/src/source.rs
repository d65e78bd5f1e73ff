//! A text that findings point into.

use std::ops::Range;

use crate::confidential::{confidential_parts, is_secret};
use crate::place::{Position, Span};

/// One text with its name.
#[derive(Clone, Debug)]
pub struct Source {
    name: String,
    text: String,
    line_starts: Vec<u32>,
    secrets: Vec<Span>,
    /// Whether the secrets in it were told apart by its form, so that its lines tell nothing more.
    is_read: bool,
    /// The part that could not be read, and of which nothing is shown.
    unread: Option<Span>,
    /// Whether it is known to hold no secret, whatever its keys are called.
    is_open: bool,
    /// How values are written in it.
    form: SourceForm,
    /// Values that are only a part of what they make.
    partial: Vec<Span>,
}

/// How values are written in a text.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum SourceForm {
    /// As in TOML.
    #[default]
    Toml,
    /// As fields of rows, with this between them (RFC 4180).
    Rows(char),
    /// In a way in which they cannot be written back.
    Foreign,
}

impl Source {
    /// Takes a text under the name that messages use for it.
    pub fn new(name: impl Into<String>, text: impl Into<String>) -> Self {
        let text = text.into();
        let line_starts = std::iter::once(0)
            .chain(text.bytes().enumerate().filter(|(_, byte)| *byte == b'\n').map(|(at, _)| at + 1))
            .map(|offset| u32::try_from(offset).unwrap_or(u32::MAX))
            .collect();
        Self {
            name: name.into(),
            text,
            line_starts,
            secrets: Vec::new(),
            is_read: false,
            unread: None,
            is_open: false,
            form: SourceForm::default(),
            partial: Vec::new(),
        }
    }

    /// The same text, known to hold no secret: `PasswordAuthentication yes` is none.
    #[must_use]
    pub fn open(mut self) -> Self {
        self.is_open = true;
        self
    }

    /// The name that messages use, as the user gave it.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The whole text.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Line and column of a byte offset. An offset past the end gives the end.
    pub fn position(&self, offset: usize) -> Position {
        let line = self.line_index(offset);
        let start = self.line_starts[line] as usize;
        let before = self.text.get(start..offset.min(self.text.len())).unwrap_or_default();
        Position { line: line + 1, column: before.chars().count() + 1 }
    }

    /// The span of a line, counted from 1, without its line end; the end of the text where there is no such line.
    pub fn line_span(&self, line: usize) -> Span {
        let start =
            self.line_starts.get(line.saturating_sub(1)).map_or(self.text.len(), |start| *start as usize);
        let (start, text) = self.line_at(start);
        Span::new(start, start + text.len())
    }

    /// The line that holds a byte offset, without its line end, and the offset at which it starts.
    pub fn line_at(&self, offset: usize) -> (usize, &str) {
        let line = self.line_index(offset);
        let start = self.line_starts[line] as usize;
        let end = self.line_starts.get(line + 1).map_or(self.text.len(), |next| *next as usize);
        (start, self.text.get(start..end).unwrap_or_default().trim_end_matches(['\n', '\r']))
    }

    /// The parts of the line that holds a byte offset that must not be shown, in bytes from the line's start: what was
    /// marked as a secret, what looks like one, and remarks that may hold one.
    pub fn confidential_parts(&self, offset: usize) -> Vec<Range<usize>> {
        let (start, line) = self.line_at(offset);
        let mut parts = if self.is_open || self.is_read { Vec::new() } else { confidential_parts(line) };
        let of_line = Span::new(start, start + line.len());
        for secret in self.secrets.iter().chain(&self.unread).filter(|secret| secret.meets(of_line)) {
            let from = secret.start().saturating_sub(start).min(line.len());
            parts.push(from..secret.end().saturating_sub(start).min(line.len()).max(from));
        }
        if !(self.is_open || self.is_read) && self.is_below_a_secret(start, line) {
            parts.push(0..line.len());
        }
        if let Some(remark) = remark(line).filter(|_| !self.is_open) {
            let speaks = line.get(remark.clone()).is_some_and(|text| {
                text.split(|c: char| !(c.is_alphanumeric() || "_-.".contains(c))).any(is_secret)
            });
            if speaks || parts.iter().any(|part| !part.is_empty()) {
                parts.push(remark);
            }
        }
        parts
    }

    /// Whether a line is the value, or a part of it, of a confidential key that stands above it and is less indented.
    fn is_below_a_secret(&self, start: usize, line: &str) -> bool {
        const LINE_LIMIT: usize = 64;
        let indent = |line: &str| line.len() - line.trim_start().len();
        let mut own = indent(line);
        let above = self.text.get(..start).unwrap_or_default();
        for above in above.lines().rev().filter(|line| !line.trim().is_empty()).take(LINE_LIMIT) {
            if own == 0 {
                return false;
            }
            if indent(above) < own {
                own = indent(above);
                let key = above.split(':').next().unwrap_or_default();
                let holds_value = above.trim_end().ends_with([':', '|', '>', '-']);
                if holds_value && is_secret(key.trim_start_matches(['-', ' '])) {
                    return true;
                }
            }
        }
        false
    }

    /// Says that the secrets of the text were told apart by its form, or what of it could not be read.
    pub(crate) fn mark_read(&mut self, unread: Option<Span>) {
        self.is_read = unread.is_none();
        self.unread = unread;
    }

    /// How values are written in it.
    pub fn form(&self) -> SourceForm {
        self.form
    }

    /// Says how values are written in it.
    pub(crate) fn set_form(&mut self, form: SourceForm) {
        self.form = form;
    }

    /// Marks a value that is only a part of what it makes, as a number in an address.
    pub(crate) fn mark_partial(&mut self, part: Span) {
        self.partial.push(part);
    }

    /// Whether a value is only a part of what it makes.
    pub fn is_partial(&self, part: Span) -> bool {
        self.partial.contains(&part)
    }

    /// Marks a part that holds a secret, which nothing may show.
    pub(crate) fn mark_secret(&mut self, part: Span) {
        self.secrets.push(part);
    }

    /// Whether an offset lies in the part that could not be read.
    pub fn is_unread(&self, offset: usize) -> bool {
        self.unread.is_some_and(|part| part.range().contains(&offset))
    }

    /// The texts that must not be shown, without the quotes around them.
    pub fn secret_texts(&self) -> impl Iterator<Item = &str> {
        self.secrets.iter().filter_map(|span| self.text.get(span.range())).map(unquoted)
    }

    fn line_index(&self, offset: usize) -> usize {
        self.line_starts.partition_point(|start| *start as usize <= offset).saturating_sub(1)
    }
}

/// A text without the quotes of TOML around it.
pub fn unquoted(text: &str) -> &str {
    text.trim_matches(['"', '\'']).trim_matches('\n')
}

/// The remark at the end of a line of TOML.
fn remark(line: &str) -> Option<Range<usize>> {
    let mut quote = None;
    let mut is_escaped = false;
    for (at, character) in line.char_indices() {
        match (quote, character) {
            (None, '#') => return Some(at..line.len()),
            (None, '"' | '\'') => quote = Some(character),
            (Some(open), _) if open == character && !is_escaped => quote = None,
            _ => {}
        }
        is_escaped = quote == Some('"') && character == '\\' && !is_escaped;
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_count_characters_and_lines_lose_their_ends() {
        let source = Source::new("s", "a = 1\r\nname = \"àè\" # x\n");
        let at = source.text().find('#').unwrap();
        assert_eq!(source.position(at), Position { line: 2, column: 13 });
        assert_eq!(source.line_at(at), (7, "name = \"àè\" # x"));
        assert_eq!(source.line_at(0), (0, "a = 1"));
    }

    #[test]
    fn an_offset_past_the_end_gives_the_end() {
        let source = Source::new("s", "ab");
        assert_eq!(source.position(99), Position { line: 1, column: 3 });
        assert_eq!(Source::new("empty", "").position(0), Position { line: 1, column: 1 });
    }
}
