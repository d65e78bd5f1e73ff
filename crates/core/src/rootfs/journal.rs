//! Changing a root filesystem so that it can be taken back, whatever happens in between.
//!
//! First everything new is laid ready and everything old is kept, in the folder of the record; then the record is written;
//! only then do paths change, each by one renaming. Whoever finds a record with its mark of being under way can put every
//! path back, since each is either as it was or as it was to be.

use std::io;
use std::os::fd::{AsFd, OwnedFd};

use rustix::fs::{AtFlags, Mode, OFlags, Timespec, Timestamps};
use rustix::io::Errno;

use super::change::{Change, Owner, Subject, Want};
use super::entries::{
    copy, copy_extended_attributes, give, make_folder, move_into, open_folder, open_to_read, own_identity,
    remove_folder, remove_if_there, set_folder, sync, temporary, write_new,
};
use super::folder::{Found, Kind, Rootfs, RootfsFault, look_in, split};
use super::record::{FolderTimes, KEPT, NEW, RECORD, RECORD_FOLDER, Record, Step, UNDER_WAY};
use super::state::State;

/// What a placement is to be remembered by.
#[derive(Clone, Debug)]
pub struct Occasion {
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
pub(super) fn place(rootfs: &Rootfs, changes: &[Change], occasion: &Occasion) -> Result<Record, RootfsFault> {
    clear_leftovers(rootfs)?;
    let mut making = Making::begin(rootfs)?;
    match making.lay_ready(changes, occasion) {
        Ok(record) => {
            let done = carry_out(rootfs, &making.new, &record).and_then(|()| finish(&making.folder));
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
            let made = std::mem::take(&mut making.made_folders);
            let times = std::mem::take(&mut making.folders);
            drop(making);
            let _ = clear_leftovers(rootfs);
            for folder in made.iter().rev() {
                let _ = remove_folder(rootfs, folder);
            }
            for folder in times.iter().rev() {
                let _ = set_times(rootfs, folder);
            }
            Err(fault)
        }
    }
}

/// The folder of the record while a placement is laid ready.
struct Making<'a> {
    rootfs: &'a Rootfs,
    folder: OwnedFd,
    kept: OwnedFd,
    new: OwnedFd,
    own: Option<Owner>,
    /// Folders above that of the record, which were not there.
    made_folders: Vec<String>,
    /// Times of folders before anything in them was changed.
    folders: Vec<FolderTimes>,
}

impl<'a> Making<'a> {
    fn begin(rootfs: &'a Rootfs) -> Result<Self, RootfsFault> {
        let mut folders = Vec::new();
        let mut made_folders = Vec::new();
        let mut above = String::new();
        for part in RECORD_FOLDER.split('/') {
            let path = if above.is_empty() { part.to_owned() } else { format!("{above}/{part}") };
            if path == RECORD_FOLDER {
                remember_times(rootfs, &above, &mut folders)?;
                make_folder(rootfs, &path, 0o700, None)?;
            } else if rootfs.follow(&path)?.is_none() {
                remember_times(rootfs, &above, &mut folders)?;
                make_folder(rootfs, &path, 0o755, None)?;
                made_folders.push(path.clone());
            }
            above = path;
        }
        let folder = open_folder(rootfs, RECORD_FOLDER)?;
        let inner = |name: &str| {
            let path = format!("{RECORD_FOLDER}/{name}");
            make_folder(rootfs, &path, 0o700, None)?;
            open_folder(rootfs, &path)
        };
        let (kept, new) = (inner(KEPT)?, inner(NEW)?);
        Ok(Self { rootfs, folder, kept, new, own: own_identity(), made_folders, folders })
    }

