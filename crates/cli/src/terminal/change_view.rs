//! A placement before it is made, for people: subject by subject, with the lines that come and go.

use std::fmt::Write as _;

use impostazione_core::placing::{AccountChange, PendingChanges, Placing, PlannedAccount};
use impostazione_core::views::compare::lines_of_change;
use impostazione_core::views::difference::{DifferentLine, Side};
use impostazione_rootfs::{Change, Owner, Rootfs, Subject, View, Want};
use impostazione_text::visible::harmless;
use unicode_width::UnicodeWidthStr as _;

use super::finding_view::cut_end;
use super::screen::{paths_behind, wrapped_behind, wrapping};
use super::theme::{BAD, GOOD, STRONG};

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
    let counted = count_words(rootfs, placing, pending);
    let _ = writeln!(text, "{}", wrapped_behind(&counted, "", width));
    let mut subjects: Vec<Subject> = pending.changes.iter().map(|change| change.subject).collect();
    subjects.sort_unstable();
    subjects.dedup();
    for subject in subjects {
        let _ = writeln!(text, "\n{STRONG}{}{STRONG:#}", subject.word());
        if subject == Subject::Accounts {
            for (account, becomes) in logins(rootfs, placing) {
                let name = harmless(&account.name);
                let line = format!("  account    {name} {}", login_words(account, becomes));
                let options = wrapping(width).subsequent_indent("             ");
                let _ = writeln!(text, "{}", textwrap::fill(&line, options));
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
        let _ = writeln!(text, "\nand {folders} for these paths");
    }
    if !pending.back.is_empty() {
        let _ = writeln!(text, "\n{STRONG}put back as it was before the earlier placement{STRONG:#}");
        for path in &pending.back {
            let _ = writeln!(text, "  {}", harmless(path));
        }
    }
    let _ = writeln!(text, "\n{}\n", wrapped_behind(&counted, "", width));
    text
}

/// Logins, and what becomes of each by what is there now: after an earlier placement its logins are there already, and those that
/// it locked are locked.
fn logins<'a>(rootfs: &Rootfs, placing: &'a Placing) -> Vec<(&'a PlannedAccount, AccountChange)> {
    let text = |path: &str| View::of(rootfs).text(path).ok().flatten().unwrap_or_default();
    let (users, shadow) = (text("etc/passwd"), text("etc/shadow"));
    let line = |text: &str, name: &str| {
        text.lines().find_map(|line| Some(line.strip_prefix(name)?.strip_prefix(':')?.to_owned()))
    };
    let is_placed = placing.assessment.record.is_some();
    let becomes = |account: &PlannedAccount| match account.change {
        AccountChange::New if is_placed && line(&users, &account.name).is_some() => {
            Some(AccountChange::AlreadyThere)
        }
        AccountChange::Shut
            if is_placed && line(&shadow, &account.name).is_some_and(|rest| rest.starts_with('!')) =>
        {
            None
        }
        change => Some(change),
    };
    placing.plan.accounts.iter().filter_map(|account| Some((account, becomes(account)?))).collect()
}

/// How many paths are set aside, added and changed, and what becomes of logins.
fn count_words(rootfs: &Rootfs, placing: &Placing, pending: &PendingChanges<'_>) -> String {
    let view = View::of(rootfs);
    let mut counts: Vec<(&str, usize)> =
        ["set aside", "added", "changed", "linked", "removed"].map(|word| (word, 0)).to_vec();
    for change in pending.changes.iter().filter(|change| !is_implied(change, pending)) {
        let word = match view.state(&change.path).map_or("change", |now| change.word(&now)) {
            "set aside" => "set aside",
            "add" | "folder" => "added",
            "link" => "linked",
            "remove" => "removed",
            _ => "changed",
        };
        for (known, number) in &mut counts {
            *number += usize::from(*known == word);
        }
    }
    let mut parts: Vec<String> = counts
        .into_iter()
        .filter(|(_, number)| *number > 0)
        .map(|(word, number)| format!("{number} {word}"))
        .collect();
    if !pending.back.is_empty() {
        parts.push(format!("{} put back", pending.back.len()));
    }
    let logins: Vec<String> = logins(rootfs, placing)
        .into_iter()
        .map(|(account, becomes)| {
            let word = match becomes {
                AccountChange::Shut => "locked",
                AccountChange::New => "new",
                AccountChange::AlreadyThere => "kept",
            };
            format!("{} {word}", harmless(&account.name))
        })
        .collect();
    if !logins.is_empty() {
        parts.push(format!("logins: {}", logins.join(", ")));
    }
    parts.join(", ")
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
    let mut words = vec![harmless(&change.path)];
    match &change.want {
        Want::Link(target) => words.push(format!("-> {}", harmless(target))),
        Want::File { mode, .. } | Want::Folder { mode, .. } => words.push(format!(" {mode:04o}")),
        Want::Absent => {}
    }
    let _ = writeln!(text, "{}", paths_behind(&format!("  {word:10} "), &words, width));
    if !change.why.is_empty() {
        let _ = writeln!(text, "{}", wrapped_behind(&change.why, "             ", width));
    }
    if word == "change" && matches!(change.want, Want::File { .. }) {
        show_lines(text, &lines_of_change(rootfs, change), "             ", width);
    }
}

