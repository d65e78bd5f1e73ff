//! `undo`

use std::fmt::Write as _;

use impostazione_core::placing::{ChangedSince, complete_cut_off, inspect_rootfs, take_back};
use impostazione_rootfs::{Access, Record, Undone, check_reach, clear};
use serde::Serialize;

use super::json;
use super::place::failure;
use crate::args::{Format, UndoArguments};
use crate::exit::{Exit, Failure};
use crate::question::{Decision, ask};
use crate::{target, terminal};

/// What was taken back, for other programs.
#[derive(Serialize)]
struct JsonReport<'a> {
    rootfs: &'a str,
    machine: Option<&'a str>,
    placed: Option<&'a str>,
    outcome: &'static str,
    changed: Vec<&'a str>,
    changed_since: &'a [ChangedSince],
    restored: usize,
    left_folders: Vec<&'a str>,
}

impl<'a> JsonReport<'a> {
    fn new(
        rootfs: &'a str,
        record: &'a Record,
        drifted: &'a [ChangedSince],
        decision: Decision,
        undone: Option<&'a Undone>,
    ) -> Self {
        Self {
            rootfs,
            machine: Some(&record.machine),
            placed: Some(&record.placed),
            outcome: decision.word("taken-back"),
            changed: record.steps.iter().map(|step| step.path.as_str()).collect(),
            changed_since: drifted,
            restored: undone.map_or(0, |undone| undone.restored),
            left_folders: undone
                .into_iter()
                .flat_map(|undone| undone.left_folders.iter().map(String::as_str))
                .collect(),
        }
    }

    /// Where there is no placement, or only what one left that was cut off before it changed anything.
    fn without_placement(rootfs: &'a str, outcome: &'static str) -> Self {
        Self {
            rootfs,
            machine: None,
            placed: None,
            outcome,
            changed: Vec::new(),
            changed_since: &[],
            restored: 0,
            left_folders: Vec::new(),
        }
    }
}

pub(crate) fn run(arguments: &UndoArguments, quiet: bool) -> Result<Exit, Failure> {
    arguments.change.refuse_to_ask(arguments.format)?;
    let is_image = target::is_image(&arguments.target)?;
    // An image without a placement is not mounted for writing, which would change it.
    if is_image && !arguments.change.dry_run {
        let rootfs = target::open(&arguments.target, Access::Look)?;
        let assessment = inspect_rootfs(&rootfs).map_err(failure)?;
        match &assessment.record {
            None if !assessment.has_leftovers => return nothing_placed(rootfs.name(), arguments, quiet),
            Some(record) => check_reach(&rootfs, record).map_err(failure)?,
            None => {}
        }
    }
    let access = if arguments.change.dry_run { Access::Look } else { Access::Change };
    let rootfs = target::open(&arguments.target, access)?;
    let name = rootfs.name().display().to_string();
    let _lock = (access == Access::Change).then(|| rootfs.lock()).transpose().map_err(failure)?;
    if access == Access::Change {
        complete_cut_off(&rootfs).map_err(failure)?;
    }
    let assessment = inspect_rootfs(&rootfs).map_err(failure)?;
    let is_json = arguments.format == Format::Json;
    let Some(record) = &assessment.record else {
        if !assessment.has_leftovers {
            return nothing_placed(rootfs.name(), arguments, quiet);
        }
        let is_dry = arguments.change.dry_run;
        if !is_dry {
            clear(&rootfs).map_err(failure)?;
        }
        if is_json {
            json::print(&JsonReport::without_placement(&name, if is_dry { "tried" } else { "cleared" }))?;
            return Ok(Exit::Done);
        }
        let what = if is_dry { "nothing was changed (--dry-run)" } else { "its leftovers were removed" };
        return tell(quiet, &format!("{name}: a placement was started and changed nothing; {what}\n"));
    };
    check_reach(&rootfs, record).map_err(failure)?;
    let lost: Vec<ChangedSince> =
        assessment.changed_since.iter().filter(|changed| !changed.is_as_before).cloned().collect();
    let drifted = lost.as_slice();
    if !is_json {
        if !quiet {
            terminal::print(&about(record))?;
        }
        for changed in drifted {
            terminal::tell(&format!("  since then {}\n", terminal::harmless(&changed.to_string())));
        }
    }
    let decision = decide(arguments, record, drifted, &name)?;
    let undone = match decision {
        Decision::Go => Some(take_back(&rootfs, record).map_err(failure)?),
        Decision::DryRun | Decision::Declined => None,
    };
    if is_json {
        json::print(&JsonReport::new(&name, record, drifted, decision, undone.as_ref()))?;
        return Ok(decision.exit());
    }
    let Some(undone) = undone else {
        if decision == Decision::Declined {
            terminal::say_unchanged(&name);
            return Ok(Exit::ErrorsRemain);
        }
        let mut text = String::new();
        for step in &record.steps {
            // Writing to a String does not fail.
            let _ = writeln!(text, "  {}", terminal::harmless(&step.path));
        }
        return tell(quiet, &format!("{text}{name}: nothing was changed (--dry-run)\n"));
    };
    for folder in &undone.left_folders {
        terminal::say_note(&format!(
            "/{folder} was made by the placement and has other files in it now; it was left there"
        ));
    }
    let restored = terminal::count(undone.restored, "path is", "paths are");
    tell(quiet, &format!("{name}: {restored} as before; the record of the placement was removed\n"))
}

/// Whether the placement is to be taken back.
fn decide(
    arguments: &UndoArguments,
    record: &Record,
    drifted: &[ChangedSince],
    name: &str,
) -> Result<Decision, Failure> {
    if !drifted.is_empty() && !arguments.discard_changes && !arguments.change.dry_run {
        let what = match drifted {
            [changed] => changed.to_string(),
            _ => format!("{} things were changed", drifted.len()),
        };
        let question =
            terminal::harmless(&format!("Since it was placed, {what}. Take the placement back and lose it?"));
        if arguments.format == Format::Json {
            terminal::say_error(&format!(
                "with --format json nothing is asked. {question} To answer yes, add --discard-changes"
            ));
            return Ok(Decision::Declined);
        }
        if !ask(&question, "--discard-changes")? {
            return Ok(Decision::Declined);
        }
    }
    arguments.change.decide(&format!("Take the placement of {} on {name} back?", record.machine))
}

/// Says that there is nothing to do.
fn nothing_placed(name: &std::path::Path, arguments: &UndoArguments, quiet: bool) -> Result<Exit, Failure> {
    let name = name.display().to_string();
    if arguments.format == Format::Json {
        json::print(&JsonReport::without_placement(&name, "unchanged"))?;
        return Ok(Exit::Done);
    }
    tell(quiet, &format!("{name} has no placement; nothing was changed\n"))
}

fn about(record: &Record) -> String {
    let state = if record.is_under_way { ", which was interrupted" } else { "" };
    format!(
        "{}, placed {}{state}: {} changed\n",
        terminal::harmless(&record.machine),
        terminal::harmless(&record.placed),
        terminal::count(record.steps.len(), "path", "paths")
    )
}

fn tell(quiet: bool, text: &str) -> Result<Exit, Failure> {
    if !quiet {
        terminal::print(text)?;
    }
    Ok(Exit::Done)
}
