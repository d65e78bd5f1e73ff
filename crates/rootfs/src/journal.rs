//! Changing a root filesystem so that it can be taken back, whatever happens in between.
//!
//! First everything new is laid ready and everything old is kept, in the folder of the record; then the record is written;
//! only then do paths change, each by one renaming. Whoever finds a record with its mark of being under way can put every
//! path back, since each is either as it was or as it was to be.

use std::collections::HashMap;
use std::io;
use std::os::fd::AsFd as _;

use rustix::fs::OFlags;
use rustix::io::Errno;

use super::change::{Change, Owner, Subject, Want};
use super::entries::{
    FolderAttributes, Lists, copy, copy_attributes, give, make_folder, move_into, open_folder, open_to_read,
    own_identity, remove_folder, remove_if_there, set_folder, sync, temporary, write_new,
};
use super::folder::{Found, Kind, Rootfs, RootfsFault, look_in, split};
use super::path::RootfsPath;
use super::record::{FolderTimes, KEPT, NEW, RECORD, RECORD_FOLDER, Record, Step, UNDER_WAY};
use super::state::State;
use super::times::{self, remember_times, set_times};
use crate::open_folder::OpenFolder;

/// What a placement is to be remembered by.
#[derive(Clone, Debug)]
pub struct PlacementFacts {
    /// The machine.
    pub machine: String,
    /// Digest of its output.
    pub output: String,
    /// When, as the administrator's clock has it.
    pub placed: String,
    /// Accounts of the output.
    pub accounts: Vec<String>,
    /// Whether the host is given an identity of its own.
    pub fresh_identity: bool,
}

/// Carries changes out. There is no record on the root filesystem: a placement that is there was taken back before.
pub fn place(rootfs: &Rootfs, changes: &[Change], facts: &PlacementFacts) -> Result<Record, RootfsFault> {
    clear_leftovers(rootfs)?;
    let mut making = Making::begin(rootfs)?;
    match making.lay_ready(changes, facts) {
        Ok(record) => {
            let done = carry_out(rootfs, &making.new, &mut making.parents, &record)
                .and_then(|()| finish(&making.folder));
            drop(making);
            match done {
                Ok(()) => Ok(record),
                Err(fault) => {
                    let is_back = undo(rootfs, &record).is_ok();
                    Err(RootfsFault::CutShort { fault: Box::new(fault), is_back })
                }
            }
        }
        Err(fault) => {
            // Nothing was changed yet. What cannot be cleared now is cleared by the next command.
            drop(making);
            let _ = clear_leftovers(rootfs);
            Err(fault)
        }
    }
}

/// The folder of the record while a placement is laid ready.
struct Making<'a> {
    rootfs: &'a Rootfs,
    folder: OpenFolder,
    kept: OpenFolder,
    new: OpenFolder,
    own: Option<Owner>,
    /// Folders above that of the record, which were not there.
    made_folders: Vec<RootfsPath>,
    /// Times of folders before anything in them was changed.
    folders: Vec<FolderTimes>,
    parents: Parents,
}

/// The folders in which something changes, open from when what stands in them was kept until it was changed: what was kept is
/// what is replaced, whoever renames folders meanwhile.
#[derive(Default)]
struct Parents(HashMap<String, OpenFolder>);

impl Parents {
    /// The folder that a path lies in, and the name in it; nothing where there is no such folder yet.
    fn of<'p>(
        &mut self,
        rootfs: &Rootfs,
        path: &'p str,
    ) -> Result<Option<(&OpenFolder, &'p str)>, RootfsFault> {
        let (above, name) = split(path);
        if !self.0.contains_key(above) {
            let Some((folder, _)) = rootfs.parent(path)? else { return Ok(None) };
            self.0.insert(above.to_owned(), folder);
        }
        Ok(self.0.get(above).map(|folder| (folder, name)))
    }
}

