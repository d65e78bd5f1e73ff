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
    /// There is nobody to ask; what the command line must answer.
    Unasked(String),
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
            1 => ", and one more change".to_owned(),
            more => format!(", and {more} more changes"),
        };
        let can_stay = open.iter().any(|(_, changed)| changed.can_stay);
        let keep = if can_stay { "--keep-changes keeps what can be kept, " } else { "" };
        let first = terminal::harmless(&first.to_string());
        let overwrites =
            format!("--discard-changes overwrites {}", if open.len() == 1 { "it" } else { "all" });
        return Ok(Answers::Unasked(format!("since it was placed, {first}{more}: {keep}{overwrites}")));
    }
    let mut lost = Vec::new();
    for (number, changed) in open {
        let what = terminal::harmless(&changed.to_string());
        if changed.can_stay {
            let question = format!("Since it was placed, {what}. Overwrite that with the output?");
            if ask(&question, "--discard-changes")? {
                lost.push(number);
            }
        } else {
            let question =
                format!("Since it was placed, {what}, and that cannot be kept. Go on and lose it?");
            if !ask(&question, "--discard-changes")? {
                return Ok(Answers::Declined);
            }
        }
    }
    Ok(Answers::Lost(lost))
}
