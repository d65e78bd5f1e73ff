//! A placement for other programs.

use impostazione_core::finding::Report;
use impostazione_core::placing::{ChangedSince, PlannedAccount};
use impostazione_core::views::compare::lines_of_change;
use impostazione_core::views::difference::DifferentLine;
use impostazione_rootfs::{RootfsPath, Subject, View, Want};
use serde::Serialize;

use super::super::json;
use super::{Case, Outcome};
use crate::exit::Failure;

#[derive(Serialize)]
struct JsonReport<'a> {
    machine: &'a str,
    rootfs: &'a str,
    outcome: &'static str,
    changes: Vec<Told<'a>>,
    put_back: &'a [&'a str],
    changed_since: &'a [ChangedSince],
    accounts: Vec<&'a PlannedAccount>,
    not_owned: &'a [RootfsPath],
    #[serde(flatten)]
    report: Report<'a>,
}

/// A path that changes.
#[derive(Serialize)]
pub(super) struct Told<'a> {
    path: &'a str,
    subject: Subject,
    change: String,
    message: Option<&'a str>,
    mode: Option<String>,
    target: Option<&'a str>,
    lines: Vec<DifferentLine>,
}

/// The paths that change, from what they are now.
pub(super) fn changes<'a>(case: &'a Case<'_>) -> Vec<Told<'a>> {
    let changes = case.pending.changes.iter();
    changes
        .map(|change| {
            let now = View::of(case.rootfs).state(&change.path);
            let (mode, target) = match &change.want {
                Want::File { mode, .. } | Want::Folder { mode, .. } => (Some(format!("{mode:04o}")), None),
                Want::Link(target) => (None, Some(target.as_str())),
                Want::Absent => (None, None),
            };
            Told {
                path: &change.path,
                subject: change.subject,
                change: now.as_ref().map_or("change", |now| change.word(now)).replace(' ', "-"),
                message: Some(change.why.as_str()).filter(|why| !why.is_empty()),
                mode,
                target,
                lines: lines_of_change(case.rootfs, change),
            }
        })
        .collect()
}

/// Prints what was found, what changes or was changed, and how it ended.
pub(super) fn print(case: &Case<'_>, changes: Vec<Told<'_>>, outcome: &Outcome) -> Result<(), Failure> {
    let (word, not_owned) = match outcome {
        Outcome::Refused => ("refused", &[][..]),
        Outcome::Unchanged => ("unchanged", &[][..]),
        Outcome::Tried => ("tried", &[][..]),
        Outcome::Declined => ("declined", &[][..]),
        Outcome::Placed { record, .. } => ("placed", record.not_owned.as_slice()),
    };
    let assessment = &case.placing.assessment;
    let changes_logins = changes.iter().any(|change| change.subject == Subject::Accounts);
    let accounts = case.placing.plan.accounts.iter().filter(|_| changes_logins);
    let answer = JsonReport {
        machine: case.machine,
        rootfs: &case.name,
        outcome: word,
        changes,
        put_back: &case.pending.back,
        changed_since: &assessment.changed_since,
        accounts: accounts.collect(),
        not_owned,
        report: Report::new(&assessment.sources, 1, &assessment.findings),
    };
    json::print(&answer)
}