impl<'a> Making<'a> {
    fn begin(rootfs: &'a Rootfs) -> Result<Self, RootfsFault> {
        let record_folder = RootfsPath::fixed(RECORD_FOLDER);
        let missing = times::missing_above(rootfs, &record_folder)?;
        let mut folders = Vec::new();
        remember_times(rootfs, missing.folder.as_ref(), &mut folders)?;
        // Until the record says it: what is laid ready may be cut off at any moment.
        times::note(rootfs, missing.folder.as_ref(), &missing.made, &folders)?;
        for path in &missing.made {
            make_folder(rootfs, path, 0o755, None)?;
        }
        make_folder(rootfs, RECORD_FOLDER, 0o700, None)?;
        let folder = open_folder(rootfs, RECORD_FOLDER)?;
        let inner = |name: &str| {
            let path = format!("{RECORD_FOLDER}/{name}");
            make_folder(rootfs, &path, 0o700, None)?;
            open_folder(rootfs, &path)
        };
        let (kept, new) = (inner(KEPT)?, inner(NEW)?);
        Ok(Self {
            rootfs,
            folder,
            kept,
            new,
            own: own_identity(),
            made_folders: missing.made,
            folders,
            parents: Parents::default(),
        })
    }

    /// Writes everything new, keeps everything old, and writes the record with its mark.
    fn lay_ready(&mut self, changes: &[Change], facts: &PlacementFacts) -> Result<Record, RootfsFault> {
        let mut steps = Vec::new();
        let mut not_owned = Vec::new();
        for change in changes {
            let number = steps.len();
            let before = self.keep(number, change)?;
            if before != change.before {
                return Err(RootfsFault::ChangedMeanwhile(change.path.to_string()));
            }
            let after = change.state(self.own);
            if let Want::File { bytes, mode, owner } = &change.want {
                let owner = self.own.map_or(Some(*owner), |_| None);
                self.stage(number, change, bytes, *mode, owner, &before)?;
            }
            if self.own.is_some_and(|own| !belongs_as_wanted(&change.want, own)) {
                not_owned.push(change.path.clone());
            }
            let is_on_boot_partition = self.rootfs.on_boot_partition(&change.path).is_some();
            if !is_on_boot_partition && (!before.is_absent() || !after.is_absent()) {
                remember_times(self.rootfs, times::folder_of(&change.path).as_ref(), &mut self.folders)?;
            }
            steps.push(Step {
                path: change.path.clone(),
                subject: change.subject.into(),
                why: change.why.clone(),
                before,
                after,
                is_made_up: change.is_made_up,
                is_on_another: self.rootfs.is_on_another(&change.path)?,
            });
        }
        let record = Record {
            format: 1,
            machine: facts.machine.clone(),
            output: facts.output.clone(),
            placed: facts.placed.clone(),
            steps,
            folders: std::mem::take(&mut self.folders),
            made_folders: self.made_folders.clone(),
            accounts: facts.accounts.clone(),
            fresh_identity: facts.fresh_identity,
            not_owned,
            is_under_way: false,
        };
        let mut bytes = serde_json::to_vec_pretty(&record).map_err(|error| RootfsFault::Refused {
            doing: "written",
            path: format!("{RECORD_FOLDER}/{RECORD}"),
            source: io::Error::other(error),
        })?;
        bytes.push(b'\n');
        write_new(&self.folder, UNDER_WAY, &[], 0o600, None, UNDER_WAY)?;
        write_new(&self.folder, "record", &bytes, 0o600, None, RECORD)?;
        sync(&self.folder)?;
        self.folder
            .rename("record", &self.folder, RECORD)
            .map_err(|errno| RootfsFault::refused("written", &format!("{RECORD_FOLDER}/{RECORD}"), errno))?;
        sync(&self.folder)?;
        times::take_note_away(self.rootfs)?;
        Ok(record)
    }

