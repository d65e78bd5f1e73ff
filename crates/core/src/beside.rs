//! Files that a sheet names, which lie beside it.

use std::fs::File;
use std::io::{self, Read};
use std::path::{Path, PathBuf};

/// Where the files that a sheet names come from.
pub trait Beside {
    /// Reads the file at a path, from the folder of the sheet on, if it has no more than `limit` bytes.
    fn read(&self, path: &Path, limit: u64) -> Result<Vec<u8>, ReadFault>;
}

/// Why a file could not be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ReadFault {
    /// There is none.
    #[error("there is no such file")]
    Missing,
    /// It is a folder, a device or the like.
    #[error("it is not a file but {0}")]
    NotAFile(&'static str),
    /// It has more bytes than are read.
    #[error("it is larger than {} MiB", .0 / (1024 * 1024))]
    TooLarge(u64),
    /// The system says no.
    #[error("it cannot be read: {0}")]
    Refused(String),
}

/// The folder of a sheet on disk.
#[derive(Clone, Debug)]
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
}

impl Beside for Folder {
    fn read(&self, path: &Path, limit: u64) -> Result<Vec<u8>, ReadFault> {
        read_file(&self.path.join(path), limit)
    }
}

/// Reads a regular file whole. Pipes and devices, which may never end, are refused.
pub fn read_file(path: &Path, limit: u64) -> Result<Vec<u8>, ReadFault> {
    let refused = |error: io::Error| match error.kind() {
        io::ErrorKind::NotFound => ReadFault::Missing,
        _ => ReadFault::Refused(plain(&error)),
    };
    let kind = std::fs::metadata(path).map_err(refused)?;
    if kind.is_dir() {
        return Err(ReadFault::NotAFile("a folder"));
    }
    if !kind.is_file() {
        return Err(ReadFault::NotAFile("a device or a pipe"));
    }
    if kind.len() > limit {
        return Err(ReadFault::TooLarge(limit));
    }
    let mut bytes = Vec::new();
    File::open(path).map_err(refused)?.take(limit + 1).read_to_end(&mut bytes).map_err(refused)?;
    if bytes.len() as u64 > limit { Err(ReadFault::TooLarge(limit)) } else { Ok(bytes) }
}

/// What the system says, without its number.
pub fn plain(error: &io::Error) -> String {
    let text = error.to_string();
    let text = text.split(" (os error").next().unwrap_or_default();
    let mut characters = text.chars();
    characters.next().map_or_else(String::new, |first| first.to_lowercase().chain(characters).collect())
}
