//! Single steps on a root filesystem: each makes, moves, copies or removes one entry, or refuses to.

use std::fmt::Display;
use std::io::{self, Read as _, Write as _};
use std::os::fd::{AsFd, BorrowedFd, OwnedFd};

use impostazione_text::FileBytes;
use rustix::fs::{AtFlags, IFlags, Mode, OFlags, StatVfsMountFlags, Timespec, Timestamps, XattrFlags};
use rustix::io::Errno;

use super::change::{Change, Owner, Want};
use super::folder::{Found, Kind, READ_LIMIT, Rootfs, RootfsFault, is_fat, look_in, not_a_file, split};
use super::state::State;
use crate::access_list::{self, AccessList};
use crate::open_folder::OpenFolder;

/// Who owns what this process makes, if it cannot give it away: `None` for root.
pub fn own_identity() -> Option<Owner> {
    let uid = rustix::process::geteuid();
    (!uid.is_root()).then(|| Owner { uid: uid.as_raw(), gid: rustix::process::getegid().as_raw() })
}

/// Moves a file or a link to a path, in one step: by renaming, or, from another filesystem, by a copy beside it that is
/// renamed.
pub(super) fn move_into(
    from: &OpenFolder,
    number: &str,
    to: &OpenFolder,
    name: &str,
    path: &str,
) -> Result<(), RootfsFault> {
    let refused = |errno| RootfsFault::refused("written", path, errno);
    match from.rename(number, to, name) {
        Ok(()) => Ok(()),
        Err(Errno::XDEV) => {
            let beside = temporary(number);
            remove_if_there(to, &beside, path)?;
            copy(from, number, to, &beside, path)?;
            to.rename(&beside, to, name).map_err(refused)?;
            remove_if_there(from, number, path)
        }
        Err(errno) => Err(refused(errno)),
    }
}

/// The name of what is about to take a path's place, beside it, by the number of its step. The next command clears it away.
pub(super) fn temporary(number: impl Display) -> String {
    format!(".impostazione-{number}")
}

/// Copies a file or a link with mode, owner, times and extended attributes.
pub(super) fn copy(
    from: &OpenFolder,
    name: &str,
    to: &OpenFolder,
    new_name: &str,
    path: &str,
) -> Result<(), RootfsFault> {
    let refused = |errno| RootfsFault::refused("kept", path, errno);
    let Some(found) = look_in(from, name, path)? else { return Ok(()) };
    let owner = own_identity().is_none().then_some(Owner { uid: found.uid, gid: found.gid });
    if found.kind == Kind::Link {
        let target = from.target(name).map_err(refused)?;
        to.make_link(new_name, &target.to_string_lossy()).map_err(refused)?;
        if let Some(owner) = owner {
            give(to, new_name, owner).map_err(refused)?;
        }
        return rustix::fs::utimensat(to.as_fd(), new_name, &times(found), AtFlags::SYMLINK_NOFOLLOW)
            .map_err(refused);
    }
    let old = open_to_read(from, name, path)?;
    let new = write_new(to, new_name, &[], 0o600, None, path)?;
    let mut reader = std::fs::File::from(old.try_clone().map_err(|error| kept_fault(path, error))?);
    let mut writer = std::fs::File::from(new.try_clone().map_err(|error| kept_fault(path, error))?);
    io::copy(&mut reader, &mut writer).map_err(|error| kept_fault(path, error))?;
    if !is_fat(&new) {
        if let Some(owner) = owner {
            chown(&new, owner).map_err(refused)?;
        }
        rustix::fs::fchmod(&new, Mode::from_raw_mode(found.mode)).map_err(refused)?;
    }
    copy_attributes(old.as_fd(), new.as_fd(), Lists::Too, path)?;
    // It may lie on a filesystem that nothing else here brings onto its disk.
    rustix::fs::fsync(&new).map_err(refused)?;
    rustix::fs::futimens(&new, &times(found)).map_err(refused)
}

pub(super) fn kept_fault(path: &str, source: io::Error) -> RootfsFault {
    RootfsFault::Refused { doing: "kept", path: path.to_owned(), source }
}

pub(super) fn times(found: Found) -> Timestamps {
    let time = |(seconds, nanoseconds): (i64, u32)| Timespec { tv_sec: seconds, tv_nsec: nanoseconds.into() };
    Timestamps { last_access: time(found.accessed), last_modification: time(found.modified) }
}

pub(super) fn chown(file: &OwnedFd, owner: Owner) -> Result<(), Errno> {
    let (uid, gid) = (rustix::fs::Uid::from_raw(owner.uid), rustix::fs::Gid::from_raw(owner.gid));
    rustix::fs::fchown(file, Some(uid), Some(gid))
}

/// Gives a link to somebody.
pub(super) fn give(folder: &OpenFolder, name: &str, owner: Owner) -> Result<(), Errno> {
    let (uid, gid) = (rustix::fs::Uid::from_raw(owner.uid), rustix::fs::Gid::from_raw(owner.gid));
    rustix::fs::chownat(folder.as_fd(), name, Some(uid), Some(gid), AtFlags::SYMLINK_NOFOLLOW)
}