/// Lines that come and go; that nothing may be shown where there are none.
pub(super) fn show_lines(text: &mut String, lines: &[DifferentLine], indent: &str, width: usize) {
    if lines.is_empty() {
        let _ = writeln!(text, "{indent}the change is not shown (secrets)");
        return;
    }
    let room = width.saturating_sub(indent.len() + 2).max(20);
    for (line, shown) in lines.iter().zip(fitted(lines, room)).take(LINE_LIMIT) {
        let (mark, style) = match line.side {
            Side::First => ('-', BAD),
            Side::Second => ('+', GOOD),
        };
        let _ = writeln!(text, "{indent}{style}{mark}{style:#} {shown}");
    }
    if lines.len() > LINE_LIMIT {
        let _ = writeln!(text, "{indent}and {} more lines", lines.len() - LINE_LIMIT);
    }
}

/// Lines cut to a width. Where a line goes and another comes in its place, what they have in common is cut, so that what
/// differs is seen.
fn fitted(lines: &[DifferentLine], room: usize) -> Vec<String> {
    let texts: Vec<String> = lines.iter().map(|line| harmless(&line.text)).collect();
    let runs =
        |side: Side, from: usize| lines.iter().skip(from).take_while(move |line| line.side == side).count();
    let mut partner: Vec<Option<usize>> = vec![None; lines.len()];
    let mut at = 0;
    while at < lines.len() {
        let goes = runs(Side::First, at);
        let comes = runs(Side::Second, at + goes);
        for nth in 0..goes.min(comes) {
            partner[at + nth] = Some(at + goes + nth);
            partner[at + goes + nth] = Some(at + nth);
        }
        at += (goes + comes).max(1);
    }
    let shown = texts.iter().zip(partner).map(|(text, partner)| {
        let other = partner.map(|at| texts[at].as_str()).unwrap_or_default();
        cut_around_difference(text, other, room)
    });
    shown.collect()
}

/// A line cut to a width, around what it does not share with another one.
fn cut_around_difference(text: &str, other: &str, room: usize) -> String {
    /// What is left of a common beginning, for a reader to know where he is.
    const CONTEXT: usize = 12;
    if text.width() <= room && other.width() <= room {
        return text.to_owned();
    }
    let common = text.chars().zip(other.chars()).take_while(|(one, another)| one == another).count();
    let skipped = common.saturating_sub(CONTEXT);
    if skipped == 0 || other.is_empty() {
        return cut_end(text, room);
    }
    let rest: String = text.chars().skip(skipped).collect();
    cut_end(&format!("…{rest}"), room)
}

/// What becomes of a login, as the end of a sentence that begins with its name.
fn login_words(account: &PlannedAccount, becomes: AccountChange) -> String {
    let who = match becomes {
        AccountChange::Shut => return "is locked".to_owned(),
        AccountChange::New => "new",
        AccountChange::AlreadyThere => "already there",
    };
    let mut how = Vec::new();
    if account.password {
        how.push(
            if account.change_at_first_login { "a password that must be changed" } else { "a password" }
                .to_owned(),
        );
    }
    match account.ssh_keys {
        0 => {}
        1 => how.push("an SSH key".to_owned()),
        count => how.push(format!("{count} SSH keys")),
    }
    let admin = if account.admin { ", may become root (sudo)" } else { "" };
    let number = account.uid.map(|uid| format!(", user ID {uid}")).unwrap_or_default();
    format!("{who}{number}, with {}{admin}", how.join(" and "))
}
