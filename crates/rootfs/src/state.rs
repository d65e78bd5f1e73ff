//! What stood, stands or is to stand at a path, as the record of a placement has it.

use std::fs::File;
use std::io::Read as _;
use std::os::fd::AsFd as _;

use rustix::io::Errno;
use serde::{Deserialize, Serialize};
use sha2::{Digest as _, Sha256};

use super::folder::{Found, Kind, RootfsFault, look_in, not_a_file};
use crate::access_list::AccessList;
use crate::open_folder::OpenFolder;

/// Largest file that is set aside or replaced: its digest must be had before and after.
const DIGEST_LIMIT: u64 = 1024 * 1024 * 1024;

/// A path's state. Two are equal when content, kind, mode, owner and access list are; times do not count.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "lowercase")]
pub enum State {
    /// Nothing is there.
    Absent,
    /// A file.
    File {
        /// Permission bits.
        mode: u32,
        /// User, by number.
        uid: u32,
        /// Group, by number.
        gid: u32,
        /// Bytes in it.
        size: u64,
        /// SHA-256 of them, in hexadecimal digits.
        sha256: String,
        /// Who may do what beside mode and owner.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        access_list: Option<AccessList>,
    },
    /// A symbolic link.
    Link {
        /// Where it leads.
        target: String,
        /// User, by number.
        uid: u32,
        /// Group, by number.
        gid: u32,
    },
    /// A folder, whatever is in it.
    Folder {
        /// Permission bits.
        mode: u32,
        /// User, by number.
        uid: u32,
        /// Group, by number.
        gid: u32,
        /// Who may do what beside mode and owner.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        access_list: Option<AccessList>,
    },
}

impl State {
    /// The state under a name in an open folder. What is neither file, folder nor link is refused.
    pub(super) fn at(folder: &OpenFolder, name: &str, path: &str) -> Result<Self, RootfsFault> {
        let Some(found) = look_in(folder, name, path)? else { return Ok(Self::Absent) };
        let refused = |errno| RootfsFault::refused("read", path, errno);
        let Found { mode, uid, gid, .. } = found;
        match found.kind {
            Kind::File => {
                let content = content_of(folder, name, path)?;
                let ReadContent { size, sha256, access_list } = content;
                Ok(Self::File { mode, uid, gid, size, sha256, access_list })
            }
            Kind::Folder => {
                // Of a folder that cannot be opened, mode and owner are what is known.
                let access_list = match folder.enter(name) {
                    Ok(opened) => AccessList::read(opened.as_fd()).map_err(refused)?,
                    Err(Errno::ACCESS) => None,
                    Err(errno) => return Err(refused(errno)),
                };
                Ok(Self::Folder { mode, uid, gid, access_list })
            }
            Kind::Link => {
                let target = folder.target(name).map_err(refused)?;
                Ok(Self::Link { target: target.to_string_lossy().into_owned(), uid, gid })
            }
            kind @ Kind::Special(_) => Err(not_a_file(path, kind)),
        }
    }

    /// Whether nothing is there.
    pub fn is_absent(&self) -> bool {
        *self == Self::Absent
    }

    /// Whether two states have the same content, whoever they belong to and whatever their mode.
    pub fn says_the_same(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::File { sha256, .. }, Self::File { sha256: of_other, .. }) => sha256 == of_other,
            (Self::Link { target, .. }, Self::Link { target: of_other, .. }) => target == of_other,
            (Self::Folder { .. }, Self::Folder { .. }) | (Self::Absent, Self::Absent) => true,
            _ => false,
        }
    }
}

/// What there is to know of a file beside mode and owner.
struct ReadContent {
    size: u64,
    sha256: String,
    access_list: Option<AccessList>,
}

/// Reads the regular file under a name.
fn content_of(folder: &OpenFolder, name: &str, path: &str) -> Result<ReadContent, RootfsFault> {
    let refused = |errno| RootfsFault::refused("read", path, errno);
    let opened = folder.open_file(name).map_err(refused)?;
    let found = Found::of(&rustix::fs::fstat(&opened).map_err(refused)?);
    if found.kind != Kind::File {
        return Err(not_a_file(path, found.kind));
    }
    if found.size > DIGEST_LIMIT {
        return Err(RootfsFault::TooLarge { path: path.to_owned(), size: found.size });
    }
    let access_list = AccessList::read(opened.as_fd()).map_err(refused)?;
    let mut file = File::from(opened);
    let mut hash = Sha256::new();
    let mut size = 0;
    let mut buffer = [0; 16 * 1024];
    loop {
        let count = file.read(&mut buffer).map_err(|source| RootfsFault::Refused {
            doing: "read",
            path: path.to_owned(),
            source,
        })?;
        if count == 0 {
            return Ok(ReadContent { size, sha256: hex::encode(hash.finalize()), access_list });
        }
        hash.update(buffer.get(..count).unwrap_or_default());
        size += count as u64;
    }
}
