//! A root filesystem as a capability: whatever links it holds, nothing outside it can be read or changed through it.

use std::fmt;
use std::fs::File;
use std::io::{self, Read as _};
use std::os::fd::{AsFd, OwnedFd};
use std::path::{Path, PathBuf};

use impostazione_text::files::plain;
use impostazione_text::{ByteSize, FileBytes};
use rustix::fs::{Dir, FileType, Mode, OFlags, ResolveFlags, Stat};
use rustix::io::Errno;

use super::boot::BootPartition;
use super::boot_list::{KERNEL_LINE, mounted_by_list};
use super::mounts;
use super::path::OddPath;
use super::state::State;
use crate::open_folder::{OpenFolder, is_entry_name};

/// Largest file of a root filesystem that is read whole: lists of names and settings are far smaller.
pub const READ_LIMIT: u64 = 16 * 1024 * 1024;

/// How often a path is looked up again while somebody renames folders of it (`openat2(2)`, `EAGAIN`).
const TRIES: usize = 16;

/// Why something on a root filesystem could not be read or changed.
#[derive(Debug, thiserror::Error)]
pub enum RootfsFault {
    /// There is nothing at the path that was given.
    #[error("{} does not exist", .0.display())]
    Missing(PathBuf),
    /// The path that was given is no folder.
    #[error("{} is neither a folder with a root filesystem nor a disk image", .0.display())]
    NotAFolder(PathBuf),
    /// A path does not name an entry of a folder on it.
    #[error(transparent)]
    Odd(#[from] OddPath),
    /// A path on it leads in a circle, or through what is no folder.
    #[error("/{0} on the rootfs cannot be reached: {1}")]
    Unreachable(String, &'static str),
    /// A device, a pipe, a socket or a folder stands where a file belongs.
    #[error("/{path} on the rootfs is {kind}, and must be a file; find out what it is for, and move it away")]
    NotAFile {
        /// Where.
        path: String,
        /// What it is, with its article.
        kind: &'static str,
    },
    /// A file stands where a folder belongs.
    #[error("/{0} on the rootfs must be a folder, and is not; find out what it is for, and move it away")]
    FileInTheWay(String),
    /// A file is larger than a file of its kind can be.
    #[error("/{path} on the rootfs has {}, and at most {} are read", ByteSize(*.size), ByteSize(READ_LIMIT))]
    TooLarge {
        /// Where.
        path: String,
        /// Its size in bytes.
        size: u64,
    },
    /// A file may not be replaced, or a folder not be added to.
    #[error(
        "/{path} on the rootfs has the attribute {mark}, so it cannot be changed; remove it with `chattr {option}`, \
            and set it again afterwards"
    )]
    Marked {
        /// Where.
        path: String,
        /// What the mark is called.
        mark: &'static str,
        /// The option of `chattr` that takes it away.
        option: &'static str,
    },
    /// A part of it is good for reading only.
    #[error(
        "/{0} on the rootfs is on a filesystem that is mounted read-only; remount it with mount -o remount,rw"
    )]
    ReadOnly(String),
    /// Whoever runs this may not change it.
    #[error("you have no permission to change /{0} on the rootfs; run this as root, or as the owner")]
    NotYours(String),
    /// A folder of the running system is mounted in it.
    #[error(
        "/{path} on the rootfs is {} of this computer, mounted there; unmount it, so that only the rootfs is changed", .source_path.display()
    )]
    OfThisComputer {
        /// Where on the root filesystem.
        path: String,
        /// The folder of the running system.
        source_path: PathBuf,
    },
    /// The kernel does not have `openat2`.
    #[error(
        "this needs Linux 5.6 or later (openat2), so that no path can lead out of the rootfs; nothing was placed"
    )]
    KernelTooOld,
    /// A placement could not be made to the end.
    #[error("{fault}; {}", if *.is_back { "the changes were undone" } else { "it is only partly placed \
        now: `undo` reverts it, `place` completes it" })]
    CutShort {
        /// What was in the way.
        fault: Box<RootfsFault>,
        /// Whether everything is as it was again.
        is_back: bool,
    },
    /// Somebody else is at work on it.
    #[error(
        "/{0} on the rootfs was changed by something else in the meantime; find out what it was, and run this again"
    )]
    ChangedMeanwhile(String),
    /// A folder is gone into which something is to be put back.
    #[error(
        "/{path} on the rootfs cannot be put back, because its folder is gone; run `mkdir -p {folder}` in the \
            rootfs, then run this again"
    )]
    FolderGone {
        /// What is to be put back.
        path: String,
        /// Where.
        folder: String,
    },
    /// A part of it is not mounted.
    #[error(
        "/{0} was changed by the placement, and is on another filesystem that is not mounted at /{1} of the rootfs \
            now; mount it there, or name the whole image"
    )]
    NotMounted(String, String),
    /// Somebody else is placing on it, or taking back.
    #[error("another `place` or `undo` is running on {}; wait until it is done", .0.display())]
    Busy(PathBuf),
    /// The system says no.
    #[error("/{path} on the rootfs cannot be {doing}: {}", plain(.source))]
    Refused {
        /// What was being done.
        doing: &'static str,
        /// Where.
        path: String,
        /// What the system said.
        source: io::Error,
    },
}

