//! Brackets and braces that are never closed. A TOML parser reads on behind them to the end of the file, and what it says
//! there has nothing to do with what the lines are.

use std::ops::Range;

/// A bracket or brace without its partner.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Unclosed {
    /// Where it stands.
    pub(super) opener: Range<usize>,
    /// The partner that it lacks.
    pub(super) closer: char,
}

/// Finds the brackets that are still open when the next table header, or the end of the text, comes.
pub(super) fn unclosed_brackets(text: &str) -> Vec<Unclosed> {
    let mut found = Vec::new();
    let mut open: Vec<Unclosed> = Vec::new();
    let mut offset = 0;
    let mut long_quote: Option<&'static str> = None;
    for line in text.split_inclusive('\n') {
        if long_quote.is_none() && is_header(line) {
            found.extend(open.drain(..).next());
        } else {
            scan(line, offset, &mut open, &mut long_quote);
        }
        offset += line.len();
    }
    found.extend(open.drain(..).next());
    found
}

/// Whether a line is, or is meant to be, a table header with plain keys: `[subnet.quay]`, `[[host]]`.
fn is_header(line: &str) -> bool {
    let line = line.split('#').next().unwrap_or_default().trim();
    let inner = line.trim_matches(['[', ']']).trim();
    line.starts_with('[')
        && inner.starts_with(|c: char| c.is_ascii_alphabetic())
        && inner.chars().all(|c| c.is_ascii_alphanumeric() || "-_.".contains(c))
}

fn scan(line: &str, offset: usize, open: &mut Vec<Unclosed>, long_quote: &mut Option<&'static str>) {
    let (mut at, open_before) = (0, open.len());
    while let Some(rest) = line.get(at..).filter(|rest| !rest.is_empty()) {
        if let Some(quote) = *long_quote {
            let Some(end) = rest.find(quote) else { return };
            *long_quote = None;
            at += end + 3;
            continue;
        }
        if let Some(quote) = ["\"\"\"", "'''"].into_iter().find(|quote| rest.starts_with(quote)) {
            *long_quote = Some(quote);
            at += 3;
            continue;
        }
        let Some(character) = rest.chars().next() else { return };
        match character {
            '#' => return,
            '"' | '\'' => {
                let Some(length) = text_length(rest, character) else {
                    // A text that does not end on its line has a finding of its own, and hides what closes the line.
                    open.truncate(open_before);
                    return;
                };
                at += length;
                continue;
            }
            '[' | '{' => {
                let start = offset + at;
                let closer = if character == '[' { ']' } else { '}' };
                open.push(Unclosed { opener: start..start + 1, closer });
            }
            ']' | '}' if open.last().is_some_and(|last| last.closer == character) => {
                open.pop();
            }
            _ => {}
        }
        at += character.len_utf8();
    }
}

/// Length of a text in quotes at the beginning of `rest`, quotes included.
fn text_length(rest: &str, quote: char) -> Option<usize> {
    let mut escaped = false;
    for (at, character) in rest.char_indices().skip(1) {
        match character {
            '\n' => return None,
            '\\' if quote == '"' && !escaped => escaped = true,
            _ if character == quote && !escaped => return Some(at + 1),
            _ => escaped = false,
        }
    }
    None
}
