//! What lies at a path, told by looking: the same for every command.

use std::fs::{self, File};
use std::io::Read as _;
use std::path::{Path, PathBuf};

use impostazione_rootfs::{Filesystem, RootfsImage};
use impostazione_text::files::plain;

use crate::output::{OutputFault, TreeOnDisk};

/// Files by which a root filesystem of a Linux system is known.
const SYSTEM_FILES: [&str; 3] = ["etc/os-release", "usr/lib/os-release", "etc/passwd"];

/// What lies at a path.
#[derive(Debug)]
pub enum AtPath {
    /// An output tree, or, where a machine is named, the part of one that is for it.
    Output(TreeOnDisk, Option<String>),
    /// A folder with a root filesystem in it.
    Rootfs,
    /// A package: the file to read.
    Package(PathBuf),
    /// A netplan file.
    Netplan,
    /// A folder that is none of the above, with netplan files or with nothing that is known.
    Folder,
    /// The image of a disk with a partition that may hold a root filesystem.
    DiskImage,
    /// A build sheet.
    Sheet,
    /// A file that is none of the above, a device or a pipe.
    File,
}

/// Why it cannot be told what lies at a path.
#[derive(Debug, thiserror::Error)]
pub enum AtPathFault {
    /// There is nothing.
    #[error("there is no {}", .0.display())]
    Missing(PathBuf),
    /// The system says no.
    #[error("{} cannot be read: {reason}", .0.display(), reason = .1)]
    Unreadable(PathBuf, String),
    /// An output that cannot be used.
    #[error(transparent)]
    Output(#[from] OutputFault),
    /// A folder of packages, of which one has to be named.
    #[error("{} holds several packages; name one of them: {packages}", .0.display(), packages = .1)]
    SeveralPackages(PathBuf, String),
}

impl AtPath {
    /// Looks at a path.
    pub fn look(path: &Path) -> Result<Self, AtPathFault> {
        let found = fs::metadata(path).map_err(|error| match error.kind() {
            std::io::ErrorKind::NotFound => AtPathFault::Missing(path.to_owned()),
            _ => AtPathFault::Unreadable(path.to_owned(), plain(&error)),
        })?;
        if found.is_dir() {
            in_folder(path)
        } else if found.is_file() {
            Ok(in_file(path))
        } else {
            // Opening a pipe would wait for whoever writes into it.
            Ok(AtPath::File)
        }
    }

    /// What it is called in messages.
    pub fn word(&self) -> &'static str {
        match self {
            Self::Output(..) => "an output",
            Self::Rootfs => "a root filesystem",
            Self::Package(_) => "a package",
            Self::Netplan => "a netplan file",
            Self::Folder => "a folder",
            Self::DiskImage => "the image of a disk",
            Self::Sheet => "a sheet",
            Self::File => "a file",
        }
    }
}

fn in_folder(path: &Path) -> Result<AtPath, AtPathFault> {
    // First, since a stranger's root filesystem may have a file at its top that is named as the list of an output.
    if SYSTEM_FILES.iter().any(|file| fs::symlink_metadata(path.join(file)).is_ok()) {
        return Ok(AtPath::Rootfs);
    }
    match TreeOnDisk::open(path) {
        Ok((tree, machine)) => return Ok(AtPath::Output(tree, machine)),
        Err(OutputFault::NotATree(_)) => {}
        Err(fault) => return Err(fault.into()),
    }
    match packages_in(path).as_slice() {
        [] => Ok(AtPath::Folder),
        [only] => Ok(AtPath::Package(only.clone())),
        several => {
            let names: Vec<_> = several.iter().map(|path| path.display().to_string()).collect();
            Err(AtPathFault::SeveralPackages(path.to_owned(), names.join(", ")))
        }
    }
}

fn in_file(path: &Path) -> AtPath {
    if has_end(path, &["yaml", "yml"]) {
        AtPath::Netplan
    } else if has_end(path, &["ova", "ovf"]) {
        AtPath::Package(path.to_owned())
    } else if has_end(path, &["toml"]) {
        AtPath::Sheet
    } else if looks_like_package(path) {
        AtPath::Package(path.to_owned())
    } else if has_linux_partition(path) {
        AtPath::DiskImage
    } else {
        AtPath::File
    }
}

fn has_end(path: &Path, ends: &[&str]) -> bool {
    path.extension().is_some_and(|end| ends.iter().any(|known| end.eq_ignore_ascii_case(known)))
}

/// Packages in a folder that holds no netplan files.
fn packages_in(folder: &Path) -> Vec<PathBuf> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path());
    let mut paths: Vec<PathBuf> = entries.collect();
    if paths.iter().any(|path| has_end(path, &["yaml", "yml"])) {
        return Vec::new();
    }
    paths.retain(|path| has_end(path, &["ova", "ovf"]));
    paths.sort();
    paths
}

/// Whether a file begins like a descriptor or a tar archive.
fn looks_like_package(path: &Path) -> bool {
    let mut start = Vec::new();
    let read = File::open(path).and_then(|file| file.take(512).read_to_end(&mut start));
    read.is_ok()
        && (start.get(257..262) == Some(b"ustar") || String::from_utf8_lossy(&start).contains("Envelope"))
}

fn has_linux_partition(path: &Path) -> bool {
    RootfsImage::open(path).is_ok_and(|image| {
        image.partitions().iter().any(|partition| partition.filesystem == Filesystem::Ext4)
    })
}
