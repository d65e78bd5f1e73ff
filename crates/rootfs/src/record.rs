//! The record of a placement, which lies on the root filesystem itself: what was changed, and how it was before.

use impostazione_text::FileBytes;
use serde::{Deserialize, Serialize};

use super::change::Subject;
use super::digest::digest;
use super::entries::{open_folder, read_in};
use super::folder::{Kind, Rootfs, RootfsFault};
use super::path::RootfsPath;
use super::state::State;
use crate::open_folder::OpenFolder;

/// The folder of the record, which only root can read: it keeps what was set aside, hashes of passwords among it.
pub const RECORD_FOLDER: &str = "var/lib/impostazione";

pub(super) const RECORD: &str = "placement.json";
/// It is there while a placement is being made or taken back.
pub(super) const UNDER_WAY: &str = "under-way";
/// What stood where something was changed, by the number of the step.
pub(super) const KEPT: &str = "kept";
/// What is about to take its place.
pub(super) const NEW: &str = "new";
/// What the output has where a file was replaced: from it one tells what others have changed since.
pub(super) const MEANT: &str = "meant";

/// Forms of records that this version reads. The first knows nothing of what was meant.
const FORMATS: std::ops::RangeInclusive<u8> = 1..=2;
/// The form that it writes.
pub(super) const FORMAT: u8 = 2;

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
    /// Users that the image had; others were added since, where they are none of those accounts.
    #[serde(default)]
    pub image_users: Option<Vec<String>>,
    /// Whether the host was given an identity of its own.
    pub fresh_identity: bool,
    /// Paths that belong to whoever placed them, since only root can give things away.
    pub not_owned: Vec<RootfsPath>,
    /// How many placements were here before it, one in place of the other.
    #[serde(default)]
    pub generation: u32,
    /// Whether it was left half done; not part of the file.
    #[serde(skip)]
    pub is_under_way: bool,
    /// Whether it took the place of another, and is to be completed before anything else; not part of the file.
    #[serde(skip)]
    pub is_to_complete: bool,
    /// Folders that an earlier placement had made, and that hold something of somebody else's; not part of the file.
    #[serde(skip)]
    pub left_folders: Vec<String>,
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
    /// How the output has it, where something else was kept.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub meant: Option<State>,
    /// The name under which an earlier placement keeps what stood there before.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kept: Option<String>,
    /// Whether this placement only puts it back as it was before an earlier one.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub is_back: bool,
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
        "/{RECORD_FOLDER}/{RECORD} on the rootfs was not written by this version: {0}; the kept files are next to \
            it, under {KEPT}"
    )]
    Malformed(String),
}

impl Step {
    /// How the output has the path.
    pub fn meant(&self) -> &State {
        self.meant.as_ref().unwrap_or(&self.after)
    }
}

impl Record {
    /// Reads the record of a root filesystem; nothing where nothing was placed, or where placing ended before it changed
    /// anything.
    pub fn read(rootfs: &Rootfs) -> Result<Option<Self>, RecordFault> {
        if rootfs.look(RECORD_FOLDER)?.is_none_or(|found| found.kind != Kind::Folder) {
            return Ok(None);
        }
        Self::read_in(&open_folder(rootfs, RECORD_FOLDER)?)
    }

    /// The same from its folder: record and mark are those of one moment.
    pub(super) fn read_in(folder: &OpenFolder) -> Result<Option<Self>, RecordFault> {
        let path = format!("{RECORD_FOLDER}/{RECORD}");
        let Some(bytes) = read_in(folder, RECORD, &path)? else { return Ok(None) };
        let malformed = |reason: &dyn std::fmt::Display| RecordFault::Malformed(reason.to_string());
        let mut record: Self = serde_json::from_slice(&bytes).map_err(|error| malformed(&error))?;
        if !FORMATS.contains(&record.format) {
            return Err(malformed(&format!("its format is {}", record.format)));
        }
        let is_name = |name: &String| name.bytes().all(|byte| byte.is_ascii_digit() || byte == b'-');
        if let Some(name) =
            record.steps.iter().filter_map(|step| step.kept.as_ref()).find(|name| !is_name(name))
        {
            return Err(malformed(&format!("it keeps something under {name:?}")));
        }
        let mark = read_in(folder, UNDER_WAY, UNDER_WAY)?;
        // One that names a record names that which is to be completed.
        record.is_to_complete = mark.as_ref().is_some_and(|mark| mark[..] == *digest(&bytes).as_bytes());
        record.is_under_way = record.is_to_complete || mark.is_some_and(|mark| mark.is_empty());
        Ok(Some(record))
    }

    /// The text of the record.
    pub(super) fn bytes(&self) -> Result<Vec<u8>, RootfsFault> {
        let mut bytes = serde_json::to_vec_pretty(self).map_err(|error| RootfsFault::Refused {
            doing: "written",
            path: format!("{RECORD_FOLDER}/{RECORD}"),
            source: std::io::Error::other(error),
        })?;
        bytes.push(b'\n');
        Ok(bytes)
    }

    /// The step that changed a path.
    pub fn step(&self, path: &str) -> Option<(usize, &Step)> {
        self.steps.iter().enumerate().find(|(_, step)| step.path == path)
    }

    /// The name of what this placement keeps for a step.
    pub(super) fn own_name(&self, number: usize) -> String {
        own_name(self.generation, number)
    }

    /// The name of what stood at the path of a step.
    pub(super) fn kept_name(&self, number: usize) -> String {
        let kept = self.steps.get(number).and_then(|step| step.kept.clone());
        kept.unwrap_or_else(|| self.own_name(number))
    }

    /// Reads what the output has at the path of a step, where that was replaced; nothing where it was not kept.
    pub fn read_meant(&self, rootfs: &Rootfs, number: usize) -> Result<Option<FileBytes>, RootfsFault> {
        rootfs.read(&format!("{RECORD_FOLDER}/{MEANT}/{}", self.own_name(number)))
    }

    /// Reads what stood at the path of a step.
    pub fn read_kept(&self, rootfs: &Rootfs, number: usize) -> Result<Option<FileBytes>, RootfsFault> {
        rootfs.read(&format!("{RECORD_FOLDER}/{KEPT}/{}", self.kept_name(number)))
    }
}

/// The name of what a placement keeps for a step.
pub(super) fn own_name(generation: u32, number: usize) -> String {
    if generation == 0 { number.to_string() } else { format!("{generation}-{number}") }
}
