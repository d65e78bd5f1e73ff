//! Bringing an output tree onto disk: whole files or none.

use std::collections::{BTreeMap, BTreeSet};
use std::fs::{self, File};
use std::io::{self, Read as _, Write as _};
use std::os::unix::fs::FileTypeExt as _;
use std::panic::resume_unwind;
use std::path::{Path, PathBuf};
use std::thread;

use impostazione_rootfs::{OpenFolder, is_entry_name};
use impostazione_text::files::plain;
use rustix::fs::{FileType, Mode, Stat};
use rustix::io::Errno;
use zeroize::Zeroizing;

use super::list::{self, LIST_NAME, ListedFile};
use super::staging::Staging;
use super::tree::{OutputContent, OutputFile, OutputTree};

/// Largest `files.json` that is read: that of a tree of a million machines.
const LIST_LIMIT: u64 = 4 * 1024 * 1024 * 1024;

/// How a tree is to be written.
#[derive(Clone, Copy)]
pub struct Writing<'a> {
    /// The folder.
    pub into: &'a Path,
    /// Every machine of the sheet, those that were not rendered this time too.
    pub machines: &'a BTreeSet<&'a str>,
    /// Whether the files of machines that are no longer in the sheet are to go, and packages that are not made this time.
    pub prune: bool,
    /// Whether files may be overwritten that somebody has changed since they were written.
    pub may_lose_changes: bool,
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
    /// Paths of packages that an earlier run made and this one did not; they were left.
    pub left_packages: Vec<String>,
}

/// Why a tree could not be written.
#[derive(Debug, thiserror::Error)]
pub enum WriteFault {
    /// The folder holds something else.
    #[error(
        "{} has files in it and is not an output tree (no {LIST_NAME}); name a new or empty folder", .0.display()
    )]
    NotATree(PathBuf),
    /// The list of an earlier run cannot be understood.
    #[error("{} is not a list written by this version; delete the folder, or name another", .0.display())]
    ListUnreadable(PathBuf),
    /// A file or link stands where a folder belongs.
    #[error("{} must be a folder, and is not; move it away", .0.display())]
    NotAFolder(PathBuf),
    /// A disk or the like stands where the folder is to be.
    #[error(
        "{} is a device: render into a folder, then `place` the output on the card or its image",
        .0.display()
    )]
    ADevice(PathBuf),
    /// Another command is writing there.
    #[error("another `render` is running in {}; wait until it is done", .0.display())]
    Busy(PathBuf),
    /// Files that would be overwritten are not as they were written.
    #[error(
        "{} changed after {} rendered, and would be overwritten: {}",
        if .0.len() == 1 { "1 file was".to_owned() } else { format!("{} files were", .0.len()) },
        if .0.len() == 1 { "it was" } else { "they were" },
        .0.join(", ")
    )]
    ChangedByHand(Vec<String>),
    /// A folder stands where a file belongs.
    #[error("{} must be a file, and is a folder; move it away", .0.display())]
    AFolder(PathBuf),
    /// A path of the tree names no entry of a folder of it.
    #[error("{0:?} is not a path inside an output tree")]
    OddPath(String),
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

/// The list that stands while files take their places, before it is brought there.
const MIDWAY_LIST: &str = "midway.json";

/// Permission bits of the folders of a tree; the umask may take some.
const FOLDER_MODE: u32 = 0o755;

/// Writes a tree. All new contents are first written beside their places, in a folder of their own, so that a full disk
/// or a refusal leaves everything as it was; then each file takes its place by renaming, the list last. A folder that
/// does not exist yet appears at once, with everything in it.
///
/// Every folder is opened once and then reached by its handle: whoever renames folders or puts links in their place meanwhile
/// leads nothing out of the tree.
pub fn write(tree: &OutputTree, writing: Writing<'_>) -> Result<WriteReport, WriteFault> {
    let into = writing.into;
    match fs::metadata(into) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => write_new(tree, into, writing.seen),
        Err(error) => Err(refused_by(into, "read")(error)),
        Ok(found) if found.file_type().is_block_device() => Err(WriteFault::ADevice(into.to_owned())),
        Ok(found) if !found.is_dir() => Err(WriteFault::NotAFolder(into.to_owned())),
        Ok(_) => update(tree, writing),
    }
}

