//! Bringing an output tree onto disk: whole files or none.

use std::collections::{BTreeMap, BTreeSet};
use std::fs::{self, File, OpenOptions, Permissions};
use std::io::{self, Read as _, Write as _};
use std::os::unix::fs::{FileTypeExt, OpenOptionsExt, PermissionsExt, symlink};
use std::panic::resume_unwind;
use std::path::{Component, Path, PathBuf};
use std::thread;

use zeroize::Zeroizing;

use super::list::{self, LIST_NAME, ListedFile};
use super::{Content, OutputFile, OutputTree};
use crate::beside::plain;

/// Largest `files.json` that is read: that of a tree of a million machines.
const LIST_LIMIT: u64 = 4 * 1024 * 1024 * 1024;

/// How a tree is to be written.
#[derive(Clone, Copy)]
pub struct Writing<'a> {
    /// The folder.
    pub into: &'a Path,
    /// Every machine of the sheet, those that were not rendered this time too.
    pub machines: &'a BTreeSet<&'a str>,
    /// Whether the files of machines that are no longer in the sheet are to go.
    pub prune: bool,
    /// What is told of the bytes of packages as they are copied.
    pub seen: &'a (dyn Fn(u64) + Sync),
}

/// What writing did.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct WriteReport {
    /// Paths of files that are new or changed.
    pub written: Vec<String>,
    /// How many files were there already, the same to the byte.
    pub unchanged: usize,
    /// Paths of files that an earlier run wrote and that are no longer rendered, now removed.
    pub removed: Vec<String>,
    /// Machines of an earlier run that are no longer in the sheet; their files were left.
    pub left_machines: BTreeSet<String>,
    /// Paths of files that are no longer rendered but were changed by somebody since, and were left.
    pub left_files: Vec<String>,
}

/// Why a tree could not be written.
#[derive(Debug, thiserror::Error)]
pub enum WriteFault {
    /// The folder holds something else.
    #[error(
        "{} holds files and is no output tree (it has no {LIST_NAME}); name a new or an empty folder", .0.display()
    )]
    NotATree(PathBuf),
    /// The list of an earlier run cannot be understood.
    #[error("{} is not a list that this version writes; remove the folder, or name another", .0.display())]
    ListUnreadable(PathBuf),
    /// A file or link stands where a folder belongs.
    #[error("{} is not a folder, and files belong into it; move it away", .0.display())]
    NotAFolder(PathBuf),
    /// A disk or the like stands where the folder is to be.
    #[error(
        "{} is a device: nothing is rendered onto a card; render into a folder, and `place` it with --root or --image",
        .0.display()
    )]
    ADevice(PathBuf),
    /// A folder stands where a file belongs.
    #[error("{} is a folder, and a file of that name is to be written; move it away", .0.display())]
    AFolder(PathBuf),
    /// The system says no.
    #[error("{} cannot be {doing}: {}", .path.display(), plain(.source))]
    Refused {
        /// What was being done to the file.
        doing: &'static str,
        /// The file.
        path: PathBuf,
        /// What the system said.
        source: io::Error,
    },
}

/// Writes a tree. All new contents are first written beside their places, in a folder of their own, so that a full disk
/// or a refusal leaves everything as it was; then each file takes its place by renaming, the list last. A folder that
/// does not exist yet appears at once, with everything in it.
pub fn write(tree: &OutputTree, writing: Writing<'_>) -> Result<WriteReport, WriteFault> {
    let into = writing.into;
    match fs::metadata(into) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => write_new(tree, into, writing.seen),
        Err(error) => Err(refused("read", into, error)),
        Ok(found) if found.file_type().is_block_device() => Err(WriteFault::ADevice(into.to_owned())),
        Ok(found) if !found.is_dir() => Err(WriteFault::NotAFolder(into.to_owned())),
        Ok(_) => update(tree, writing),
    }
}

fn write_new(tree: &OutputTree, into: &Path, seen: &(dyn Fn(u64) + Sync)) -> Result<WriteReport, WriteFault> {
    let parent = match into.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent,
        _ => Path::new("."),
    };
    fs::create_dir_all(parent).map_err(|error| refused("made", parent, error))?;
    let staging = staging_folder(parent)?;
    let root = staging.path().join("tree");
    fs::create_dir(&root).map_err(|error| refused("made", &root, error))?;
    // One processor waits for the filesystem while another prepares the next file.
    let workers = thread::available_parallelism().map_or(1, usize::from);
    let share = tree.files.len().div_ceil(workers).max(1);
    let parts: Vec<Result<Vec<ListedFile>, WriteFault>> = thread::scope(|scope| {
        let root = &root;
        let started: Vec<_> =
            tree.files.chunks(share).map(|files| scope.spawn(move || put_all(files, root, seen))).collect();
        started.into_iter().map(|worker| worker.join().unwrap_or_else(|panic| resume_unwind(panic))).collect()
    });
    let mut listed = BTreeMap::new();
    for part in parts {
        listed.extend(part?.into_iter().map(|file| (file.path.clone(), file)));
    }
    let written = tree.files.iter().map(|file| file.path.clone()).collect();
    let report = WriteReport { written, ..WriteReport::default() };
    put_list(&listed, &root.join(LIST_NAME))?;
    fs::rename(&root, into).map_err(|error| refused("made", into, error))?;
    Ok(report)
}

