//! The record of a placement, which lies on the root filesystem itself: what was changed, and how it was before.

use serde::{Deserialize, Serialize};

use super::change::Subject;
use super::folder::{Rootfs, RootfsFault};
use super::path::RootfsPath;
use super::state::State;

/// The folder of the record, which only root can read: it keeps what was set aside, hashes of passwords among it.
pub const RECORD_FOLDER: &str = "var/lib/impostazione";

pub(super) const RECORD: &str = "placement.json";
/// It is there while a placement is being made or taken back.
pub(super) const UNDER_WAY: &str = "under-way";
/// What stood where something was changed, by the number of the step.
pub(super) const KEPT: &str = "kept";
/// What is about to take its place.
pub(super) const NEW: &str = "new";

/// A placement as its record has it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Record {
    /// Form of the record.
    pub format: u8,
    /// The machine whose output was placed.
    pub machine: String,
    /// Digest of that output.
    pub output: String,
    /// When, as the clock of the administrator had it.
    pub placed: String,
    /// What was changed, in this order.
    pub steps: Vec<Step>,
    /// Folders in which something was added or taken away, and when their lists last changed before that.
    pub folders: Vec<FolderTimes>,
    /// Folders that were made for the record itself.
    pub made_folders: Vec<RootfsPath>,
    /// Accounts of the output, which are logins of the host and none of the image.
    pub accounts: Vec<String>,
    /// Whether the host was given an identity of its own.
    pub fresh_identity: bool,
    /// Paths that belong to whoever placed them, since only root can give things away.
    pub not_owned: Vec<RootfsPath>,
    /// Whether it was left half done; not part of the file.
    #[serde(skip)]
    pub is_under_way: bool,
}

/// One path that was changed.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Step {
    /// The path.
    pub path: RootfsPath,
    /// What it is about.
    pub subject: SubjectName,
    /// Why, where that is not plain.
    pub why: String,
    /// How it was.
    pub before: State,
    /// How it was left.
    pub after: State,
    /// Whether its content was made at random.
    pub is_made_up: bool,
    /// Whether it lies on another filesystem than the rest, such as the boot partition, which may not be mounted later.
    #[serde(default)]
    pub is_on_another: bool,
}

/// When the list of a folder last changed and was last read.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct FolderTimes {
    /// The folder; nothing for the top.
    pub path: Option<RootfsPath>,
    /// Seconds since 1970, and nanoseconds.
    pub modified: (i64, u32),
    /// The same of reading.
    pub accessed: (i64, u32),
}

/// A subject as the record writes it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct SubjectName(pub String);

impl From<Subject> for SubjectName {
    fn from(subject: Subject) -> Self {
        Self(subject.word().to_owned())
    }
}

/// Why a record is of no use.
#[derive(Debug, thiserror::Error)]
pub enum RecordFault {
    /// It cannot be read.
    #[error(transparent)]
    Rootfs(#[from] RootfsFault),
    /// It can be read and makes no sense.
    #[error(
        "/{RECORD_FOLDER}/{RECORD} on the rootfs is no record that this version writes: {0}; what it keeps is beside it, under {KEPT}"
    )]
    Malformed(String),
}

impl Record {
    /// Reads the record of a root filesystem; nothing where nothing was placed, or where placing ended before it changed
    /// anything.
    pub fn read(rootfs: &Rootfs) -> Result<Option<Self>, RecordFault> {
        let Some(bytes) = rootfs.read(&format!("{RECORD_FOLDER}/{RECORD}"))? else { return Ok(None) };
        let malformed = |reason: &dyn std::fmt::Display| RecordFault::Malformed(reason.to_string());
        let mut record: Self = serde_json::from_slice(&bytes).map_err(|error| malformed(&error))?;
        if record.format != 1 {
            return Err(malformed(&format!("its format is {}", record.format)));
        }
        record.is_under_way = rootfs.look(&format!("{RECORD_FOLDER}/{UNDER_WAY}"))?.is_some();
        Ok(Some(record))
    }

    /// The step that changed a path.
    pub fn step(&self, path: &str) -> Option<(usize, &Step)> {
        self.steps.iter().enumerate().find(|(_, step)| step.path == path)
    }
}
