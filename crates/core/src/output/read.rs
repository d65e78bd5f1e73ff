//! Reading an output tree back: whether it is whole, and what it holds for one machine.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::path::{Component, Path, PathBuf};
use std::{fs, io};

use impostazione_rootfs::RootfsPath;
use impostazione_text::FileBytes;
use impostazione_text::files::{ReadFault, plain, read_file};

use super::list::{self, LIST_NAME, ListedFile};
use super::staging::PREFIX as STAGING_PREFIX;
use crate::host::{ACCOUNTS_PATH, HostAccounts, SSHD_PATH};

/// Largest `files.json` that is read.
const LIST_LIMIT: u64 = 4 * 1024 * 1024 * 1024;
/// How deep folders are looked into: a tree is not that deep.
const DEPTH_LIMIT: usize = 64;
/// Largest file of a host that is read.
const FILE_LIMIT: u64 = 16 * 1024 * 1024;

/// An output tree on disk, by its list.
#[derive(Clone, Debug)]
pub struct TreeOnDisk {
    folder: PathBuf,
    files: BTreeMap<String, ListedFile>,
}

/// Why an output tree could not be read.
#[derive(Debug, thiserror::Error)]
pub enum OutputFault {
    /// There is no list.
    #[error("{} is not an output tree: it has no {LIST_NAME}, which `render` writes", .0.display())]
    NotATree(PathBuf),
    /// The list cannot be read.
    #[error("{} cannot be used: {reason}", .0.display(), reason = .1)]
    ListUnreadable(PathBuf, String),
    /// The tree has no such machine.
    #[error("{} has no output for {machine}; it has some for {known}", .folder.display())]
    NoSuchMachine {
        /// The tree.
        folder: PathBuf,
        /// The machine asked for.
        machine: String,
        /// The machines that are there.
        known: String,
    },
    /// The machine is an appliance.
    #[error("{0} is an appliance, which gets its settings through its package; only hosts can be placed")]
    NotAHost(String),
    /// A file is not as it was rendered.
    #[error(
        "{} is not as it was rendered ({state}); nothing was placed: render the sheet again", .path.display()
    )]
    NotAsRendered {
        /// The file.
        path: PathBuf,
        /// What is wrong with it.
        state: &'static str,
    },
    /// The list of logins makes no sense.
    #[error("{} is not a list of logins written by this version: {reason}", .0.display(), reason = .1)]
    AccountsUnreadable(PathBuf, String),
}

/// What became of a file of a tree since it was rendered.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FileSince {
    /// It is as it was.
    Same,
    /// It is not there.
    Missing,
    /// Its content differs.
    Changed,
    /// It is what should be kept from others, and others may read it.
    Readable,
    /// A package: only its size was compared.
    SameSize,
}

impl FileSince {
    /// What is said of it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Same => "as rendered",
            Self::Missing => "missing",
            Self::Changed => "changed since",
            Self::Readable => "readable by other users",
            Self::SameSize => "of the same size",
        }
    }
}

/// One file as it will stand on a host.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct HostFile {
    /// Its path on the host.
    pub path: RootfsPath,
    /// Permission bits.
    pub mode: u32,
    /// Whose it is, as `user:group`.
    pub owner: String,
    /// What it is.
    pub content: HostContent,
}

/// What a file of a host is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum HostContent {
    /// A file of these bytes.
    Bytes(FileBytes),
    /// A link that leads there.
    Link(String),
}

/// Everything that an output tree holds for one host.
#[derive(Clone, Debug)]
pub struct HostOutput {
    /// The host.
    pub machine: String,
    /// Digest of the list of its files, by which two outputs are told apart.
    pub digest: String,
    /// Its files.
    pub files: Vec<HostFile>,
    /// Its logins.
    pub accounts: HostAccounts,
}

impl HostOutput {
    /// The TCP port that the SSH service of the output listens on, where it has one.
    pub fn ssh_port(&self) -> Option<u16> {
        let HostContent::Bytes(bytes) = &self.file(SSHD_PATH)?.content else { return None };
        let text = String::from_utf8_lossy(bytes);
        text.lines().find_map(|line| line.strip_prefix("Port ")?.trim().parse().ok())
    }
}

