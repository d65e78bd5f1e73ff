//! From a host's output and what a root filesystem holds to the changes of a placement.

mod files;
mod identity;
mod logins;
mod names;
mod network;
mod rewriting;
mod services;
mod ssh;
mod subordinate;
mod table;
mod time;
mod ways_in;

pub(crate) use names::{merge_hosts, own_names};
pub use ways_in::Fate;

use impostazione_rootfs::{
    Change, Kind, OddPath, Owner, RootfsFault, RootfsPath, State, Subject, View, Want, own_identity,
    refuse_if_in_the_way, split,
};
use impostazione_secret::NoRandomness;

use super::survey::{Survey, WayIn};
use crate::output::{HostFile, HostOutput};

/// What the administrator asks for beside the output.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Wishes {
    /// Whether the host gets a machine id and host keys of its own, in place of those that it shares with what it was copied
    /// from.
    pub fresh_identity: bool,
}

/// Something on the root filesystem that the output cannot be brought together with.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Obstacle {
    /// The file.
    pub path: String,
    /// Its line, from 1; 0 for the file as a whole.
    pub line: usize,
    /// What is wrong with what was found.
    pub message: String,
    /// What to do.
    pub fix: String,
    /// Whether the host could not be used because of it.
    pub is_grave: bool,
    /// What it is about.
    pub concerns: Concern,
}

/// What an obstacle is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Concern {
    /// An account and the users that are there.
    Account,
    /// A name on the root filesystem that is no path inside it.
    Path,
}

/// The changes of a placement.
#[derive(Clone, Debug, Default)]
pub struct Plan {
    /// What changes, in an order in which it can be done.
    pub changes: Vec<Change>,
    /// What becomes of logins: a name, and the end of a sentence about it.
    pub logins: Vec<(String, String)>,
    /// Ways in that the image brings, and what becomes of each.
    pub ways_in: Vec<(WayIn, Fate)>,
    /// What stands against it.
    pub obstacles: Vec<Obstacle>,
}

/// Why no plan could be made.
#[derive(Debug, thiserror::Error)]
pub enum PlanFault {
    /// Something on the root filesystem could not be read.
    #[error(transparent)]
    Rootfs(#[from] RootfsFault),
    /// A name that the image gives leads to no path inside it.
    #[error(transparent)]
    Odd(#[from] OddPath),
    /// A host key could not be made.
    #[error("a host key could not be made: {0}")]
    HostKey(String),
}

impl From<NoRandomness> for PlanFault {
    fn from(fault: NoRandomness) -> Self {
        Self::HostKey(fault.to_string())
    }
}

/// Everything that a plan is made from.
#[derive(Clone, Copy)]
struct Ground<'a> {
    view: View<'a>,
    survey: &'a Survey,
    output: &'a HostOutput,
    wishes: Wishes,
}

impl<'a> Ground<'a> {
    fn file(self, path: &str) -> Option<&'a HostFile> {
        self.output.file(path)
    }

    /// Whether netplan is to write for `NetworkManager`.
    fn is_for_manager(self) -> bool {
        self.output
            .text(crate::host::NETPLAN_PATH)
            .is_some_and(|text| text.contains("renderer: NetworkManager"))
    }
}

/// Finds out what has to change so that a root filesystem is the host of the output. Nothing is changed yet.
pub fn plan(view: View<'_>, survey: &Survey, output: &HostOutput, wishes: Wishes) -> Result<Plan, PlanFault> {
    let ground = Ground { view, survey, output, wishes };
    let mut plan = Plan::default();
    network::plan(ground, &mut plan)?;
    names::plan(ground, &mut plan)?;
    time::plan(ground, &mut plan)?;
    let groups = logins::plan(ground, &mut plan)?;
    files::plan(ground, &groups, &mut plan);
    ssh::plan(ground, &mut plan)?;
    services::plan(ground, &mut plan)?;
    rewriting::plan(ground, &mut plan)?;
    identity::plan(ground, &mut plan)?;
    settle(view, &mut plan)?;
    Ok(plan)
}

