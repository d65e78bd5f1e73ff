//! Findings for people: the machine first, then the place, the line of the sheet with the part concerned marked below
//! it, what is wrong, and the fix.

use std::fmt::Write as _;
use std::ops::Range;

use impostazione_core::finding::Finding;
use impostazione_text::visible::harmless;
use impostazione_text::{Source, Sources};
use unicode_width::UnicodeWidthStr as _;

use super::screen::{shows_unicode, wrapping};
use super::theme::{self, STRONG};

/// What stands in place of a machine's name where a finding is about the sheet as a whole.
pub(crate) const WHOLE_SHEET: &str = "(whole sheet)";

/// Indent of what is wrong.
const INDENT: &str = "  ";
/// Indent of the line of the sheet.
const LINE_INDENT: &str = "      ";

/// All findings, a blank line after each. Machines of one pattern that share a finding share a place on the screen. `whole`
/// stands in place of a machine's name where there is none.
pub(crate) fn show_findings<'a>(
    findings: impl IntoIterator<Item = &'a Finding>,
    sources: &Sources,
    whole: &str,
    width: usize,
) -> String {
    let mark = if shows_unicode() { '▔' } else { '~' };
    let findings: Vec<&Finding> = findings.into_iter().collect();
    let is_same = |one: &&Finding, other: &&Finding| {
        one.rule == other.rule
            && one.place == other.place
            && one.message == other.message
            && one.fix == other.fix
    };
    let mut text = String::new();
    for group in findings.chunk_by(is_same) {
        if let [finding, others @ ..] = group {
            show(&mut text, finding, others.len(), (sources, whole), width, mark);
        }
    }
    text
}

fn show(
    text: &mut String,
    finding: &Finding,
    others: usize,
    (sources, whole): (&Sources, &str),
    width: usize,
    mark: char,
) {
    let source = sources.get(finding.place.source);
    let position = sources.position(finding.place);
    let color = theme::of_severity(finding.severity());
    let machine = harmless(finding.machine.as_deref().unwrap_or(whole));
    let gap = if machine.is_empty() { "" } else { "  " };
    let others = if others > 0 { format!(" and {others} more") } else { String::new() };
    let place = format!("{}:{}:{}", harmless(source.name()), position.line, position.column);
    let (severity, rule) = (finding.severity().word(), finding.rule.name);
    let whole = [machine.as_str(), &others, gap, &place, "  ", severity, " ", rule].concat();
    // On a narrow terminal the rule has a line of its own.
    let then = if whole.width() > width { "\n  " } else { "  " };
    // Writing to a String does not fail.
    let _ = writeln!(
        text,
        "{STRONG}{machine}{STRONG:#}{others}{gap}{place}{then}{color}{severity}{color:#} {rule}",
    );
    if let Some(excerpt) = Excerpt::of(source, finding, width.saturating_sub(LINE_INDENT.len()).max(30)) {
        let Excerpt { before, part, after } = &excerpt;
        let marks = format!("{}{}", " ".repeat(before.width()), mark.to_string().repeat(part.width().max(1)));
        let _ = writeln!(text, "{LINE_INDENT}{before}{part}{after}");
        let _ = writeln!(text, "{LINE_INDENT}{marks}");
    }
    let _ = writeln!(text, "{}", wrapped(&finding.message, INDENT, INDENT, width));
    let (title, says) = match &finding.waived_because {
        Some(reason) => ("waived:", harmless(reason)),
        None => ("fix:", finding.fix.clone()),
    };
    let last =
        wrapped(&format!("{title} {says}"), INDENT, &" ".repeat(INDENT.len() + title.len() + 1), width);
    let last = last.replacen(title, &format!("{STRONG}{title}{STRONG:#}"), 1);
    let _ = writeln!(text, "{last}\n");
}

/// The line of the sheet at which a finding begins, cut to a width around the part concerned.
struct Excerpt {
    before: String,
    part: String,
    after: String,
}

impl Excerpt {
    /// Nothing for an empty line.
    fn of(source: &Source, finding: &Finding, width: usize) -> Option<Self> {
        let span = finding.place.span;
        let (start, line) = source.line_at(span.start());
        let from = (span.start() - start).min(line.len());
        let to = (span.end() - start).clamp(from, line.len());
        let hidden = source.confidential_parts(span.start());
        let shown = |range: Range<usize>| Some(harmless(&with_hidden(line, range, &hidden)?));
        let goes_on =
            |at: usize| hidden.iter().any(|part| at > 0 && part.contains(&at) && part.contains(&(at - 1)));
        // What is hidden across an end of the part concerned is said once, in the part.
        let before = shown(0..from)?.trim_start().to_owned();
        let before = before.strip_suffix(HIDDEN).filter(|_| goes_on(from)).unwrap_or(&before).to_owned();
        let part = shown(from..to)?;
        let after = shown(to..line.len())?.trim_end().to_owned();
        let after = after.strip_prefix(HIDDEN).filter(|_| goes_on(to)).unwrap_or(&after).to_owned();
        if before.is_empty() && part.is_empty() && after.is_empty() {
            return None;
        }
        let part = cut_end(&part, width.saturating_sub(10));
        let room = width.saturating_sub(part.width());
        let before = cut_start(&before, room.saturating_sub(after.width().min(room / 3)));
        let after = cut_end(&after, room.saturating_sub(before.width()));
        Some(Self { before, part, after })
    }
}

/// What stands in place of a secret.
const HIDDEN: &str = "(not shown)";

/// A part of a line with what must not be shown replaced, in a way that does not tell how long it is.
fn with_hidden(line: &str, range: Range<usize>, hidden: &[Range<usize>]) -> Option<String> {
    let mut shown = String::new();
    let mut was_hidden = false;
    for (at, character) in line.get(range.clone())?.char_indices() {
        let at = range.start + at;
        let is_hidden = hidden.iter().any(|part| part.contains(&at));
        if !is_hidden {
            shown.push(character);
        } else if !was_hidden {
            shown.push_str(HIDDEN);
        }
        was_hidden = is_hidden;
    }
    Some(shown)
}

pub(super) fn cut_end(text: &str, width: usize) -> String {
    if text.width() <= width {
        return text.to_owned();
    }
    let mut cut = String::new();
    for character in text.chars() {
        if cut.width() + 2 > width {
            break;
        }
        cut.push(character);
    }
    cut + "…"
}

fn cut_start(text: &str, width: usize) -> String {
    let reversed: String = text.chars().rev().collect();
    cut_end(&reversed, width).chars().rev().collect()
}

fn wrapped(text: &str, first: &str, others: &str, width: usize) -> String {
    textwrap::fill(&harmless(text), wrapping(width).initial_indent(first).subsequent_indent(others))
}