fn write_new(tree: &OutputTree, into: &Path, seen: &(dyn Fn(u64) + Sync)) -> Result<WriteReport, WriteFault> {
    let refused = refused_at(into, "made");
    let name = into.file_name().and_then(|name| name.to_str()).filter(|name| is_entry_name(name));
    let name = name.ok_or_else(|| refused(Errno::INVAL))?;
    let parent = make_parent(into)?;
    let staging = Staging::begin(&parent).map_err(|errno| refused_at(into, "written to")(errno))?;
    let root = staging.folder().make_folder("tree", FOLDER_MODE).map_err(&refused)?;
    // One processor waits for the filesystem while another prepares the next file.
    let workers = thread::available_parallelism().map_or(1, usize::from);
    let share = tree.files.len().div_ceil(workers).max(1);
    let parts: Vec<Result<Vec<ListedFile>, WriteFault>> = thread::scope(|scope| {
        let root = &root;
        let started: Vec<_> = tree
            .files
            .chunks(share)
            .map(|files| scope.spawn(move || put_all(files, root, into, seen)))
            .collect();
        started.into_iter().map(|worker| worker.join().unwrap_or_else(|panic| resume_unwind(panic))).collect()
    });
    let mut listed = BTreeMap::new();
    for part in parts {
        listed.extend(part?.into_iter().map(|file| (file.path.clone(), file)));
    }
    let written = tree.files.iter().map(|file| file.path.clone()).collect();
    let report = WriteReport { written, ..WriteReport::default() };
    put_list(&listed, LIST_NAME, &root, into)?;
    staging.folder().rename_to_free("tree", &parent, name).map_err(&refused)?;
    Ok(report)
}

/// Opens the folder in which a new tree is to stand; what is not there is made.
fn make_parent(into: &Path) -> Result<OpenFolder, WriteFault> {
    let parent = into.parent().unwrap_or_else(|| Path::new(""));
    match OpenFolder::open(parent) {
        Ok(folder) => Ok(folder),
        Err(Errno::NOENT) if parent.parent().is_some() => {
            let refused = refused_at(parent, "made");
            let name =
                parent.file_name().and_then(|name| name.to_str()).ok_or_else(|| refused(Errno::INVAL))?;
            enter_or_make(&make_parent(parent)?, name).map_err(refused)
        }
        Err(errno) => Err(refused_at(parent, "made")(errno)),
    }
}

fn enter_or_make(folder: &OpenFolder, name: &str) -> Result<OpenFolder, Errno> {
    match folder.enter(name) {
        Err(Errno::NOENT) => match folder.make_folder(name, FOLDER_MODE) {
            // Somebody else was faster.
            Err(Errno::EXIST) => folder.enter(name),
            made => made,
        },
        entered => entered,
    }
}

/// Opens the folder that a path of the tree lies in. A link among the folders is refused: it may lead out of the tree.
fn folder_in(root: &OpenFolder, path: &str, into: &Path) -> Result<OpenFolder, WriteFault> {
    let mut at = into.to_owned();
    let mut folder = root.reopen().map_err(refused_at(into, "read"))?;
    let (above, _) = split(path)?;
    for name in above.split('/').filter(|_| !above.is_empty()) {
        at.push(name);
        folder = enter_or_make(&folder, name).map_err(|errno| match errno {
            Errno::LOOP | Errno::NOTDIR => WriteFault::NotAFolder(at.clone()),
            errno => refused_at(&at, "made")(errno),
        })?;
    }
    Ok(folder)
}

/// The folder of a path of the tree, and the name of the entry in it.
fn split(path: &str) -> Result<(&str, &str), WriteFault> {
    if path.split('/').all(is_entry_name) {
        Ok(path.rsplit_once('/').unwrap_or(("", path)))
    } else {
        Err(WriteFault::OddPath(path.to_owned()))
    }
}

/// Writes files into a tree that nobody else knows yet.
fn put_all(
    files: &[OutputFile],
    root: &OpenFolder,
    into: &Path,
    seen: &(dyn Fn(u64) + Sync),
) -> Result<Vec<ListedFile>, WriteFault> {
    let mut last: Option<(&str, OpenFolder)> = None;
    let mut listed = Vec::with_capacity(files.len());
    for file in files {
        let (above, name) = split(&file.path)?;
        let folder = match last.take() {
            Some((path, folder)) if path == above => folder,
            _ => folder_in(root, &file.path, into)?,
        };
        put(file, &folder, name, &into.join(&file.path), seen)?;
        last = Some((above, folder));
        listed.push(ListedFile::of(file));
    }
    Ok(listed)
}

