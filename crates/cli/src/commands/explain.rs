//! `explain`

use impostazione_core::catalog;
use impostazione_text::nearest;

use crate::args::ExplainArguments;
use crate::exit::{Exit, Failure};
use crate::terminal;

pub(crate) fn run(arguments: &ExplainArguments) -> Result<Exit, Failure> {
    let Some(name) = &arguments.rule else {
        terminal::print(&terminal::show_rules(catalog::all()))?;
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
    terminal::print(&terminal::show_rule(rule, terminal::width()))?;
    Ok(Exit::Done)
}