impl RootfsFault {
    pub(super) fn refused(doing: &'static str, path: &str, errno: Errno) -> Self {
        match errno {
            Errno::LOOP => Self::Unreachable(path.to_owned(), "its links form a loop"),
            Errno::NOTDIR => Self::Unreachable(path.to_owned(), "something in the path is not a folder"),
            Errno::NOSYS => Self::KernelTooOld,
            other => Self::Refused { doing, path: path.to_owned(), source: other.into() },
        }
    }
}

/// What is said of everything on FAT, which keeps neither modes nor owners: what it shows of them goes by how it is mounted
/// (Linux, `Documentation/filesystems/vfat.rst`), and this is the usual.
pub(super) const FAT_MODE: u32 = 0o755;

/// Whether an open file or folder lies on FAT (`statfs(2)`).
pub(super) fn is_fat(file: impl AsFd) -> bool {
    const MARK: rustix::fs::FsWord = 0x4d44;
    rustix::fs::fstatfs(file).is_ok_and(|found| found.f_type == MARK)
}

/// What stands at a path.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// A regular file.
    File,
    /// A folder.
    Folder,
    /// A symbolic link.
    Link,
    /// A device, a pipe or a socket.
    Special(&'static str),
}

/// What stands at a path, and its attributes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Found {
    /// What it is.
    pub kind: Kind,
    /// Its permission bits.
    pub mode: u32,
    /// The user that it belongs to, by number.
    pub uid: u32,
    /// The group.
    pub gid: u32,
    /// Its size in bytes.
    pub size: u64,
    /// When its content last changed: seconds since 1970, and nanoseconds.
    pub modified: (i64, u32),
    /// When it was last read.
    pub accessed: (i64, u32),
}

impl Found {
    #[allow(
        clippy::cast_sign_loss,
        clippy::cast_possible_truncation,
        clippy::cast_lossless,
        clippy::useless_conversion,
        reason = "the widths of these fields differ between processors"
    )]
    pub(super) fn of(stat: &Stat) -> Self {
        let kind = match FileType::from_raw_mode(stat.st_mode) {
            FileType::RegularFile => Kind::File,
            FileType::Directory => Kind::Folder,
            FileType::Symlink => Kind::Link,
            FileType::Fifo => Kind::Special("a pipe"),
            FileType::Socket => Kind::Special("a socket"),
            _ => Kind::Special("a device"),
        };
        Self {
            kind,
            mode: stat.st_mode & 0o7777,
            uid: stat.st_uid,
            gid: stat.st_gid,
            size: stat.st_size as u64,
            modified: (i64::from(stat.st_mtime), stat.st_mtime_nsec as u32),
            accessed: (i64::from(stat.st_atime), stat.st_atime_nsec as u32),
        }
    }
}

/// Room on a filesystem.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Room {
    /// Bytes that can still be written.
    pub bytes: u64,
    /// Files that can still be made; `None` where the filesystem does not count them.
    pub files: Option<u64>,
    /// Whether nothing can be written at all.
    pub is_read_only: bool,
}

/// A root filesystem that is open. Paths are written from its top on, without a slash in front. Links are followed as the
/// booted host would follow them: an absolute one begins at its top, and `..` never leads out of it (`openat2(2)`,
/// `RESOLVE_IN_ROOT`).
pub struct Rootfs {
    top: OwnedFd,
    name: PathBuf,
    /// Whether it was opened so that nothing can be written, and not found so.
    is_for_looking: bool,
    /// The boot partition beside it in an image.
    boot: Option<BootPartition>,
    /// The image that it lies in, which is locked until this is closed.
    image: Option<File>,
}

/// Keeps others from placing on a root filesystem, or taking back, until it is dropped.
#[derive(Debug)]
pub struct RootfsLock(#[allow(dead_code, reason = "it is held, not used")] OwnedFd);

impl fmt::Debug for Rootfs {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Rootfs({})", self.name.display())
    }
}

