//! How far a long reading has come, on stderr, where that is a terminal.

use std::io::{IsTerminal as _, stderr};

use indicatif::{ProgressBar, ProgressStyle};

/// Bytes below which nobody waits.
const SHORT: u64 = 64 * 1024 * 1024;

/// Passwords whose hashing nobody waits for.
const FEW: u64 = 20;

/// A bar that is shown only where somebody looks at it, and only for what takes a while.
pub(crate) struct Progress(ProgressBar);

impl Progress {
    /// A bar for so many bytes.
    pub(crate) fn new(bytes: u64, quiet: bool) -> Self {
        if quiet || bytes < SHORT || !stderr().is_terminal() {
            return Self(ProgressBar::hidden());
        }
        let bar = ProgressBar::new(bytes);
        let style = ProgressStyle::with_template("{wide_bar} {bytes} of {total_bytes}, {eta} to go");
        Self(match style {
            Ok(style) => bar.with_style(style),
            Err(_) => bar,
        })
    }

    /// A bar for so many passwords that are hashed.
    pub(crate) fn of_passwords(count: u64, quiet: bool) -> Self {
        if quiet || count < FEW || !stderr().is_terminal() {
            return Self(ProgressBar::hidden());
        }
        let bar = ProgressBar::new(count);
        let style = ProgressStyle::with_template("{wide_bar} {pos} of {len} passwords hashed, {eta} to go");
        Self(match style {
            Ok(style) => bar.with_style(style),
            Err(_) => bar,
        })
    }

    /// So many more.
    pub(crate) fn add(&self, more: u64) {
        self.0.inc(more);
    }

    /// Takes the bar away.
    pub(crate) fn finish(&self) {
        self.0.finish_and_clear();
    }
}
