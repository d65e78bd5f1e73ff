//! What is said to other programs.

use impostazione_text::visible::guarded_json;
use serde::Serialize;

use crate::exit::Failure;
use crate::terminal;

/// The form of all reports, which changes when a program that reads one would have to.
const FORMAT: u8 = 1;

#[derive(Serialize)]
struct Report<'a, T> {
    format: u8,
    #[serde(flatten)]
    content: &'a T,
}

/// Prints a report.
pub(super) fn print(content: &impl Serialize) -> Result<(), Failure> {
    print_as_it_is(&Report { format: FORMAT, content })
}

/// A report as the text of a file.
pub(super) fn text_of(content: &impl Serialize) -> Result<String, Failure> {
    text(&Report { format: FORMAT, content })
}

/// Prints what has a form that is not ours.
pub(super) fn print_as_it_is(value: &impl Serialize) -> Result<(), Failure> {
    terminal::print(&text(value)?)
}

fn text(value: &impl Serialize) -> Result<String, Failure> {
    let text = serde_json::to_string_pretty(value)
        .map_err(|error| Failure::Files(format!("the result cannot be written: {error}")))?;
    Ok(guarded_json(&text).into_owned() + "\n")
}
