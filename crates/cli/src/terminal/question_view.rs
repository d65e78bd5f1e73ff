//! A question of an interview, as a person sees it.

use std::fmt::Write as _;

use impostazione_core::draft::{Question, Refusal};
use unicode_width::UnicodeWidthStr as _;

use super::harmless;
use super::screen::{width, wrapping};
use super::theme::{BAD, DOUBTFUL};

/// The part before a question: what follows from earlier replies.
pub(crate) fn show_before(question: &Question) -> String {
    question.shown.iter().map(|line| indented(line)).collect()
}

/// The words to choose from, with their numbers.
pub(crate) fn show_choices(question: &Question) -> String {
    let words: Vec<String> = question.choices.iter().map(|choice| harmless(&choice.word)).collect();
    let widest = words.iter().map(|word| word.width()).max().unwrap_or(0);
    let mut text = String::new();
    for (index, (word, choice)) in words.iter().zip(&question.choices).enumerate() {
        let gap = " ".repeat(widest - word.width());
        let line = format!("{:>4}  {word}{gap}  {}", index + 1, harmless(&choice.about));
        let indent = " ".repeat(widest + 8);
        let options = wrapping(width()).subsequent_indent(&indent);
        // Writing to a String does not fail.
        let _ = writeln!(text, "{}", textwrap::fill(line.trim_end(), options));
    }
    text
}

/// The question itself, in lines of its own.
pub(crate) fn question_line(question: &Question) -> String {
    textwrap::fill(&harmless(&question.line), wrapping(width())) + "\n"
}

/// The prompt: what an empty reply means.
pub(crate) fn question_prompt(question: &Question) -> String {
    match &question.proposal {
        Some(proposal) => format!("[{}] >", harmless(proposal)),
        None => ">".to_owned(),
    }
}

/// What is said of a reply that was taken, or an explanation.
pub(crate) fn show_said(lines: &[String]) -> String {
    lines.iter().map(|line| indented(line)).collect()
}

fn indented(line: &str) -> String {
    if line.trim().is_empty() {
        return "\n".to_owned();
    }
    let own: String = line.chars().take_while(|c| *c == ' ').collect();
    let first = format!("  {own}");
    let next = format!("{first}  ");
    let options = wrapping(width()).initial_indent(&first).subsequent_indent(&next);
    textwrap::fill(&harmless(line.trim_start()), options) + "\n"
}

/// Why a reply was not taken.
pub(crate) fn show_refusal(refusal: &Refusal) -> String {
    let (word, style) = if refusal.is_judgment { ("warning:", DOUBTFUL) } else { ("error:", BAD) };
    let rule = refusal.rule.map(|rule| format!(" ({})", rule.name)).unwrap_or_default();
    let options = || wrapping(width()).initial_indent("  ").subsequent_indent("    ");
    let message = textwrap::fill(&format!("{word} {}{rule}", harmless(&refusal.message)), options());
    let again = if refusal.is_judgment { "; the same reply once more keeps it" } else { "" };
    let fix = textwrap::fill(&format!("fix: {}{again}", harmless(&refusal.fix)), options());
    let mut text = format!("{}\n{fix}\n", message.replacen(word, &format!("{style}{word}{style:#}"), 1));
    let offered = Question { choices: refusal.offers.clone(), ..Question::default() };
    text += &show_choices(&offered);
    text
}
