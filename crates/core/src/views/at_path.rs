//! What lies at a path, told by looking: the same for every command.

use std::fs::{self, File};
use std::io::Read as _;
use std::os::unix::fs::MetadataExt as _;
use std::path::{Path, PathBuf};

use impostazione_rootfs::{Filesystem, RootfsImage};
use impostazione_text::files::plain;

use super::kept_report::KeptReport;
use crate::output::{OutputFault, TreeOnDisk};

/// Files by which a root filesystem of a Linux system is known.
const SYSTEM_FILES: [&str; 3] = ["etc/os-release", "usr/lib/os-release", "etc/passwd"];
/// Folders of which a damaged root filesystem still has some, and how many (Filesystem Hierarchy Standard 3.0, 3.2).
const SYSTEM_FOLDERS: [&str; 5] = ["etc", "usr", "var", "bin", "sbin"];
const FEWEST_FOLDERS: usize = 2;
/// Where netplan's files lie on a host, from its top on, in the order in which netplan looks (netplan(5)).
const NETPLAN_FOLDERS: [&str; 3] = ["lib/netplan", "etc/netplan", "run/netplan"];
/// How much of a file without a telling name is read, to see whether it is a sheet.
const SHEET_START: u64 = 64 * 1024;

/// What lies at a path.
#[derive(Debug)]
pub enum AtPath {
    /// An output tree, or, where a machine is named, the part of one that is for it.
    Output(TreeOnDisk, Option<String>),
    /// A folder with a root filesystem in it, whole or damaged.
    Rootfs,
    /// The root filesystem of the system that runs.
    RunningSystem,
    /// A package: the file to read.
    Package(PathBuf),
    /// A netplan file.
    NetplanFile,
    /// A folder with netplan files in it, or in the folders in which netplan looks for them on a host.
    NetplanFolder,
    /// The image of a disk with a partition that may hold a root filesystem.
    DiskImage,
    /// A build sheet.
    Sheet,
    /// A meanings file.
    MeaningsFile,
    /// A report that `probe` has kept.
    KeptReport,
    /// A folder that is not one of the above.
    OtherFolder,
    /// A file that is not one of the above.
    OtherFile,
    /// A device, a pipe or a socket.
    Device,
}

/// Why it cannot be told what lies at a path.
#[derive(Debug, thiserror::Error)]
pub enum AtPathFault {
    /// There is nothing.
    #[error("{} does not exist", .0.display())]
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
            let running = fs::metadata("/").map(|top| (top.dev(), top.ino()));
            if running.is_ok_and(|top| top == (found.dev(), found.ino())) {
                return Ok(Self::RunningSystem);
            }
            in_folder(path)
        } else if found.is_file() {
            in_file(path)
        } else {
            // Opening a pipe would wait for whoever writes into it.
            Ok(Self::Device)
        }
    }

    /// What it is called in messages.
    pub fn word(&self) -> &'static str {
        match self {
            Self::Output(_, None) => "an output",
            Self::Output(_, Some(_)) => "one machine of an output",
            Self::Rootfs => "a root filesystem",
            Self::RunningSystem => "the root filesystem of the running system",
            Self::Package(_) => "a package",
            Self::NetplanFile => "a netplan file",
            Self::NetplanFolder => "a folder of netplan files",
            Self::DiskImage => "the image of a disk",
            Self::Sheet => "a sheet",
            Self::MeaningsFile => "a meanings file",
            Self::KeptReport => "a report of probe",
            Self::OtherFolder => "a folder of an unknown kind",
            Self::OtherFile => "a file of an unknown kind",
            Self::Device => "a device, a pipe or a socket",
        }
    }

    /// The same with what was looked for, where that says more.
    pub fn words(&self) -> String {
        let word = self.word();
        match self {
            Self::OtherFolder => format!(
                "{word}: not an output (no files.json), not a root filesystem (no etc/os-release), and without a \
                    package (.ova, .ovf) or netplan file (.yaml)"
            ),
            Self::OtherFile => format!(
                "{word}: not a sheet (.toml), a package (.ova, .ovf), a netplan file (.yaml), or a disk image with a \
                    Linux system"
            ),
            _ => word.to_owned(),
        }
    }
}