    /// Keeps what stands at a path: by a second name for it where the filesystem has them, else by a copy.
    fn keep(&mut self, number: usize, change: &Change) -> Result<State, RootfsFault> {
        let path = change.path.as_str();
        if let Some((boot, name)) = self.rootfs.on_boot_partition(path) {
            if let Some(bytes) = boot.read(path, name)? {
                write_new(&self.kept, &number.to_string(), &bytes, 0o600, None, path)?;
            }
            return boot.state(path, name);
        }
        let Some((parent, name)) = self.parents.of(self.rootfs, path)? else { return Ok(State::Absent) };
        let before = State::at(parent, name, path)?;
        match &before {
            State::Absent | State::Folder { .. } => return Ok(before),
            State::File { .. } | State::Link { .. } => {}
        }
        let kept = number.to_string();
        match parent.link_into(name, &self.kept, &kept) {
            Ok(()) => Ok(before),
            Err(Errno::XDEV | Errno::PERM | Errno::MLINK | Errno::NOTSUP | Errno::ACCESS) => {
                copy(parent, name, &self.kept, &kept, path)?;
                Ok(before)
            }
            Err(errno) => Err(RootfsFault::refused("kept", path, errno)),
        }
    }

    /// Writes what is to stand at a path; it has the labels of what it replaces, and no access list.
    fn stage(
        &mut self,
        number: usize,
        change: &Change,
        bytes: &[u8],
        mode: u32,
        owner: Option<Owner>,
        before: &State,
    ) -> Result<(), RootfsFault> {
        let name = number.to_string();
        let file = write_new(&self.new, &name, bytes, mode, owner, &change.path)?;
        if matches!(before, State::File { .. })
            && self.rootfs.on_boot_partition(&change.path).is_none()
            && let Some((parent, old)) = self.parents.of(self.rootfs, &change.path)?
        {
            let old = open_to_read(parent, old, &change.path)?;
            copy_attributes(old.as_fd(), file.as_fd(), Lists::Not, &change.path)?;
        }
        Ok(())
    }
}

fn belongs_as_wanted(want: &Want, own: Owner) -> bool {
    match want {
        Want::File { owner, .. } | Want::Folder { owner, .. } => *owner == own,
        Want::Link(_) | Want::Absent => true,
    }
}

/// Changes the paths, in order. What is there already is left, so that this may be done again.
fn carry_out(
    rootfs: &Rootfs,
    new: &OpenFolder,
    parents: &mut Parents,
    record: &Record,
) -> Result<(), RootfsFault> {
    for (number, step) in record.steps.iter().enumerate() {
        let path = step.path.as_str();
        if let Some((boot, name)) = rootfs.on_boot_partition(path) {
            let ready = format!("{RECORD_FOLDER}/{NEW}/{number}");
            if let Some(bytes) = rootfs.read(&ready)? {
                boot.write(path, name, &bytes)?;
            }
            remove_if_there(new, &number.to_string(), path)?;
            continue;
        }
        let (parent, name) = parents.of(rootfs, path)?.ok_or_else(|| {
            RootfsFault::Unreachable(path.to_owned(), "the folder that it belongs into is not there")
        })?;
        let refused = |errno| RootfsFault::refused("written", path, errno);
        match &step.after {
            State::Absent => {
                parent.remove(name).map_err(|errno| RootfsFault::refused("set aside", path, errno))?;
            }
            State::File { .. } => move_into(new, &number.to_string(), parent, name, path)?,
            State::Link { target, uid, gid } => {
                let beside = temporary(number);
                remove_if_there(parent, &beside, path)?;
                parent.make_link(&beside, target).map_err(refused)?;
                if own_identity().is_none() {
                    give(parent, &beside, Owner { uid: *uid, gid: *gid }).map_err(refused)?;
                }
                parent.rename(&beside, parent, name).map_err(refused)?;
            }
            State::Folder { mode, uid, gid, access_list } => {
                match parent.make_folder(name, 0o700) {
                    Ok(_) | Err(Errno::EXIST) => {}
                    Err(errno) => return Err(refused(errno)),
                }
                let owner = own_identity().is_none().then_some(Owner { uid: *uid, gid: *gid });
                let attributes = FolderAttributes { mode: *mode, owner, access_list: access_list.as_ref() };
                set_folder(parent, name, attributes, path)?;
            }
        }
    }
    Ok(())
}

