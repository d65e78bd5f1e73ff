//! `undo`

use impostazione_core::placing::{inspect_rootfs, take_back};
use impostazione_rootfs::{Access, Record, check_reach, clear};

use super::place::failure;
use crate::args::UndoArguments;
use crate::exit::{Exit, Failure};
use crate::question::ask;
use crate::{mounted, terminal};

pub(crate) fn run(arguments: &UndoArguments, quiet: bool) -> Result<Exit, Failure> {
    // An image without a placement is not mounted for writing, which would change it.
    if arguments.place.image.is_some() {
        let rootfs = mounted::open(&arguments.place, Access::Look)?;
        let assessment = inspect_rootfs(&rootfs).map_err(failure)?;
        match &assessment.record {
            None if !assessment.has_leftovers => return Err(nothing_placed(rootfs.name())),
            Some(record) => check_reach(&rootfs, record).map_err(failure)?,
            None => {}
        }
    }
    let rootfs = mounted::open(&arguments.place, Access::Change)?;
    let name = rootfs.name().display().to_string();
    let _lock = rootfs.lock().map_err(failure)?;
    let assessment = inspect_rootfs(&rootfs).map_err(failure)?;
    let Some(record) = &assessment.record else {
        if assessment.has_leftovers {
            clear(&rootfs).map_err(failure)?;
            return tell(
                quiet,
                &format!(
                    "{name}: a placement had been begun and had changed nothing; what it left is gone\n"
                ),
            );
        }
        return Err(nothing_placed(rootfs.name()));
    };
    check_reach(&rootfs, record).map_err(failure)?;
    if !quiet {
        terminal::print(&about(record))?;
    }
    let drifted = assessment.drifted();
    for path in &drifted {
        terminal::tell(&format!("  changed since: {}\n", terminal::harmless(path)));
    }
    if !drifted.is_empty() && !arguments.over_changes {
        let what = if drifted.len() == 1 {
            "this path was".to_owned()
        } else {
            format!("these {} paths were", drifted.len())
        };
        if !ask(
            &format!("Since the placement {what} changed. Take it back, and lose that?"),
            "--over-changes",
        )? {
            return Ok(declined(&name));
        }
    }
    if !arguments.yes && !ask(&format!("Take the placement of {} on {name} back?", record.machine), "--yes")?
    {
        return Ok(declined(&name));
    }
    let undone = take_back(&rootfs, record).map_err(failure)?;
    for folder in &undone.left_folders {
        terminal::complain(&format!(
            "/{folder} was made by the placement and holds something else by now; it was left"
        ));
    }
    let restored = terminal::count(undone.restored, "path is", "paths are");
    tell(quiet, &format!("{name}: {restored} as before, and the record of the placement is gone\n"))
}

fn nothing_placed(name: &std::path::Path) -> Failure {
    Failure::Files(format!("{} has no placement to be taken back", name.display()))
}

fn about(record: &Record) -> String {
    let state = if record.is_under_way { ", which was cut off" } else { "" };
    format!(
        "The placement of {} of {}{state}, changed {}.\n",
        terminal::harmless(&record.machine),
        terminal::harmless(&record.placed),
        terminal::count(record.steps.len(), "path", "paths")
    )
}

fn declined(name: &str) -> Exit {
    terminal::complain(&format!("{name} is as it was: the question was declined"));
    Exit::ErrorsRemain
}

fn tell(quiet: bool, text: &str) -> Result<Exit, Failure> {
    if !quiet {
        terminal::print(text)?;
    }
    Ok(Exit::Done)
}