impl Rootfs {
    /// Opens the folder at a path.
    pub fn open(path: &Path) -> Result<Self, RootfsFault> {
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        let top = rustix::fs::open(path, flags, Mode::empty()).map_err(|errno| match errno {
            Errno::NOENT => RootfsFault::Missing(path.to_owned()),
            Errno::NOTDIR => RootfsFault::NotAFolder(path.to_owned()),
            other => RootfsFault::Refused {
                doing: "read",
                path: String::new(),
                source: io::Error::new(
                    io::Error::from(other).kind(),
                    format!("{}: {}", path.display(), plain(&other.into())),
                ),
            },
        })?;
        Ok(Self { top, name: path.to_owned(), is_for_looking: false, boot: None, image: None })
    }

    /// Takes a filesystem that is mounted for this alone.
    pub(super) fn of_mount(top: OwnedFd, name: PathBuf, is_for_looking: bool) -> Self {
        Self { top, name, is_for_looking, boot: None, image: None }
    }

    /// The same as a part of an image, with the boot partition that the booted host will have beside it.
    #[must_use]
    pub(super) fn of_image(mut self, image: File, boot: Option<BootPartition>) -> Self {
        self.image = Some(image);
        self.boot = boot;
        self
    }

    /// Whether a path lies on the boot partition that was found beside the rootfs in its image.
    pub fn is_on_boot_partition(&self, path: &str) -> bool {
        self.on_boot_partition(path).is_some()
    }