/// Writes files into a tree that nobody else knows yet.
fn put_all(
    files: &[OutputFile],
    root: &Path,
    seen: &(dyn Fn(u64) + Sync),
) -> Result<Vec<ListedFile>, WriteFault> {
    let mut last_folder = PathBuf::new();
    let put_one = |file: &OutputFile| {
        let path = root.join(&file.path);
        if let Some(folder) = path.parent().filter(|folder| *folder != last_folder) {
            fs::create_dir_all(folder).map_err(|error| refused("made", folder, error))?;
            folder.clone_into(&mut last_folder);
        }
        put(file, &path, seen)?;
        Ok(ListedFile::of(file))
    };
    files.iter().map(put_one).collect()
}

fn update(tree: &OutputTree, writing: Writing<'_>) -> Result<WriteReport, WriteFault> {
    let into = writing.into;
    let old = read_list(into)?;
    let staging = staging_folder(into)?;
    let mut report = WriteReport::default();
    let mut listed: BTreeMap<String, ListedFile> = BTreeMap::new();
    let mut staged: Vec<(PathBuf, &OutputFile)> = Vec::new();
    for file in &tree.files {
        listed.insert(file.path.clone(), ListedFile::of(file));
        if stands(file, &into.join(&file.path)) {
            report.unchanged += 1;
        } else {
            let beside = staging.path().join(staged.len().to_string());
            put(file, &beside, writing.seen)?;
            staged.push((beside, file));
        }
    }
    // What is for all machines is rendered every time.
    let rendered: BTreeSet<&str> = tree.files.iter().map(|file| file.machine.as_str()).chain([""]).collect();
    let mut stale = Vec::new();
    for (path, file) in old {
        if listed.contains_key(&path) {
            continue;
        }
        let is_of_sheet = writing.machines.contains(file.machine.as_str());
        if rendered.contains(file.machine.as_str()) || (!is_of_sheet && writing.prune) {
            stale.push(file);
        } else {
            if !is_of_sheet {
                report.left_machines.insert(file.machine.clone());
            }
            listed.insert(path, file);
        }
    }
    let list_path = staging.path().join(LIST_NAME);
    put_list(&listed, &list_path)?;
    for (_, file) in &staged {
        make_folders(into, Path::new(&file.path))?;
        let path = into.join(&file.path);
        if fs::symlink_metadata(&path).is_ok_and(|found| found.is_dir()) {
            return Err(WriteFault::AFolder(path));
        }
    }
    for (beside, file) in staged {
        let path = into.join(&file.path);
        fs::rename(&beside, &path).map_err(|error| refused("written", &path, error))?;
        report.written.push(file.path.clone());
    }
    for file in stale {
        if remove_stale(into, &file)? {
            report.removed.push(file.path);
        } else {
            report.left_files.push(file.path);
        }
    }
    let list_place = into.join(LIST_NAME);
    fs::rename(&list_path, &list_place).map_err(|error| refused("written", &list_place, error))?;
    Ok(report)
}

/// The list of an earlier run; empty in an empty folder.
fn read_list(into: &Path) -> Result<BTreeMap<String, ListedFile>, WriteFault> {
    let path = into.join(LIST_NAME);
    match crate::beside::read_file(&path, LIST_LIMIT) {
        Ok(bytes) => list::from_json(&bytes).ok_or(WriteFault::ListUnreadable(path)),
        Err(crate::beside::ReadFault::Missing) => {
            let mut entries = fs::read_dir(into).map_err(|error| refused("read", into, error))?;
            if entries.next().is_some() {
                Err(WriteFault::NotATree(into.to_owned()))
            } else {
                Ok(BTreeMap::new())
            }
        }
        Err(_) => Err(WriteFault::ListUnreadable(path)),
    }
}

fn staging_folder(parent: &Path) -> Result<tempfile::TempDir, WriteFault> {
    tempfile::Builder::new()
        .prefix(".impostazione-")
        .tempdir_in(parent)
        .map_err(|error| refused("written to", parent, error))
}

