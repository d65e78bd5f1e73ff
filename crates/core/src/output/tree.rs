//! The output tree in memory.

use impostazione_ovf::PackagePlan;
use impostazione_text::FileBytes;

/// All files of an output tree.
#[derive(Clone, Debug, Default)]
pub struct OutputTree {
    /// The files, machine by machine in the order of the sheet.
    pub files: Vec<OutputFile>,
}

/// One file of an output tree.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OutputFile {
    /// The machine that it is for; empty for one that is for all.
    pub machine: String,
    /// Its path in the tree, with `/` between folders, the machine's folder first.
    pub path: String,
    /// Its permission bits.
    pub mode: u32,
    /// Whose it will be on the host, as `user:group`; `None` for a file that stays with the administrator.
    pub owner: Option<&'static str>,
    /// What it holds.
    pub content: OutputContent,
}

/// What a file holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum OutputContent {
    /// Bytes.
    Bytes(FileBytes),
    /// It is a symbolic link to this path.
    Link(String),
    /// It is a package, whose large files are copied when it is written.
    Package(Box<PackagePlan>),
}

impl OutputContent {
    /// A file of these bytes.
    pub fn of(bytes: impl Into<Vec<u8>>) -> Self {
        Self::Bytes(FileBytes::new(bytes))
    }

    /// The bytes of a file, or the path of a link, which is what its size and digest are of; `None` for a package, which
    /// has digests of its own.
    pub fn bytes(&self) -> Option<&[u8]> {
        match self {
            Self::Bytes(bytes) => Some(bytes),
            Self::Link(target) => Some(target.as_bytes()),
            Self::Package(_) => None,
        }
    }

    /// How many bytes it takes.
    pub fn size(&self) -> u64 {
        match self {
            Self::Bytes(bytes) => bytes.len() as u64,
            Self::Link(target) => target.len() as u64,
            Self::Package(plan) => plan.size(),
        }
    }
}