/// Writes a new file, for its owner alone until it has its mode, and for nobody by an access list.
pub(super) fn write_new(
    folder: &OpenFolder,
    name: &str,
    bytes: &[u8],
    mode: u32,
    owner: Option<Owner>,
    path: &str,
) -> Result<OwnedFd, RootfsFault> {
    let refused = |errno| RootfsFault::refused("written", path, errno);
    let mut file = folder.create(name).map_err(refused)?;
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

pub(super) fn open_to_read(folder: &OpenFolder, name: &str, path: &str) -> Result<OwnedFd, RootfsFault> {
    folder.open_file(name).map_err(|errno| RootfsFault::refused("read", path, errno))
}

/// Reads the file under a name in an open folder, a link not being followed; nothing where none is.
pub(super) fn read_in(folder: &OpenFolder, name: &str, path: &str) -> Result<Option<FileBytes>, RootfsFault> {
    match look_in(folder, name, path)? {
        None => return Ok(None),
        Some(Found { kind: Kind::File, .. }) => {}
        Some(found) => return Err(not_a_file(path, found.kind)),
    }
    let file = std::fs::File::from(open_to_read(folder, name, path)?);
    let mut bytes = Vec::new();
    let read = file.take(READ_LIMIT + 1).read_to_end(&mut bytes);
    read.map_err(|source| RootfsFault::Refused { doing: "read", path: path.to_owned(), source })?;
    if bytes.len() as u64 > READ_LIMIT {
        return Err(RootfsFault::TooLarge { path: path.to_owned(), size: bytes.len() as u64 });
    }
    Ok(Some(FileBytes::new(bytes)))
}

/// Refuses what could not be changed, before anything is: a folder where a file belongs, a file where a folder does, what is
/// marked immutable, what lies on a part that is good for reading only. `before` is what stands there.
pub fn refuse_if_in_the_way(rootfs: &Rootfs, change: &Change, before: &State) -> Result<(), RootfsFault> {
    let path = change.path.as_str();
    match (before, &change.want) {
        (State::Absent, _)
        | (State::Folder { .. }, Want::Folder { .. })
        | (State::Link { .. }, Want::Link(_)) => {}
        (State::Folder { .. }, _) => return Err(not_a_file(path, Kind::Folder)),
        (State::File { .. } | State::Link { .. }, Want::Folder { .. }) => {
            return Err(RootfsFault::FileInTheWay(path.to_owned()));
        }
        (State::Link { .. } | State::File { .. }, _) => {}
    }
    if rootfs.on_boot_partition(path).is_some() {
        return Ok(());
    }
    if let Some((parent, name)) = rootfs.parent(path)?
        && matches!(look_in(&parent, name, path)?, Some(Found { kind: Kind::File | Kind::Folder, .. }))
    {
        let standing = match change.want {
            Want::Folder { .. } => parent.enter(name).map(OpenFolder::into_handle),
            _ => parent.open_file(name),
        };
        // Who may not read it may yet replace it.
        if let Ok(standing) = standing {
            refuse_marked(&standing, path)?;
        }
    }
    let (folder, at) = lowest_folder(rootfs, path)?;
    rootfs.refuse_part_of_this_computer(&folder, at)?;
    // Of what is closed as a whole a rule speaks.
    if rootfs.is_closed() { Ok(()) } else { refuse_unwritable(&folder, at) }
}

/// The folder that a path lies in, or, where that is not there, the lowest above it that is.
fn lowest_folder<'p>(rootfs: &Rootfs, path: &'p str) -> Result<(OpenFolder, &'p str), RootfsFault> {
    let mut at = split(path).0;
    loop {
        match rootfs.open_at(at, OFlags::PATH | OFlags::DIRECTORY) {
            Ok(folder) => return Ok((folder.into(), at)),
            Err(Errno::NOENT | Errno::NOTDIR) if !at.is_empty() => at = split(at).0,
            Err(errno) => return Err(RootfsFault::refused("read", at, errno)),
        }
    }
}

/// Refuses a folder to whose list nothing can be added.
fn refuse_unwritable(folder: &OpenFolder, path: &str) -> Result<(), RootfsFault> {
    let refused = |errno| RootfsFault::refused("read", path, errno);
    let flags = rustix::fs::fstatvfs(folder).map_err(refused)?.f_flag;
    if flags.contains(StatVfsMountFlags::RDONLY) {
        return Err(RootfsFault::ReadOnly(path.to_owned()));
    }
    // The handle may be good for looking only.
    if let Ok(opened) = folder.reopen() {
        refuse_marked(&opened, path)?;
    }
    match folder.may_write() {
        Err(Errno::ACCESS | Errno::PERM) if own_identity().is_some() => {
            Err(RootfsFault::NotYours(path.to_owned()))
        }
        // What is not known before shows when it is tried.
        Ok(()) | Err(_) => Ok(()),
    }
}

