//! `explain`

use impostazione_core::catalog;
use impostazione_core::views::documentation::{ExplainedRule, ExplainedRules};
use impostazione_text::nearest;

use super::json;
use crate::args::{ExplainArguments, Format};
use crate::exit::{Exit, Failure};
use crate::terminal;

pub(crate) fn run(arguments: &ExplainArguments) -> Result<Exit, Failure> {
    let Some(name) = &arguments.rule else {
        match arguments.format {
            Format::Text => terminal::print(&terminal::show_rules(catalog::all()))?,
            Format::Json => {
                let rules = catalog::all().iter().copied().map(ExplainedRule::of).collect();
                json::print(&ExplainedRules { rules })?;
            }
        }
        return Ok(Exit::Done);
    };
    let rule = catalog::by_name(name).ok_or_else(|| {
        let names = || catalog::all().iter().map(|rule| rule.name);
        let with_it: Vec<&str> = names().filter(|known| known.split('-').any(|word| word == name)).collect();
        let close = nearest(name, names(), 1);
        Failure::CommandLine(match (with_it.as_slice(), close.first()) {
            ([_, ..], _) => {
                format!("there is no rule {name}; with that word there are {}", with_it.join(", "))
            }
            ([], Some(close)) => format!("there is no rule {name}; is {close} meant?"),
            ([], None) => format!("there is no rule {name}; `impostazione explain` lists all rules"),
        })
    })?;
    match arguments.format {
        Format::Text => terminal::print(&terminal::show_rule(rule, terminal::width()))?,
        Format::Json => json::print(&ExplainedRules { rules: vec![ExplainedRule::of(rule)] })?,
    }
    Ok(Exit::Done)
}