    /// The boot partition and the name on it that a path leads to, where it lies on one that the kernel has not mounted.
    pub(super) fn on_boot_partition<'p>(&self, path: &'p str) -> Option<(&BootPartition, &'p str)> {
        let boot = self.boot.as_ref()?;
        Some((boot, boot.name_of(path)?))
    }

    /// Whether a path lies on another filesystem than the top, or would if it were mounted.
    pub(super) fn is_on_another(&self, path: &str) -> Result<bool, RootfsFault> {
        if self.on_boot_partition(path).is_some() {
            return Ok(true);
        }
        let device = |folder: &dyn AsFd| {
            let stat = rustix::fs::fstat(folder.as_fd());
            stat.map(|stat| stat.st_dev).map_err(|errno| RootfsFault::refused("read", path, errno))
        };
        match self.parent(path)? {
            Some((folder, _)) => Ok(device(&folder)? != device(&self.top)?),
            None => Ok(false),
        }
    }

    /// Where the boot partition belongs that the list of filesystems has, where nothing is mounted there. Of an image all
    /// partitions are seen.
    pub fn unseen_boot_partition(&self) -> Option<&'static str> {
        let folder = mounted_by_list(self)?;
        let inside = format!("{folder}/{KERNEL_LINE}");
        let is_seen =
            self.image.is_some() || self.has(&inside) || self.is_on_another(&inside).unwrap_or(false);
        (!is_seen).then_some(folder)
    }

    /// Whether nothing of it can be written, by how it was opened or mounted as a whole.
    pub(super) fn is_closed(&self) -> bool {
        self.is_for_looking
            || rustix::fs::fstatvfs(&self.top)
                .is_ok_and(|found| found.f_flag.contains(rustix::fs::StatVfsMountFlags::RDONLY))
    }

    /// Refuses a folder that belongs to the running system and is only mounted on the root filesystem.
    pub(super) fn refuse_part_of_this_computer(
        &self,
        folder: &OpenFolder,
        path: &str,
    ) -> Result<(), RootfsFault> {
        let refused = |errno| RootfsFault::refused("read", path, errno);
        match mounts::foreign_source(&self.top, folder).map_err(refused)? {
            None => Ok(()),
            Some(source_path) => Err(RootfsFault::OfThisComputer { path: path.to_owned(), source_path }),
        }
    }

    /// The state of a path.
    pub(super) fn state(&self, path: &str) -> Result<State, RootfsFault> {
        if let Some((boot, name)) = self.on_boot_partition(path) {
            return boot.state(path, name);
        }
        match self.parent(path)? {
            None => Ok(State::Absent),
            Some((folder, name)) => State::at(&folder, name, path),
        }
    }

    /// Keeps others from placing on it meanwhile.
    pub fn lock(&self) -> Result<RootfsLock, RootfsFault> {
        let refused = |errno| RootfsFault::refused("locked", "", errno);
        let top = self.open_at("", OFlags::RDONLY | OFlags::DIRECTORY).map_err(refused)?;
        match rustix::fs::flock(&top, rustix::fs::FlockOperation::NonBlockingLockExclusive) {
            Ok(()) => Ok(RootfsLock(top)),
            Err(Errno::WOULDBLOCK) => Err(RootfsFault::Busy(self.name.clone())),
            Err(errno) => Err(refused(errno)),
        }
    }

    /// What messages call it.
    pub fn name(&self) -> &Path {
        &self.name
    }

    /// What stands at the end of a path, which is not followed if it is a link; nothing where nothing is.
    pub fn look(&self, path: &str) -> Result<Option<Found>, RootfsFault> {
        if let Some((boot, name)) = self.on_boot_partition(path) {
            return boot.look(path, name);
        }
        let Some((parent, name)) = self.parent(path)? else { return Ok(None) };
        look_in(&parent, name, path)
    }

    /// What a path leads to when every link is followed.
    pub fn follow(&self, path: &str) -> Result<Option<Found>, RootfsFault> {
        if let Some((boot, name)) = self.on_boot_partition(path) {
            return boot.look(path, name);
        }
        match self.open_at(path, OFlags::PATH) {
            Ok(found) => {
                let stat =
                    rustix::fs::fstat(&found).map_err(|errno| RootfsFault::refused("read", path, errno))?;
                Ok(Some(Found::of(&stat)))
            }
            Err(Errno::NOENT | Errno::NOTDIR) => Ok(None),
            Err(errno) => Err(RootfsFault::refused("read", path, errno)),
        }
    }

    /// Where a link leads, as it is written; nothing where no link is.
    pub fn target(&self, path: &str) -> Result<Option<String>, RootfsFault> {
        let Some((parent, name)) = self.parent(path)? else { return Ok(None) };
        match parent.target(name) {
            Ok(target) => Ok(Some(target.to_string_lossy().into_owned())),
            Err(Errno::INVAL | Errno::NOENT) => Ok(None),
            Err(errno) => Err(RootfsFault::refused("read", path, errno)),
        }
    }

    /// Reads the file that a path leads to; nothing where there is none. A link to `/dev/null`, by which files are masked, leads
    /// to nothing, whether the device is there or not. A pipe or another device is never opened to be read.
    pub fn read(&self, path: &str) -> Result<Option<FileBytes>, RootfsFault> {
        if let Some((boot, name)) = self.on_boot_partition(path) {
            return boot.read(path, name);
        }
        let Some(found) = self.follow(path)? else { return Ok(None) };
        match found.kind {
            Kind::File if found.size > READ_LIMIT => {
                Err(RootfsFault::TooLarge { path: path.to_owned(), size: found.size })
            }
            Kind::File => self.read_file(path).map(Some),
            _ if self.target(path)?.as_deref() == Some("/dev/null") => Ok(None),
            kind => Err(not_a_file(path, kind)),
        }
    }

    /// Whether a file begins with these bytes; what cannot be read does not.
    pub fn begins_with(&self, path: &str, start: &[u8]) -> bool {
        let Ok(file) = self.open_at(path, OFlags::RDONLY | OFlags::NONBLOCK | OFlags::NOCTTY) else {
            return false;
        };
        let mut read = vec![0; start.len()];
        File::from(file).read_exact(&mut read).is_ok() && read == start
    }

    fn read_file(&self, path: &str) -> Result<FileBytes, RootfsFault> {
        let refused = |errno| RootfsFault::refused("read", path, errno);
        let file = self.open_at(path, OFlags::RDONLY | OFlags::NONBLOCK | OFlags::NOCTTY).map_err(refused)?;
        let stat = rustix::fs::fstat(&file).map_err(refused)?;
        let found = Found::of(&stat);
        if found.kind != Kind::File {
            return Err(not_a_file(path, found.kind));
        }
        let mut bytes = Vec::with_capacity(usize::try_from(found.size.min(READ_LIMIT)).unwrap_or(0));
        let read = File::from(file).take(READ_LIMIT + 1).read_to_end(&mut bytes);
        read.map_err(|source| RootfsFault::Refused { doing: "read", path: path.to_owned(), source })?;
        let bytes = FileBytes::new(bytes);
        if bytes.len() as u64 > READ_LIMIT {
            return Err(RootfsFault::TooLarge { path: path.to_owned(), size: bytes.len() as u64 });
        }
        Ok(bytes)
    }

    /// The names in a folder, in order; none where there is no folder. A name that is no UTF-8 text is a fault.
    pub fn list(&self, folder: &str) -> Result<Vec<String>, RootfsFault> {
        let refused = |errno| RootfsFault::refused("read", folder, errno);
        let opened = match self.open_at(folder, OFlags::RDONLY | OFlags::DIRECTORY | OFlags::NONBLOCK) {
            Ok(opened) => opened,
            Err(Errno::NOENT | Errno::NOTDIR) => return Ok(Vec::new()),
            Err(errno) => return Err(refused(errno)),
        };
        let mut names = Vec::new();
        for entry in Dir::new(opened).map_err(refused)? {
            let entry = entry.map_err(refused)?;
            // A file that cannot be named cannot be set aside either, and would be ignored.
            let name = entry.file_name().to_str().map_err(|_| {
                RootfsFault::Unreachable(
                    folder.to_owned(),
                    "a file in it has a name that is not UTF-8; rename it, or move it away",
                )
            })?;
            if name != "." && name != ".." {
                names.push(name.to_owned());
            }
        }
        names.sort_unstable();
        Ok(names)
    }

    /// Whether a path leads to something.
    pub fn has(&self, path: &str) -> bool {
        matches!(self.follow(path), Ok(Some(_)))
    }

    /// Whether a path leads to the very folder that lies at an absolute path of the system that runs.
    pub fn is_same_as(&self, path: &str, running: &str) -> bool {
        let ours = self.open_at(path, OFlags::PATH).and_then(rustix::fs::fstat);
        let theirs = rustix::fs::stat(running);
        matches!((ours, theirs), (Ok(ours), Ok(theirs)) if ours.st_dev == theirs.st_dev && ours.st_ino == theirs.st_ino)
    }

    /// The room that is left on the filesystem that holds a path, or its top.
    pub fn room(&self) -> Result<Room, RootfsFault> {
        let found =
            rustix::fs::fstatvfs(&self.top).map_err(|errno| RootfsFault::refused("looked at", "", errno))?;
        Ok(Room {
            bytes: found.f_bavail.saturating_mul(found.f_frsize),
            files: (found.f_files > 0).then_some(found.f_favail),
            is_read_only: !self.is_for_looking
                && found.f_flag.contains(rustix::fs::StatVfsMountFlags::RDONLY),
        })
    }

    /// The folder that holds the last part of a path, open for looking, and that part, which is the name of an entry of it;
    /// nothing where there is no such folder.
    pub(super) fn parent<'p>(&self, path: &'p str) -> Result<Option<(OpenFolder, &'p str)>, RootfsFault> {
        let (folder, name) = split(path);
        if !is_entry_name(name) {
            return Err(OddPath(path.to_owned()).into());
        }
        match self.open_at(folder, OFlags::PATH | OFlags::DIRECTORY) {
            Ok(folder) => Ok(Some((folder.into(), name))),
            Err(Errno::NOENT | Errno::NOTDIR) => Ok(None),
            Err(errno) => Err(RootfsFault::refused("read", folder, errno)),
        }
    }

    /// Opens what a path leads to, within the root filesystem.
    pub(super) fn open_at(&self, path: &str, flags: OFlags) -> Result<OwnedFd, Errno> {
        let path = if path.is_empty() { "." } else { path };
        let within = ResolveFlags::IN_ROOT | ResolveFlags::NO_MAGICLINKS;
        let mut tries = 0;
        loop {
            match rustix::fs::openat2(&self.top, path, flags | OFlags::CLOEXEC, Mode::empty(), within) {
                Err(Errno::AGAIN) if tries < TRIES => tries += 1,
                other => return other,
            }
        }
    }
}

/// What stands under a name in an open folder.
pub(super) fn look_in(folder: &OpenFolder, name: &str, path: &str) -> Result<Option<Found>, RootfsFault> {
    match folder.look(name) {
        // However it happens to be mounted.
        Ok(Some(stat)) if is_fat(folder) => {
            Ok(Some(Found { mode: FAT_MODE, uid: 0, gid: 0, ..Found::of(&stat) }))
        }
        Ok(stat) => Ok(stat.as_ref().map(Found::of)),
        Err(errno) => Err(RootfsFault::refused("read", path, errno)),
    }
}

/// The folder of a path, and the last part of it.
pub fn split(path: &str) -> (&str, &str) {
    path.rsplit_once('/').unwrap_or(("", path))
}

pub(super) fn not_a_file(path: &str, kind: Kind) -> RootfsFault {
    let kind = match kind {
        Kind::File => "a file",
        Kind::Folder => "a folder",
        Kind::Link => "a link",
        Kind::Special(kind) => kind,
    };
    RootfsFault::NotAFile { path: path.to_owned(), kind }
}
