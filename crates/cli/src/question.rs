//! Questions that are answered with yes or no.

use std::io::{self, BufRead as _, IsTerminal as _, Read as _};

use crate::args::{ChangeArguments, Format};
use crate::exit::{Exit, Failure};
use crate::terminal;

/// Longest answer that is read.
const ANSWER_LIMIT: u64 = 4096;

/// Asks on the terminal; only a yes is a yes. Where there is nobody to ask, the answer is no, and the option that answers is
/// named.
pub(crate) fn ask(question: &str, option: &str) -> Result<bool, Failure> {
    if !io::stdin().is_terminal() {
        terminal::say_error(&format!(
            "no terminal to answer the question \"{question}\"; to answer yes, add {option}"
        ));
        return Ok(false);
    }
    terminal::tell(&format!("{question} [y/N] "));
    let mut answer = String::new();
    io::stdin().lock().take(ANSWER_LIMIT).read_line(&mut answer).map_err(|error| {
        Failure::Files(format!("the answer cannot be read: {}", impostazione_text::files::plain(&error)))
    })?;
    Ok(matches!(answer.trim().to_lowercase().as_str(), "y" | "yes"))
}

/// What becomes of a change that somebody asks for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Decision {
    /// It is made.
    Go,
    /// It is only shown.
    DryRun,
    /// It was declined.
    Declined,
}

impl Decision {
    /// The word for it in reports; `done` is what it is called once it is made.
    pub(crate) fn word(self, done: &'static str) -> &'static str {
        match self {
            Self::Go => done,
            Self::DryRun => "tried",
            Self::Declined => "declined",
        }
    }

    /// The exit code that belongs to it.
    pub(crate) fn exit(self) -> Exit {
        match self {
            Self::Go | Self::DryRun => Exit::Done,
            Self::Declined => Exit::ErrorsRemain,
        }
    }
}

impl ChangeArguments {
    /// Refuses a report for other programs where a person would have to be asked.
    pub(crate) fn refuse_to_ask(self, format: Format) -> Result<(), Failure> {
        if format == Format::Json && !self.yes && !self.dry_run {
            return Err(Failure::CommandLine(
                "with --format json nothing is asked; add --yes to make the change, or --dry-run to see it"
                    .to_owned(),
            ));
        }
        Ok(())
    }

    /// Decides about a change, and asks where that is not settled by the command line.
    pub(crate) fn decide(self, question: &str) -> Result<Decision, Failure> {
        Ok(if self.dry_run {
            Decision::DryRun
        } else if self.yes || ask(question, "--yes")? {
            Decision::Go
        } else {
            Decision::Declined
        })
    }
}