/// Writes a new file, readable by its owner alone until it has its mode.
fn put(file: &OutputFile, path: &Path, seen: &(dyn Fn(u64) + Sync)) -> Result<(), WriteFault> {
    let result = match &file.content {
        Content::Link(target) => symlink(target, path),
        Content::Bytes(bytes) => put_bytes(bytes, file.mode, path),
        Content::Package(plan) => new_file(path).and_then(|mut out| {
            plan.write(&mut out, seen)?;
            out.set_permissions(Permissions::from_mode(file.mode))
        }),
    };
    result.map_err(|error| refused("written", path, error))
}

fn put_bytes(bytes: &[u8], mode: u32, path: &Path) -> io::Result<()> {
    let mut file = new_file(path)?;
    file.write_all(bytes)?;
    file.set_permissions(Permissions::from_mode(mode))
}

fn new_file(path: &Path) -> io::Result<File> {
    OpenOptions::new().write(true).create_new(true).mode(0o600).open(path)
}

fn put_list(listed: &BTreeMap<String, ListedFile>, path: &Path) -> Result<(), WriteFault> {
    let bytes = list::to_json(listed).map_err(|error| refused("written", path, io::Error::other(error)))?;
    // A digest of a file with a password in it helps to guess the password.
    put_bytes(&bytes, 0o600, path).map_err(|error| refused("written", path, error))
}

/// Whether the file is there already, the same to the byte and the mode.
fn stands(file: &OutputFile, path: &Path) -> bool {
    let Ok(found) = fs::symlink_metadata(path) else { return false };
    match &file.content {
        Content::Link(target) => {
            found.is_symlink() && fs::read_link(path).is_ok_and(|link| link == Path::new(target))
        }
        Content::Bytes(bytes) => {
            found.is_file()
                && found.permissions().mode() & 0o7777 == file.mode
                && found.len() == bytes.len() as u64
                && fs::read(path).is_ok_and(|there| Zeroizing::new(there)[..] == bytes[..])
        }
        // The manifest at its front stands for what is behind it.
        Content::Package(plan) => {
            let is_as_large = found.is_file()
                && found.permissions().mode() & 0o7777 == file.mode
                && found.len() == plan.size();
            is_as_large && plan.front().is_ok_and(|front| begins_with(path, &front))
        }
    }
}

fn begins_with(path: &Path, front: &[u8]) -> bool {
    let mut there = Vec::with_capacity(front.len());
    let read = File::open(path).and_then(|file| file.take(front.len() as u64).read_to_end(&mut there));
    read.is_ok() && there == front
}

/// Makes the folders above a path of the tree. A link among them is refused: it may lead out of the tree.
fn make_folders(into: &Path, path: &Path) -> Result<(), WriteFault> {
    let mut folder = into.to_owned();
    for component in path.parent().into_iter().flat_map(Path::components) {
        folder.push(component);
        match fs::symlink_metadata(&folder) {
            Ok(found) if found.is_dir() => {}
            Ok(_) => return Err(WriteFault::NotAFolder(folder)),
            Err(_) => fs::create_dir(&folder).map_err(|error| refused("made", &folder, error))?,
        }
    }
    Ok(())
}

/// Removes a file that an earlier run wrote, and the folders that become empty, if it is still as it was written.
/// A list that somebody has changed cannot make this reach out of the tree.
fn remove_stale(into: &Path, file: &ListedFile) -> Result<bool, WriteFault> {
    let relative = Path::new(&file.path);
    if !relative.components().all(|component| matches!(component, Component::Normal(_))) {
        return Ok(false);
    }
    let mut folder = into.to_owned();
    for component in relative.parent().into_iter().flat_map(Path::components) {
        folder.push(component);
        if !fs::symlink_metadata(&folder).is_ok_and(|found| found.is_dir()) {
            // Gone already, or a link that may lead out.
            return Ok(!folder.exists());
        }
    }
    let path = into.join(relative);
    let is_as_written = match fs::symlink_metadata(&path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(true),
        Err(error) => return Err(refused("read", &path, error)),
        Ok(found) => match &file.sha256 {
            // A package is known by its size.
            None => found.is_file() && found.len() == file.size,
            Some(digest) => {
                let there = if found.is_symlink() {
                    fs::read_link(&path).ok().map(|target| target.as_os_str().as_encoded_bytes().to_vec())
                } else if found.is_file() && found.len() == file.size {
                    fs::read(&path).ok()
                } else {
                    None
                };
                there.is_some_and(|bytes| list::digest(&bytes) == *digest)
            }
        },
    };
    if !is_as_written {
        return Ok(false);
    }
    fs::remove_file(&path).map_err(|error| refused("removed", &path, error))?;
    let mut folder = path.parent();
    while let Some(empty) = folder.filter(|folder| *folder != into && fs::remove_dir(folder).is_ok()) {
        folder = empty.parent();
    }
    Ok(true)
}

fn refused(doing: &'static str, path: &Path, source: io::Error) -> WriteFault {
    WriteFault::Refused { doing, path: path.to_owned(), source }
}
