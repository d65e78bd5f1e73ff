//! Questions that are answered with yes or no.

use std::io::{self, BufRead as _, IsTerminal as _, Read as _};

use crate::exit::Failure;
use crate::terminal;

/// Longest answer that is read.
const ANSWER_LIMIT: u64 = 4096;

/// Asks on the terminal; only a yes is a yes. Where there is nobody to ask, the answer is no, and the option that answers is
/// named.
pub(crate) fn ask(question: &str, option: &str) -> Result<bool, Failure> {
    if !io::stdin().is_terminal() {
        terminal::complain(&format!("there is no terminal to ask on: {question} {option} answers yes"));
        return Ok(false);
    }
    terminal::tell(&format!("{question} [y/N] "));
    let mut answer = String::new();
    io::stdin().lock().take(ANSWER_LIMIT).read_line(&mut answer).map_err(|error| {
        Failure::Files(format!("the answer cannot be read: {}", impostazione_text::files::plain(&error)))
    })?;
    Ok(matches!(answer.trim().to_lowercase().as_str(), "y" | "yes"))
}