impl TreeOnDisk {
    /// Reads the list of a tree. `path` is the tree, or the folder of one machine in it, which is then given too.
    pub fn open(path: &Path) -> Result<(Self, Option<String>), OutputFault> {
        if let Some(tree) = Self::read(path)? {
            return Ok((tree, None));
        }
        // As it was written, for messages; a path that does not say its last part, such as `.`, is looked up.
        let says_both =
            path.file_name().is_some() && path.parent().is_some_and(|above| !above.as_os_str().is_empty());
        let full = if says_both { Ok(path.to_owned()) } else { fs::canonicalize(path) };
        let full = full.unwrap_or_else(|_| path.to_owned());
        let inner = full.file_name().and_then(|name| name.to_str()).map(str::to_owned);
        if let (Some(above), Some(machine)) = (full.parent(), inner)
            && let Some(tree) = Self::read(above)?
            && tree.files.values().any(|file| file.machine == machine)
        {
            return Ok((tree, Some(machine)));
        }
        Err(OutputFault::NotATree(path.to_owned()))
    }

    fn read(folder: &Path) -> Result<Option<Self>, OutputFault> {
        let path = folder.join(LIST_NAME);
        match read_file(&path, LIST_LIMIT) {
            Ok(bytes) => {
                let files = list::from_json(&bytes).ok_or_else(|| {
                    OutputFault::ListUnreadable(path, "it is not a list written by this version".to_owned())
                })?;
                Ok(Some(Self { folder: folder.to_owned(), files }))
            }
            Err(ReadFault::Missing) => Ok(None),
            Err(fault) => Err(OutputFault::ListUnreadable(path, fault.to_string())),
        }
    }

    /// The folder of the tree.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// The files of the list.
    pub fn files(&self) -> impl Iterator<Item = &ListedFile> {
        self.files.values()
    }

    /// The machines that it has files for.
    pub fn machines(&self) -> BTreeSet<&str> {
        self.files.values().map(|file| file.machine.as_str()).filter(|machine| !machine.is_empty()).collect()
    }

    /// The machines among them that are hosts.
    pub fn hosts(&self) -> BTreeSet<&str> {
        let is_of_host = |file: &&ListedFile| file.path == format!("{}/{ACCOUNTS_PATH}", file.machine);
        self.files.values().filter(is_of_host).map(|file| file.machine.as_str()).collect()
    }

    /// Paths of files and links in the tree, or in the folder of one machine, that the list does not have. Nothing places or
    /// compares them.
    pub fn unlisted(&self, machine: Option<&str>) -> Result<Vec<String>, OutputFault> {
        let mut found = Vec::new();
        let mut folders = vec![(machine.unwrap_or_default().to_owned(), 0)];
        while let Some((folder, depth)) = folders.pop() {
            let at = self.folder.join(&folder);
            let refused = |error: &io::Error| OutputFault::ListUnreadable(at.clone(), plain(error));
            let entries = match fs::read_dir(&at) {
                Err(error) if error.kind() == io::ErrorKind::NotFound => continue,
                entries => entries.map_err(|error| refused(&error))?,
            };
            for entry in entries {
                let entry = entry.map_err(|error| refused(&error))?;
                let name = entry.file_name().to_string_lossy().into_owned();
                let path = if folder.is_empty() { name } else { format!("{folder}/{name}") };
                let is_folder = entry.file_type().map_err(|error| refused(&error))?.is_dir();
                if is_folder && depth < DEPTH_LIMIT {
                    // What a killed command has left is cleared by the next one.
                    if !(depth == 0 && path.starts_with(STAGING_PREFIX)) {
                        folders.push((path, depth + 1));
                    }
                } else if !self.files.contains_key(&path) && path != LIST_NAME {
                    found.push(path);
                }
            }
        }
        found.sort();
        Ok(found)
    }

    /// What became of a file since it was rendered.
    pub fn since(&self, file: &ListedFile) -> Result<FileSince, OutputFault> {
        let path = self.folder.join(&file.path);
        if !is_within(&file.path) {
            return Err(OutputFault::ListUnreadable(
                self.folder.join(LIST_NAME),
                format!("it names {:?}", file.path),
            ));
        }
        let found = match fs::symlink_metadata(&path) {
            Ok(found) => found,
            Err(error) if matches!(error.kind(), io::ErrorKind::NotFound | io::ErrorKind::NotADirectory) => {
                return Ok(FileSince::Missing);
            }
            Err(error) => return Err(OutputFault::ListUnreadable(path, plain(&error))),
        };
        if let Some(target) = &file.link {
            let is_same = fs::read_link(&path).is_ok_and(|there| there == Path::new(target));
            return Ok(if is_same { FileSince::Same } else { FileSince::Changed });
        }
        if !found.is_file() || found.len() != file.size {
            return Ok(FileSince::Changed);
        }
        let Some(digest) = &file.sha256 else { return Ok(FileSince::SameSize) };
        let bytes = read_file(&path, u64::MAX)
            .map(FileBytes::new)
            .map_err(|fault| OutputFault::ListUnreadable(path, fault.to_string()))?;
        if list::digest(&bytes) != *digest {
            return Ok(FileSince::Changed);
        }
        let mode = std::os::unix::fs::PermissionsExt::mode(&found.permissions());
        let is_closed = u32::from_str_radix(&file.mode, 8).is_ok_and(|wanted| wanted & 0o004 == 0);
        Ok(if is_closed && mode & 0o004 != 0 { FileSince::Readable } else { FileSince::Same })
    }

