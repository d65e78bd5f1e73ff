//! A raw image of a whole disk or card, and the root filesystem in it.
//!
//! The partition is attached to a loop device at its offset and mounted without being put anywhere (`fsmount(2)`): nothing but
//! this process sees it, and the kernel takes it down when the process ends, however that comes about. Two mounts of one
//! filesystem that do not know of each other would damage it, so the image is locked meanwhile, and one that is attached to
//! another loop device is not touched.

use std::ffi::OsString;
use std::fs::File;
use std::io;
use std::os::fd::OwnedFd;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Duration;

use impostazione_text::files::plain;
use rustix::fs::FlockOperation;
use rustix::io::Errno;
use rustix::mount::{FsMountFlags, FsOpenFlags, MountAttrFlags};

use super::boot::BootPartition;
use super::boot_list::mount_point;
use super::folder::Rootfs;
use super::loop_device::LoopDevice;
use super::partitions::{Filesystem, Partition, partitions};

/// How often it is looked whether an image is free, and how long is waited in between: when a command ends, or is killed, it
/// takes the kernel a moment to let go of everything.
const LOOKS: usize = 40;
/// What messages say is being done.
const ATTACHING: &str = "attached to a loop device";
const BETWEEN_LOOKS: Duration = Duration::from_millis(50);

/// An image with a partition that holds a root filesystem.
#[derive(Debug)]
pub struct RootfsImage {
    path: PathBuf,
    partitions: Vec<Partition>,
}

/// What an image is opened for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Access {
    /// Looking: not a byte of it changes.
    Look,
    /// Changing.
    Change,
}

