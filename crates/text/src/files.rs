//! Files that a sheet names, which lie beside it.

use std::collections::HashMap;
use std::fs::File;
use std::io::{self, Cursor, Read, Seek, SeekFrom};
use std::os::unix::fs::MetadataExt as _;
use std::path::{Path, PathBuf};

/// Where the files that a sheet names come from.
pub trait NamedFiles: Sync {
    /// Reads the file at a path, relative to the sheet's folder, if it has no more than `limit` bytes.
    fn read(&self, path: &Path, limit: u64) -> Result<Vec<u8>, ReadFault>;

    /// The permission bits of the file at a path, where somebody but its owner may read it.
    fn mode_for_others(&self, _path: &Path) -> Option<u32> {
        None
    }

    /// Opens the file at a path, relative to the sheet's folder, to be read in parts. What has its files in memory need
    /// not do more than read them.
    fn open(&self, path: &Path) -> Result<OpenedFile, ReadFault> {
        let bytes = self.read(path, u64::MAX)?;
        Ok(OpenedFile { length: bytes.len() as u64, content: FileContent::Memory(Cursor::new(bytes)) })
    }
}

/// A file that has been opened.
#[derive(Debug)]
pub struct OpenedFile {
    /// Its size in bytes.
    pub length: u64,
    /// What is in it.
    pub content: FileContent,
}

/// What is in an open file, to be read from any position on.
#[derive(Debug)]
pub enum FileContent {
    /// A file on disk, which the system can copy by itself.
    File(File),
    /// Bytes in memory.
    Memory(Cursor<Vec<u8>>),
}

impl Read for FileContent {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        match self {
            Self::File(file) => file.read(buffer),
            Self::Memory(bytes) => bytes.read(buffer),
        }
    }
}

impl Seek for FileContent {
    fn seek(&mut self, position: SeekFrom) -> io::Result<u64> {
        match self {
            Self::File(file) => file.seek(position),
            Self::Memory(bytes) => bytes.seek(position),
        }
    }
}

/// Why a file could not be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ReadFault {
    /// There is none.
    #[error("there is no such file")]
    Missing,
    /// The folder that it would lie in is not there, or there is nothing in it, as where a drive is not mounted.
    #[error("the folder {0} is missing or empty (is a drive not mounted?)")]
    NoFolder(String),
    /// It is a folder, a device or the like.
    #[error("it is {0}, not a file")]
    NotAFile(&'static str),
    /// It has more bytes than are read.
    #[error("it is larger than {} MiB", .0 / (1024 * 1024))]
    TooLarge(u64),
    /// The system says no.
    #[error("it cannot be read: {0}")]
    Refused(String),
}

/// The folder of a sheet on disk.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Folder {
    path: PathBuf,
}

impl Folder {
    /// The folder at this path.
    pub fn new(path: impl Into<PathBuf>) -> Self {
        Self { path: path.into() }
    }

    /// The folder that holds this file.
    pub fn of_file(file: &Path) -> Self {
        Self::new(file.parent().unwrap_or_else(|| Path::new("")))
    }

    /// A file that is missing alone is told from one that is missing with all that belongs beside it.
    fn told_apart(&self, path: &Path, fault: ReadFault) -> ReadFault {
        let Some(folder) = path.parent().filter(|folder| !folder.as_os_str().is_empty()) else {
            return fault;
        };
        let has_something =
            || std::fs::read_dir(self.path.join(folder)).is_ok_and(|mut entries| entries.next().is_some());
        match fault {
            ReadFault::Missing if !has_something() => ReadFault::NoFolder(folder.display().to_string()),
            fault => fault,
        }
    }
}

impl NamedFiles for Folder {
    fn read(&self, path: &Path, limit: u64) -> Result<Vec<u8>, ReadFault> {
        read_file(&self.path.join(path), limit).map_err(|fault| self.told_apart(path, fault))
    }