    /// Reads what the tree holds for a host, and refuses what is not as it was rendered.
    pub fn host(&self, machine: &str) -> Result<HostOutput, OutputFault> {
        if !self.machines().contains(machine) {
            let known: Vec<&str> = self.hosts().into_iter().collect();
            return Err(OutputFault::NoSuchMachine {
                folder: self.folder.clone(),
                machine: machine.to_owned(),
                known: if known.is_empty() { "no host".to_owned() } else { known.join(", ") },
            });
        }
        if !self.hosts().contains(machine) {
            return Err(OutputFault::NotAHost(machine.to_owned()));
        }
        let prefix = format!("{machine}/rootfs/");
        let accounts_path = format!("{machine}/{ACCOUNTS_PATH}");
        let mut files = Vec::new();
        let mut accounts = None;
        let mut digests = String::new();
        for file in self.files.values().filter(|file| file.machine == machine) {
            // Writing to a String does not fail.
            let _ = writeln!(digests, "{} {} {:?} {:?}", file.path, file.mode, file.sha256, file.link);
            let is_accounts = file.path == accounts_path;
            let on_host = file.path.strip_prefix(&prefix);
            if on_host.is_none() && !is_accounts {
                continue;
            }
            let content = self.content(file)?;
            match (on_host, content) {
                (Some(path), content) => files.push(HostFile {
                    path: RootfsPath::new(path).map_err(|odd| {
                        OutputFault::ListUnreadable(self.folder.join(LIST_NAME), odd.to_string())
                    })?,
                    mode: u32::from_str_radix(&file.mode, 8).unwrap_or(0o600),
                    owner: file.owner.clone().unwrap_or_else(|| "root:root".to_owned()),
                    content,
                }),
                (None, HostContent::Bytes(bytes)) => {
                    let path = self.folder.join(&file.path);
                    accounts = Some(
                        HostAccounts::parse(&bytes)
                            .map_err(|reason| OutputFault::AccountsUnreadable(path, reason))?,
                    );
                }
                (None, HostContent::Link(_)) => {}
            }
        }
        let accounts = accounts.ok_or_else(|| OutputFault::NotAHost(machine.to_owned()))?;
        let digest = list::digest(digests.as_bytes());
        Ok(HostOutput { machine: machine.to_owned(), digest, files, accounts })
    }

    /// The content of a file, if it is as it was rendered.
    pub fn content(&self, file: &ListedFile) -> Result<HostContent, OutputFault> {
        let path = self.folder.join(&file.path);
        let since = self.since(file)?;
        if !matches!(since, FileSince::Same | FileSince::Readable) {
            return Err(OutputFault::NotAsRendered { path, state: since.word() });
        }
        match &file.link {
            Some(target) => Ok(HostContent::Link(target.clone())),
            None => read_file(&path, FILE_LIMIT)
                .map(|bytes| HostContent::Bytes(FileBytes::new(bytes)))
                .map_err(|fault| OutputFault::ListUnreadable(path, fault.to_string())),
        }
    }
}

/// Whether a path of a list stays within its tree.
fn is_within(path: &str) -> bool {
    Path::new(path).components().all(|part| matches!(part, Component::Normal(_)))
}

impl HostOutput {
    /// The file at a path on the host.
    pub fn file(&self, path: &str) -> Option<&HostFile> {
        self.files.iter().find(|file| file.path == *path)
    }

    /// The text of the file at a path on the host.
    pub fn text(&self, path: &str) -> Option<&str> {
        match &self.file(path)?.content {
            HostContent::Bytes(bytes) => std::str::from_utf8(bytes).ok(),
            HostContent::Link(_) => None,
        }
    }

    /// Whether netplan is to write for `NetworkManager`.
    pub fn is_for_manager(&self) -> bool {
        self.text(crate::host::NETPLAN_PATH).is_some_and(|text| text.contains("renderer: NetworkManager"))
    }

    /// Where the link at a path on the host leads.
    pub fn link(&self, path: &str) -> Option<&str> {
        match &self.file(path)?.content {
            HostContent::Link(target) => Some(target),
            HostContent::Bytes(_) => None,
        }
    }
}