/// Why an image could not be used.
#[derive(Debug, thiserror::Error)]
pub enum ImageFault {
    /// There is none.
    #[error("{} does not exist", .0.display())]
    Missing(PathBuf),
    /// It is no file of a disk's bytes.
    #[error("{} is {kind}, not an image file; mount the card first and name the folder", .0.display(), kind = .1)]
    NotAFile(PathBuf, &'static str),
    /// It cannot be read or mounted.
    #[error("{} cannot be {doing}: {reason}", .path.display())]
    Refused {
        /// The image.
        path: PathBuf,
        /// What was being done.
        doing: &'static str,
        /// Why not.
        reason: String,
    },
    /// There is no partition with a root filesystem.
    #[error("{} has no ext4 partition with a Linux root filesystem; it has {found}", .path.display())]
    NoRootfs {
        /// The image.
        path: PathBuf,
        /// The partitions that it has.
        found: String,
    },
    /// There are several.
    #[error("{} has a root filesystem on each of its partitions {}, and which one boots is not known; mount the one \
        you mean, and name its folder", .0.display(), .1)]
    SeveralRootfs(PathBuf, String),
    /// Its boot partition cannot be read.
    #[error("the boot partition of {} cannot be read as FAT: {reason}; whether the kernel command line would undo \
        the placement cannot be seen; use a fresh copy of the image, or repair the partition with fsck.fat", .path.display())]
    BootPartition {
        /// The image.
        path: PathBuf,
        /// Why not.
        reason: String,
    },
    /// Its filesystem is damaged.
    #[error("the filesystem of {} is marked as damaged; use a fresh copy of the image, or repair a copy with e2fsck -f", .0.display())]
    Damaged(PathBuf),
    /// Something else has it attached.
    #[error("{} is already attached to {device}, and a second mount would damage it; unmount it and run `losetup \
        --detach {device}`, or mount its partitions and name their folder", .path.display())]
    Attached {
        /// The image.
        path: PathBuf,
        /// The loop device.
        device: String,
    },
    /// Another command is at work on it.
    #[error("another `place`, `undo` or `inspect` is running on {}; wait until it is done", .0.display())]
    Busy(PathBuf),
    /// Only root can do this.
    #[error("{} must be mounted, which only root can do; run this as root, or mount the partition and name its \
        folder", .0.display())]
    NotRoot(PathBuf),
}

impl RootfsImage {
    /// Reads the partition table of an image.
    pub fn open(path: &Path) -> Result<Self, ImageFault> {
        let refused = |error: &io::Error| ImageFault::Refused {
            path: path.to_owned(),
            doing: "read",
            reason: plain(error),
        };
        let found = std::fs::metadata(path).map_err(|error| match error.kind() {
            io::ErrorKind::NotFound => ImageFault::Missing(path.to_owned()),
            _ => refused(&error),
        })?;
        if found.is_dir() {
            return Err(ImageFault::NotAFile(path.to_owned(), "a folder"));
        }
        if !found.is_file() {
            return Err(ImageFault::NotAFile(path.to_owned(), "a device"));
        }
        let mut file = File::open(path).map_err(|error| refused(&error))?;
        let partitions = partitions(&mut file, found.len()).map_err(|error| refused(&error))?;
        Ok(Self { path: path.to_owned(), partitions })
    }

    /// The partitions, in the order of the table.
    pub fn partitions(&self) -> &[Partition] {
        &self.partitions
    }

    /// Mounts the partition that holds a root filesystem, for this process alone.
    ///
    /// Each partition that could be it is looked at first, so that nothing is changed on one that is not.
    pub fn mount(&self, access: Access) -> Result<Rootfs, ImageFault> {
        if !rustix::process::geteuid().is_root() {
            return Err(ImageFault::NotRoot(self.path.clone()));
        }
        let candidates: Vec<&Partition> =
            self.partitions.iter().filter(|partition| partition.filesystem == Filesystem::Ext4).collect();
        if candidates.is_empty() {
            return Err(self.no_rootfs());
        }
        let locked = self.lock(access)?;
        let mut fitting = Vec::new();
        for partition in candidates {
            if self.rootfs_on(partition, Access::Look)?.is_some() {
                fitting.push(partition);
            }
        }
        let partition = match fitting.as_slice() {
            [one] => one,
            [] => return Err(self.no_rootfs()),
            several => {
                let numbers: Vec<String> =
                    several.iter().map(|partition| partition.number.to_string()).collect();
                return Err(ImageFault::SeveralRootfs(self.path.clone(), numbers.join(" and ")));
            }
        };
        // What keeps it from being used is found before it is mounted for writing, which changes it.
        let boot = self.boot_partition(&locked)?;
        if access == Access::Change {
            self.refuse_damaged(&locked, partition)?;
        }
        let rootfs = self.rootfs_on(partition, access)?.ok_or_else(|| self.no_rootfs())?;
        let boot = boot.map(|boot| boot.at(mount_point(&rootfs)));
        Ok(rootfs.of_image(locked, boot))
    }

    /// Refuses a filesystem of which the kernel has noted that it is damaged (Linux, `Documentation/filesystems/ext4/super.rst`,
    /// `s_state`).
    fn refuse_damaged(&self, image: &File, partition: &Partition) -> Result<(), ImageFault> {
        use std::os::unix::fs::FileExt as _;
        const STATE: u64 = 1024 + 0x3a;
        const HAS_ERRORS: u16 = 2;
        let mut state = [0; 2];
        image.read_exact_at(&mut state, partition.start.saturating_add(STATE)).map_err(|error| {
            ImageFault::Refused { path: self.path.clone(), doing: "read", reason: plain(&error) }
        })?;
        if u16::from_le_bytes(state) & HAS_ERRORS == 0 {
            return Ok(());
        }
        Err(ImageFault::Damaged(self.path.clone()))
    }

    /// Mounts a partition, if it holds a root filesystem.
    fn rootfs_on(&self, partition: &Partition, access: Access) -> Result<Option<Rootfs>, ImageFault> {
        let top = self.mount_partition(partition, access)?;
        let rootfs = Rootfs::of_mount(top, self.path.clone(), access == Access::Look);
        Ok((rootfs.has("etc/os-release") || rootfs.has("usr/lib/os-release")).then_some(rootfs))
    }

    fn no_rootfs(&self) -> ImageFault {
        let found: Vec<String> = self.partitions.iter().map(ToString::to_string).collect();
        let found = if found.is_empty() { "none at all".to_owned() } else { found.join(", ") };
        ImageFault::NoRootfs { path: self.path.clone(), found }
    }

    /// Opens the image, and keeps other commands from it until the file is closed.
    fn lock(&self, access: Access) -> Result<File, ImageFault> {
        let refused = |doing, error: &io::Error| ImageFault::Refused {
            path: self.path.clone(),
            doing,
            reason: plain(error),
        };
        let (doing, operation) = match access {
            Access::Look => ("read", FlockOperation::NonBlockingLockShared),
            Access::Change => ("written", FlockOperation::NonBlockingLockExclusive),
        };
        let file = File::options()
            .read(true)
            .write(access == Access::Change)
            .open(&self.path)
            .map_err(|error| refused(doing, &error))?;
        let is_locked = within_looks(|| match rustix::fs::flock(&file, operation) {
            Ok(()) => Ok(true),
            Err(Errno::WOULDBLOCK) => Ok(false),
            Err(errno) => Err(refused("locked", &errno.into())),
        })?;
        if !is_locked {
            return Err(ImageFault::Busy(self.path.clone()));
        }
        if access == Access::Change {
            self.refuse_attached()?;
        }
        Ok(file)
    }

    /// Refuses an image that a loop device has, once the kernel has had time to let go of it after an earlier command.
    fn refuse_attached(&self) -> Result<(), ImageFault> {
        let mut device = None;
        within_looks(|| {
            device = self.attached()?;
            Ok(device.is_none())
        })?;
        device.map_or(Ok(()), |device| Err(ImageFault::Attached { path: self.path.clone(), device }))
    }

    /// The first loop device that has the image.
    fn attached(&self) -> Result<Option<String>, ImageFault> {
        let refused =
            |reason: String| ImageFault::Refused { path: self.path.clone(), doing: ATTACHING, reason };
        let output = Command::new("losetup")
            .args(["--list", "--noheadings", "--output", "NAME", "--associated"])
            .arg(&self.path)
            .output()
            .map_err(|error| refused(format!("losetup (util-linux) cannot be started: {}", plain(&error))))?;
        if !output.status.success() {
            return Err(refused(String::from_utf8_lossy(&output.stderr).trim().to_owned()));
        }
        let devices = String::from_utf8_lossy(&output.stdout).into_owned();
        Ok(devices.lines().next().map(|line| line.trim().to_owned()))
    }

    /// The boot partition, where one has something to say to the first boot.
    fn boot_partition(&self, image: &File) -> Result<Option<BootPartition>, ImageFault> {
        for partition in self.partitions.iter().filter(|partition| partition.filesystem == Filesystem::Fat) {
            let found = BootPartition::find(image, partition.start, partition.size).map_err(|error| {
                ImageFault::BootPartition { path: self.path.clone(), reason: plain(&error) }
            })?;
            if found.is_some() {
                return Ok(found);
            }
        }
        Ok(None)
    }

    fn mount_partition(&self, partition: &Partition, access: Access) -> Result<OwnedFd, ImageFault> {
        let refused = |doing, reason: String| ImageFault::Refused { path: self.path.clone(), doing, reason };
        let mut words = vec![
            OsString::from("--offset"),
            partition.start.to_string().into(),
            "--sizelimit".into(),
            partition.size.to_string().into(),
        ];
        words.extend((access == Access::Look).then(|| "--read-only".into()));
        words.extend(["--".into(), self.path.clone().into()]);
        let device = LoopDevice::attach(&words).map_err(|reason| refused(ATTACHING, reason))?;
        let top = mount_alone(device.path(), access).map_err(|error| refused("mounted", plain(&error)))?;
        device.let_go().map_err(|error| refused("let go of", plain(&error)))?;
        Ok(top)
    }
}

/// Waits for a moment until something holds, and tells whether it does.
fn within_looks(mut holds: impl FnMut() -> Result<bool, ImageFault>) -> Result<bool, ImageFault> {
    for _ in 0..LOOKS {
        if holds()? {
            return Ok(true);
        }
        std::thread::sleep(BETWEEN_LOOKS);
    }
    holds()
}

/// Mounts an ext4 filesystem nowhere: it is reached by the file that is given, and by nothing else.
fn mount_alone(device: &str, access: Access) -> io::Result<OwnedFd> {
    let context = rustix::mount::fsopen("ext4", FsOpenFlags::FSOPEN_CLOEXEC)?;
    rustix::mount::fsconfig_set_string(&context, "source", device)?;
    let mut attributes = MountAttrFlags::MOUNT_ATTR_NODEV
        | MountAttrFlags::MOUNT_ATTR_NOSUID
        | MountAttrFlags::MOUNT_ATTR_NOEXEC;
    if access == Access::Look {
        rustix::mount::fsconfig_set_flag(&context, "ro")?;
        // What a filesystem that was not unmounted has still to do is not done while it is only looked at.
        rustix::mount::fsconfig_set_flag(&context, "norecovery")?;
        attributes |= MountAttrFlags::MOUNT_ATTR_RDONLY;
    }
    rustix::mount::fsconfig_create(&context)?;
    Ok(rustix::mount::fsmount(&context, FsMountFlags::FSMOUNT_CLOEXEC, attributes)?)
}