fn in_folder(path: &Path) -> Result<AtPath, AtPathFault> {
    // First, since a stranger's root filesystem may have a file at its top that is named as the list of an output.
    let has = |inner: &str| fs::symlink_metadata(path.join(inner)).is_ok();
    if SYSTEM_FILES.iter().any(|file| has(file)) {
        return Ok(AtPath::Rootfs);
    }
    match TreeOnDisk::open(path) {
        Ok((tree, machine)) => return Ok(AtPath::Output(tree, machine)),
        Err(OutputFault::NotATree(_)) => {}
        Err(fault) => return Err(fault.into()),
    }
    if SYSTEM_FOLDERS.iter().filter(|folder| has(folder)).count() >= FEWEST_FOLDERS {
        return Ok(AtPath::Rootfs);
    }
    let names = names_in(path)?;
    let has_netplan = names.iter().any(|name| has_end(name, &["yaml"]))
        || NETPLAN_FOLDERS.iter().any(|folder| {
            names_in(&path.join(folder)).is_ok_and(|names| names.iter().any(|name| has_end(name, &["yaml"])))
        });
    if has_netplan {
        return Ok(AtPath::NetplanFolder);
    }
    // What begins with a dot is kept beside a file by some system, and is not one of its own.
    let is_hidden =
        |name: &Path| name.file_name().is_some_and(|name| name.to_string_lossy().starts_with('.'));
    let packages: Vec<PathBuf> =
        names.into_iter().filter(|name| has_end(name, &["ova", "ovf"]) && !is_hidden(name)).collect();
    match packages.as_slice() {
        [] => Ok(AtPath::OtherFolder),
        [only] => Ok(AtPath::Package(only.clone())),
        several => {
            let names: Vec<_> = several.iter().map(|path| path.display().to_string()).collect();
            Err(AtPathFault::SeveralPackages(path.to_owned(), names.join(", ")))
        }
    }
}

fn in_file(path: &Path) -> Result<AtPath, AtPathFault> {
    Ok(if has_end(path, &["yaml", "yml"]) {
        AtPath::NetplanFile
    } else if has_end(path, &["ova", "ovf"]) {
        AtPath::Package(path.to_owned())
    } else if path.file_name().is_some_and(|name| name.to_string_lossy().ends_with(".meanings.toml")) {
        AtPath::MeaningsFile
    } else if has_end(path, &["toml"]) {
        AtPath::Sheet
    } else {
        let start = start_of(path)?;
        if KeptReport::is_begun_by(&String::from_utf8_lossy(&start)) {
            AtPath::KeptReport
        } else if looks_like_package(&start) {
            AtPath::Package(path.to_owned())
        } else if looks_like_sheet(&start) {
            AtPath::Sheet
        } else if has_linux_partition(path) {
            AtPath::DiskImage
        } else {
            AtPath::OtherFile
        }
    })
}

fn has_end(path: &Path, ends: &[&str]) -> bool {
    path.extension().is_some_and(|end| ends.iter().any(|known| end.eq_ignore_ascii_case(known)))
}

/// The entries of a folder, in the order of their names.
fn names_in(folder: &Path) -> Result<Vec<PathBuf>, AtPathFault> {
    let refused = |error: std::io::Error| AtPathFault::Unreadable(folder.to_owned(), plain(&error));
    let entries = fs::read_dir(folder).map_err(refused)?;
    let mut paths = entries
        .map(|entry| entry.map(|entry| entry.path()).map_err(refused))
        .collect::<Result<Vec<_>, _>>()?;
    paths.sort();
    Ok(paths)
}

fn start_of(path: &Path) -> Result<Vec<u8>, AtPathFault> {
    let mut start = Vec::new();
    File::open(path)
        .and_then(|file| file.take(SHEET_START).read_to_end(&mut start))
        .map_err(|error| AtPathFault::Unreadable(path.to_owned(), plain(&error)))?;
    Ok(start)
}

/// Whether a file begins like a descriptor or a tar archive.
fn looks_like_package(start: &[u8]) -> bool {
    let head = start.get(..start.len().min(512)).unwrap_or_default();
    head.get(257..262) == Some(b"ustar") || String::from_utf8_lossy(head).contains("Envelope")
}

/// Whether a file says at its top that it is a sheet: `format = 1`, before any table.
fn looks_like_sheet(start: &[u8]) -> bool {
    let text = String::from_utf8_lossy(start);
    let top = text.lines().map(str::trim).take_while(|line| !line.starts_with('['));
    top.filter_map(|line| line.strip_prefix("format")).any(|rest| rest.trim_start().starts_with('='))
}

fn has_linux_partition(path: &Path) -> bool {
    RootfsImage::open(path).is_ok_and(|image| {
        image.partitions().iter().any(|partition| partition.filesystem == Filesystem::Ext4)
    })
}
