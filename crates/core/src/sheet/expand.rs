//! One entry with patterns becomes several machines.

use super::pattern::Pattern;
use super::{AnswerValue, LinkEntry, ListEntry, MachineEntry, SettingsEntry};
use crate::finding::Finding;
use crate::given::Given;
use crate::rules::report;
use crate::source::{Place, Written};

/// The most machines that a sheet has.
const MOST: usize = 1_000_000;

/// Puts the machines of each entry in place of the entries. Says whether all patterns could be read.
pub(super) fn expand_all(entries: &mut Vec<MachineEntry>, findings: &mut Vec<Finding>) -> bool {
    let mut machines = Vec::with_capacity(entries.len());
    let mut all_read = true;
    for entry in std::mem::take(entries) {
        let header = entry.header;
        let expanded = expand(entry, findings);
        all_read &= !expanded.is_empty();
        if machines.len() + expanded.len() > MOST {
            let message = format!("With this entry the sheet has more than {MOST} machines.");
            findings.push(report::pattern_malformed(
                None,
                header,
                message,
                "write several sheets".to_owned(),
            ));
            all_read = false;
            break;
        }
        machines.extend(expanded);
    }
    *entries = machines;
    all_read
}

/// The machines of an entry: one for each value of its ranges, which run in step, or just one where it has none. Nothing
/// where a pattern is wrong; `findings` then say so.
fn expand(mut entry: MachineEntry, findings: &mut Vec<Finding>) -> Vec<MachineEntry> {
    let machine = entry.label();
    let mut patterns: Vec<Pattern> = Vec::new();
    let mut has_braces = false;
    let mut first: Option<(u64, String)> = None;
    let before = findings.len();
    each_text(&mut entry, &mut |text, place| {
        has_braces |= text.contains(['{', '}']);
        let pattern = match Pattern::parse(text) {
            Ok(pattern) => pattern,
            Err(fault) => {
                findings.push(report::pattern_malformed(machine.clone(), place, fault.message, fault.fix));
                return;
            }
        };
        for (count, written) in pattern.counts() {
            match &first {
                None => first = Some((count, written)),
                Some((wanted, other)) if *wanted != count => {
                    let found = (written.as_str(), count);
                    let other = (other.as_str(), *wanted);
                    findings.push(report::pattern_lengths_differ(machine.clone(), place, found, other));
                }
                Some(_) => {}
            }
        }
        patterns.push(pattern);
    });
    if findings.len() > before {
        return Vec::new();
    }
    if !has_braces {
        return vec![entry];
    }
    let count = first.map_or(1, |(count, _)| count);
    (0..count)
        .map(|index| {
            let mut machine = entry.clone();
            let mut patterns = patterns.iter();
            each_text(&mut machine, &mut |text, _| {
                if let Some(pattern) = patterns.next() {
                    *text = pattern.text(index);
                }
            });
            machine
        })
        .collect()
}

/// Visits every text of an entry, always in the same order.
fn each_text(entry: &mut MachineEntry, visit: &mut impl FnMut(&mut String, Place)) {
    let MachineEntry { kind: _, header: _, name, settings, links, package, answers, answers_place: _ } =
        entry;
    each_given(name, visit);
    each_of_settings(settings, visit);
    for LinkEntry { name: _, network, subnet, address, address6, default_route: _ } in links {
        for text in [network, subnet, address, address6] {
            each_given(text, visit);
        }
    }
    each_given(package, visit);
    for answer in answers {
        match &mut answer.value {
            Given::Value(AnswerValue::Literal(text)) => visit(text, answer.place),
            Given::Value(AnswerValue::Take(take)) => {
                each_written(&mut take.take, visit);
                for text in [&mut take.of, &mut take.link, &mut take.join].into_iter().flatten() {
                    each_written(text, visit);
                }
            }
            Given::Absent | Given::Faulty => {}
        }
    }
}

fn each_of_settings(settings: &mut SettingsEntry, visit: &mut impl FnMut(&mut String, Place)) {
    let SettingsEntry { domain, dns, search, ntp, timezone } = settings;
    each_given(domain, visit);
    for list in [dns, search, ntp] {
        if let Given::Value(ListEntry { items, .. }) = list {
            for item in items {
                each_written(item, visit);
            }
        }
    }
    each_given(timezone, visit);
}

fn each_given(given: &mut Given<Written<String>>, visit: &mut impl FnMut(&mut String, Place)) {
    if let Given::Value(written) = given {
        each_written(written, visit);
    }
}

fn each_written(written: &mut Written<String>, visit: &mut impl FnMut(&mut String, Place)) {
    visit(&mut written.value, written.place);
}
