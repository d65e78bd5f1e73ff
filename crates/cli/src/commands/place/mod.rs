//! `place`

mod answer;
mod choosing;
mod keeping;

use impostazione_core::finding::{Finding, Severity, Summary};
use impostazione_core::output::HostOutput;
use impostazione_core::placing::{
    AssessFault, Keeping, PendingChanges, PlacementOptions, Placing, Request, complete_cut_off,
};
use impostazione_rootfs::{Access, Record, Rootfs, RootfsPath};
use jiff::Timestamp;

use crate::args::{Format, PlaceArguments};
use crate::exit::{Exit, Failure};
use crate::question::ask;
use crate::{target, terminal};
use keeping::Answers;

/// A placement that was looked over, and may be made.
struct Case<'a> {
    arguments: &'a PlaceArguments,
    rootfs: &'a Rootfs,
    name: String,
    machine: &'a str,
    placing: &'a Placing,
    pending: PendingChanges<'a>,
    /// Whether what was changed since would be lost, and nobody wants that.
    is_declined: bool,
    /// What the command line must answer about that, where there is nobody to ask.
    unasked: Option<String>,
}

/// How it ended.
enum Outcome {
    /// An error is in the way.
    Refused,
    /// The root filesystem is as it should be.
    Unchanged,
    /// The change was only shown.
    Tried,
    /// A question was declined.
    Declined,
    /// It was placed.
    Placed {
        /// How many paths differ from what they were.
        changed: usize,
        record: Box<Record>,
    },
}

pub(crate) fn run(arguments: &PlaceArguments, quiet: bool, verbose: bool) -> Result<Exit, Failure> {
    arguments.change.refuse_to_ask(arguments.format)?;
    let is_image = target::is_image(&arguments.target)?;
    let output = choosing::read_output(arguments)?;
    let work = Work { arguments, output: &output, quiet, verbose };
    // A dry run reads only. An image is looked at before it is mounted for writing, which changes it: one that is refused, and
    // one with nothing to do, stays as it is to the byte.
    if arguments.change.dry_run {
        return work.go(Access::Look, |_| true).map(|exit| exit.unwrap_or(Exit::Done));
    }
    if is_image {
        let ends_there = |case: &Case<'_>| case.is_refused() || case.is_done().unwrap_or(false);
        if let Some(exit) = work.go(Access::Look, ends_there)? {
            return Ok(exit);
        }
    }
    work.go(Access::Change, |_| true).map(|exit| exit.unwrap_or(Exit::Done))
}

/// What a run is asked to do.
struct Work<'a> {
    arguments: &'a PlaceArguments,
    output: &'a HostOutput,
    quiet: bool,
    verbose: bool,
}

impl Work<'_> {
    /// Goes the whole way, if this is a case for it.
    fn go(&self, access: Access, is_for_it: impl Fn(&Case<'_>) -> bool) -> Result<Option<Exit>, Failure> {
        let Self { arguments, output, quiet, verbose } = *self;
        let rootfs = target::open(&arguments.target, access)?;
        let _lock = (access == Access::Change).then(|| rootfs.lock()).transpose().map_err(failure)?;
        if access == Access::Change {
            complete_cut_off(&rootfs).map_err(failure)?;
        }
        let PlaceArguments { keep_changes, discard_changes, .. } = *arguments;
        let request = Request {
            options: PlacementOptions { fresh_identity: arguments.fresh_identity },
            may_replace: arguments.replace,
            keeping: if discard_changes && !keep_changes { Keeping::Nothing } else { Keeping::All },
            is_answered: keep_changes || discard_changes,
        };
        let mut placing = Placing::new(&rootfs, output, request, &now()).map_err(failure)?;
        let (mut is_declined, mut unasked) = (false, None);
        if access == Access::Change && !is_refused(&placing) {
            match keeping::ask_each(arguments, &placing.assessment.changed_since)? {
                Answers::None => {}
                Answers::Declined => is_declined = true,
                Answers::Unasked(what) => (is_declined, unasked) = (true, Some(what)),
                Answers::Lost(numbers) => {
                    let keeping = Keeping::AllBut(&numbers);
                    let request = Request { keeping, is_answered: true, ..request };
                    placing = Placing::new(&rootfs, output, request, &now()).map_err(failure)?;
                }
            }
        }
        let case = Case {
            arguments,
            rootfs: &rootfs,
            name: rootfs.name().display().to_string(),
            machine: &output.machine,
            placing: &placing,
            pending: placing.pending(&rootfs).map_err(failure)?,
            is_declined,
            unasked,
        };
        if !is_for_it(&case) {
            return Ok(None);
        }
        if arguments.format == Format::Json {
            // What changes is told before it has changed.
            let changes = answer::changes(&case);
            let outcome = case.go_on()?;
            case.say_what_was_not_asked();
            answer::print(&case, changes, &outcome)?;
            return Ok(Some(outcome.exit()));
        }
        case.show(quiet, verbose)?;
        let outcome = case.go_on()?;
        case.tell(&outcome, quiet, verbose)?;
        Ok(Some(outcome.exit()))
    }
}

impl Outcome {
    fn exit(&self) -> Exit {
        match self {
            Self::Unchanged | Self::Tried | Self::Placed { .. } => Exit::Done,
            Self::Refused | Self::Declined => Exit::ErrorsRemain,
        }
    }
}