    fn mode_for_others(&self, path: &Path) -> Option<u32> {
        let mode = std::fs::metadata(self.path.join(path)).ok()?.mode() & 0o7777;
        (mode & 0o077 != 0).then_some(mode)
    }

    fn open(&self, path: &Path) -> Result<OpenedFile, ReadFault> {
        let full = self.path.join(path);
        let length = length_of_file(&full).map_err(|fault| self.told_apart(path, fault))?;
        let file = File::open(&full).map_err(|error| refused(&error))?;
        Ok(OpenedFile { length, content: FileContent::File(file) })
    }
}

/// Named files, some of which have another content than they have where they lie.
pub struct Overlaid<'a> {
    below: &'a dyn NamedFiles,
    folder: PathBuf,
    changed: HashMap<PathBuf, Vec<u8>>,
}

impl<'a> Overlaid<'a> {
    /// The files of a sheet's folder. Those that are changed are given by the names that [`crate::Sources`] have for them,
    /// which begin with that folder.
    pub fn new(
        below: &'a dyn NamedFiles,
        folder: impl Into<PathBuf>,
        changed: impl IntoIterator<Item = (String, Vec<u8>)>,
    ) -> Self {
        let changed = changed.into_iter().map(|(name, bytes)| (PathBuf::from(name), bytes)).collect();
        Self { below, folder: folder.into(), changed }
    }

    fn changed(&self, path: &Path) -> Option<&Vec<u8>> {
        self.changed.get(&self.folder.join(path))
    }
}

impl NamedFiles for Overlaid<'_> {
    fn read(&self, path: &Path, limit: u64) -> Result<Vec<u8>, ReadFault> {
        match self.changed(path) {
            Some(bytes) if bytes.len() as u64 > limit => Err(ReadFault::TooLarge(limit)),
            Some(bytes) => Ok(bytes.clone()),
            None => self.below.read(path, limit),
        }
    }

    fn mode_for_others(&self, path: &Path) -> Option<u32> {
        self.below.mode_for_others(path)
    }

    fn open(&self, path: &Path) -> Result<OpenedFile, ReadFault> {
        match self.changed(path) {
            Some(bytes) => Ok(OpenedFile {
                length: bytes.len() as u64,
                content: FileContent::Memory(Cursor::new(bytes.clone())),
            }),
            None => self.below.open(path),
        }
    }
}

/// Reads a regular file whole. Pipes and devices, which may never end, are refused.
pub fn read_file(path: &Path, limit: u64) -> Result<Vec<u8>, ReadFault> {
    let length = length_of_file(path)?;
    if length > limit {
        return Err(ReadFault::TooLarge(limit));
    }
    let mut bytes = Vec::new();
    let file = File::open(path).map_err(|error| refused(&error))?;
    file.take(limit.saturating_add(1)).read_to_end(&mut bytes).map_err(|error| refused(&error))?;
    if bytes.len() as u64 > limit { Err(ReadFault::TooLarge(limit)) } else { Ok(bytes) }
}

/// The size of a regular file.
fn length_of_file(path: &Path) -> Result<u64, ReadFault> {
    let kind = std::fs::metadata(path).map_err(|error| refused(&error))?;
    if kind.is_dir() {
        return Err(ReadFault::NotAFile("a folder"));
    }
    if !kind.is_file() {
        return Err(ReadFault::NotAFile("a device or a pipe"));
    }
    Ok(kind.len())
}

fn refused(error: &io::Error) -> ReadFault {
    match error.kind() {
        io::ErrorKind::NotFound | io::ErrorKind::NotADirectory => ReadFault::Missing,
        _ => ReadFault::Refused(plain(error)),
    }
}

/// What the system says, without its number.
pub fn plain(error: &io::Error) -> String {
    let text = error.to_string();
    let text = text.split(" (os error").next().unwrap_or_default();
    let mut characters = text.chars();
    characters.next().map_or_else(String::new, |first| first.to_lowercase().chain(characters).collect())
}
