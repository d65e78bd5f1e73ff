//! What differs between two things, for people: machine by machine.

use std::fmt::Write as _;

use impostazione_core::views::compare::{Comparison, Difference, DifferenceKind, NotCompared};
use impostazione_text::visible::harmless;
use unicode_width::UnicodeWidthStr as _;

use super::change_view::show_lines;
use super::screen::{wrapped_behind, wrapping};
use super::theme::{BAD, GOOD, STRONG};

/// Every difference, how many machines differ, and what could not be compared.
pub(crate) fn show_comparison(comparison: &Comparison, names: (&str, &str), width: usize) -> String {
    let (first, second) = (harmless(names.0), harmless(names.1));
    let Comparison { differences, not_compared } = comparison;
    if differences.is_empty() && not_compared.is_empty() {
        return format!("{first} and {second} are the same\n");
    }
    let mut text = format!("{BAD}-{BAD:#} {first}\n{GOOD}+{GOOD:#} {second}\n");
    show_differences(&mut text, differences, width);
    if !not_compared.is_empty() {
        // Writing to a String does not fail.
        let _ = writeln!(text, "\nNot compared:");
    }
    for left_out in not_compared {
        let options = wrapping(width).initial_indent("  ").subsequent_indent("    ");
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

fn show_message(text: &mut String, difference: &Difference, width: usize) {
    if let Some(message) = &difference.message {
        let _ = writeln!(text, "{}", wrapped_behind(message, "      ", width));
    }
}

/// A place and what is said of it, on two lines where one is too narrow for both.
fn side_by_side([place, words]: &[String; 2], width: usize) -> String {
    let is_narrow = place.width() + words.width() + 4 > width;
    if is_narrow { format!("  {place}\n      {words}") } else { format!("  {place}  {words}") }
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
            let words = [at, format!("{}{value}", difference.kind.word())];
            let _ = writeln!(text, "{}", side_by_side(&words, width));
            show_message(text, difference, width);
        }
        kind => {
            // A file that is kept from others may differ in something else than a secret.
            let is_file = difference.at.file.is_some();
            let word = match kind {
                DifferenceKind::SecretDiffers if is_file => "differs, not shown (secrets)",
                other => other.word(),
            };
            let _ = writeln!(text, "{}", side_by_side(&[at, word.to_owned()], width));
            show_message(text, difference, width);
            for (value, mark, style) in [(&difference.first, '-', BAD), (&difference.second, '+', GOOD)] {
                if let Some(value) = value {
                    let _ = writeln!(text, "      {style}{mark}{style:#} {}", harmless(value));
                }
            }
            if !difference.lines.is_empty() {
                show_lines(text, &difference.lines, "      ", width);
            }
        }
    }
}
