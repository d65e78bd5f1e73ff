//! How far asking the network has come: a table that lives, on stderr, where that is a terminal.

use std::collections::BTreeMap;
use std::io::{IsTerminal as _, stderr};
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

use impostazione_probe::ask::{Topic, Watch};
use indicatif::{MultiProgress, ProgressBar, ProgressStyle};

use super::probe_view::in_words;

/// The lines of the table, one for each topic that something is asked about.
pub(crate) struct AskingProgress {
    table: Option<MultiProgress>,
    lines: Mutex<BTreeMap<Topic, ProgressBar>>,
    heading: ProgressBar,
}

impl AskingProgress {
    /// A table that says how long it may take; none where nobody looks.
    pub(crate) fn new(within: Duration, quiet: bool) -> Self {
        let is_shown = !quiet && stderr().is_terminal();
        let table = is_shown.then(MultiProgress::new);
        let heading = match &table {
            Some(table) => {
                let line = table.add(ProgressBar::no_length());
                if let Ok(style) = ProgressStyle::with_template("{msg}") {
                    line.set_style(style);
                }
                line.set_message(format!(
                    "asking the network; {} at the most, Ctrl-C ends it with what is known",
                    in_words(within.as_secs())
                ));
                line
            }
            None => ProgressBar::hidden(),
        };
        Self { table, lines: Mutex::default(), heading }
    }

    /// Takes the table away.
    pub(crate) fn finish(&self) {
        for line in self.lines.lock().unwrap_or_else(PoisonError::into_inner).values() {
            line.finish_and_clear();
        }
        self.heading.finish_and_clear();
    }

    fn with(&self, topic: Topic, change: impl FnOnce(&ProgressBar)) {
        let Some(table) = &self.table else { return };
        let mut lines = self.lines.lock().unwrap_or_else(PoisonError::into_inner);
        let line = lines.entry(topic).or_insert_with(|| {
            let line = table.add(ProgressBar::new(0));
            let style = ProgressStyle::with_template("  {prefix:14} {wide_bar} {pos:>5} of {len:<5}");
            if let Ok(style) = style {
                line.set_style(style);
            }
            line.set_prefix(word(topic));
            line
        });
        change(line);
    }
}

impl Watch for AskingProgress {
    fn planned(&self, topic: Topic, more: usize) {
        if more > 0 {
            self.with(topic, |line| line.inc_length(u64::try_from(more).unwrap_or(u64::MAX)));
        }
    }

    fn answered(&self, topic: Topic, more: usize) {
        self.with(topic, |line| line.inc(u64::try_from(more).unwrap_or(u64::MAX)));
    }
}

fn word(topic: Topic) -> &'static str {
    match topic {
        Topic::Addresses => "addresses",
        Topic::Names => "DNS",
        Topic::Clocks => "time servers",
        Topic::Services => "other servers",
        Topic::Leases => "DHCP servers",
    }
}
