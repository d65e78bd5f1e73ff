//! What has become of what a placement changed.

use super::super::change::Subject;
use super::super::folder::{Rootfs, RootfsFault, split};
use super::super::record::{Record, Step};
use super::super::state::State;

/// What has become of a path that a placement changed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Since {
    /// It is as the placement left it.
    AsPlaced,
    /// It is as it was before.
    AsBefore,
    /// Somebody has changed it since.
    Changed(State),
    /// It lies on another filesystem, which is not mounted now.
    OutOfReach,
}

/// What has become of each step of a placement, in its order.
pub fn since(rootfs: &Rootfs, record: &Record) -> Result<Vec<Since>, RootfsFault> {
    record.steps.iter().map(|step| since_step(rootfs, record, step)).collect()
}

/// What has become of one step.
pub(super) fn since_step(rootfs: &Rootfs, record: &Record, step: &Step) -> Result<Since, RootfsFault> {
    if is_out_of_reach(rootfs, step)? {
        return Ok(Since::OutOfReach);
    }
    let now = rootfs.state(&step.path)?;
    Ok(if now == *step.meant() {
        Since::AsPlaced
    } else if now == step.before {
        Since::AsBefore
    } else if (record.is_under_way && is_half_made(rootfs, step, &now)) || is_for_the_host_to_change(step) {
        Since::AsPlaced
    } else {
        Since::Changed(now)
    })
}

/// Whether the path lies on a filesystem of its own that is not there now.
fn is_out_of_reach(rootfs: &Rootfs, step: &Step) -> Result<bool, RootfsFault> {
    Ok(step.is_on_another && !rootfs.is_on_another(&step.path)?)
}

/// Refuses a placement of which a part lies on a filesystem that is not mounted now: it could only be taken back in part.
pub fn check_reach(rootfs: &Rootfs, record: &Record) -> Result<(), RootfsFault> {
    for step in &record.steps {
        if is_out_of_reach(rootfs, step)? {
            return Err(RootfsFault::NotMounted(step.path.to_string(), split(&step.path).0.to_owned()));
        }
    }
    Ok(())
}

/// Whether a folder was made and did not get its mode and owner before placing was cut off, or a file of the boot partition,
/// which is changed in place, is half written.
fn is_half_made(rootfs: &Rootfs, step: &Step, now: &State) -> bool {
    match (&step.after, now) {
        (State::Folder { .. }, State::Folder { .. }) => true,
        (State::File { .. }, State::File { .. }) => rootfs.on_boot_partition(&step.path).is_some(),
        _ => false,
    }
}

/// Whether a booted host puts something of its own there: its machine id, its seed of randomness.
pub fn is_for_the_host_to_change(step: &Step) -> bool {
    step.subject.0 == Subject::Identity.word() && !step.is_made_up
}
