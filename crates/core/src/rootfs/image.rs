//! A raw image of a whole disk or card, and the root filesystem in it.
//!
//! The partition is attached to a loop device at its offset and mounted without being put anywhere (`fsmount(2)`): nothing but
//! this process sees it, and the kernel takes it down when the process ends, however that comes about.

use std::fs::File;
use std::io::{self, Read as _, Seek, SeekFrom};
use std::os::fd::OwnedFd;
use std::path::{Path, PathBuf};
use std::process::Command;

use rustix::mount::{FsMountFlags, FsOpenFlags, MountAttrFlags};

use super::folder::Rootfs;
use crate::beside::plain;
use crate::size::ByteSize;

/// Bytes of a sector in a partition table, but for disks of larger ones, which say so.
const SECTOR: u64 = 512;

/// An image with a partition that holds a root filesystem.
#[derive(Debug)]
pub struct RootfsImage {
    path: PathBuf,
    partitions: Vec<Partition>,
}

/// A partition of an image.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Partition {
    /// Its number, from 1; 0 for an image that is one filesystem and has no table.
    pub number: u32,
    /// Its first byte in the image.
    pub start: u64,
    /// Its size in bytes.
    pub size: u64,
    /// The filesystem on it.
    pub filesystem: Filesystem,
}

/// A filesystem, by what its first bytes say.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Filesystem {
    /// ext2, ext3 or ext4.
    Ext4,
    /// FAT, from which machines start.
    Fat,
    /// Something else.
    Other,
}

impl Filesystem {
    fn word(self) -> &'static str {
        match self {
            Self::Ext4 => "ext4",
            Self::Fat => "FAT",
            Self::Other => "something else",
        }
    }
}

/// Why an image could not be used.
#[derive(Debug, thiserror::Error)]
pub enum ImageFault {
    /// There is none.
    #[error("there is no {}", .0.display())]
    Missing(PathBuf),
    /// It is no file of a disk's bytes.
    #[error("{} is {kind}, and --image takes a file with the bytes of a whole disk; a card in a drive is mounted first, and named with --root", .0.display(), kind = .1)]
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
    #[error("{} has no partition with a root filesystem of a Linux system on ext4; it has {found}", .path.display())]
    NoRootfs {
        /// The image.
        path: PathBuf,
        /// The partitions that it has.
        found: String,
    },
    /// Only root can do this.
    #[error("{} is mounted by the kernel, which takes root; run the command as root, or mount the partition and name it with --root", .0.display())]
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
    pub fn mount(&self) -> Result<Rootfs, ImageFault> {
        if !rustix::process::geteuid().is_root() {
            return Err(ImageFault::NotRoot(self.path.clone()));
        }
        for partition in self.partitions.iter().filter(|partition| partition.filesystem == Filesystem::Ext4) {
            let top = self.mount_partition(partition)?;
            let rootfs = Rootfs::of_mount(top, self.path.clone()).with_boot_files(self.boot_files());
            if rootfs.has("etc/os-release") || rootfs.has("usr/lib/os-release") {
                return Ok(rootfs);
            }
        }
        let found: Vec<String> = self
            .partitions
            .iter()
            .map(|partition| format!("{} of {}", partition.filesystem.word(), ByteSize(partition.size)))
            .collect();
        let found = if found.is_empty() { "none at all".to_owned() } else { found.join(", ") };
        Err(ImageFault::NoRootfs { path: self.path.clone(), found })
    }

    /// Files of the boot partition on which the first boot depends. One that cannot be read as FAT has none.
    fn boot_files(&self) -> Vec<(String, String)> {
        let fat = self.partitions.iter().find(|partition| partition.filesystem == Filesystem::Fat);
        fat.and_then(|partition| boot_files(&self.path, partition).ok()).unwrap_or_default()
    }

    fn mount_partition(&self, partition: &Partition) -> Result<OwnedFd, ImageFault> {
        let refused = |doing, reason: String| ImageFault::Refused { path: self.path.clone(), doing, reason };
        let device = self.attach(partition)?;
        let mounted = mount_alone(&device);
        // While it is mounted the kernel only notes that the device is to go with the mount.
        let detached = Command::new("losetup").arg("--detach").arg(&device).status();
        let top = mounted.map_err(|error| refused("mounted", plain(&error)))?;
        match detached {
            Ok(status) if status.success() => Ok(top),
            _ => Err(refused("let go of", format!("losetup --detach {device} failed"))),
        }
    }

    /// Attaches a partition to a loop device, whose path is given.
    fn attach(&self, partition: &Partition) -> Result<String, ImageFault> {
        let refused = |reason: String| ImageFault::Refused {
            path: self.path.clone(),
            doing: "attached to a loop device",
            reason,
        };
        let output = Command::new("losetup")
            .args(["--find", "--show", "--offset", &partition.start.to_string()])
            .args(["--sizelimit", &partition.size.to_string()])
            .arg(&self.path)
            .output()
            .map_err(|error| {
                refused(format!("losetup of util-linux cannot be started: {}", plain(&error)))
            })?;
        if !output.status.success() {
            return Err(refused(String::from_utf8_lossy(&output.stderr).trim().to_owned()));
        }
        Ok(String::from_utf8_lossy(&output.stdout).trim().to_owned())
    }
}