fn update(tree: &OutputTree, writing: Writing<'_>) -> Result<WriteReport, WriteFault> {
    let into = writing.into;
    let root = OpenFolder::open(into).map_err(refused_at(into, "read"))?;
    // A filesystem without locks has none to wait for.
    let locked = rustix::fs::flock(&root, rustix::fs::FlockOperation::NonBlockingLockExclusive);
    if locked == Err(Errno::WOULDBLOCK) {
        return Err(WriteFault::Busy(into.to_owned()));
    }
    Staging::clear_abandoned(&root);
    let old = read_list(&root, into)?;
    let staging = Staging::begin(&root).map_err(refused_at(into, "written to"))?;
    let mut report = WriteReport::default();
    let mut listed: BTreeMap<String, ListedFile> = BTreeMap::new();
    let mut staged: Vec<(String, &OutputFile)> = Vec::new();
    let mut standing = Vec::with_capacity(tree.files.len());
    let mut changed_by_hand = Vec::new();
    for file in &tree.files {
        let stands = stands(file, &root)?;
        if !stands && !writing.may_lose_changes && is_changed(&root, &file.path, old.get(&file.path)) {
            changed_by_hand.push(file.path.clone());
        }
        standing.push(stands);
    }
    if !changed_by_hand.is_empty() {
        return Err(WriteFault::ChangedByHand(changed_by_hand));
    }
    for (file, stands) in tree.files.iter().zip(standing) {
        listed.insert(file.path.clone(), ListedFile::of(file));
        if stands {
            report.unchanged += 1;
        } else {
            let beside = staged.len().to_string();
            put(file, staging.folder(), &beside, &into.join(&file.path), writing.seen)?;
            staged.push((beside, file));
        }
    }
    // What is for all machines is rendered every time.
    let rendered: BTreeSet<&str> = tree.files.iter().map(|file| file.machine.as_str()).chain([""]).collect();
    // What is about to be replaced is written down first: a run that is cut off leaves some of it as it was.
    let mut midway = old.clone();
    for (_, file) in &staged {
        let mut entry = ListedFile::of(file);
        entry.before = old.get(&file.path).map(ListedFile::contents).unwrap_or_default();
        midway.insert(file.path.clone(), entry);
    }
    let mut stale = Vec::new();
    for (path, file) in old {
        if listed.contains_key(&path) {
            continue;
        }
        let is_of_sheet = writing.machines.contains(file.machine.as_str());
        // A package took long to make, and may be what is being handed on.
        if is_of_sheet && file.sha256.is_none() && !writing.prune && rendered.contains(file.machine.as_str())
        {
            report.left_packages.push(path.clone());
            listed.insert(path, file);
            continue;
        }
        if rendered.contains(file.machine.as_str()) || (!is_of_sheet && writing.prune) {
            stale.push(file);
        } else {
            if !is_of_sheet {
                report.left_machines.insert(file.machine.clone());
            }
            listed.insert(path, file);
        }
    }
    put_list(&listed, LIST_NAME, staging.folder(), into)?;
    put_list(&midway, MIDWAY_LIST, staging.folder(), into)?;
    for (_, file) in &staged {
        let (_, name) = split(&file.path)?;
        let folder = folder_in(&root, &file.path, into)?;
        let path = into.join(&file.path);
        let standing = folder.look(name).map_err(refused_at(&path, "read"))?;
        if standing.is_some_and(|found| kind(&found) == FileType::Directory) {
            return Err(WriteFault::AFolder(path));
        }
    }
    let list_path = into.join(LIST_NAME);
    if !staged.is_empty() {
        let listed = staging.folder().rename(MIDWAY_LIST, &root, LIST_NAME);
        listed.map_err(refused_at(&list_path, "written"))?;
    }
    for (beside, file) in staged {
        let (_, name) = split(&file.path)?;
        let folder = folder_in(&root, &file.path, into)?;
        let path = into.join(&file.path);
        staging.folder().rename(&beside, &folder, name).map_err(refused_at(&path, "written"))?;
        report.written.push(file.path.clone());
    }
    for file in stale {
        if remove_stale(&root, into, &file)? {
            report.removed.push(file.path);
        } else {
            report.left_files.push(file.path);
        }
    }
    staging.folder().rename(LIST_NAME, &root, LIST_NAME).map_err(refused_at(&list_path, "written"))?;
    Ok(report)
}