impl Case<'_> {
    fn is_refused(&self) -> bool {
        is_refused(self.placing)
    }

    fn is_done(&self) -> Result<bool, Failure> {
        self.placing.is_done(self.rootfs).map_err(failure)
    }

    /// Shows people what is wrong, and what would change.
    fn show(&self, quiet: bool, verbose: bool) -> Result<(), Failure> {
        let findings = &self.placing.assessment.findings;
        let sources = &self.placing.assessment.sources;
        // What placing takes care of is shown with the change.
        let told: Vec<&Finding> =
            findings.iter().filter(|finding| verbose || finding.severity() > Severity::Note).collect();
        terminal::tell(&terminal::show_findings(told.iter().copied(), sources, "", terminal::width()));
        // What could be placed is shown all the same where it is only to be shown.
        let is_refused = self.is_refused();
        let is_dry = self.arguments.change.dry_run && !self.placing.plan.changes.is_empty();
        if is_refused && !is_dry {
            terminal::tell(&terminal::summary_of_host(&self.name, Summary::of(1, told)));
        }
        let is_shown = if is_refused { is_dry } else { !self.is_done()? && !self.is_declined };
        if is_shown && (!quiet || self.arguments.change.dry_run) {
            terminal::print(&terminal::show_change(
                self.rootfs,
                self.placing,
                &self.pending,
                self.machine,
                terminal::width(),
            ))?;
        }
        Ok(())
    }

    /// Places it, if nothing is in the way and it is wanted.
    fn go_on(&self) -> Result<Outcome, Failure> {
        Ok(if self.is_refused() {
            Outcome::Refused
        } else if !self.is_declined && self.is_done()? {
            Outcome::Unchanged
        } else if self.arguments.change.dry_run {
            Outcome::Tried
        } else if !self.is_declined && self.may_go_on()? {
            Outcome::Placed {
                changed: self.pending.changes.len() + self.pending.back.len(),
                record: Box::new(self.placing.carry_out(self.rootfs).map_err(failure)?),
            }
        } else {
            Outcome::Declined
        })
    }

    /// Says what the command line must answer, where there is nobody to ask.
    fn say_what_was_not_asked(&self) {
        if let Some(what) = &self.unasked {
            terminal::say_error(what);
        }
    }

    fn may_go_on(&self) -> Result<bool, Failure> {
        Ok(self.arguments.change.yes || ask(&format!("Place {} on {}?", self.machine, self.name), "--yes")?)
    }

    /// Tells people how it ended.
    fn tell(&self, outcome: &Outcome, quiet: bool, verbose: bool) -> Result<(), Failure> {
        let (name, machine) = (&self.name, self.machine);
        let text = match outcome {
            Outcome::Refused => {
                let is_shown = self.arguments.change.dry_run && !self.placing.plan.changes.is_empty();
                let what = if is_shown { "would not be placed" } else { "was not placed" };
                terminal::say_error(&format!("{machine} {what}: fix the errors above first"));
                return Ok(());
            }
            Outcome::Declined => {
                self.say_what_was_not_asked();
                terminal::say_unchanged(name);
                return Ok(());
            }
            Outcome::Unchanged => {
                for changed in self.placing.assessment.changed_since.iter().filter(|_| !verbose && !quiet) {
                    if changed.stays == Some(true) && self.arguments.keep_changes {
                        terminal::tell(&format!("  stays: {}\n", terminal::harmless(&changed.to_string())));
                    }
                }
                let is_placed = self.placing.assessment.record.is_some();
                let how = if is_placed { "is placed already" } else { "matches the rootfs already" };
                format!("{name}: {machine} {how}; nothing needs to change\n")
            }
            Outcome::Tried => format!("{name}: nothing was changed (--dry-run)\n"),
            Outcome::Placed { changed, record } => {
                warn_of_owners(&record.not_owned, verbose);
                warn_of_room(self.rootfs);
                for folder in &record.left_folders {
                    let folder = terminal::harmless(folder);
                    terminal::say_note(&format!(
                        "/{folder} was made by the earlier placement and has other files in it now; it was left \
                            there"
                    ));
                }
                let changes = terminal::count(*changed, "path", "paths");
                let target = self.arguments.target.display();
                format!(
                    "{name}: {machine} is placed, {changes} changed; to take it back: `impostazione undo {target}`\n"
                )
            }
        };
        if quiet { Ok(()) } else { terminal::print(&text) }
    }
}

fn is_refused(placing: &Placing) -> bool {
    placing.assessment.findings.iter().any(Finding::is_in_the_way)
}

/// The time as it is written down.
fn now() -> String {
    Timestamp::now().strftime("%Y-%m-%d %H:%M UTC").to_string()
}

fn warn_of_owners(not_owned: &[RootfsPath], verbose: bool) {
    if verbose {
        for path in not_owned {
            terminal::tell(&format!("belongs to you: /{}\n", terminal::harmless(path)));
        }
    }
    if let Some(first) = not_owned.first() {
        let others = not_owned.len() - 1;
        let others = if others > 0 { format!(" and {others} more") } else { String::new() };
        terminal::say_warning(&format!(
            "/{first}{others} are owned by you instead of their real owners, because only root can change owners. \
                Place as root, or change the owners before the first boot (-v lists the files)"
        ));
    }
}

fn warn_of_room(rootfs: &Rootfs) {
    const LITTLE: u64 = 32 * 1024 * 1024;
    if let Ok(room) = rootfs.room()
        && room.bytes < LITTLE
    {
        let left = impostazione_text::ByteSize(room.bytes);
        terminal::say_warning(&format!(
            "{} has only {left} free, which may not be enough for a first boot",
            rootfs.name().display()
        ));
    }
}

pub(super) fn failure(fault: impl Into<AssessFault>) -> Failure {
    Failure::Files(fault.into().to_string())
}