    /// Writes everything new, keeps everything old, and writes the record with its mark.
    fn lay_ready(&mut self, changes: &[Change], occasion: &Occasion) -> Result<Record, RootfsFault> {
        let mut steps = Vec::new();
        let mut not_owned = Vec::new();
        for change in changes {
            let number = steps.len();
            let before = self.keep(number, change)?;
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
                let (parent, _) = split(&change.path);
                if self.rootfs.follow(parent)?.is_some() {
                    remember_times(self.rootfs, parent, &mut self.folders)?;
                }
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
            machine: occasion.machine.clone(),
            output: occasion.output.clone(),
            placed: occasion.placed.clone(),
            steps,
            folders: std::mem::take(&mut self.folders),
            made_folders: self.made_folders.clone(),
            accounts: occasion.accounts.clone(),
            fresh_identity: occasion.fresh_identity,
            not_owned,
            is_under_way: false,
        };
        let mut bytes = serde_json::to_vec_pretty(&record).map_err(|error| RootfsFault::Refused {
            doing: "written",
            path: format!("{RECORD_FOLDER}/{RECORD}"),
            source: io::Error::other(error),
        })?;
        bytes.push(b'\n');
        write_new(self.folder.as_fd(), UNDER_WAY, &[], 0o600, None, UNDER_WAY)?;
        write_new(self.folder.as_fd(), "record", &bytes, 0o600, None, RECORD)?;
        sync(&self.folder)?;
        rustix::fs::renameat(&self.folder, "record", &self.folder, RECORD)
            .map_err(|errno| RootfsFault::refused("written", &format!("{RECORD_FOLDER}/{RECORD}"), errno))?;
        sync(&self.folder)?;
        Ok(record)
    }

    /// Keeps what stands at a path: by a second name for it where the filesystem has them, else by a copy.
    fn keep(&self, number: usize, change: &Change) -> Result<State, RootfsFault> {
        let path = change.path.as_str();
        if let Some((boot, name)) = self.rootfs.on_boot_partition(path) {
            if let Some(bytes) = boot.read(path, name)? {
                write_new(self.kept.as_fd(), &number.to_string(), &bytes, 0o600, None, path)?;
            }
            return boot.state(path, name);
        }
        let Some((parent, name)) = self.rootfs.parent(path)? else { return Ok(State::Absent) };
        let before = State::at(parent.as_fd(), name, path)?;
        match &before {
            State::Absent | State::Folder { .. } => return Ok(before),
            State::File { .. } | State::Link { .. } => {}
        }
        let kept = number.to_string();
        match rustix::fs::linkat(&parent, name, &self.kept, kept.as_str(), AtFlags::empty()) {
            Ok(()) => Ok(before),
            Err(Errno::XDEV | Errno::PERM | Errno::MLINK | Errno::NOTSUP | Errno::ACCESS) => {
                copy(parent.as_fd(), name, self.kept.as_fd(), &kept, path)?;
                Ok(before)
            }
            Err(errno) => Err(RootfsFault::refused("kept", path, errno)),
        }
    }

