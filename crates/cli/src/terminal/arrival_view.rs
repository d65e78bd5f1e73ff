//! What machines have come to after their first start, for people.

use std::fmt::Write as _;

use anstyle::Style;
use impostazione_core::network::SeenCertificates;
use impostazione_probe::arrival::{Arrival, Arrivals, Stage};
use impostazione_probe::inside::InsideState;
use impostazione_probe::question::{ArrivalPlan, ExpectedMachine};
use impostazione_text::visible::harmless;

use super::counts::count;
use super::probe_view::in_words;
use super::screen::wrapping;
use super::table::{finished, new_table};
use super::theme::{self, STRONG};
use crate::commands::probe::after_report::KnockReport;

/// From so many machines on, those that are right are only counted.
const MANY: usize = 40;

/// What is shown of a run.
pub(crate) struct ArrivalsShown<'r, 'a> {
    pub(crate) plan: &'r ArrivalPlan<'a>,
    pub(crate) arrivals: &'r Arrivals<'a>,
    pub(crate) remembered: &'r SeenCertificates,
}

/// The style of a state.
pub(super) fn of_stage(stage: Stage) -> Style {
    match stage {
        Stage::Right => theme::GOOD,
        Stage::Starting => theme::DOUBTFUL,
        Stage::Unknown => theme::INFORMED,
        Stage::Silent | Stage::Wrong => theme::BAD,
    }
}

/// Each machine with what was seen of it, and what has been shown that nobody knows yet.
pub(crate) fn show_arrivals(shown: &ArrivalsShown<'_, '_>, verbose: bool, width: usize) -> String {
    let machines: Vec<(&ExpectedMachine<'_>, &Arrival<'_>)> =
        shown.plan.machines.iter().zip(&shown.arrivals.machines).collect();
    if machines.is_empty() {
        return "There was nothing to ask.\n\n".to_owned();
    }
    let is_short = machines.len() > MANY && !verbose;
    let mut table = new_table(width);
    table.set_header(["machine", "state", "seen"]);
    for (expected, arrival) in &machines {
        if is_short && arrival.stage == Stage::Right {
            continue;
        }
        let at = arrival.at.map(|at| format!("{at}: ")).unwrap_or_default();
        let seen = at + &harmless(&arrival.says);
        table.add_row([expected.machine.called().to_owned(), arrival.stage.word().to_owned(), seen]);
    }
    for (expected, arrival) in shown.plan.shared.iter().zip(&shown.arrivals.shared) {
        table.add_row([
            format!("cluster {}", expected.cluster.name.value),
            arrival.stage.word().to_owned(),
            arrival.says.clone(),
        ]);
    }
    let mut text = if table.is_empty() { String::new() } else { finished(table) + "\n\n" };
    let right = machines.iter().filter(|(_, arrival)| arrival.stage == Stage::Right).count();
    if is_short {
        let machines = count(right, "machine is", "machines are");
        let _ = write!(text, "{machines} right; -v lists them\n\n");
    }
    text + &insides(&machines, verbose, width)
        + &certificates(shown, &machines, width)
        + &host_keys(&machines, width)
}

/// What hosts are like inside: of each what is not right, or, with `-v`, all of it.
fn insides(machines: &[(&ExpectedMachine<'_>, &Arrival<'_>)], verbose: bool, width: usize) -> String {
    let mut text = String::new();
    let looked: Vec<_> = machines.iter().filter(|(_, arrival)| !arrival.inside.is_empty()).collect();
    let is_short = looked.len() > 1 && !verbose;
    let mut right = 0;
    for (expected, arrival) in looked {
        let mut table = new_table(width);
        table.set_header([
            format!("inside {}", expected.machine.called()),
            "found".to_owned(),
            String::new(),
        ]);
        for fact in &arrival.inside {
            if fact.state == InsideState::Right {
                right += 1;
                if is_short {
                    continue;
                }
            }
            let found: Vec<String> = fact.found.iter().map(|value| harmless(value)).collect();
            table.add_row([fact.about.clone(), found.join("\n"), fact.state.word().to_owned()]);
        }
        if !table.is_empty() {
            text += &(finished(table) + "\n\n");
        }
    }
    if is_short && right > 0 {
        let things = count(right, "thing inside of the hosts is", "things inside of the hosts are");
        let _ = write!(text, "{things} right; -v lists them\n\n");
    }
    text
}

