//! `place`

use globset::Glob;
use impostazione_core::finding::{Finding, Severity, Summary};
use impostazione_core::output::{HostOutput, TreeOnDisk};
use impostazione_core::rootfs::{self, Access, Placing, Request, Rootfs, Wishes};
use jiff::Timestamp;

use crate::args::PlaceArguments;
use crate::exit::{Exit, Failure};
use crate::question::ask;
use crate::{mounted, terminal};

pub(crate) fn run(arguments: &PlaceArguments, quiet: bool, verbose: bool) -> Result<Exit, Failure> {
    let output = read_output(arguments)?;
    // A dry run reads only.
    let access = if arguments.dry_run { Access::Look } else { Access::Change };
    let rootfs = mounted::open(&arguments.place, access)?;
    let name = rootfs.name().display().to_string();
    let _lock = (!arguments.dry_run).then(|| rootfs.lock()).transpose().map_err(failure)?;
    let request = Request {
        wishes: Wishes { fresh_identity: arguments.fresh_identity },
        may_replace: arguments.replace,
        may_lose_changes: arguments.over_changes,
    };
    let placing = Placing::new(&rootfs, &output, request, &now()).map_err(failure)?;
    let findings = &placing.assessment.findings;
    let sources = &placing.assessment.sources;
    // What placing takes care of is shown with the change.
    let told: Vec<&Finding> =
        findings.iter().filter(|finding| verbose || finding.severity() > Severity::Note).collect();
    terminal::tell(&terminal::show_findings(told.iter().copied(), sources, "", terminal::width()));
    let is_refused = findings.iter().any(Finding::is_in_the_way);
    // What could be placed is shown all the same where it is only to be shown.
    if is_refused && (!arguments.dry_run || placing.plan.changes.is_empty()) {
        terminal::tell(&terminal::summary_of_host(&name, Summary::of(1, told)));
        terminal::complain("nothing was placed: what is an error above must be right first");
        return Ok(Exit::ErrorsRemain);
    }
    if !is_refused && placing.is_done(&rootfs).map_err(failure)? {
        let is_placed = placing.assessment.record.is_some();
        let how = if is_placed { "is placed already" } else { "is what the rootfs already says" };
        return tell(quiet, &format!("{name}: {} {how}, and nothing has to change\n", output.machine));
    }
    let outstanding = placing.outstanding(&rootfs).map_err(failure)?;
    if !quiet || arguments.dry_run {
        terminal::print(&terminal::show_change(
            &rootfs,
            &placing,
            &outstanding,
            &output.machine,
            terminal::width(),
        ))?;
    }
    if is_refused {
        terminal::complain("this would not be placed: what is an error above must be right first");
        return Ok(Exit::ErrorsRemain);
    }
    if arguments.dry_run {
        return tell(quiet, &format!("{name}: nothing was changed, as --dry-run asks\n"));
    }
    if !may_go_on(arguments, &placing, &name, &output.machine)? {
        terminal::complain(&format!("{name} is as it was: the question was declined"));
        return Ok(Exit::ErrorsRemain);
    }
    let record = placing.carry_out(&rootfs).map_err(failure)?;
    warn_of_owners(&record.not_owned, verbose);
    warn_of_room(&rootfs);
    let changes = terminal::count(record.steps.len(), "path", "paths");
    tell(
        quiet,
        &format!(
            "{name}: {} is placed, {changes} changed; `impostazione undo {}` takes it back\n",
            output.machine,
            place_words(arguments)
        ),
    )
}

/// Where it was placed, as it is typed.
fn place_words(arguments: &PlaceArguments) -> String {
    match (&arguments.place.root, &arguments.place.image) {
        (Some(root), _) => format!("--root {}", root.display()),
        (None, Some(image)) => format!("--image {}", image.display()),
        (None, None) => String::new(),
    }
}

fn may_go_on(
    arguments: &PlaceArguments,
    placing: &Placing,
    name: &str,
    machine: &str,
) -> Result<bool, Failure> {
    let drifted = placing.drifted();
    if !drifted.is_empty() && !arguments.over_changes {
        let changed = terminal::count(drifted.len(), "path was", "paths were");
        if !ask(
            &format!("{changed} changed since the earlier placement. Go on, and lose that?"),
            "--over-changes",
        )? {
            return Ok(false);
        }
    }
    Ok(arguments.yes || ask(&format!("Place {machine} on {name}?"), "--yes")?)
}

fn tell(quiet: bool, text: &str) -> Result<Exit, Failure> {
    if !quiet {
        terminal::print(text)?;
    }
    Ok(Exit::Done)
}

/// The output of the one machine that is meant.
fn read_output(arguments: &PlaceArguments) -> Result<HostOutput, Failure> {
    let files = |fault: impostazione_core::output::OutputFault| Failure::Files(fault.to_string());
    let (tree, inner) = TreeOnDisk::open(&arguments.output).map_err(files)?;
    let name = arguments.output.display();
    let hosts = tree.hosts();
    let machine = match (inner, &arguments.only) {
        (Some(machine), None) => machine,
        (inner, Some(glob)) => {
            let matcher = Glob::new(glob)
                .map_err(|error| Failure::CommandLine(format!("--only {glob}: {}", error.kind())))?
                .compile_matcher();
            let known = match inner {
                Some(inner) => vec![inner],
                None => tree.machines().into_iter().map(str::to_owned).collect(),
            };
            let fitting: Vec<String> =
                known.into_iter().filter(|machine| matcher.is_match(machine)).collect();
            match fitting.as_slice() {
                [one] => one.clone(),
                [] => {
                    return Err(Failure::CommandLine(format!(
                        "--only {glob}: {name} has no machine of such a name"
                    )));
                }
                several => {
                    return Err(Failure::CommandLine(format!(
                        "--only {glob} fits {}, and a root filesystem is one machine's",
                        several.join(", ")
                    )));
                }
            }
        }
        (None, None) => match hosts.iter().collect::<Vec<_>>().as_slice() {
            [one] => (**one).to_owned(),
            [] => return Err(Failure::Files(format!("{name} has no host in it, and only hosts are placed"))),
            several => {
                let several: Vec<&str> = several.iter().map(|host| **host).collect();
                return Err(Failure::CommandLine(format!(
                    "{name} has several hosts; say with --only which is meant: {}",
                    several.join(", ")
                )));
            }
        },
    };
    tree.host(&machine).map_err(files)
}

/// The time as it is written down.
fn now() -> String {
    Timestamp::now().strftime("%Y-%m-%d %H:%M UTC").to_string()
}

fn warn_of_owners(not_owned: &[String], verbose: bool) {
    if verbose {
        for path in not_owned {
            terminal::tell(&format!("belongs to you: /{}\n", terminal::harmless(path)));
        }
    }
    if let Some(first) = not_owned.first() {
        let others = not_owned.len() - 1;
        let others = if others > 0 { format!(" and {others} more") } else { String::new() };
        terminal::complain(&format!(
            "/{first}{others} belong to you and not to whom they should: only root can give files away. -v names them all; give them away before the first boot, or place as root"
        ));
    }
}

fn warn_of_room(rootfs: &Rootfs) {
    const LITTLE: u64 = 32 * 1024 * 1024;
    if let Ok(room) = rootfs.room()
        && room.bytes < LITTLE
    {
        let left = impostazione_core::size::ByteSize(room.bytes);
        terminal::complain(&format!(
            "{} has {left} left, which is little for a first boot",
            rootfs.name().display()
        ));
    }
}

pub(super) fn failure(fault: impl Into<rootfs::AssessFault>) -> Failure {
    Failure::Files(fault.into().to_string())
}
