//! What is wrong with a sheet as TOML, in words that name what stands there.

use std::ops::Range;

use impostazione_text::{Place, Source, SourceId, Span};
use toml::de::Error;

use super::brackets::{Unclosed, unclosed_brackets};
use super::rules::form;
use crate::finding::Finding;

/// What is broken in a sheet's TOML.
pub(super) struct Broken {
    /// A finding for each slip.
    pub(super) findings: Vec<Finding>,
    /// The parts of the text that could not be read rightly because of them, in their order and apart.
    pub(super) spans: Vec<Span>,
}

/// Explains the errors of the TOML parser, one a line of the sheet: further errors of a line follow from its first, and
/// all errors behind a bracket that is never closed follow from that.
pub(super) fn explain(id: SourceId, source: &Source, errors: &[Error]) -> Broken {
    let text = source.text();
    let mut broken = Broken { findings: Vec::new(), spans: Vec::new() };
    if errors.is_empty() {
        return broken;
    }
    let unclosed = unclosed_brackets(text);
    let readable = unclosed.first().map_or(text.len(), |first| first.opener.start);
    let mut errors: Vec<(Range<usize>, &Error)> =
        errors.iter().map(|error| (clamp(text, error.span().unwrap_or(0..0)), error)).collect();
    errors.sort_by_key(|(span, _)| (span.start, span.end));
    let mut last_line = None;
    let mut headless: Option<Span> = None;
    for (span, error) in errors {
        let (line_start, line) = source.line_at(span.start);
        let line = line_start..line_start + line.len();
        let follows = error.message().contains("duplicate key")
            && headless.is_some_and(|region: Span| region.meets(Span::from(span.clone())));
        if span.start > readable || last_line.as_ref() == Some(&line) || follows {
            continue;
        }
        let slip = Slip { text, message: error.message(), span, line: line.clone() };
        let (part, message, fix) = slip.explain();
        let place = Place { source: id, span: part.into() };
        broken.spans.push(place.span);
        if slip.is_broken_header() {
            // The keys below it are read as the table's above, where nothing about them is true.
            let region = Span::new(line.start, next_header(text, line.end));
            broken.spans.push(region);
            headless = Some(region);
        }
        broken.findings.push(form::syntax(place, message, fix).quoting_nothing());
        last_line = Some(line);
    }
    for Unclosed { opener, closer } in unclosed {
        let bracket = text.get(opener.clone()).unwrap_or_default();
        let place = Place { source: id, span: opener.clone().into() };
        broken.spans.push(Span::new(opener.start, text.len()));
        broken.findings.push(
            form::syntax(
                place,
                format!("The {bracket} that opens here is not closed, so nothing below it can be read."),
                format!("close it with {closer}, and check again"),
            )
            .quoting_nothing(),
        );
    }
    broken.spans = merged(broken.spans);
    broken
}

/// Where the next line begins that is meant as a header, or where the text ends.
fn next_header(text: &str, from: usize) -> usize {
    let rest = text.get(from..).unwrap_or_default();
    let mut offset = from;
    for line in rest.split_inclusive('\n') {
        if offset > from && line.trim_start().starts_with('[') {
            return offset.saturating_sub(1);
        }
        offset += line.len();
    }
    text.len()
}

/// The same spans in their order, those that meet made one.
fn merged(mut spans: Vec<Span>) -> Vec<Span> {
    spans.sort_unstable();
    let mut merged: Vec<Span> = Vec::with_capacity(spans.len());
    for span in spans {
        match merged.last_mut() {
            Some(last) if last.meets(span) => *last = Span::new(last.start(), last.end().max(span.end())),
            _ => merged.push(span),
        }
    }
    merged
}

/// One error of the parser, with the line it is on. What is said of it quotes nothing of the text: where the form is broken
/// nobody can tell a value from a key, or a secret from a name.
struct Slip<'a> {
    text: &'a str,
    message: &'a str,
    span: Range<usize>,
    line: Range<usize>,
}

/// The part of the text to mark, what is wrong with it, and the fix.
type Explained = (Range<usize>, &'static str, &'static str);