/// The list of an earlier run; empty in an empty folder.
fn read_list(root: &OpenFolder, into: &Path) -> Result<BTreeMap<String, ListedFile>, WriteFault> {
    let path = into.join(LIST_NAME);
    match root.look(LIST_NAME).map_err(refused_at(&path, "read"))? {
        Some(found) if kind(&found) == FileType::RegularFile => {
            let bytes = read_file(root, LIST_NAME, LIST_LIMIT).map_err(refused_by(&path, "read"))?;
            list::from_json(&bytes).ok_or(WriteFault::ListUnreadable(path))
        }
        Some(_) => Err(WriteFault::ListUnreadable(path)),
        None => {
            let names = root.names().map_err(refused_at(into, "read"))?;
            if names.is_empty() { Ok(BTreeMap::new()) } else { Err(WriteFault::NotATree(into.to_owned())) }
        }
    }
}

fn read_file(folder: &OpenFolder, name: &str, limit: u64) -> io::Result<Zeroizing<Vec<u8>>> {
    let file = folder.open_file(name)?;
    let found = rustix::fs::fstat(&file)?;
    if kind(&found) != FileType::RegularFile {
        return Err(io::Error::other("it is not a file"));
    }
    let mut bytes = Zeroizing::new(Vec::new());
    File::from(file).take(limit).read_to_end(&mut bytes)?;
    Ok(bytes)
}

fn kind(found: &Stat) -> FileType {
    FileType::from_raw_mode(found.st_mode)
}

/// Writes a new file, readable by its owner alone until it has its mode.
fn put(
    file: &OutputFile,
    folder: &OpenFolder,
    name: &str,
    path: &Path,
    seen: &(dyn Fn(u64) + Sync),
) -> Result<(), WriteFault> {
    let result = match &file.content {
        OutputContent::Link(target) => folder.make_link(name, target).map_err(io::Error::from),
        OutputContent::Bytes(bytes) => put_bytes(bytes, file.mode, folder, name),
        OutputContent::Package(plan) => folder.create(name).map_err(io::Error::from).and_then(|mut out| {
            plan.write(&mut out, seen)?;
            Ok(rustix::fs::fchmod(&out, Mode::from_raw_mode(file.mode))?)
        }),
    };
    result.map_err(refused_by(path, "written"))
}

fn put_bytes(bytes: &[u8], mode: u32, folder: &OpenFolder, name: &str) -> io::Result<()> {
    let mut file = folder.create(name)?;
    file.write_all(bytes)?;
    Ok(rustix::fs::fchmod(&file, Mode::from_raw_mode(mode))?)
}

fn put_list(
    listed: &BTreeMap<String, ListedFile>,
    name: &str,
    folder: &OpenFolder,
    into: &Path,
) -> Result<(), WriteFault> {
    let path = into.join(LIST_NAME);
    let refused = refused_by(&path, "written");
    let bytes = list::to_json(listed).map_err(|error| refused(io::Error::other(error)))?;
    // A digest of a file with a password in it helps to guess the password.
    put_bytes(&bytes, 0o600, folder, name).map_err(refused)
}

