//! The output tree in memory.

/// All files of an output tree.
#[derive(Clone, Debug, Default)]
pub struct OutputTree {
    /// The files, machine by machine in the order of the sheet.
    pub files: Vec<OutputFile>,
}

/// One file of an output tree.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OutputFile {
    /// The machine that it is for.
    pub machine: String,
    /// Its path in the tree, with `/` between folders, the machine's folder first.
    pub path: String,
    /// Its permission bits.
    pub mode: u32,
    /// Whose it will be on the host, as `user:group`; `None` for a file that stays with the administrator.
    pub owner: Option<&'static str>,
    /// What it holds.
    pub content: Content,
}

/// What a file holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Content {
    /// Bytes.
    Bytes(Vec<u8>),
    /// It is a symbolic link to this path.
    Link(String),
}

impl Content {
    /// The bytes of a file, or the path of a link, which is what its size and digest are of.
    pub fn bytes(&self) -> &[u8] {
        match self {
            Self::Bytes(bytes) => bytes,
            Self::Link(target) => target.as_bytes(),
        }
    }
}