impl Slip<'_> {
    fn explain(&self) -> Explained {
        let ways = [
            Self::duplicate_key,
            Self::unclosed_header,
            Self::missing_value,
            Self::unquoted_value,
            Self::wrong_escape,
            Self::unclosed_text,
            Self::after_the_value,
            Self::missing_comma,
            Self::no_setting,
        ];
        ways.iter().find_map(|way| way(self)).unwrap_or_else(|| {
            let part = if self.span.is_empty() { self.whole_line() } else { self.span.clone() };
            (
                part,
                "This is not TOML.",
                "write the line as key = \"value\", or put # before it to make it a comment",
            )
        })
    }

    fn says(&self, words: &str) -> bool {
        self.message.contains(words)
    }

    fn slice(&self, range: Range<usize>) -> &str {
        self.text.get(range).unwrap_or_default()
    }

    fn whole_line(&self) -> Range<usize> {
        trim(self.text, self.line.clone())
    }

    fn to_line_end(&self) -> Range<usize> {
        let rest = trim(self.text, self.span.start..self.line.end.max(self.span.start));
        if rest.is_empty() { self.whole_line() } else { rest }
    }

    fn duplicate_key(&self) -> Option<Explained> {
        let message = "This key is twice in its table.";
        self.says("duplicate key").then(|| (self.span.clone(), message, "remove one of them"))
    }

    fn missing_value(&self) -> Option<Explained> {
        let value_missing = self.says("must be quoted") && self.span.is_empty();
        let message = "There is no value after the equals sign.";
        value_missing.then(|| (self.whole_line(), message, "write the value, or remove the line"))
    }

    fn unquoted_value(&self) -> Option<Explained> {
        let bare = self.bare_value()?;
        let value = self.slice(bare.clone());
        if value.starts_with(['"', '\'', '[', '{']) {
            return None;
        }
        if value.trim_matches(['“', '”', '„', '‘', '’', '«', '»']) != value {
            let message = "This value is in typographic quotes.";
            return Some((bare, message, "use plain quotes: \"value\""));
        }
        (self.says("must be quoted") || value.contains(['.', ':', '/', '-'])).then_some((
            bare,
            "This value is not in quotes.",
            "put it in quotes: \"value\"",
        ))
    }

    fn wrong_escape(&self) -> Option<Explained> {
        let message = "This text has a backslash sequence that TOML does not have.";
        let fix = "double the backslash, or put the text in single quotes";
        self.says("escape").then(|| (self.whole_line(), message, fix))
    }

    fn unclosed_text(&self) -> Option<Explained> {
        if !(self.says("invalid") && self.says("string")) {
            return None;
        }
        let part = if self.says("multi-line") {
            let before = self.slice(0..self.span.start);
            let opener = before.rfind("\"\"\"").or_else(|| before.rfind("'''"))?;
            opener..opener + 3
        } else {
            self.to_line_end()
        };
        let message = "A text that starts here or earlier has no closing quote.";
        Some((part, message, "close the text with the same kind of quote"))
    }

    fn after_the_value(&self) -> Option<Explained> {
        let message = "There is something after the value that does not belong there.";
        let fix = "write one setting per line; write \\\" for a quote inside a text, and # before a comment";
        self.says("expected newline").then(|| (self.to_line_end(), message, fix))
    }

    fn missing_comma(&self) -> Option<Explained> {
        let message = "A comma is missing before this.";
        self.says("missing comma").then(|| (self.to_line_end(), message, "put a comma between the two items"))
    }

    fn is_broken_header(&self) -> bool {
        let line = self.slice(self.line.clone()).trim_start();
        line.starts_with('[') && !line.contains(['=', ',', '"', '\''])
    }

    fn unclosed_header(&self) -> Option<Explained> {
        let message = "The brackets on this line do not match.";
        let fix = "write a table as [subnet.quay], and an entry as [[host]]";
        self.is_broken_header().then(|| (self.whole_line(), message, fix))
    }

    fn no_setting(&self) -> Option<Explained> {
        if !(self.says("key with no value") || self.says("invalid unquoted key")) {
            return None;
        }
        let whole = self.whole_line();
        let line = self.slice(whole.clone());
        let key = line.split('=').next().unwrap_or_default().trim();
        let (message, fix) = if line.contains('=') && key.contains(char::is_whitespace) && !key.contains(':')
        {
            ("The part before the equals sign is not a key: a key has no spaces.", "correct the key")
        } else if has_colon(line) {
            (
                "There is a colon between key and value; TOML needs an equals sign.",
                "write it as key = \"value\"",
            )
        } else {
            (
                "This line is not a setting (key = value).",
                "write it as key = \"value\", or put # before it to make it a comment",
            )
        };
        Some((whole, message, fix))
    }

    /// The value around the error, from the sign before it to its end.
    fn bare_value(&self) -> Option<Range<usize>> {
        let before = self.slice(self.line.start..self.span.start);
        let after = self.slice(self.span.start..self.line.end);
        let start = self.line.start + before.rfind(['=', '[', ',', '{'])? + 1;
        let end = self.span.start + after.find([',', ']', '}', '#']).unwrap_or(after.len());
        let value = trim(self.text, start..end);
        (!value.is_empty()).then_some(value)
    }
}

fn clamp(text: &str, span: Range<usize>) -> Range<usize> {
    let mut start = span.start.min(text.len());
    while !text.is_char_boundary(start) {
        start -= 1;
    }
    let mut end = span.end.clamp(start, text.len());
    while !text.is_char_boundary(end) {
        end += 1;
    }
    start..end
}

/// Whether a line is a key and a value with a colon, or a colon and an equals sign, between them.
fn has_colon(line: &str) -> bool {
    let Some((key, value)) = line.split_once(':') else { return false };
    let key = key.trim_end();
    let is_bare_key = !key.is_empty() && key.chars().all(|c| c.is_ascii_alphanumeric() || "-_.".contains(c));
    is_bare_key && !value.trim_start().trim_start_matches('=').trim().is_empty()
}

fn trim(text: &str, range: Range<usize>) -> Range<usize> {
    let slice = text.get(range.clone()).unwrap_or_default();
    let start = range.start + (slice.len() - slice.trim_start().len());
    start..(start + slice.trim().len())
}