/// Certificates that are shown and not yet remembered.
fn certificates(
    shown: &ArrivalsShown<'_, '_>,
    machines: &[(&ExpectedMachine<'_>, &Arrival<'_>)],
    width: usize,
) -> String {
    let new = machines.iter().filter_map(|(expected, arrival)| {
        let is_new = shown.remembered.of(expected.machine.label()).is_none();
        arrival.certificate.as_ref().filter(|_| is_new).map(|certificate| (expected, certificate))
    });
    let mut text = String::new();
    for (expected, certificate) in new {
        let names: Vec<String> = certificate.names.iter().map(|name| harmless(name)).collect();
        let names = if names.is_empty() { "no name".to_owned() } else { names.join(", ") };
        let valid = match certificate.valid {
            Some((from, until)) => {
                format!("valid {} to {}", from.strftime("%Y-%m-%d"), until.strftime("%Y-%m-%d"))
            }
            None => "no dates that can be read".to_owned(),
        };
        // Writing to a String does not fail.
        let _ = writeln!(text, "{STRONG}{}{STRONG:#}: for {names}; {valid}", expected.machine.called());
        // Two lines of sixteen pairs each: so consoles and browsers show them, too.
        let middle = certificate.sha256.len() / 2 + 1;
        let (first, second) =
            certificate.sha256.split_at_checked(middle).unwrap_or((&certificate.sha256, ""));
        let _ = writeln!(text, "  {first}\n  {second}");
    }
    if text.is_empty() {
        return text;
    }
    let says = "Compare these with what the machines show at their consoles (SHA-256); `--remember` keeps them, so that another one is \
        noticed next time.";
    format!(
        "Certificates that nobody has remembered\n\n{text}\n{}\n\n",
        textwrap::fill(says, wrapping(width))
    )
}

/// Host keys that are shown where nobody has said any.
fn host_keys(machines: &[(&ExpectedMachine<'_>, &Arrival<'_>)], width: usize) -> String {
    let unknown = machines.iter().filter_map(|(expected, arrival)| {
        let is_asked = !matches!(arrival.stage, Stage::Wrong);
        let key = arrival.host_key.as_ref().filter(|key| is_asked && !key.is_known)?;
        Some((expected.machine.called(), &key.fingerprint))
    });
    let mut text = String::new();
    for (machine, fingerprint) in unknown {
        // Writing to a String does not fail.
        let _ = writeln!(text, "{STRONG}{machine}{STRONG:#}: {fingerprint}");
    }
    if text.is_empty() {
        return text;
    }
    let says = "They were not checked. ssh = { host_key = true } in the sheet makes a key beforehand, so that the first login knows whom it \
        meets; --known-hosts names a list of keys.";
    format!("Host keys that nobody has said\n\n{text}\n{}\n\n", textwrap::fill(says, wrapping(width)))
}

/// What would be asked.
pub(crate) fn show_knocks(report: &KnockReport, width: usize) -> String {
    let mut table = new_table(width);
    table.set_header(["machine", "at", "asked for", "starts within"]);
    for knock in &report.machines {
        let asked = match knock.service {
            Some(service) => format!("{service}, port {}", knock.port),
            None => "whether somebody is there".to_owned(),
        };
        let asked =
            std::iter::once(asked).chain(knock.then.iter().cloned()).collect::<Vec<_>>().join("; then ");
        table.add_row([
            knock.machine.clone(),
            knock.addresses.join("\n"),
            asked,
            in_words(knock.start_seconds),
        ]);
    }
    let mut text = if table.is_empty() { String::new() } else { finished(table) + "\n\n" };
    if !report.not_asked.is_empty() {
        let _ =
            write!(text, "Not asked, since the sheet gives no address: {}\n\n", report.not_asked.join(", "));
    }
    let sheet = harmless(&report.sheet);
    text + &format!(
        "{sheet}: asking takes {} at the most; nothing was sent (--dry-run)\n",
        in_words(report.longest_seconds)
    )
}
