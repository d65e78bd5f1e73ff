//! Rules for people.

use std::fmt::Write as _;

use anstyle::{AnsiColor, Style};
use impostazione_core::finding::Rule;
use textwrap::Options;

const STRONG: Style = Style::new().bold();
const WRONG: Style = AnsiColor::Red.on_default();
const RIGHT: Style = AnsiColor::Green.on_default();

/// One rule in full.
pub(crate) fn show_rule(rule: &Rule, width: usize) -> String {
    let options = Options::new(width.min(90)).initial_indent("  ").subsequent_indent("  ");
    let explanation = textwrap::fill(rule.explanation, options);
    format!(
        "{STRONG}{}{STRONG:#}, {}: {}\n\n{explanation}\n\n  {WRONG}wrong:{WRONG:#}\n\n{}\n  {RIGHT}right:{RIGHT:#}\n\n{}",
        rule.name,
        rule.severity.word(),
        rule.summary,
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

/// All rules, a line each.
pub(crate) fn show_rules(rules: &[&Rule]) -> String {
    let widest = rules.iter().map(|rule| rule.name.len()).max().unwrap_or(0);
    let mut text = String::new();
    for rule in rules {
        let _ = writeln!(
            text,
            "{STRONG}{:widest$}{STRONG:#}  {:7}  {}",
            rule.name,
            rule.severity.word(),
            rule.summary
        );
    }
    text + "\n`impostazione explain RULE` says more about one of them, with examples.\n"
}
