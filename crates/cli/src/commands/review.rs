//! `review`

use impostazione_core::views::review::{Review, review};
use impostazione_secret::NotAsked;
use serde::Serialize;

use super::json;
use crate::args::{Format, ReviewArguments};
use crate::exit::{Exit, Failure};
use crate::only::Only;
use crate::sheet_file::assess_with_file;
use crate::terminal;

/// The same for other programs.
#[derive(Serialize)]
struct JsonReport<'a> {
    /// Whether the sheet could be read in full; else machines and settings may be missing here.
    sheet_read_whole: bool,
    #[serde(flatten)]
    review: &'a Review,
}

pub(crate) fn run(arguments: &ReviewArguments, is_verbose: bool) -> Result<Exit, Failure> {
    // What is only shown needs no secret.
    let assessment = assess_with_file(&arguments.sheet, &NotAsked)?;
    let only = Only::new(&arguments.only, &assessment.site)?;
    let review = review(&assessment.site, |name| only.includes(name))
        .with_judgment(&assessment.site, &assessment.findings)
        .with_origins(&assessment.site, &assessment.sources);
    match arguments.format {
        Format::Json => {
            json::print(&JsonReport { sheet_read_whole: assessment.is_whole, review: &review })?;
        }
        Format::Text => {
            let mut text = terminal::show_review(&review, terminal::width());
            if is_verbose {
                text.push_str(&terminal::show_origins(&review, terminal::width()));
            }
            terminal::print(&text)?;
        }
    }
    let found = assessment.findings.iter().filter(|finding| !finding.is_waived()).count();
    if found > 0 {
        terminal::tell(&format!(
            "\n{} in this sheet: `impostazione check {}` shows {}.\n",
            terminal::count(found, "finding", "findings"),
            arguments.sheet.display(),
            if found == 1 { "it" } else { "them" },
        ));
    }
    if !assessment.is_whole {
        terminal::say_warning(&format!(
            "{} cannot be read in full; machines and settings may be missing here",
            arguments.sheet.display()
        ));
    }
    Ok(if assessment.is_whole { Exit::Done } else { Exit::ErrorsRemain })
}