/// Removes the mark: the placement is whole.
fn finish(folder: &OpenFolder) -> Result<(), RootfsFault> {
    sync(folder)?;
    let refused = |errno| RootfsFault::refused("finished", RECORD_FOLDER, errno);
    folder.remove_folder(NEW).map_err(refused)?;
    folder.remove(UNDER_WAY).map_err(refused)?;
    sync(folder)
}

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
    let of_step = |step: &Step| {
        if is_out_of_reach(rootfs, step)? {
            return Ok(Since::OutOfReach);
        }
        let now = rootfs.state(&step.path)?;
        Ok(if now == step.after {
            Since::AsPlaced
        } else if now == step.before {
            Since::AsBefore
        } else if (record.is_under_way && is_half_made(rootfs, step, &now)) || is_for_the_host_to_change(step)
        {
            Since::AsPlaced
        } else {
            Since::Changed(now)
        })
    };
    record.steps.iter().map(of_step).collect()
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
fn is_for_the_host_to_change(step: &Step) -> bool {
    step.subject.0 == Subject::Identity.word() && !step.is_made_up
}

/// What taking a placement back could not do.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Undone {
    /// Paths that are as they were again.
    pub restored: usize,
    /// Folders that the placement made and that hold something of somebody else's now.
    pub left_folders: Vec<String>,
}

/// Puts everything back as it was before the placement, what was changed since too, and removes the record. It may be cut off
/// and begun again. What cannot be put back does not keep the rest from it; the record then stays.
pub fn undo(rootfs: &Rootfs, record: &Record) -> Result<Undone, RootfsFault> {
    check_reach(rootfs, record)?;
    let folder = open_folder(rootfs, RECORD_FOLDER)?;
    match write_new(&folder, UNDER_WAY, &[], 0o600, None, UNDER_WAY) {
        Ok(_) => sync(&folder)?,
        Err(RootfsFault::Refused { source, .. }) if source.kind() == io::ErrorKind::AlreadyExists => {}
        Err(fault) => return Err(fault),
    }
    let kept = open_folder(rootfs, &format!("{RECORD_FOLDER}/{KEPT}")).ok();
    let mut undone = Undone::default();
    let mut first_fault = None;
    for (number, step) in record.steps.iter().enumerate().rev() {
        if let Err(fault) = put_back(rootfs, kept.as_ref(), number, step, &mut undone) {
            first_fault.get_or_insert(fault);
        }
    }
    for times in record.folders.iter().rev() {
        set_times(rootfs, times);
    }
    sync(&folder)?;
    drop(kept);
    if let Some(fault) = first_fault {
        return Err(fault);
    }
    // What was kept goes only when everything is seen to be back.
    for step in &record.steps {
        let is_left = undone.left_folders.iter().any(|folder| step.path == folder.as_str());
        if !is_left && rootfs.state(&step.path)? != step.before {
            return Err(RootfsFault::ChangedMeanwhile(step.path.to_string()));
        }
    }
    let above: Vec<FolderTimes> = record
        .folders
        .iter()
        .filter(|times| times.path.as_ref().is_none_or(|path| RECORD_FOLDER.starts_with(path.as_str())))
        .cloned()
        .collect();
    let stays = times::folder_of(record.made_folders.first().unwrap_or(&RootfsPath::fixed(RECORD_FOLDER)));
    times::note(rootfs, stays.as_ref(), &record.made_folders, &above)?;
    remove_record(rootfs, &folder)?;
    drop(folder);
    times::settle(rootfs)?;
    // What a filesystem is mounted by may be good for looking only.
    let top = rootfs
        .open_at("", OFlags::RDONLY | OFlags::DIRECTORY)
        .map_err(|errno| RootfsFault::refused("read", "", errno))?;
    sync(&top)?;
    Ok(undone)
}

