//! An interview with a person at a terminal.

use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread;

use impostazione_core::draft::{Interview, Outcome, Question};
use inquire::ui::{RenderConfig, Styled};
use inquire::{InquireError, Text};
use rustix::termios::{OptionalActions, Termios, tcgetattr, tcsetattr};
use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
use signal_hook::iterator::Signals;

use super::keep::{Kept, SheetFile, keep};
use super::known_replies::KnownReplies;
use super::{Ending, say_refused};
use crate::exit::Failure;
use crate::line_input::{Line, LineInput};
use crate::terminal::{
    self, question_line, question_prompt, show_before, show_choices, show_refusal, show_said,
};

/// How many lines of a long text are shown at a time.
const PAGE: usize = 18;

/// What a person did.
enum Typed {
    Reply(String),
    /// Something that is not text.
    Unusable,
    /// Ctrl-C.
    Interrupted,
    /// The terminal is gone.
    End,
}

/// How lines are typed.
enum Keys {
    /// A line that can be edited, drawn by the library for prompts.
    Drawn,
    /// A line as the terminal gives it.
    Plain(LineInput),
}

/// Asks until the interview ends.
pub(super) fn ask(
    interview: &mut Interview<'_>,
    file: &SheetFile,
    is_plain: bool,
    replies: &mut KnownReplies,
) -> Result<(Ending, Kept), Failure> {
    let latest: Arc<Mutex<Option<String>>> = Arc::default();
    let is_interrupted = Arc::new(AtomicBool::new(false));
    let as_it_was = AsItWas::now();
    keep_at_a_signal(file, &latest, &is_interrupted, as_it_was.settings.clone())?;
    let mut keys = if is_plain || std::env::var("TERM").is_ok_and(|name| name == "dumb") {
        Keys::Plain(LineInput::new(is_interrupted))
    } else {
        Keys::Drawn
    };
    terminal::tell(
        "Enter takes the value in brackets. ? explains, back returns, Ctrl-C ends and asks whether to keep what there is.\n",
    );
    let ending = converse(interview, file, &mut keys, &latest, replies)?;
    drop(as_it_was);
    // A signal that comes now waits until the sheet is written, and then finds nothing to keep.
    let mut latest = latest.lock().unwrap_or_else(PoisonError::into_inner);
    *latest = None;
    Ok((ending, keep(file, interview, ending)?))
}

fn converse(
    interview: &mut Interview<'_>,
    file: &SheetFile,
    keys: &mut Keys,
    latest: &Mutex<Option<String>>,
    replies: &mut KnownReplies,
) -> Result<Ending, Failure> {
    let mut asked: Option<Question> = None;
    loop {
        if let Some(refused) = replies.give(interview) {
            say_refused(&refused);
        }
        if !interview.replies().is_empty() {
            let mut latest = latest.lock().unwrap_or_else(PoisonError::into_inner);
            if latest.is_none() {
                *latest = Some(interview.open_text().0);
            }
        }
        let question = interview.question();
        // A question that is asked again is not shown in full once more.
        let is_again = asked.as_ref().is_some_and(|before| before.id == question.id);
        if !is_again {
            terminal::tell("\n");
            if !show_in_pages(&question, keys) {
                return Ok(Ending::Left);
            }
        }
        asked = Some(question.clone());
        terminal::tell(&question_line(&question));
        if !is_again {
            terminal::tell(&show_choices(&question));
        }
        let typed = match keys.read(&question)? {
            Typed::Reply(typed) => typed,
            Typed::Unusable => {
                terminal::tell("  That is not UTF-8 text, or too long; type it again.\n");
                continue;
            }
            Typed::Interrupted => {
                if interview.replies().is_empty() {
                    return Ok(Ending::Dropped);
                }
                match wants_to_keep(file, keys)? {
                    Some(true) => return Ok(Ending::Left),
                    Some(false) => return Ok(Ending::Dropped),
                    None => continue,
                }
            }
            Typed::End => return Ok(Ending::Left),
        };
        match interview.reply(&typed) {
            Outcome::Taken(told) => {
                terminal::tell(&show_said(&told));
                *latest.lock().unwrap_or_else(PoisonError::into_inner) = Some(interview.open_text().0);
                asked = None;
            }
            Outcome::Explained(text) => terminal::tell(&show_said(&[text])),
            Outcome::WentBack => asked = None,
            Outcome::NothingBefore => terminal::tell("  This is the first question.\n"),
            Outcome::Refused(refusal) => terminal::tell(&show_refusal(&refusal)),
            Outcome::Accepted => return Ok(Ending::Accepted),
            Outcome::Left => return Ok(Ending::Left),
        }
    }
}

