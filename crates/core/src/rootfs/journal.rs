//! Changing a root filesystem so that it can be taken back, whatever happens in between.
//!
//! First everything new is laid ready and everything old is kept, in the folder of the record; then the record is written;
//! only then do paths change, each by one renaming. Whoever finds a record with its mark of being under way can put every
//! path back, since each is either as it was or as it was to be.

use std::io::{self, Write as _};
use std::os::fd::{AsFd, BorrowedFd, OwnedFd};

use rustix::fs::{AtFlags, IFlags, Mode, OFlags, Timespec, Timestamps, XattrFlags};
use rustix::io::Errno;

use super::change::{Change, Owner, Subject, Want};
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

/// Who owns what this process makes, if it cannot give it away: `None` for root.
pub(super) fn own_identity() -> Option<Owner> {
    let uid = rustix::process::geteuid();
    (!uid.is_root()).then(|| Owner { uid: uid.as_raw(), gid: rustix::process::getegid().as_raw() })
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
            if !before.is_absent() || !after.is_absent() {
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
}

/// What has become of each step of a placement, in its order.
pub(super) fn since(rootfs: &Rootfs, record: &Record) -> Result<Vec<Since>, RootfsFault> {
    let of_step = |step: &Step| {
        let now = match rootfs.parent(&step.path)? {
            None => State::Absent,
            Some((parent, name)) => State::at(parent.as_fd(), name, &step.path)?,
        };
        Ok(if now == step.after {
            Since::AsPlaced
        } else if now == step.before {
            Since::AsBefore
        } else if (record.is_under_way && is_half_made(step, &now)) || is_for_the_host_to_change(step) {
            Since::AsPlaced
        } else {
            Since::Changed(now)
        })
    };
    record.steps.iter().map(of_step).collect()
}

/// Whether a folder was made and did not get its mode and owner before placing was cut off.
fn is_half_made(step: &Step, now: &State) -> bool {
    matches!((&step.after, now), (State::Folder { .. }, State::Folder { .. }))
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

/// The name of what is about to take a path's place, beside it. The next command clears it away.
fn temporary(number: usize) -> String {
    format!(".impostazione-{number}")
}

/// Moves a file or a link to a path, in one step: by renaming, or, from another filesystem, by a copy beside it that is
/// renamed.
fn move_into(
    from: BorrowedFd<'_>,
    number: &str,
    to: BorrowedFd<'_>,
    name: &str,
    path: &str,
) -> Result<(), RootfsFault> {
    let refused = |errno| RootfsFault::refused("written", path, errno);
    match rustix::fs::renameat(from, number, to, name) {
        Ok(()) => Ok(()),
        Err(Errno::XDEV) => {
            let beside = format!(".impostazione-{number}");
            remove_if_there(to, &beside, path)?;
            copy(from, number, to, &beside, path)?;
            rustix::fs::renameat(to, beside.as_str(), to, name).map_err(refused)?;
            remove_if_there(from, number, path)
        }
        Err(errno) => Err(refused(errno)),
    }
}

/// Copies a file or a link with mode, owner, times and extended attributes.
fn copy(
    from: BorrowedFd<'_>,
    name: &str,
    to: BorrowedFd<'_>,
    new_name: &str,
    path: &str,
) -> Result<(), RootfsFault> {
    let refused = |errno| RootfsFault::refused("kept", path, errno);
    let Some(found) = look_in(from, name, path)? else { return Ok(()) };
    let owner = own_identity().is_none().then_some(Owner { uid: found.uid, gid: found.gid });
    if found.kind == Kind::Link {
        let target = rustix::fs::readlinkat(from, name, Vec::new()).map_err(refused)?;
        rustix::fs::symlinkat(target.as_c_str(), to, new_name).map_err(refused)?;
        if let Some(owner) = owner {
            give(to, new_name, owner).map_err(refused)?;
        }
        return rustix::fs::utimensat(to, new_name, &times(found), AtFlags::SYMLINK_NOFOLLOW)
            .map_err(refused);
    }
    let old = open_to_read(from, name, path)?;
    let new = write_new(to, new_name, &[], 0o600, None, path)?;
    let mut reader = std::fs::File::from(old.try_clone().map_err(|error| kept_fault(path, error))?);
    let mut writer = std::fs::File::from(new.try_clone().map_err(|error| kept_fault(path, error))?);
    io::copy(&mut reader, &mut writer).map_err(|error| kept_fault(path, error))?;
    if let Some(owner) = owner {
        chown(&new, owner).map_err(refused)?;
    }
    rustix::fs::fchmod(&new, Mode::from_raw_mode(found.mode)).map_err(refused)?;
    copy_extended_attributes(old.as_fd(), new.as_fd(), path)?;
    // It may lie on a filesystem that nothing else here brings onto its disk.
    rustix::fs::fsync(&new).map_err(refused)?;
    rustix::fs::futimens(&new, &times(found)).map_err(refused)
}

fn kept_fault(path: &str, source: io::Error) -> RootfsFault {
    RootfsFault::Refused { doing: "kept", path: path.to_owned(), source }
}

fn times(found: Found) -> Timestamps {
    let time = |(seconds, nanoseconds): (i64, u32)| Timespec { tv_sec: seconds, tv_nsec: nanoseconds.into() };
    Timestamps { last_access: time(found.accessed), last_modification: time(found.modified) }
}

fn chown(file: &OwnedFd, owner: Owner) -> Result<(), Errno> {
    let (uid, gid) = (rustix::fs::Uid::from_raw(owner.uid), rustix::fs::Gid::from_raw(owner.gid));
    rustix::fs::fchown(file, Some(uid), Some(gid))
}

/// Gives a link to somebody.
fn give(folder: BorrowedFd<'_>, name: &str, owner: Owner) -> Result<(), Errno> {
    let (uid, gid) = (rustix::fs::Uid::from_raw(owner.uid), rustix::fs::Gid::from_raw(owner.gid));
    rustix::fs::chownat(folder, name, Some(uid), Some(gid), AtFlags::SYMLINK_NOFOLLOW)
}

/// Writes a new file, for its owner alone until it has its mode.
fn write_new(
    folder: BorrowedFd<'_>,
    name: &str,
    bytes: &[u8],
    mode: u32,
    owner: Option<Owner>,
    path: &str,
) -> Result<OwnedFd, RootfsFault> {
    let refused = |errno| RootfsFault::refused("written", path, errno);
    let flags = OFlags::WRONLY | OFlags::CREATE | OFlags::EXCL | OFlags::NOFOLLOW | OFlags::CLOEXEC;
    let file = rustix::fs::openat(folder, name, flags, Mode::from_raw_mode(0o600)).map_err(refused)?;
    let mut file = std::fs::File::from(file);
    file.write_all(bytes).map_err(|source| RootfsFault::Refused {
        doing: "written",
        path: path.to_owned(),
        source,
    })?;
    let file = OwnedFd::from(file);
    if let Some(owner) = owner {
        chown(&file, owner).map_err(refused)?;
    }
    rustix::fs::fchmod(&file, Mode::from_raw_mode(mode)).map_err(refused)?;
    Ok(file)
}

fn open_to_read(folder: BorrowedFd<'_>, name: &str, path: &str) -> Result<OwnedFd, RootfsFault> {
    let flags = OFlags::RDONLY | OFlags::NOFOLLOW | OFlags::NONBLOCK | OFlags::NOCTTY | OFlags::CLOEXEC;
    rustix::fs::openat(folder, name, flags, Mode::empty())
        .map_err(|errno| RootfsFault::refused("read", path, errno))
}

/// Refuses what could not be changed: a folder where a file belongs, a file where a folder does, and a file that is marked
/// immutable. `before` is what stands there.
pub(super) fn refuse_if_in_the_way(
    rootfs: &Rootfs,
    change: &Change,
    before: &State,
) -> Result<(), RootfsFault> {
    let path = change.path.as_str();
    match (before, &change.want) {
        (State::Absent, _) | (State::Folder { .. }, Want::Folder { .. }) => Ok(()),
        (State::Folder { .. }, _) => Err(super::folder::not_a_file(path, Kind::Folder)),
        (State::File { .. } | State::Link { .. }, Want::Folder { .. }) => {
            Err(RootfsFault::FileInTheWay(path.to_owned()))
        }
        (State::Link { .. }, _) => Ok(()),
        (State::File { .. }, _) => match rootfs.parent(path)? {
            Some((parent, name))
                if look_in(parent.as_fd(), name, path)?.is_some_and(|found| found.kind == Kind::File) =>
            {
                refuse_immutable(parent.as_fd(), name, path)
            }
            _ => Ok(()),
        },
    }
}

/// Refuses a file that is marked immutable or to be added to only (`chattr(1)`); filesystems without such marks say nothing.
fn refuse_immutable(folder: BorrowedFd<'_>, name: &str, path: &str) -> Result<(), RootfsFault> {
    let file = open_to_read(folder, name, path)?;
    match rustix::fs::ioctl_getflags(&file) {
        Ok(flags) if flags.intersects(IFlags::IMMUTABLE | IFlags::APPEND) => {
            Err(RootfsFault::Immutable(path.to_owned()))
        }
        _ => Ok(()),
    }
}

/// Copies what is beside mode and owner: access lists, labels, capabilities. A filesystem that has none is content.
fn copy_extended_attributes(from: BorrowedFd<'_>, to: BorrowedFd<'_>, path: &str) -> Result<(), RootfsFault> {
    let mut names = vec![0; 64 * 1024];
    let length = match rustix::fs::flistxattr(from, names.as_mut_slice()) {
        Ok(length) => length,
        Err(Errno::NOTSUP | Errno::NOSYS) => return Ok(()),
        Err(errno) => return Err(RootfsFault::refused("read", path, errno)),
    };
    let mut value = vec![0; 64 * 1024];
    for name in
        names.get(..length).unwrap_or_default().split(|byte| *byte == 0).filter(|name| !name.is_empty())
    {
        let read = rustix::fs::fgetxattr(from, name, value.as_mut_slice())
            .map_err(|errno| RootfsFault::refused("read", path, errno))?;
        let value = value.get(..read).unwrap_or_default();
        match rustix::fs::fsetxattr(to, name, value, XattrFlags::empty()) {
            // Some can be set by root alone, and the kernel sets others by itself.
            Ok(()) | Err(Errno::NOTSUP | Errno::PERM) => {}
            Err(errno) => return Err(RootfsFault::refused("written", path, errno)),
        }
    }
    Ok(())
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

fn open_folder(rootfs: &Rootfs, path: &str) -> Result<OwnedFd, RootfsFault> {
    // The folder of the record is never reached through a link of its own name.
    let opened = match rootfs.parent(path)? {
        None => Err(Errno::NOENT),
        Some((parent, name)) => rustix::fs::openat(
            &parent,
            name,
            OFlags::RDONLY | OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC,
            Mode::empty(),
        ),
    };
    opened.map_err(|errno| match errno {
        Errno::LOOP | Errno::NOTDIR => RootfsFault::FileInTheWay(path.to_owned()),
        other => RootfsFault::refused("read", path, other),
    })
}

fn make_folder(rootfs: &Rootfs, path: &str, mode: u32, owner: Option<Owner>) -> Result<(), RootfsFault> {
    let Some((parent, name)) = rootfs.parent(path)? else {
        return Err(RootfsFault::Unreachable(
            path.to_owned(),
            "the folder that it belongs into is not there",
        ));
    };
    rustix::fs::mkdirat(&parent, name, Mode::from_raw_mode(0o700)).map_err(|errno| match errno {
        Errno::EXIST => RootfsFault::FileInTheWay(path.to_owned()),
        other => RootfsFault::refused("made", path, other),
    })?;
    set_folder(parent.as_fd(), name, mode, owner, path)
}

fn set_folder(
    parent: BorrowedFd<'_>,
    name: &str,
    mode: u32,
    owner: Option<Owner>,
    path: &str,
) -> Result<(), RootfsFault> {
    let refused = |errno| RootfsFault::refused("made", path, errno);
    let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
    let folder = rustix::fs::openat(parent, name, flags, Mode::empty()).map_err(|errno| match errno {
        Errno::LOOP | Errno::NOTDIR => RootfsFault::FileInTheWay(path.to_owned()),
        other => refused(other),
    })?;
    if let Some(owner) = owner {
        chown(&folder, owner).map_err(refused)?;
    }
    rustix::fs::fchmod(&folder, Mode::from_raw_mode(mode)).map_err(refused)
}

fn remove_if_there(folder: BorrowedFd<'_>, name: &str, path: &str) -> Result<(), RootfsFault> {
    match rustix::fs::unlinkat(folder, name, AtFlags::empty()) {
        Ok(()) | Err(Errno::NOENT) => Ok(()),
        Err(errno) => Err(RootfsFault::refused("removed", path, errno)),
    }
}

fn remove_folder(rootfs: &Rootfs, path: &str) -> Result<(), RootfsFault> {
    let Some((parent, name)) = rootfs.parent(path)? else { return Ok(()) };
    match rustix::fs::unlinkat(&parent, name, AtFlags::REMOVEDIR) {
        Ok(()) | Err(Errno::NOENT | Errno::NOTEMPTY) => Ok(()),
        Err(errno) => Err(RootfsFault::refused("removed", path, errno)),
    }
}

fn sync<Fd: AsFd>(folder: &Fd) -> Result<(), RootfsFault> {
    rustix::fs::syncfs(folder).map_err(|errno| RootfsFault::refused("brought onto the disk", "", errno))
}