fn put_back(
    rootfs: &Rootfs,
    kept: Option<&OpenFolder>,
    number: usize,
    step: &Step,
    undone: &mut Undone,
) -> Result<(), RootfsFault> {
    let path = step.path.as_str();
    if let Some((boot, name)) = rootfs.on_boot_partition(path) {
        let was =
            kept.map(|_| rootfs.read(&format!("{RECORD_FOLDER}/{KEPT}/{number}"))).transpose()?.flatten();
        if let Some(bytes) = was
            && boot.state(path, name)? != step.before
        {
            undone.restored += 1;
            boot.write(path, name, &bytes)?;
        }
        return Ok(());
    }
    let Some((parent, name)) = rootfs.parent(path)? else {
        return if step.before.is_absent() {
            Ok(())
        } else {
            Err(RootfsFault::FolderGone { path: path.to_owned(), folder: split(path).0.to_owned() })
        };
    };
    remove_if_there(&parent, &temporary(number), path)?;
    if State::at(&parent, name, path)? == step.before {
        return Ok(());
    }
    undone.restored += 1;
    match &step.before {
        State::Absent if matches!(step.after, State::Folder { .. }) => match parent.remove_folder(name) {
            Ok(()) => {}
            Err(Errno::NOTEMPTY | Errno::EXIST) => undone.left_folders.push(path.to_owned()),
            Err(errno) => return Err(RootfsFault::refused("removed", path, errno)),
        },
        State::Absent => remove_if_there(&parent, name, path)?,
        State::Folder { mode, uid, gid, access_list } => {
            let owner = own_identity().is_none().then_some(Owner { uid: *uid, gid: *gid });
            let attributes = FolderAttributes { mode: *mode, owner, access_list: access_list.as_ref() };
            set_folder(&parent, name, attributes, path)?;
        }
        State::File { .. } | State::Link { .. } => {
            let kept = kept.ok_or_else(|| {
                RootfsFault::Unreachable(format!("{RECORD_FOLDER}/{KEPT}"), "what was kept is not there")
            })?;
            move_into(kept, &number.to_string(), &parent, name, path)?;
        }
    }
    Ok(())
}

/// Removes the record: what it kept first, then itself, so that until the end it says that it is under way.
fn remove_record(rootfs: &Rootfs, folder: &OpenFolder) -> Result<(), RootfsFault> {
    for inner in [KEPT, NEW] {
        empty_folder(folder, inner)?;
    }
    for name in [RECORD, "record", UNDER_WAY] {
        remove_if_there(folder, name, name)?;
    }
    remove_folder(rootfs, RECORD_FOLDER)
}

/// Clears what was laid ready by a placement that ended before it changed anything, and what a taking back that had put
/// everything back has left. A record that is there after all stays.
fn clear_leftovers(rootfs: &Rootfs) -> Result<(), RootfsFault> {
    match rootfs.look(RECORD_FOLDER)? {
        None => {}
        Some(Found { kind: Kind::Folder, .. }) => {
            let folder = open_folder(rootfs, RECORD_FOLDER)?;
            let path = format!("{RECORD_FOLDER}/{RECORD}");
            if look_in(&folder, RECORD, &path)?.is_some() {
                return Err(RootfsFault::ChangedMeanwhile(path));
            }
            remove_record(rootfs, &folder)?;
        }
        Some(_) => return Err(RootfsFault::FileInTheWay(RECORD_FOLDER.to_owned())),
    }
    times::settle(rootfs)
}

/// Whether something was laid ready and nothing changed, by a placement that was cut off, or a taking back was cut off at its
/// very end.
pub fn has_leftovers(rootfs: &Rootfs) -> Result<bool, RootfsFault> {
    let has_folder = rootfs.look(RECORD_FOLDER)?.is_some_and(|found| found.kind == Kind::Folder);
    if has_folder {
        Ok(rootfs.look(&format!("{RECORD_FOLDER}/{RECORD}"))?.is_none())
    } else {
        Ok(times::has_note(rootfs))
    }
}

/// Clears them.
pub fn clear(rootfs: &Rootfs) -> Result<(), RootfsFault> {
    clear_leftovers(rootfs)
}

fn empty_folder(folder: &OpenFolder, name: &str) -> Result<(), RootfsFault> {
    let path = format!("{RECORD_FOLDER}/{name}");
    let refused = |errno| RootfsFault::refused("removed", &path, errno);
    let inner = match folder.enter(name) {
        Ok(inner) => inner,
        Err(Errno::NOENT) => return Ok(()),
        Err(Errno::LOOP | Errno::NOTDIR) => return Err(RootfsFault::FileInTheWay(path)),
        Err(errno) => return Err(refused(errno)),
    };
    for entry in inner.names().map_err(refused)?.into_iter().flatten() {
        inner.remove(&entry).map_err(refused)?;
    }
    folder.remove_folder(name).map_err(refused)
}
