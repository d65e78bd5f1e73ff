//! What is wrong with a sheet as TOML, in words that name what stands there.

use std::ops::Range;

use toml::de::Error;

use crate::finding::Finding;
use crate::rules::report;
use crate::source::{Place, SourceId, Span};

/// Findings for the errors of the TOML parser, one a line of the sheet: further errors of a line follow from its first.
pub(super) fn findings(source: SourceId, text: &str, errors: &[Error]) -> Vec<Finding> {
    let mut spanned: Vec<(Range<usize>, &Error)> =
        errors.iter().map(|error| (clamp(text, error.span().unwrap_or(0..0)), error)).collect();
    spanned.sort_by_key(|(span, _)| (span.start, span.end));
    let mut findings: Vec<Finding> = Vec::new();
    let mut last_line = None;
    for (span, error) in spanned {
        let line = line_of(text, span.start);
        if last_line.as_ref() == Some(&line) {
            continue;
        }
        findings.push(explain(source, text, span, line.clone(), error.message()));
        last_line = Some(line);
    }
    findings
}

fn explain(source: SourceId, text: &str, span: Range<usize>, line: Range<usize>, message: &str) -> Finding {
    let at = |range: Range<usize>| Place { source, span: Span::from(range) };
    let slice = |range: Range<usize>| text.get(range).unwrap_or_default();
    if message.contains("duplicate key") {
        return report::syntax(
            at(span.clone()),
            format!("`{}` stands twice in this table.", slice(span).trim().escape_debug()),
            "take one of the two out",
        );
    }
    if let Some(bare) = bare_value(text, &span, &line) {
        let value = slice(bare.clone());
        if !value.starts_with(['"', '\'', '[', '{'])
            && (message.contains("quoted") || value.contains(['.', ':', '/', '-']))
        {
            return report::syntax(
                at(bare.clone()),
                format!("{} stands without quotes.", value.escape_debug()),
                format!("write it in quotes: \"{}\"", value.escape_debug()),
            );
        }
    }
    if message.contains("string") && message.contains("invalid") {
        return report::syntax(
            at(trim_end(text, span.start..line.end)),
            "A text on this line does not end: its closing quote is missing, or a quote inside it is not escaped.",
            "close the text with the quote that it began with",
        );
    }
    if message.contains("missing comma") {
        return report::syntax(
            at(trim_end(text, span.start..line.end)),
            "A comma is missing before this.",
            "put a comma between the two items",
        );
    }
    if message.contains("unclosed") {
        let whole = trim(text, line);
        return report::syntax(
            at(whole),
            format!("This line leaves a bracket or a brace open ({message})."),
            "close what the line opens: [subnet.quay], [[host]], { … }, [ … ]",
        );
    }
    if message.contains("key with no value") {
        let whole = trim(text, line);
        return report::syntax(
            at(whole),
            "This line is no setting: a key, an equals sign and a value.",
            "write it as key = \"value\", or begin the line with # to make it a comment",
        );
    }
    let whole = if span.is_empty() { trim(text, line) } else { span };
    report::syntax(at(whole), format!("This is not TOML: {message}."), "correct the line")
}

/// The value without quotes around a span: from the sign before it to the end of the value.
fn bare_value(text: &str, span: &Range<usize>, line: &Range<usize>) -> Option<Range<usize>> {
    let before = text.get(line.start..span.start)?;
    let after = text.get(span.start..line.end)?;
    let start = line.start + before.rfind(['=', '[', ',', '{'])? + 1;
    let end = span.start + after.find([',', ']', '}', '#']).unwrap_or(after.len());
    let value = trim(text, start..end);
    (!value.is_empty()).then_some(value)
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

fn line_of(text: &str, offset: usize) -> Range<usize> {
    let start = text.get(..offset).and_then(|before| before.rfind('\n')).map_or(0, |newline| newline + 1);
    let end =
        text.get(offset..).and_then(|after| after.find('\n')).map_or(text.len(), |newline| offset + newline);
    start..end
}

fn trim(text: &str, range: Range<usize>) -> Range<usize> {
    let slice = text.get(range.clone()).unwrap_or_default();
    let start = range.start + (slice.len() - slice.trim_start().len());
    start..(start + slice.trim().len())
}

fn trim_end(text: &str, range: Range<usize>) -> Range<usize> {
    let slice = text.get(range.clone()).unwrap_or_default();
    range.start..(range.start + slice.trim_end().len())
}
