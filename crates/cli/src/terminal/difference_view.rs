//! What differs between two things, for people: machine by machine.

use std::fmt::Write as _;

use anstyle::{AnsiColor, Style};
use impostazione_core::views::compare::{Comparison, Difference, DifferenceKind, NotCompared};
use impostazione_text::visible::harmless;
use textwrap::Options;

use super::change_view::show_lines;

const STRONG: Style = Style::new().bold();
const FAINT: Style = Style::new().dimmed();
const FIRST: Style = AnsiColor::Red.on_default();
const SECOND: Style = AnsiColor::Green.on_default();

/// Every difference, how many machines differ, and what could not be compared.
pub(crate) fn show_comparison(comparison: &Comparison, names: (&str, &str), width: usize) -> String {
    let (first, second) = (harmless(names.0), harmless(names.1));
    let Comparison { differences, not_compared } = comparison;
    if differences.is_empty() && not_compared.is_empty() {
        return format!("{first} and {second} say the same\n");
    }
    let mut text = format!("{FIRST}-{FIRST:#} {first}\n{SECOND}+{SECOND:#} {second}\n");
    show_differences(&mut text, differences, width);
    if !not_compared.is_empty() {
        // Writing to a String does not fail.
        let _ = writeln!(text, "\nNot compared:");
    }
    for left_out in not_compared {
        let options = Options::new(width).initial_indent("  ").subsequent_indent("    ");
        let _ = writeln!(text, "{}", textwrap::fill(&harmless(&words_of(left_out)), options));
    }
    text
}

fn words_of(left_out: &NotCompared) -> String {
    let machines = match left_out.machines.as_slice() {
        [] => String::new(),
        [only] => format!(" for {only}"),
        [first, others @ ..] => {
            format!(
                " for {first} and {}",
                super::counts::count(others.len(), "other machine", "other machines")
            )
        }
    };
    format!("{}{machines}: {}", left_out.what, left_out.reason)
}

fn show_differences(text: &mut String, differences: &[Difference], width: usize) {
    for group in differences.chunk_by(|one, other| one.machine == other.machine) {
        let Some(head) = group.first() else { continue };
        let machine = if head.machine.is_empty() { "for all".to_owned() } else { harmless(&head.machine) };
        // Writing to a String does not fail.
        let _ = writeln!(text, "\n{STRONG}{machine}{STRONG:#}");
        for difference in group {
            show_one(text, difference, width);
        }
    }
    let mut machines: Vec<&str> = differences
        .iter()
        .map(|difference| difference.machine.as_str())
        .filter(|name| !name.is_empty())
        .collect();
    machines.dedup();
    if !differences.is_empty() {
        let machines = super::counts::count(machines.len(), "machine differs", "machines differ");
        let places = super::counts::count(differences.len(), "place", "places");
        let _ = writeln!(text, "\n{machines}, in {places}");
    }
}

fn show_message(text: &mut String, difference: &Difference) {
    if let Some(message) = &difference.message {
        let _ = writeln!(text, "      {}", harmless(message));
    }
}

fn show_one(text: &mut String, difference: &Difference, width: usize) {
    let at = harmless(&difference.at.words());
    match difference.kind {
        DifferenceKind::OnlyFirst | DifferenceKind::OnlySecond if at.is_empty() => {
            let _ = writeln!(text, "  {}", difference.kind.word());
        }
        DifferenceKind::OnlyFirst | DifferenceKind::OnlySecond if difference.lines.is_empty() => {
            let value = difference.first.as_ref().or(difference.second.as_ref());
            let value = value.map(|value| format!(": {}", harmless(value))).unwrap_or_default();
            let _ = writeln!(text, "  {at}  {FAINT}{}{FAINT:#}{value}", difference.kind.word());
            show_message(text, difference);
        }
        kind => {
            let _ = writeln!(text, "  {at}  {FAINT}{}{FAINT:#}", kind.word());
            show_message(text, difference);
            for (value, mark, style) in [(&difference.first, '-', FIRST), (&difference.second, '+', SECOND)] {
                if let Some(value) = value {
                    let _ = writeln!(text, "      {style}{mark} {}{style:#}", harmless(value));
                }
            }
            if !difference.lines.is_empty() {
                show_lines(text, &difference.lines, "      ", width);
            }
        }
    }
}
