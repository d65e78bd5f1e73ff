//! An interview over stdin and stdout, for other front ends: a question a line, a reply a line.

use std::sync::Arc;
use std::sync::atomic::AtomicBool;

use impostazione_core::draft::{Choice, Interview, Outcome, Question, Refusal};
use impostazione_text::visible::guarded_json;
use serde::{Deserialize, Serialize};

use super::Ending;
use super::keep::Kept;
use super::known_replies::KnownReplies;
use crate::exit::Failure;
use crate::line_input::{Line, LineInput};
use crate::terminal;

/// The form of the lines, which changes when a program that reads them would have to.
const FORMAT: u8 = 1;

/// What is said in one line.
#[derive(Serialize)]
#[serde(tag = "kind", rename_all = "kebab-case")]
enum Said<'a> {
    /// This is asked.
    Asked(&'a Question),
    /// The reply was taken.
    Taken { shown: Vec<String> },
    /// The question is explained.
    Explained { message: String },
    /// The question before is asked again.
    WentBack,
    /// There is none before.
    NothingBefore,
    /// The reply was not taken.
    Refused {
        rule: Option<&'static str>,
        message: String,
        fix: String,
        proposal: Option<String>,
        offers: Vec<Choice>,
        /// Whether the same reply once more is taken.
        judgment: bool,
    },
    /// The interview has ended.
    Ended { sheet: &'a str, outcome: &'static str, open: &'a [String], errors: usize },
}

impl Said<'_> {
    fn of(refusal: Refusal) -> Self {
        Self::Refused {
            rule: refusal.rule.map(|rule| rule.name),
            message: refusal.message,
            fix: refusal.fix,
            proposal: refusal.proposal,
            offers: refusal.offers,
            judgment: refusal.is_judgment,
        }
    }
}

#[derive(Serialize)]
struct Report<'a> {
    format: u8,
    #[serde(flatten)]
    said: Said<'a>,
}

/// A reply, in a line of its own.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Reply {
    reply: String,
}

fn say(said: Said<'_>) -> Result<(), Failure> {
    let text = serde_json::to_string(&Report { format: FORMAT, said })
        .map_err(|error| Failure::Files(format!("the question cannot be written: {error}")))?;
    terminal::print_as_it_is(&(guarded_json(&text).into_owned() + "\n"))
}

/// Asks until the interview ends, or stdin does.
pub(super) fn ask(interview: &mut Interview<'_>, replies: &mut KnownReplies) -> Result<Ending, Failure> {
    let mut input = LineInput::new(Arc::new(AtomicBool::new(false)));
    loop {
        if let Some(refused) = replies.give(interview) {
            say(Said::of(refused.refusal))?;
        }
        say(Said::Asked(&interview.question()))?;
        let reply = match input.next() {
            Line::Text(line) if line.trim().is_empty() => Ok(String::new()),
            Line::Text(line) => serde_json::from_str::<Reply>(&line)
                .map(|reply| reply.reply)
                .map_err(|error| error.to_string()),
            Line::Unusable => Err("it is not UTF-8 text, or too long".to_owned()),
            Line::Interrupted | Line::End => return Ok(Ending::Left),
        };
        let outcome = match reply {
            Ok(reply) => interview.reply(&reply),
            Err(reason) => {
                say(Said::Refused {
                    rule: None,
                    message: format!("The line is not a reply: {reason}."),
                    fix: "write a line such as {\"reply\":\"10.64.10.1\"}".to_owned(),
                    proposal: None,
                    offers: Vec::new(),
                    judgment: false,
                })?;
                continue;
            }
        };
        match outcome {
            Outcome::Accepted => return Ok(Ending::Accepted),
            Outcome::Left => return Ok(Ending::Left),
            Outcome::Taken(shown) => say(Said::Taken { shown })?,
            Outcome::Explained(message) => say(Said::Explained { message })?,
            Outcome::WentBack => say(Said::WentBack)?,
            Outcome::NothingBefore => say(Said::NothingBefore)?,
            Outcome::Refused(refusal) => say(Said::of(refusal))?,
        }
    }
}

/// Says how it ended.
pub(super) fn print_end(sheet: &str, ending: Ending, kept: &Kept) -> Result<(), Failure> {
    let (open, errors) = match kept {
        Kept::Unchanged | Kept::Same => (&[] as &[String], 0),
        Kept::Written { open, errors } => (open.as_slice(), *errors),
    };
    let outcome = match (kept, ending) {
        (Kept::Unchanged | Kept::Same, _) => "unchanged",
        (_, Ending::Accepted) => "accepted",
        _ => "left",
    };
    say(Said::Ended { sheet, outcome, open, errors })
}