/// Adds the folders that are not there, and drops what is as it is to be already.
fn settle(view: View<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    let own = own_identity();
    let mut settled: Vec<Change> = Vec::new();
    for mut change in std::mem::take(&mut plan.changes) {
        if settled.iter().any(|known| known.path == change.path) {
            continue;
        }
        let before = view.state(&change.path)?;
        if before == change.state(own) {
            continue;
        }
        refuse_if_in_the_way(view.rootfs(), &change, &before)?;
        if change.want != Want::Absent && !view.rootfs().is_on_boot_partition(&change.path) {
            add_folders(view, &change, &mut settled)?;
        }
        change.before = before;
        settled.push(change);
    }
    plan.changes = settled;
    Ok(())
}

fn add_folders(view: View<'_>, change: &Change, settled: &mut Vec<Change>) -> Result<(), PlanFault> {
    let mut missing = Vec::new();
    let mut folder = split(&change.path).0;
    while !folder.is_empty() && !settled.iter().any(|known| known.path == *folder) {
        match view.rootfs().follow(folder)? {
            Some(found) if found.kind == Kind::Folder && is_there(view, folder) => break,
            Some(found) if found.kind != Kind::Folder => {
                return Err(RootfsFault::FileInTheWay(folder.to_owned()).into());
            }
            _ if view.look(folder)?.is_some_and(|found| found.kind == Kind::Link) => {
                return Err(RootfsFault::Unreachable(
                    folder.to_owned(),
                    "it is a link that leads to nothing on the rootfs",
                )
                .into());
            }
            _ => missing.push(RootfsPath::new(folder)?),
        }
        folder = split(folder).0;
    }
    for folder in missing.into_iter().rev() {
        settled.push(Change::new(folder, change.subject, Want::Folder { mode: 0o755, owner: Owner::ROOT }));
    }
    Ok(())
}

/// Whether a folder was there before the placement that the view looks behind.
fn is_there(view: View<'_>, folder: &str) -> bool {
    view.record().and_then(|record| record.step(folder)).is_none_or(|(_, step)| !step.before.is_absent())
}

/// A file of root's.
fn root_file(bytes: impl Into<Vec<u8>>, mode: u32) -> Want {
    Want::File { bytes: impostazione_text::FileBytes::new(bytes), mode, owner: Owner::ROOT }
}

/// The edited content of a file that is there: it keeps mode and owner, and loses what an access list let others do.
fn edited(view: View<'_>, path: &str, bytes: impl Into<Vec<u8>>, mode: u32) -> Result<Want, RootfsFault> {
    let (mode, owner) = match view.state(path)? {
        State::File { mode, uid, gid, access_list, .. } => {
            (access_list.map_or(mode, |list| list.mode_without(mode)), Owner { uid, gid })
        }
        _ => (mode, Owner::ROOT),
    };
    Ok(Want::File { bytes: impostazione_text::FileBytes::new(bytes), mode, owner })
}

/// What a path of an output is about.
fn subject_of(path: &str) -> Subject {
    const SUBJECTS: [(&str, Subject); 12] = [
        ("etc/netplan/", Subject::Network),
        ("etc/systemd/network/", Subject::Network),
        ("etc/systemd/resolved", Subject::Network),
        ("etc/host", Subject::Names),
        ("etc/ssh/", Subject::Ssh),
        ("etc/systemd/system/", Subject::Ssh),
        ("etc/sudoers", Subject::Logins),
        ("etc/systemd/timesyncd", Subject::Time),
        ("etc/chrony", Subject::Time),
        ("etc/timezone", Subject::Time),
        ("etc/localtime", Subject::Time),
        ("etc/", Subject::Language),
    ];
    SUBJECTS
        .iter()
        .find(|(start, _)| path.starts_with(start))
        .map_or(Subject::Network, |(_, subject)| *subject)
}