/// Whether the file is there already, the same to the byte and the mode, and nobody gets at it by an access list.
fn stands(file: &OutputFile, root: &OpenFolder) -> Result<bool, WriteFault> {
    let (above, name) = split(&file.path)?;
    let mut folder = root.reopen().map_err(refused_at(Path::new(&file.path), "read"))?;
    for part in above.split('/').filter(|_| !above.is_empty()) {
        let Ok(entered) = folder.enter(part) else { return Ok(false) };
        folder = entered;
    }
    let Ok(Some(found)) = folder.look(name) else { return Ok(false) };
    let size = u64::try_from(found.st_size).unwrap_or_default();
    let is_such_a_file = |length: u64| {
        kind(&found) == FileType::RegularFile
            && found.st_mode & 0o7777 == file.mode
            && size == length
            && folder.open_file(name).is_ok_and(|file| {
                impostazione_rootfs::access_list::AccessList::read(std::os::fd::AsFd::as_fd(&file))
                    .is_ok_and(|list| list.is_none())
            })
    };
    Ok(match &file.content {
        OutputContent::Link(target) => {
            kind(&found) == FileType::Symlink
                && folder.target(name).is_ok_and(|there| there.as_bytes() == target.as_bytes())
        }
        OutputContent::Bytes(bytes) => {
            let length = bytes.len() as u64;
            is_such_a_file(length)
                && read_file(&folder, name, length + 1).is_ok_and(|there| there[..] == bytes[..])
        }
        // The manifest at its front stands for what is behind it.
        OutputContent::Package(plan) => {
            is_such_a_file(plan.size())
                && plan.front().is_ok_and(|front| {
                    read_file(&folder, name, front.len() as u64).is_ok_and(|there| there[..] == front[..])
                })
        }
    })
}

/// Whether something stands at a path that is not what an earlier run wrote there.
fn is_changed(root: &OpenFolder, path: &str, known: Option<&ListedFile>) -> bool {
    let Ok((above, name)) = split(path) else { return false };
    let Ok(mut folder) = root.reopen() else { return false };
    for part in above.split('/').filter(|_| !above.is_empty()) {
        // Where no folder is, nothing stands; what stands in its place is refused when it is written.
        let Ok(entered) = folder.enter(part) else { return false };
        folder = entered;
    }
    let Ok(Some(found)) = folder.look(name) else { return false };
    // A folder is refused when it is written.
    kind(&found) != FileType::Directory
        && !known.is_some_and(|known| is_as_written(&folder, name, &found, known))
}

/// Whether an entry of a folder is what the list of an earlier run says of it. A package is known by its size.
fn is_as_written(folder: &OpenFolder, name: &str, found: &Stat, file: &ListedFile) -> bool {
    let size = u64::try_from(found.st_size).unwrap_or_default();
    let is_file = kind(found) == FileType::RegularFile;
    file.contents().iter().any(|content| {
        let Some(digest) = &content.sha256 else { return is_file && size == content.size };
        let there = if kind(found) == FileType::Symlink {
            folder.target(name).ok().map(|target| Zeroizing::new(target.into_bytes()))
        } else if is_file && size == content.size {
            read_file(folder, name, content.size + 1).ok()
        } else {
            None
        };
        there.is_some_and(|bytes| list::digest(&bytes) == *digest)
    })
}

/// Removes a file that an earlier run wrote, and the folders that become empty, if it is still as it was written.
/// A list that somebody has changed cannot make this reach out of the tree.
fn remove_stale(root: &OpenFolder, into: &Path, file: &ListedFile) -> Result<bool, WriteFault> {
    let Ok((above, name)) = split(&file.path) else { return Ok(false) };
    let path = into.join(&file.path);
    let mut folders = vec![(root.reopen().map_err(refused_at(into, "read"))?, "")];
    for part in above.split('/').filter(|_| !above.is_empty()) {
        let Some((folder, _)) = folders.last() else { return Ok(false) };
        match folder.enter(part) {
            Ok(entered) => folders.push((entered, part)),
            // Gone already, or a link that may lead out.
            Err(errno) => return Ok(errno == Errno::NOENT),
        }
    }
    let Some((folder, _)) = folders.last() else { return Ok(false) };
    let Some(found) = folder.look(name).map_err(refused_at(&path, "read"))? else { return Ok(true) };
    if !is_as_written(folder, name, &found, file) {
        return Ok(false);
    }
    folder.remove(name).map_err(refused_at(&path, "removed"))?;
    while let Some((_, name)) = folders.pop() {
        let Some((above, _)) = folders.last() else { break };
        if above.remove_folder(name).is_err() {
            break;
        }
    }
    Ok(true)
}

fn refused_by(path: &Path, doing: &'static str) -> impl Fn(io::Error) -> WriteFault {
    move |source| WriteFault::Refused { doing, path: path.to_owned(), source }
}

fn refused_at(path: &Path, doing: &'static str) -> impl Fn(Errno) -> WriteFault {
    move |errno| WriteFault::Refused { doing, path: path.to_owned(), source: errno.into() }
}