/// Refuses what is marked immutable or to be added to only (`chattr(1)`); filesystems without such marks say nothing.
fn refuse_marked(file: &impl AsFd, path: &str) -> Result<(), RootfsFault> {
    match rustix::fs::ioctl_getflags(file) {
        Ok(flags) if flags.contains(IFlags::IMMUTABLE) => {
            Err(RootfsFault::Marked { path: path.to_owned(), mark: "immutable", option: "-i" })
        }
        Ok(flags) if flags.contains(IFlags::APPEND) => {
            Err(RootfsFault::Marked { path: path.to_owned(), mark: "append-only", option: "-a" })
        }
        _ => Ok(()),
    }
}

/// Whether access lists are among the attributes that are copied.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Lists {
    /// They are: the copy is to be as what it is a copy of.
    Too,
    /// They are not: mode and owner alone say who may do what.
    Not,
}

/// Copies what is beside mode and owner: labels, capabilities, access lists where they are wanted. A filesystem that has none
/// is content.
pub(super) fn copy_attributes(
    from: BorrowedFd<'_>,
    to: BorrowedFd<'_>,
    lists: Lists,
    path: &str,
) -> Result<(), RootfsFault> {
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
        if lists == Lists::Not && access_list::is_one(name) {
            continue;
        }
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

/// Opens a folder, which is never reached through a link of its own name.
pub(super) fn open_folder(rootfs: &Rootfs, path: &str) -> Result<OpenFolder, RootfsFault> {
    let opened = match rootfs.parent(path)? {
        None => Err(Errno::NOENT),
        Some((parent, name)) => parent.enter(name),
    };
    opened.map_err(|errno| match errno {
        Errno::LOOP | Errno::NOTDIR => RootfsFault::FileInTheWay(path.to_owned()),
        other => RootfsFault::refused("read", path, other),
    })
}

pub(super) fn make_folder(
    rootfs: &Rootfs,
    path: &str,
    mode: u32,
    owner: Option<Owner>,
) -> Result<(), RootfsFault> {
    let Some((parent, name)) = rootfs.parent(path)? else {
        return Err(RootfsFault::Unreachable(path.to_owned(), "its folder does not exist"));
    };
    parent.make_folder(name, 0o700).map_err(|errno| match errno {
        Errno::EXIST => RootfsFault::FileInTheWay(path.to_owned()),
        other => RootfsFault::refused("made", path, other),
    })?;
    set_folder(&parent, name, FolderAttributes { mode, owner, access_list: None }, path)
}

/// Who may do what with a folder.
#[derive(Clone, Copy)]
pub(super) struct FolderAttributes<'a> {
    pub(super) mode: u32,
    /// Whose it becomes; nothing leaves it whose it is.
    pub(super) owner: Option<Owner>,
    pub(super) access_list: Option<&'a AccessList>,
}

pub(super) fn set_folder(
    parent: &OpenFolder,
    name: &str,
    attributes: FolderAttributes<'_>,
    path: &str,
) -> Result<(), RootfsFault> {
    let refused = |errno| RootfsFault::refused("made", path, errno);
    let folder = parent.enter(name).map_err(|errno| match errno {
        Errno::LOOP | Errno::NOTDIR => RootfsFault::FileInTheWay(path.to_owned()),
        other => refused(other),
    })?;
    if let Some(Owner { uid, gid }) = attributes.owner {
        let (uid, gid) = (rustix::fs::Uid::from_raw(uid), rustix::fs::Gid::from_raw(gid));
        rustix::fs::fchown(&folder, Some(uid), Some(gid)).map_err(refused)?;
    }
    match attributes.access_list {
        Some(list) => list.give(folder.as_fd()).map_err(refused)?,
        None => access_list::remove(folder.as_fd()).map_err(refused)?,
    }
    rustix::fs::fchmod(&folder, Mode::from_raw_mode(attributes.mode)).map_err(refused)
}

/// Removes an entry; nothing is asked of a folder that does not have it, which may be good for reading only.
pub(super) fn remove_if_there(folder: &OpenFolder, name: &str, path: &str) -> Result<(), RootfsFault> {
    let refused = |errno| RootfsFault::refused("removed", path, errno);
    match folder.look(name).map_err(refused)? {
        Some(_) => folder.remove(name).map_err(refused),
        None => Ok(()),
    }
}

pub(super) fn remove_folder(rootfs: &Rootfs, path: &str) -> Result<(), RootfsFault> {
    let Some((parent, name)) = rootfs.parent(path)? else { return Ok(()) };
    match parent.remove_folder(name) {
        Ok(()) | Err(Errno::NOTEMPTY) => Ok(()),
        Err(errno) => Err(RootfsFault::refused("removed", path, errno)),
    }
}

pub(super) fn sync<Fd: AsFd>(folder: &Fd) -> Result<(), RootfsFault> {
    rustix::fs::syncfs(folder).map_err(|errno| RootfsFault::refused("synced to disk", "", errno))
}
