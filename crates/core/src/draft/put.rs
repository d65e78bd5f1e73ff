//! A value is put into the sheet if the rules have nothing against it.

use std::net::IpAddr;

use impostazione_text::{SourceId, Span};

use super::desk::Desk;
use super::question::Refusal;
use super::state::State;
use crate::edit::{SheetText, TablePath, quoted};
use crate::finding::{Finding, Severity};
use crate::views::subnet_map::prefix_facts;

/// A reply to a question.
#[derive(Clone, Copy, Debug)]
pub(super) struct Reply<'r> {
    /// What was replied; nothing where it was declined.
    pub(super) text: Option<&'r str>,
    /// Whether it is given a second time, after it was doubted.
    pub(super) insists: bool,
}

impl<'r> Reply<'r> {
    /// What was replied, empty where it was declined.
    pub(super) fn word(self) -> &'r str {
        self.text.unwrap_or_default()
    }

    /// The parts of a list, between which there are commas, semicolons or blanks; as a sheet has it, too.
    pub(super) fn words(self) -> Vec<&'r str> {
        self.word().split([',', ';', ' ', '\t', '[', ']', '"']).filter(|word| !word.is_empty()).collect()
    }
}

/// Name of the host that a sheet without machines is tried with, so that what is said of all machines is judged.
const TRIAL: &str = "machine";

/// Puts a value into the sheet. It is refused where a rule has something against it, by the rule's message. What a person may
/// judge otherwise is taken at the second time, with a remark.
pub(super) fn put(
    state: &mut State,
    desk: &Desk<'_>,
    table: &TablePath,
    key: &str,
    literal: &str,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let before = desk.judge(tried(&state.text).as_str());
    let mut text = state.text.clone();
    text.set(table, key, literal, None);
    let trial = tried(&text);
    let after = desk.judge(trial.as_str());
    let span = trial.span(table, key).map(Span::from);
    let own = trial.extent(&own_entry(table)).map(Span::from);
    let is_here = |finding: &Finding| {
        finding.place.source == SourceId::default() && span.is_some_and(|span| finding.place.span.meets(span))
    };
    let was_there = |finding: &Finding| {
        before.findings.iter().any(|known| {
            known.rule.name == finding.rule.name
                && known.machine == finding.machine
                && apart_from_lines(&known.message) == apart_from_lines(&finding.message)
        })
    };
    let is_elsewhere = |finding: &Finding| {
        finding.severity() == Severity::Error
            && !finding.rule.not_looked_at
            && !was_there(finding)
            && trial.as_str().len() == text.as_str().len()
            && !(finding.place.source == SourceId::default()
                && own.is_some_and(|own| finding.place.span.meets(own)))
    };
    let concerned = after
        .findings
        .iter()
        .filter(|finding| !finding.rule.about_absence && !finding.is_waived())
        .filter(|finding| is_here(finding) || is_elsewhere(finding));
    let found: Vec<&Finding> = concerned.collect();
    if let Some(error) = found.iter().find(|finding| finding.severity() == Severity::Error) {
        return Err(refusal_of(error));
    }
    let doubts: Vec<&&Finding> =
        found.iter().filter(|finding| finding.severity() == Severity::Warning).collect();
    let mut told: Vec<String> = Vec::new();
    if let Some(first) = doubts.first() {
        if !reply.insists {
            return Err(Refusal { is_judgment: true, ..refusal_of(first) });
        }
        let remark = format!("kept although: {}", first.message);
        text.set(table, key, literal, Some(&remark));
    }
    told.extend(
        found
            .iter()
            .filter(|finding| finding.severity() == Severity::Note)
            .map(|finding| finding.message.clone()),
    );
    state.text = text;
    Ok(told)
}

/// A message without its numbers of lines, which move as the sheet grows.
fn apart_from_lines(message: &str) -> String {
    let mut parts = message.split("line ");
    let first = parts.next().unwrap_or_default().to_owned();
    parts.fold(first, |text, part| text + part.trim_start_matches(|c: char| c.is_ascii_digit()))
}

/// What a rule says, as the refusal of a reply.
pub(super) fn refusal_of(finding: &Finding) -> Refusal {
    Refusal {
        rule: Some(finding.rule),
        message: finding.message.clone(),
        fix: finding.fix.clone(),
        proposal: finding.certain.clone(),
        offers: Vec::new(),
        is_judgment: false,
    }
}

/// The entry that a table is of, or the table itself.
fn own_entry(table: &TablePath) -> TablePath {
    match (table.entry_index(), table.keys().first()) {
        (Some(index), Some(kind)) => TablePath::entry(kind, index),
        _ => table.clone(),
    }
}

/// The text with a host in it, where it has no machine yet: rules on settings are about machines.
fn tried(text: &SheetText) -> SheetText {
    let mut trial = text.clone();
    if text.entries("host") + text.entries("appliance") > 0 {
        return trial;
    }
    let with_prefix = text.names("subnet").into_iter().rev().find_map(|name| {
        let table = TablePath::named("subnet", &name);
        let prefix = text.string(&table, "prefix").map(|prefix| (prefix, "address"));
        let prefix = prefix.or_else(|| text.string(&table, "prefix6").map(|prefix| (prefix, "address6")));
        prefix.map(|(prefix, key)| (name, prefix, key))
    });
    let Some((subnet, prefix, key)) = with_prefix else { return trial };
    let Ok(facts) = prefix_facts(&prefix) else { return trial };
    let host = TablePath::entry("host", 0);
    trial.set(&host, "name", &quoted(TRIAL), None);
    let link = host.inner(&["link", "eth0"]);
    trial.set(&link, "subnet", &quoted(&subnet), None);
    trial.set(&link, key, &quoted(&before_last(facts.first, facts.last).to_string()), None);
    trial
}

/// An address that is seldom somebody's: the last but one.
fn before_last(first: IpAddr, last: IpAddr) -> IpAddr {
    if first == last {
        return last;
    }
    match last {
        IpAddr::V4(last) => IpAddr::V4((u32::from(last) - 1).into()),
        IpAddr::V6(last) => IpAddr::V6((u128::from(last) - 1).into()),
    }
}
