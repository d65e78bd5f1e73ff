//! What becomes of what somebody has changed since an earlier placement.

use std::io::{self, IsTerminal as _};

use impostazione_core::placing::ChangedSince;

use crate::args::{Format, PlaceArguments};
use crate::exit::Failure;
use crate::question::ask;
use crate::terminal;

/// What was answered.
pub(super) enum Answers {
    /// Nothing had to be asked.
    None,
    /// What cannot stay is not to be lost.
    Declined,
    /// These are lost, by their numbers, and the others stay.
    Lost(Vec<usize>),
}

/// Asks about each change for which the command line has no answer.
pub(super) fn ask_each(arguments: &PlaceArguments, changed: &[ChangedSince]) -> Result<Answers, Failure> {
    let is_open =
        |changed: &ChangedSince| !(arguments.discard_changes || arguments.keep_changes && changed.can_stay);
    let open: Vec<(usize, &ChangedSince)> =
        changed.iter().enumerate().filter(|(_, changed)| is_open(changed)).collect();
    let [(_, first), ..] = open.as_slice() else { return Ok(Answers::None) };
    // Other programs are asked nothing, even where somebody sits at the terminal.
    if arguments.format == Format::Json || !io::stdin().is_terminal() {
        let more = match open.len() - 1 {
            0 => String::new(),
            1 => ", and one thing more".to_owned(),
            more => format!(", and {more} things more"),
        };
        let can_stay = open.iter().any(|(_, changed)| changed.can_stay);
        let keep = if can_stay { "--keep-changes has it stay where it can, and " } else { "" };
        let first = terminal::harmless(&first.to_string());
        terminal::complain(&format!(
            "since the earlier placement, {first}{more}: {keep}--discard-changes answers that it may be lost"
        ));
        return Ok(Answers::Declined);
    }
    let mut lost = Vec::new();
    for (number, changed) in open {
        let what = terminal::harmless(&changed.to_string());
        if changed.can_stay {
            let question =
                format!("Since it was placed, {what}. Put the output's in its place, and lose that?");
            if ask(&question, "--discard-changes")? {
                lost.push(number);
            }
        } else {
            let question = format!("Since it was placed, {what}, which cannot stay. Go on, and lose that?");
            if !ask(&question, "--discard-changes")? {
                return Ok(Answers::Declined);
            }
        }
    }
    Ok(Answers::Lost(lost))
}
