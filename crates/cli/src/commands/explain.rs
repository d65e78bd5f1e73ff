//! `explain`

use impostazione_core::catalog;
use impostazione_core::finding::Rule;
use impostazione_core::views::documentation::{ExplainedRule, ExplainedRules};
use impostazione_text::nearest;

use super::json;
use crate::args::{ExplainArguments, Format};
use crate::exit::{Exit, Failure};
use crate::terminal;

pub(crate) fn run(arguments: &ExplainArguments) -> Result<Exit, Failure> {
    let Some(name) = &arguments.rule else {
        match arguments.format {
            Format::Text => terminal::print(&terminal::show_rules(catalog::all(), terminal::width()))?,
            Format::Json => print_json(catalog::all())?,
        }
        return Ok(Exit::Done);
    };
    let found = match catalog::by_name(name) {
        Some(rule) => vec![rule],
        None => search(name),
    };
    if found.is_empty() {
        let close = nearest(name, catalog::all().iter().map(|rule| rule.name), 1);
        return Err(Failure::CommandLine(match close.first() {
            Some(close) => format!("there is no rule {name}; did you mean {close}?"),
            None => {
                format!(
                    "there is no rule with {name} in its name or text; `impostazione explain` lists all rules"
                )
            }
        }));
    }
    match (arguments.format, found.as_slice()) {
        (Format::Text, [only]) => terminal::print(&terminal::show_rule(only, terminal::width()))?,
        (Format::Text, several) => terminal::print(&terminal::show_rules(several, terminal::width()))?,
        (Format::Json, found) => print_json(found)?,
    }
    Ok(Exit::Done)
}

/// Rules with these letters in their name; where there are none, those with this word in their text.
fn search(text: &str) -> Vec<&'static Rule> {
    let wanted = text.to_lowercase();
    let all = || catalog::all().iter().copied();
    let named: Vec<&Rule> = all().filter(|rule| rule.name.contains(&wanted)).collect();
    if !named.is_empty() || wanted.len() < 2 {
        return named;
    }
    let says = |text: &str| {
        let text = text.to_lowercase();
        text.match_indices(&wanted).any(|(at, _)| !text[..at].ends_with(char::is_alphanumeric))
    };
    all().filter(|rule| says(rule.summary) || says(rule.explanation)).collect()
}

fn print_json(rules: &[&'static Rule]) -> Result<(), Failure> {
    json::print(&ExplainedRules { rules: rules.iter().copied().map(ExplainedRule::of).collect() })
}
