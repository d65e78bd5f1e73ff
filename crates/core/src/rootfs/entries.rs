//! Single steps on a root filesystem: each makes, moves, copies or removes one entry, or refuses to.

use std::fmt::Display;
use std::io::{self, Write as _};
use std::os::fd::{AsFd, BorrowedFd, OwnedFd};

use rustix::fs::{AtFlags, IFlags, Mode, OFlags, Timespec, Timestamps, XattrFlags};
use rustix::io::Errno;

use super::change::{Change, Owner, Want};
use super::folder::{Found, Kind, Rootfs, RootfsFault, is_fat, look_in, not_a_file};
use super::state::State;

/// Who owns what this process makes, if it cannot give it away: `None` for root.
pub(super) fn own_identity() -> Option<Owner> {
    let uid = rustix::process::geteuid();
    (!uid.is_root()).then(|| Owner { uid: uid.as_raw(), gid: rustix::process::getegid().as_raw() })
}

/// Moves a file or a link to a path, in one step: by renaming, or, from another filesystem, by a copy beside it that is
/// renamed.
pub(super) fn move_into(
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
            let beside = temporary(number);
            remove_if_there(to, &beside, path)?;
            copy(from, number, to, &beside, path)?;
            rustix::fs::renameat(to, beside.as_str(), to, name).map_err(refused)?;
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
    if !is_fat(&new) {
        if let Some(owner) = owner {
            chown(&new, owner).map_err(refused)?;
        }
        rustix::fs::fchmod(&new, Mode::from_raw_mode(found.mode)).map_err(refused)?;
    }
    copy_extended_attributes(old.as_fd(), new.as_fd(), path)?;
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
pub(super) fn give(folder: BorrowedFd<'_>, name: &str, owner: Owner) -> Result<(), Errno> {
    let (uid, gid) = (rustix::fs::Uid::from_raw(owner.uid), rustix::fs::Gid::from_raw(owner.gid));
    rustix::fs::chownat(folder, name, Some(uid), Some(gid), AtFlags::SYMLINK_NOFOLLOW)
}

/// Writes a new file, for its owner alone until it has its mode.
pub(super) fn write_new(
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

pub(super) fn open_to_read(folder: BorrowedFd<'_>, name: &str, path: &str) -> Result<OwnedFd, RootfsFault> {
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
        (State::Folder { .. }, _) => Err(not_a_file(path, Kind::Folder)),
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
pub(super) fn refuse_immutable(folder: BorrowedFd<'_>, name: &str, path: &str) -> Result<(), RootfsFault> {
    let file = open_to_read(folder, name, path)?;
    match rustix::fs::ioctl_getflags(&file) {
        Ok(flags) if flags.intersects(IFlags::IMMUTABLE | IFlags::APPEND) => {
            Err(RootfsFault::Immutable(path.to_owned()))
        }
        _ => Ok(()),
    }
}

/// Copies what is beside mode and owner: access lists, labels, capabilities. A filesystem that has none is content.
pub(super) fn copy_extended_attributes(
    from: BorrowedFd<'_>,
    to: BorrowedFd<'_>,
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

pub(super) fn open_folder(rootfs: &Rootfs, path: &str) -> Result<OwnedFd, RootfsFault> {
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

pub(super) fn make_folder(
    rootfs: &Rootfs,
    path: &str,
    mode: u32,
    owner: Option<Owner>,
) -> Result<(), RootfsFault> {
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

pub(super) fn set_folder(
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

pub(super) fn remove_if_there(folder: BorrowedFd<'_>, name: &str, path: &str) -> Result<(), RootfsFault> {
    match rustix::fs::unlinkat(folder, name, AtFlags::empty()) {
        Ok(()) | Err(Errno::NOENT) => Ok(()),
        Err(errno) => Err(RootfsFault::refused("removed", path, errno)),
    }
}

pub(super) fn remove_folder(rootfs: &Rootfs, path: &str) -> Result<(), RootfsFault> {
    let Some((parent, name)) = rootfs.parent(path)? else { return Ok(()) };
    match rustix::fs::unlinkat(&parent, name, AtFlags::REMOVEDIR) {
        Ok(()) | Err(Errno::NOENT | Errno::NOTEMPTY) => Ok(()),
        Err(errno) => Err(RootfsFault::refused("removed", path, errno)),
    }
}

pub(super) fn sync<Fd: AsFd>(folder: &Fd) -> Result<(), RootfsFault> {
    rustix::fs::syncfs(folder).map_err(|errno| RootfsFault::refused("brought onto the disk", "", errno))
}
