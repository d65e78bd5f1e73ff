//! What reaches the terminal, and how wide it is.

use std::borrow::Cow;
use std::io::{self, Write as _};

use impostazione_text::visible::{guarded, harmless};

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

/// Writes what is no result to stderr.
pub(crate) fn tell(text: &str) {
    // There is nowhere left to say that stderr is closed.
    let _ = anstream::stderr().write_all(showable(&guarded(text)).as_bytes());
}

/// Says on stderr why a run could not do what it was asked to.
pub(crate) fn complain(message: &str) {
    tell(&format!("impostazione: {}\n", harmless(message)));
}

/// Columns of the terminal, or as many as are usual.
pub(crate) fn width() -> usize {
    terminal_size::terminal_size().map_or(USUAL_WIDTH, |(width, _)| usize::from(width.0).clamp(40, 160))
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

/// A text wrapped behind an indent.
pub(super) fn wrapped_behind(text: &str, indent: &str, width: usize) -> String {
    let options =
        textwrap::Options::new(width).initial_indent(indent).subsequent_indent(indent).break_words(false);
    textwrap::fill(&harmless(text), options)
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
    if rest == 0 { harmless(text) } else { format!("{}… and {rest} characters more", harmless(&beginning)) }
}
