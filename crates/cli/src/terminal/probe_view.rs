//! What was asked of the network, for people: what would be asked, records that DNS lacks, and how much was right.

use std::fmt::Write as _;

use impostazione_probe::judge::{RecordToAdd, Tally};
use impostazione_text::visible::harmless;

use super::screen::wrapping;
use super::table::{finished, new_table};
use super::theme::STRONG;
use crate::commands::probe::report::AskedReport;

/// The most of one kind that is listed.
const MOST: usize = 40;

/// What would be asked.
pub(crate) fn show_plan(report: &AskedReport, width: usize) -> String {
    let mut text = String::new();
    for question in &report.questions {
        // Writing to a String does not fail.
        let _ = writeln!(
            text,
            "{STRONG}{} ({}){STRONG:#}: {}",
            question.about.replace('-', " ").replace("dns", "DNS").replace("dhcp", "DHCP"),
            question.of.len(),
            question.how
        );
        let mut listed: Vec<String> = question.of.iter().take(MOST).map(|one| harmless(one)).collect();
        if let Some(more) = question.of.len().checked_sub(MOST).filter(|more| *more > 0) {
            listed.push(format!("and {more} more"));
        }
        let options = wrapping(width).initial_indent("  ").subsequent_indent("  ");
        let _ = writeln!(text, "{}\n", textwrap::fill(&listed.join(", "), options));
    }
    let sheet = harmless(&report.sheet);
    let _ = writeln!(
        text,
        "{sheet}: asking takes {} at the most; nothing was sent (--dry-run)",
        in_words(report.longest_seconds)
    );
    text
}

/// Seconds in words.
pub(super) fn in_words(seconds: u64) -> String {
    match (seconds / 60, seconds % 60) {
        (0, seconds) => format!("{seconds} s"),
        (minutes, 0) => format!("{minutes} min"),
        (minutes, seconds) => format!("{minutes} min {seconds} s"),
    }
}

/// Records to add to DNS, as a zone file has them; nothing where none is missing.
pub(crate) fn show_records(records: &[RecordToAdd]) -> String {
    if records.is_empty() {
        return String::new();
    }
    let owner = records.iter().map(|record| record.owner.len()).max().unwrap_or(0);
    let mut text = format!("{STRONG}Records to add to DNS{STRONG:#}\n\n");
    for record in records {
        // Writing to a String does not fail.
        let _ = writeln!(text, "{:owner$}  IN  {:4}  {}", record.owner, record.kind, record.value);
    }
    text + "\n"
}

/// How much is right, wrong, or not known.
pub(crate) fn show_tally(tally: &Tally, not_yet: &[String], width: usize) -> String {
    let mut table = new_table(width);
    table.set_header(["asked about", "as the sheet says", "otherwise", "not known"]);
    let number = |number: usize| if number == 0 { String::new() } else { number.to_string() };
    for (subject, count) in tally.counts() {
        table.add_row([
            subject.word().to_owned(),
            number(count.right),
            number(count.wrong),
            number(count.unknown),
        ]);
    }
    if table.is_empty() {
        return "There was nothing to ask.\n".to_owned();
    }
    let mut text = finished(table) + "\n\n";
    if !not_yet.is_empty() {
        let (servers, does) = (not_yet.join(", "), if not_yet.len() == 1 { "does" } else { "do" });
        let says = format!("{servers} {does} not answer yet, as is right before the first boot.");
        let says = impostazione_text::capital(&says);
        text += &(textwrap::fill(&says, wrapping(width)) + "\n\n");
    }
    text
}
