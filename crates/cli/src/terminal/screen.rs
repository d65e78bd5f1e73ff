//! What reaches the terminal, and how wide it is.

use std::borrow::Cow;
use std::io::{self, IsTerminal as _, Write as _};
use std::sync::atomic::{AtomicBool, Ordering};

use anstyle::Style;
use impostazione_text::visible::{guarded, harmless};
use unicode_width::UnicodeWidthStr as _;

use super::theme;
use crate::exit::Failure;

/// Columns to fill where the terminal does not say how many it has.
pub(super) const USUAL_WIDTH: usize = 100;

/// Writes a result to stdout. A reader that closes the pipe has seen what it wanted.
pub(crate) fn print(text: &str) -> Result<(), Failure> {
    let mut out = anstream::stdout().lock();
    match out.write_all(showable(&guarded(text)).as_bytes()).and_then(|()| out.flush()) {
        Err(error) if error.kind() != io::ErrorKind::BrokenPipe => {
            Err(Failure::Files(format!("stdout: {}", impostazione_text::files::plain(&error))))
        }
        _ => Ok(()),
    }
}

/// The same for text that this program made as a whole, and that another one reads.
pub(crate) fn print_as_it_is(text: &str) -> Result<(), Failure> {
    let mut out = io::stdout().lock();
    match out.write_all(text.as_bytes()).and_then(|()| out.flush()) {
        Err(error) if error.kind() != io::ErrorKind::BrokenPipe => {
            Err(Failure::Files(format!("stdout: {}", impostazione_text::files::plain(&error))))
        }
        _ => Ok(()),
    }
}

/// Writes what is no result to stderr.
pub(crate) fn tell(text: &str) {
    // There is nowhere left to say that stderr is closed.
    let _ = anstream::stderr().write_all(showable(&guarded(text)).as_bytes());
}

/// Whether notes are left out, as `-q` asks.
static IS_QUIET: AtomicBool = AtomicBool::new(false);

/// Leaves notes out from now on.
pub(crate) fn leave_notes_out() {
    IS_QUIET.store(true, Ordering::Relaxed);
}

/// Says on stderr why a run could not do what it was asked to.
pub(crate) fn say_error(message: &str) {
    say("error:", theme::BAD, message);
}

/// Says on stderr what may go wrong later.
pub(crate) fn say_warning(message: &str) {
    say("warning:", theme::DOUBTFUL, message);
}

/// Says on stderr what is good to know, unless `-q` leaves it out.
pub(crate) fn say_note(message: &str) {
    if !IS_QUIET.load(Ordering::Relaxed) {
        say("note:", theme::INFORMED, message);
    }
}

/// Says that nothing was changed, since somebody did not want it.
pub(crate) fn say_unchanged(name: &str) {
    tell(&format!("{}: nothing was changed\n", harmless(name)));
}

/// One message on stderr, wrapped where a terminal would break it in the middle of a word.
fn say(title: &str, style: Style, message: &str) {
    let mut text = format!("{title} {}", harmless(message));
    if io::stderr().is_terminal() {
        text = textwrap::fill(&text, wrapping(width()).subsequent_indent("  "));
    }
    tell(&format!("{}\n", text.replacen(title, &format!("{style}{title}{style:#}"), 1)));
}

/// Columns of the terminal; without one those that the variable `COLUMNS` gives, or as many as are usual.
pub(crate) fn width() -> usize {
    let of_terminal = terminal_size::terminal_size().map(|(width, _)| usize::from(width.0));
    let asked = || std::env::var("COLUMNS").ok().and_then(|columns| columns.parse().ok());
    of_terminal.or_else(asked).map_or(USUAL_WIDTH, |width| width.clamp(40, 160))
}

/// Whether the terminal shows more than ASCII.
pub(super) fn shows_unicode() -> bool {
    let locale = ["LC_ALL", "LC_CTYPE", "LANG"]
        .iter()
        .find_map(|name| std::env::var(name).ok().filter(|value| !value.is_empty()));
    locale.is_some_and(|locale| {
        let locale = locale.to_ascii_lowercase();
        locale.contains("utf-8") || locale.contains("utf8")
    })
}

/// The text with its dots spelled out where the terminal shows ASCII only.
pub(super) fn showable(text: &str) -> Cow<'_, str> {
    if shows_unicode() { Cow::Borrowed(text) } else { Cow::Owned(text.replace('…', "...")) }
}

/// How text is wrapped: between words, never within one.
pub(crate) fn wrapping<'a>(width: usize) -> textwrap::Options<'a> {
    textwrap::Options::new(width).break_words(false).word_splitter(textwrap::WordSplitter::NoHyphenation)
}

/// A text wrapped behind an indent.
pub(super) fn wrapped_behind(text: &str, indent: &str, width: usize) -> String {
    let options = wrapping(width).initial_indent(indent).subsequent_indent(indent);
    textwrap::fill(&harmless(text), options)
}

/// Paths and what belongs to them behind a title, broken between words and at slashes only.
pub(super) fn paths_behind(title: &str, words: &[String], width: usize) -> String {
    let indent = " ".repeat(title.len());
    let mut lines = vec![title.to_owned()];
    for word in words {
        for (nth, piece) in word.split_inclusive('/').enumerate() {
            let Some(line) = lines.last_mut() else { continue };
            let gap = if nth == 0 && line.trim().len() > title.trim().len() { " " } else { "" };
            if line.width() + gap.len() + piece.width() > width && line.width() > indent.len() {
                lines.push(format!("{indent}{piece}"));
            } else {
                line.push_str(gap);
                line.push_str(piece);
            }
        }
    }
    lines.join("\n")
}

/// The same for a text of several lines, which stay.
pub(crate) fn harmless_lines(text: &str) -> String {
    text.lines().map(harmless).collect::<Vec<_>>().join("\n")
}

/// A stranger's text for a cell of a table: its beginning, where it is long.
pub(super) fn cell(text: &str) -> String {
    const MOST: usize = 400;
    let mut characters = text.chars();
    let beginning: String = characters.by_ref().take(MOST).collect();
    let rest = characters.count();
    if rest == 0 { harmless(text) } else { format!("{}… and {rest} more characters", harmless(&beginning)) }
}
