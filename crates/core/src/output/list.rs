//! `files.json`: every file of an output tree with its digest, so that a tree can be looked over as a whole and told
//! from a folder that is none.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

use super::tree::{OutputContent, OutputFile};

/// Name of the list, at the top of the tree.
pub const LIST_NAME: &str = "files.json";

/// A file as the list has it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct ListedFile {
    /// The machine that it is for.
    pub machine: String,
    /// Its path in the tree.
    pub path: String,
    /// Its permission bits, in octal digits.
    pub mode: String,
    /// Whose it will be on the host; `null` for a file that stays with the administrator.
    pub owner: Option<String>,
    /// Bytes in it; of a link, in the path that it leads to.
    pub size: u64,
    /// SHA-256 of those bytes, in hexadecimal digits; `null` for a package, whose manifest holds the digests of what is in
    /// it.
    pub sha256: Option<String>,
    /// Where a symbolic link leads; absent for a file.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub link: Option<String>,
    /// What stood there before. It is listed while `render` writes, so that after a run that was cut off the old content is not
    /// taken for a change by hand; absent once all is written.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub before: Vec<ListedContent>,
}

/// A content that a file may have.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct ListedContent {
    /// Bytes in it.
    pub size: u64,
    /// SHA-256 of those bytes; `null` for a package.
    pub sha256: Option<String>,
}

#[derive(Deserialize)]
struct List {
    format: u8,
    files: Vec<ListedFile>,
}

/// The same, to be written.
#[derive(Serialize)]
struct ListRef<'a> {
    format: u8,
    files: Vec<&'a ListedFile>,
}

impl ListedFile {
    pub(super) fn of(file: &OutputFile) -> Self {
        Self {
            machine: file.machine.clone(),
            path: file.path.clone(),
            mode: format!("{:04o}", file.mode),
            owner: file.owner.map(str::to_owned),
            size: file.content.size(),
            sha256: file.content.bytes().map(digest),
            link: match &file.content {
                OutputContent::Link(target) => Some(target.clone()),
                OutputContent::Bytes(_) | OutputContent::Package(_) => None,
            },
            before: Vec::new(),
        }
    }

    /// The contents that an entry at its path may have without anybody having changed it.
    pub(super) fn contents(&self) -> Vec<ListedContent> {
        let own = ListedContent { size: self.size, sha256: self.sha256.clone() };
        std::iter::once(own).chain(self.before.iter().cloned()).collect()
    }
}

/// SHA-256 in hexadecimal digits.
pub fn digest(bytes: &[u8]) -> String {
    hex::encode(Sha256::digest(bytes))
}

/// The list of these files, sorted by path.
pub(super) fn to_json(files: &BTreeMap<String, ListedFile>) -> serde_json::Result<Vec<u8>> {
    let mut bytes = serde_json::to_vec_pretty(&ListRef { format: 1, files: files.values().collect() })?;
    bytes.push(b'\n');
    Ok(bytes)
}

/// The files of a list, by path.
pub(super) fn from_json(bytes: &[u8]) -> Option<BTreeMap<String, ListedFile>> {
    let list: List = serde_json::from_slice(bytes).ok()?;
    (list.format == 1).then(|| list.files.into_iter().map(|file| (file.path.clone(), file)).collect())
}