    /// Writes what is to stand at a path; it has the extended attributes of what it replaces.
    fn stage(
        &self,
        number: usize,
        change: &Change,
        bytes: &[u8],
        mode: u32,
        owner: Option<Owner>,
        before: &State,
    ) -> Result<(), RootfsFault> {
        let name = number.to_string();
        let file = write_new(self.new.as_fd(), &name, bytes, mode, owner, &change.path)?;
        if matches!(before, State::File { .. })
            && self.rootfs.on_boot_partition(&change.path).is_none()
            && let Some((parent, old)) = self.rootfs.parent(&change.path)?
        {
            let old = open_to_read(parent.as_fd(), old, &change.path)?;
            copy_extended_attributes(old.as_fd(), file.as_fd(), &change.path)?;
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
fn carry_out(rootfs: &Rootfs, new: &OwnedFd, record: &Record) -> Result<(), RootfsFault> {
    for (number, step) in record.steps.iter().enumerate() {
        let path = step.path.as_str();
        if let Some((boot, name)) = rootfs.on_boot_partition(path) {
            let ready = format!("{RECORD_FOLDER}/{NEW}/{number}");
            if let Some(bytes) = rootfs.read(&ready)? {
                boot.write(path, name, &bytes)?;
            }
            remove_if_there(new.as_fd(), &number.to_string(), path)?;
            continue;
        }
        let (parent, name) = rootfs.parent(path)?.ok_or_else(|| {
            RootfsFault::Unreachable(path.to_owned(), "the folder that it belongs into is not there")
        })?;
        let parent = parent.as_fd();
        let refused = |errno| RootfsFault::refused("written", path, errno);
        match &step.after {
            State::Absent => match rustix::fs::unlinkat(parent, name, AtFlags::empty()) {
                Ok(()) | Err(Errno::NOENT) => {}
                Err(errno) => return Err(RootfsFault::refused("set aside", path, errno)),
            },
            State::File { .. } => move_into(new.as_fd(), &number.to_string(), parent, name, path)?,
            State::Link { target, uid, gid } => {
                let beside = temporary(number);
                remove_if_there(parent, &beside, path)?;
                rustix::fs::symlinkat(target.as_str(), parent, beside.as_str()).map_err(refused)?;
                if own_identity().is_none() {
                    give(parent, &beside, Owner { uid: *uid, gid: *gid }).map_err(refused)?;
                }
                rustix::fs::renameat(parent, beside.as_str(), parent, name).map_err(refused)?;
            }
            State::Folder { mode, uid, gid } => {
                match rustix::fs::mkdirat(parent, name, Mode::from_raw_mode(0o700)) {
                    Ok(()) | Err(Errno::EXIST) => {}
                    Err(errno) => return Err(refused(errno)),
                }
                let owner = own_identity().is_none().then_some(Owner { uid: *uid, gid: *gid });
                set_folder(parent, name, *mode, owner, path)?;
            }
        }
    }
    Ok(())
}

/// Removes the mark: the placement is whole.
fn finish(folder: &OwnedFd) -> Result<(), RootfsFault> {
    sync(folder)?;
    let refused = |errno| RootfsFault::refused("finished", RECORD_FOLDER, errno);
    rustix::fs::unlinkat(folder, NEW, AtFlags::REMOVEDIR).map_err(refused)?;
    rustix::fs::unlinkat(folder, UNDER_WAY, AtFlags::empty()).map_err(refused)?;
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
pub(super) fn since(rootfs: &Rootfs, record: &Record) -> Result<Vec<Since>, RootfsFault> {
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
            return Err(RootfsFault::NotMounted(step.path.clone(), split(&step.path).0.to_owned()));
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
/// and begun again.
pub(super) fn undo(rootfs: &Rootfs, record: &Record) -> Result<Undone, RootfsFault> {
    check_reach(rootfs, record)?;
    let folder = open_folder(rootfs, RECORD_FOLDER)?;
    match write_new(folder.as_fd(), UNDER_WAY, &[], 0o600, None, UNDER_WAY) {
        Ok(_) => sync(&folder)?,
        Err(RootfsFault::Refused { source, .. }) if source.kind() == io::ErrorKind::AlreadyExists => {}
        Err(fault) => return Err(fault),
    }
    let kept = open_folder(rootfs, &format!("{RECORD_FOLDER}/{KEPT}")).ok();
    let mut undone = Undone::default();
    for (number, step) in record.steps.iter().enumerate().rev() {
        put_back(rootfs, kept.as_ref(), number, step, &mut undone)?;
    }
    for times in record.folders.iter().rev() {
        set_times(rootfs, times)?;
    }
    sync(&folder)?;
    drop((kept, folder));
    remove_record(rootfs)?;
    for path in record.made_folders.iter().rev() {
        remove_folder(rootfs, path)?;
    }
    // That of the folder in which the record lay, which has just changed.
    for times in record.folders.iter().filter(|times| RECORD_FOLDER.starts_with(times.path.as_str())) {
        set_times(rootfs, times)?;
    }
    // What a filesystem is mounted by may be good for looking only.
    let top = rootfs
        .open_at("", OFlags::RDONLY | OFlags::DIRECTORY)
        .map_err(|errno| RootfsFault::refused("read", "", errno))?;
    sync(&top)?;
    Ok(undone)
}

fn put_back(
    rootfs: &Rootfs,
    kept: Option<&OwnedFd>,
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
    let Some((parent, name)) = rootfs.parent(path)? else { return Ok(()) };
    let parent = parent.as_fd();
    remove_if_there(parent, &temporary(number), path)?;
    if State::at(parent, name, path)? == step.before {
        return Ok(());
    }
    undone.restored += 1;
    match &step.before {
        State::Absent if matches!(step.after, State::Folder { .. }) => {
            match rustix::fs::unlinkat(parent, name, AtFlags::REMOVEDIR) {
                Ok(()) | Err(Errno::NOENT) => {}
                Err(Errno::NOTEMPTY | Errno::EXIST) => undone.left_folders.push(path.to_owned()),
                Err(errno) => return Err(RootfsFault::refused("removed", path, errno)),
            }
        }
        State::Absent => remove_if_there(parent, name, path)?,
        State::Folder { mode, uid, gid } => {
            let owner = own_identity().is_none().then_some(Owner { uid: *uid, gid: *gid });
            set_folder(parent, name, *mode, owner, path)?;
        }
        State::File { .. } | State::Link { .. } => {
            let kept = kept.ok_or_else(|| {
                RootfsFault::Unreachable(format!("{RECORD_FOLDER}/{KEPT}"), "what was kept is not there")
            })?;
            move_into(kept.as_fd(), &number.to_string(), parent, name, path)?;
        }
    }
    Ok(())
}

/// Removes the record: what it kept first, then itself, so that until the end it says that it is under way.
fn remove_record(rootfs: &Rootfs) -> Result<(), RootfsFault> {
    let folder = open_folder(rootfs, RECORD_FOLDER)?;
    for inner in [KEPT, NEW] {
        empty_folder(rootfs, &folder, inner)?;
    }
    for name in [RECORD, "record", UNDER_WAY] {
        remove_if_there(folder.as_fd(), name, name)?;
    }
    drop(folder);
    remove_folder(rootfs, RECORD_FOLDER)
}

/// Clears what was laid ready by a placement that ended before it changed anything.
fn clear_leftovers(rootfs: &Rootfs) -> Result<(), RootfsFault> {
    match rootfs.look(RECORD_FOLDER)? {
        None => Ok(()),
        Some(Found { kind: Kind::Folder, .. }) => remove_record(rootfs),
        Some(_) => Err(RootfsFault::FileInTheWay(RECORD_FOLDER.to_owned())),
    }
}

/// Whether something was laid ready and nothing changed, by a placement that was cut off.
pub(super) fn has_leftovers(rootfs: &Rootfs) -> Result<bool, RootfsFault> {
    Ok(rootfs.look(RECORD_FOLDER)?.is_some_and(|found| found.kind == Kind::Folder)
        && rootfs.look(&format!("{RECORD_FOLDER}/{RECORD}"))?.is_none())
}

/// Clears them.
pub fn clear(rootfs: &Rootfs) -> Result<(), RootfsFault> {
    clear_leftovers(rootfs)
}

fn empty_folder(rootfs: &Rootfs, folder: &OwnedFd, name: &str) -> Result<(), RootfsFault> {
    let path = format!("{RECORD_FOLDER}/{name}");
    match look_in(folder.as_fd(), name, &path)? {
        None => return Ok(()),
        Some(Found { kind: Kind::Folder, .. }) => {}
        Some(_) => return Err(RootfsFault::FileInTheWay(path)),
    }
    let inner = open_folder(rootfs, &path)?;
    for entry in rootfs.list(&path)? {
        remove_if_there(inner.as_fd(), &entry, &path)?;
    }
    rustix::fs::unlinkat(folder, name, AtFlags::REMOVEDIR)
        .map_err(|errno| RootfsFault::refused("removed", &path, errno))
}

fn remember_times(rootfs: &Rootfs, folder: &str, folders: &mut Vec<FolderTimes>) -> Result<(), RootfsFault> {
    if folders.iter().any(|known| known.path == folder) {
        return Ok(());
    }
    let at = if folder.is_empty() { "." } else { folder };
    if let Some(found) = rootfs.follow(at)? {
        folders.push(FolderTimes {
            path: folder.to_owned(),
            modified: found.modified,
            accessed: found.accessed,
        });
    }
    Ok(())
}

fn set_times(rootfs: &Rootfs, folder: &FolderTimes) -> Result<(), RootfsFault> {
    let time = |(seconds, nanoseconds): (i64, u32)| Timespec { tv_sec: seconds, tv_nsec: nanoseconds.into() };
    let times = Timestamps { last_access: time(folder.accessed), last_modification: time(folder.modified) };
    match rootfs.open_at(&folder.path, OFlags::RDONLY | OFlags::DIRECTORY) {
        // Times are no reason to stop.
        Ok(opened) => {
            let _ = rustix::fs::futimens(&opened, &times);
            Ok(())
        }
        Err(Errno::NOENT | Errno::NOTDIR) => Ok(()),
        Err(errno) => Err(RootfsFault::refused("read", &folder.path, errno)),
    }
}
