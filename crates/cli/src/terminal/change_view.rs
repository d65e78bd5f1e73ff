//! A placement before it is made, for people: subject by subject, with the lines that come and go.

use std::fmt::Write as _;

use anstyle::{AnsiColor, Style};
use impostazione_core::placing::{AccountChange, PendingChanges, Placing, PlannedAccount};
use impostazione_core::views::compare::lines_of_change;
use impostazione_core::views::difference::{DifferentLine, Side};
use impostazione_rootfs::{Change, Owner, Rootfs, Subject, View, Want};
use impostazione_text::visible::harmless;

use super::finding_view::cut_end;
use super::screen::wrapped_behind;

const STRONG: Style = Style::new().bold();
const FAINT: Style = Style::new().dimmed();
const GOES: Style = AnsiColor::Red.on_default();
const COMES: Style = AnsiColor::Green.on_default();

/// Most lines of one file's difference that are shown.
const LINE_LIMIT: usize = 24;

/// Everything that changes, and what becomes of logins.
pub(crate) fn show_change(
    rootfs: &Rootfs,
    placing: &Placing,
    pending: &PendingChanges<'_>,
    machine: &str,
    width: usize,
) -> String {
    let system = placing.assessment.survey.system.as_ref();
    let system = system.map(|system| format!(" ({})", harmless(&system.name))).unwrap_or_default();
    let name = rootfs.name().display().to_string();
    // Writing to a String does not fail.
    let mut text = format!("{STRONG}{}{STRONG:#} onto {}{system}\n", harmless(machine), harmless(&name));
    let mut subjects: Vec<Subject> = pending.changes.iter().map(|change| change.subject).collect();
    subjects.sort_unstable();
    subjects.dedup();
    for subject in subjects {
        let _ = writeln!(text, "\n{STRONG}{}{STRONG:#}", subject.word());
        if subject == Subject::Accounts {
            for account in &placing.plan.accounts {
                let name = harmless(&account.name);
                let _ = writeln!(text, "  {FAINT}account{FAINT:#}    {name} {}", login_words(account));
            }
        }
        for change in pending.changes.iter().filter(|change| change.subject == subject) {
            if !is_implied(change, pending) {
                show_one(&mut text, rootfs, change, width);
            }
        }
    }
    let implied = pending.changes.iter().filter(|change| is_implied(change, pending)).count();
    if implied > 0 {
        let folders = super::counts::count(implied, "new folder", "new folders");
        let _ = writeln!(text, "\n{FAINT}and {folders} that these paths need{FAINT:#}");
    }
    if !pending.back.is_empty() {
        let _ = writeln!(text, "\n{STRONG}put back as before the earlier placement{STRONG:#}");
        for path in &pending.back {
            let _ = writeln!(text, "  {}", harmless(path));
        }
    }
    text.push('\n');
    text
}

/// Whether a change is a folder that is made for another path in it.
fn is_implied(change: &Change, pending: &PendingChanges<'_>) -> bool {
    let is_plain = change.want == Want::Folder { mode: 0o755, owner: Owner::ROOT } && change.why.is_empty();
    is_plain
        && pending.changes.iter().any(|other| {
            other.path.strip_prefix(change.path.as_str()).is_some_and(|rest| rest.starts_with('/'))
        })
}

fn show_one(text: &mut String, rootfs: &Rootfs, change: &Change, width: usize) {
    let now = View::of(rootfs).state(&change.path);
    let word = now.as_ref().map_or("change", |now| change.word(now));
    let mut line = format!("  {word:10} {}", harmless(&change.path));
    match &change.want {
        Want::Link(target) => {
            let _ = write!(line, " -> {}", harmless(target));
        }
        Want::File { mode, .. } | Want::Folder { mode, .. } => {
            let _ = write!(line, "  {mode:04o}");
        }
        Want::Absent => {}
    }
    let _ = writeln!(text, "{line}");
    if !change.why.is_empty() {
        let _ = writeln!(text, "{FAINT}{}{FAINT:#}", wrapped_behind(&change.why, "             ", width));
    }
    if word == "change" && matches!(change.want, Want::File { .. }) {
        show_lines(text, &lines_of_change(rootfs, change), "             ", width);
    }
}

/// Lines that come and go; that nothing may be shown where there are none.
pub(super) fn show_lines(text: &mut String, lines: &[DifferentLine], indent: &str, width: usize) {
    if lines.is_empty() {
        let _ = writeln!(text, "{indent}{FAINT}what changes in it is not shown{FAINT:#}");
        return;
    }
    for line in lines.iter().take(LINE_LIMIT) {
        let (mark, style) = match line.side {
            Side::First => ('-', GOES),
            Side::Second => ('+', COMES),
        };
        let room = width.saturating_sub(indent.len() + 2).max(20);
        let shown = cut_end(&harmless(&line.text), room);
        let _ = writeln!(text, "{indent}{style}{mark} {shown}{style:#}");
    }
    if lines.len() > LINE_LIMIT {
        let _ = writeln!(text, "{indent}{FAINT}and {} lines more{FAINT:#}", lines.len() - LINE_LIMIT);
    }
}

/// What becomes of a login, as the end of a sentence that begins with its name.
fn login_words(account: &PlannedAccount) -> String {
    let who = match account.change {
        AccountChange::Shut => return "is shut".to_owned(),
        AccountChange::New => "new",
        AccountChange::AlreadyThere => "already there",
    };
    let mut how = Vec::new();
    if account.password {
        how.push(
            if account.change_at_first_login { "a password to be changed" } else { "a password" }.to_owned(),
        );
    }
    match account.ssh_keys {
        0 => {}
        1 => how.push("an SSH key".to_owned()),
        count => how.push(format!("{count} SSH keys")),
    }
    let admin = if account.admin { ", may act as root" } else { "" };
    let number = account.uid.map(|uid| format!(", number {uid}")).unwrap_or_default();
    format!("{who}{number}, by {}{admin}", how.join(" and "))
}