/// What the boot partition of an image has in the files of kernel command lines.
fn boot_files(path: &Path, partition: &Partition) -> io::Result<Vec<(String, String)>> {
    let file = File::open(path)?;
    let window = Window { file, start: partition.start, size: partition.size, position: 0 };
    let fat = fatfs::FileSystem::new(window, fatfs::FsOptions::new())?;
    let top = fat.root_dir();
    let mut files = Vec::new();
    for name in BOOT_FILES {
        let Ok(file) = top.open_file(name) else { continue };
        let mut text = Vec::new();
        file.take(BOOT_FILE_LIMIT).read_to_end(&mut text)?;
        files.push((name.to_owned(), String::from_utf8_lossy(&text).into_owned()));
    }
    Ok(files)
}

/// Files of a boot partition with words for the kernel.
const BOOT_FILES: [&str; 1] = ["cmdline.txt"];
/// The kernel takes no longer command line than a few kilobytes.
const BOOT_FILE_LIMIT: u64 = 64 * 1024;

/// A part of a file, which can be read and not be written.
struct Window {
    file: File,
    start: u64,
    size: u64,
    position: u64,
}

impl io::Read for Window {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let left = self.size.saturating_sub(self.position);
        let most = usize::try_from(left).unwrap_or(usize::MAX).min(buffer.len());
        self.file.seek(SeekFrom::Start(self.start.saturating_add(self.position)))?;
        let count = self.file.read(buffer.get_mut(..most).unwrap_or_default())?;
        self.position += count as u64;
        Ok(count)
    }
}

impl io::Write for Window {
    fn write(&mut self, _: &[u8]) -> io::Result<usize> {
        Err(io::ErrorKind::Unsupported.into())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Seek for Window {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let position = match to {
            SeekFrom::Start(position) => Some(position),
            SeekFrom::Current(by) => self.position.checked_add_signed(by),
            SeekFrom::End(by) => self.size.checked_add_signed(by),
        };
        self.position = position.ok_or(io::ErrorKind::InvalidInput)?;
        Ok(self.position)
    }
}

/// Mounts an ext4 filesystem nowhere: it is reached by the file that is given, and by nothing else.
fn mount_alone(device: &str) -> io::Result<OwnedFd> {
    let context = rustix::mount::fsopen("ext4", FsOpenFlags::FSOPEN_CLOEXEC)?;
    rustix::mount::fsconfig_set_string(&context, "source", device)?;
    rustix::mount::fsconfig_create(&context)?;
    let none = MountAttrFlags::MOUNT_ATTR_NODEV
        | MountAttrFlags::MOUNT_ATTR_NOSUID
        | MountAttrFlags::MOUNT_ATTR_NOEXEC;
    Ok(rustix::mount::fsmount(&context, FsMountFlags::FSMOUNT_CLOEXEC, none)?)
}

/// The partitions of an image: by a GPT, by an MBR, or the whole of it where it is one filesystem.
fn partitions(file: &mut File, length: u64) -> io::Result<Vec<Partition>> {
    if filesystem(file, 0)? == Filesystem::Ext4 {
        return Ok(vec![Partition { number: 0, start: 0, size: length, filesystem: Filesystem::Ext4 }]);
    }
    let mut found = Vec::new();
    let mut add = |file: &mut File, number: u32, start: u64, size: u64| -> io::Result<()> {
        if size > 0 && start.checked_add(size).is_some_and(|end| end <= length) {
            let filesystem = filesystem(file, start)?;
            found.push(Partition { number, start, size, filesystem });
        }
        Ok(())
    };
    file.seek(SeekFrom::Start(0))?;
    if let Ok(table) = gptman::GPT::find_from(file) {
        for (number, partition) in table.iter().filter(|(_, partition)| partition.is_used()) {
            let sectors = partition.ending_lba.saturating_sub(partition.starting_lba).saturating_add(1);
            let start = partition.starting_lba.saturating_mul(table.sector_size);
            add(file, number, start, sectors.saturating_mul(table.sector_size))?;
        }
        return Ok(found);
    }
    file.seek(SeekFrom::Start(0))?;
    if let Ok(table) = mbrman::MBR::read_from(file, u32::try_from(SECTOR).unwrap_or(512)) {
        for (number, partition) in table.iter().filter(|(_, partition)| partition.is_used()) {
            let number = u32::try_from(number).unwrap_or(0);
            let (start, sectors) = (u64::from(partition.starting_lba), u64::from(partition.sectors));
            add(file, number, start * SECTOR, sectors * SECTOR)?;
        }
    }
    Ok(found)
}

/// Where ext4 has its mark (Linux, `Documentation/filesystems/ext4/super.rst`).
const EXT4_MARK: (u64, [u8; 2]) = (0x438, [0x53, 0xef]);

/// The filesystem that begins at a byte of an image.
fn filesystem(file: &mut File, start: u64) -> io::Result<Filesystem> {
    let mut mark = |at: u64, wanted: &[u8]| -> io::Result<bool> {
        let mut bytes = vec![0; wanted.len()];
        file.seek(SeekFrom::Start(start.saturating_add(at)))?;
        match file.read_exact(&mut bytes) {
            Ok(()) => Ok(bytes == wanted),
            Err(error) if error.kind() == io::ErrorKind::UnexpectedEof => Ok(false),
            Err(error) => Err(error),
        }
    };
    Ok(if mark(EXT4_MARK.0, &EXT4_MARK.1)? {
        Filesystem::Ext4
    } else if mark(54, b"FAT")? || mark(82, b"FAT32")? {
        Filesystem::Fat
    } else {
        Filesystem::Other
    })
}