/// Shows the part before a question, a long text page by page. Whether it could be shown to its end.
fn show_in_pages(question: &Question, keys: &mut Keys) -> bool {
    if !question.is_long_text || question.shown.len() <= PAGE {
        terminal::tell(&show_before(question));
        return true;
    }
    let pages = question.shown.chunks(PAGE);
    let last = pages.len();
    for (index, page) in pages.enumerate() {
        let part = Question { shown: page.to_vec(), ..Question::default() };
        terminal::tell(&show_before(&part));
        if index + 1 < last {
            let more = Question {
                line: format!("Page {} of {last}. Enter shows the next", index + 1),
                ..Question::default()
            };
            terminal::tell(&question_line(&more));
            match keys.read(&more) {
                Ok(Typed::Reply(_) | Typed::Unusable) => {}
                Ok(Typed::Interrupted | Typed::End) | Err(_) => return false,
            }
        }
    }
    true
}

/// Asks whether what there is is kept; nothing where the interview is to go on.
fn wants_to_keep(file: &SheetFile, keys: &mut Keys) -> Result<Option<bool>, Failure> {
    let question = Question {
        line: format!("Keep what there is in {}? yes, no, or go on", file.path.display()),
        proposal: Some("yes".to_owned()),
        ..Question::default()
    };
    loop {
        terminal::tell("\n");
        terminal::tell(&question_line(&question));
        let word = match keys.read(&question)? {
            Typed::Reply(word) => word.trim().to_lowercase(),
            Typed::Unusable => continue,
            // Asked twice, nothing is kept against somebody's will; a terminal that is gone loses nothing.
            Typed::Interrupted => return Ok(Some(false)),
            Typed::End => return Ok(Some(true)),
        };
        match word.as_str() {
            "" | "y" | "yes" => return Ok(Some(true)),
            "n" | "no" => return Ok(Some(false)),
            "go on" | "go" | "on" | "back" => return Ok(None),
            _ => {}
        }
    }
}

impl Keys {
    /// Reads one reply.
    fn read(&mut self, question: &Question) -> Result<Typed, Failure> {
        let line = question_prompt(question);
        match self {
            Self::Plain(input) => {
                terminal::tell(&format!("{line} "));
                Ok(match input.next() {
                    Line::Text(text) => Typed::Reply(text),
                    Line::Unusable => Typed::Unusable,
                    Line::Interrupted => Typed::Interrupted,
                    Line::End => {
                        terminal::tell("\n");
                        Typed::End
                    }
                })
            }
            Self::Drawn => {
                let words: Vec<String> = question.choices.iter().map(|choice| choice.word.clone()).collect();
                let completing = move |typed: &str| {
                    let begun = words.iter().filter(|word| !typed.is_empty() && word.starts_with(typed));
                    Ok(begun.cloned().collect::<Vec<String>>())
                };
                let prompt = Text::new(&line).with_render_config(without_marks());
                let prompt =
                    if question.choices.is_empty() { prompt } else { prompt.with_autocomplete(completing) };
                match prompt.prompt() {
                    Ok(text) => Ok(Typed::Reply(text)),
                    Err(InquireError::OperationCanceled) => Ok(Typed::Reply("back".to_owned())),
                    Err(InquireError::OperationInterrupted) => Ok(Typed::Interrupted),
                    Err(InquireError::IO(_) | InquireError::NotTTY) => Ok(Typed::End),
                    Err(error) => Err(Failure::Files(format!("the terminal cannot be asked on: {error}"))),
                }
            }
        }
    }
}

/// Prompts without marks of the library's own: a question mark is a reply here.
fn without_marks() -> RenderConfig<'static> {
    let config = RenderConfig::empty().with_prompt_prefix(Styled::new(""));
    config.with_answered_prompt_prefix(Styled::new(""))
}

/// The settings of the terminal as they were, to which it returns whatever happens.
struct AsItWas {
    settings: Option<Termios>,
}

impl AsItWas {
    fn now() -> Self {
        Self { settings: tcgetattr(std::io::stdin()).ok() }
    }
}

impl Drop for AsItWas {
    fn drop(&mut self) {
        restore(self.settings.as_ref());
    }
}

fn restore(settings: Option<&Termios>) {
    if let Some(settings) = settings {
        // A terminal that is gone needs nothing.
        let _ = tcsetattr(std::io::stdin(), OptionalActions::Now, settings);
    }
}

/// At a signal that ends the program, keeps what there is, and returns the terminal as it was.
fn keep_at_a_signal(
    file: &SheetFile,
    latest: &Arc<Mutex<Option<String>>>,
    is_interrupted: &Arc<AtomicBool>,
    settings: Option<Termios>,
) -> Result<(), Failure> {
    let mut signals = Signals::new([SIGINT, SIGTERM, SIGHUP])
        .map_err(|error| Failure::Files(format!("signals cannot be waited for: {error}")))?;
    let file = SheetFile { path: file.path.clone(), text: file.text.clone() };
    let (latest, is_interrupted) = (Arc::clone(latest), Arc::clone(is_interrupted));
    thread::spawn(move || {
        for signal in signals.forever() {
            if signal == SIGINT {
                is_interrupted.store(true, Ordering::SeqCst);
                continue;
            }
            restore(settings.as_ref());
            let text = latest.lock().unwrap_or_else(PoisonError::into_inner).take();
            if let Some(text) = text {
                // Nobody is there to be told.
                let _ = file.write(&text);
            }
            let _ = signal_hook::low_level::emulate_default_handler(signal);
        }
    });
    Ok(())
}
