//! Rules for people.

use std::fmt::Write as _;

use impostazione_core::finding::Rule;

use super::screen::{wrapped_behind, wrapping};
use super::theme::{BAD, GOOD, STRONG};

/// One rule in full.
pub(crate) fn show_rule(rule: &Rule, width: usize) -> String {
    let options = wrapping(width.min(90)).initial_indent("  ").subsequent_indent("  ");
    let explanation = textwrap::fill(rule.explanation, options);
    let heading = format!("{}, {}: {}", rule.name, rule.severity.word(), rule.summary);
    let heading = textwrap::fill(&heading, wrapping(width).subsequent_indent("  "));
    let heading = heading.replacen(rule.name, &format!("{STRONG}{}{STRONG:#}", rule.name), 1);
    format!(
        "{heading}\n\n{explanation}\n\n  {BAD}wrong:{BAD:#}\n\n{}\n  {GOOD}right:{GOOD:#}\n\n{}",
        example(rule.wrong),
        example(rule.right),
    )
}

fn example(text: &str) -> String {
    text.lines().fold(String::new(), |mut shown, line| {
        // Writing to a String does not fail.
        let _ = if line.is_empty() { writeln!(shown) } else { writeln!(shown, "      {line}") };
        shown
    })
}

/// Rules with their summaries beside them, or below them where the terminal is narrow.
pub(crate) fn show_rules(rules: &[&Rule], width: usize) -> String {
    let widest = rules.iter().map(|rule| rule.name.len()).max().unwrap_or(0);
    let mut text = String::new();
    // A summary that has no room beside the names stands below its own, in every line of the list alike.
    let beside = widest + 11;
    let has_room = beside + 30 <= width;
    for rule in rules {
        let (name, severity) = (rule.name, rule.severity.word());
        let _ = if has_room {
            let summary = wrapped_behind(rule.summary, &" ".repeat(beside), width);
            writeln!(text, "{STRONG}{name:widest$}{STRONG:#}  {severity:7}  {}", summary.trim_start())
        } else {
            let summary = wrapped_behind(rule.summary, "    ", width);
            writeln!(text, "{STRONG}{name:widest$}{STRONG:#}  {severity}\n{summary}")
        };
    }
    text + "\n`impostazione explain RULE` explains one of them, with examples.\n"
}
