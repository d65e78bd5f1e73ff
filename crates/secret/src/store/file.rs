//! A store on disk: written whole or not at all, for its owner alone, the old one kept beside it.

use std::fs::{self, File};
use std::io::{self, Write as _};
use std::os::unix::fs::{MetadataExt as _, PermissionsExt as _};
use std::path::{Path, PathBuf};

use impostazione_text::files::{ReadFault, plain, read_file};
use tempfile::NamedTempFile;

use super::opening::{SealedStore, StoreFault};

/// The largest store that is read.
const FILE_LIMIT: u64 = 512 * 1024 * 1024;

/// Where the store of a sheet lies: beside it, `harbor.toml` having `harbor.secrets.age`.
pub fn store_path(sheet: &Path) -> PathBuf {
    sheet.with_extension("secrets.age")
}

/// Keeps others from changing a store until it is dropped.
#[derive(Debug)]
pub struct StoreLock(#[allow(dead_code, reason = "it is held, not used")] File);

/// How long another command may take, in steps of [`LOCK_STEP`].
const LOCK_TRIES: u32 = 300;
const LOCK_STEP: std::time::Duration = std::time::Duration::from_millis(100);

impl StoreLock {
    /// Waits until nobody else is changing a store. The lock is on a file of its own beside it, which stays, since the store
    /// itself is replaced.
    pub fn wait(store: &Path) -> Result<Self, StoreFault> {
        use std::os::unix::fs::OpenOptionsExt as _;
        let target = fs::canonicalize(store).unwrap_or_else(|_| store.to_owned());
        let mut name = target.into_os_string();
        name.push(".lock");
        let path = PathBuf::from(name);
        let refused = |error: io::Error| StoreFault::from((path.as_path(), &error));
        // A link in its place would be somebody else's.
        let flags = rustix::fs::OFlags::NOFOLLOW.bits().cast_signed();
        let opened = File::options()
            .write(true)
            .create(true)
            .truncate(false)
            .mode(0o600)
            .custom_flags(flags)
            .open(&path);
        let file = opened.map_err(refused)?;
        for _ in 0..LOCK_TRIES {
            match rustix::fs::flock(&file, rustix::fs::FlockOperation::NonBlockingLockExclusive) {
                Err(rustix::io::Errno::WOULDBLOCK) => std::thread::sleep(LOCK_STEP),
                // A filesystem without locks has none to wait for.
                Ok(()) | Err(_) => return Ok(Self(file)),
            }
        }
        Err(StoreFault::Busy(store.display().to_string()))
    }
}

/// A store's file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StoreFile {
    path: PathBuf,
    /// What was in it when it was read; nothing where there was none.
    found: Option<Vec<u8>>,
    /// Its permission bits then.
    mode: u32,
}

impl StoreFile {
    /// Reads the file at a path. That there is none is no fault.
    pub fn read(path: &Path) -> Result<Self, StoreFault> {
        let found = match read_file(path, FILE_LIMIT) {
            Ok(bytes) => Some(bytes),
            Err(ReadFault::Missing) => None,
            Err(fault) => {
                return Err(StoreFault::Unreadable {
                    path: path.display().to_string(),
                    reason: format!("cannot be used: {fault}"),
                });
            }
        };
        let mode = fs::metadata(path).map_or(0o600, |found| found.mode() & 0o7777);
        Ok(Self { path: path.to_owned(), found, mode })
    }

    /// The store in it.
    pub fn sealed(&self) -> Result<SealedStore, StoreFault> {
        let name = self.path.display().to_string();
        match &self.found {
            Some(bytes) => Ok(SealedStore::new(name, bytes.clone())),
            None => Err(StoreFault::Missing(name)),
        }
    }

    /// Whether there was a store.
    pub fn is_there(&self) -> bool {
        self.found.is_some()
    }

    /// Its permission bits, where somebody but its owner may read it.
    pub fn mode_for_others(&self) -> Option<u32> {
        (self.is_there() && self.mode & 0o077 != 0).then_some(self.mode)
    }

    /// Its path.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Where the old store is kept when a new one takes its place.
    pub fn copy_path(&self) -> PathBuf {
        let mut name = self.path.clone().into_os_string();
        name.push(".before");
        PathBuf::from(name)
    }

    /// Puts a new store in its place. At every moment there is a whole store under the name: the old one, or the new one.
    /// Refused where somebody else has changed it since it was read.
    pub fn replace(&self, bytes: &[u8]) -> io::Result<()> {
        // A link to the store stays one: what it leads to is replaced.
        let target = fs::canonicalize(&self.path).unwrap_or_else(|_| self.path.clone());
        let folder = match target.parent() {
            Some(parent) if !parent.as_os_str().is_empty() => parent,
            _ => Path::new("."),
        };
        let new = new_file(folder, bytes)?;
        if let Some(found) = &self.found {
            new_file(folder, found)?.persist(self.copy_path()).map_err(|error| error.error)?;
        }
        let there = match read_file(&self.path, FILE_LIMIT) {
            Ok(bytes) => Some(bytes),
            Err(ReadFault::Missing) => None,
            Err(other) => return Err(io::Error::other(other.to_string())),
        };
        if there != self.found {
            return Err(io::Error::other("it was changed in the meantime; run this again"));
        }
        new.persist(&target).map_err(|error| error.error)?;
        // So that the new name outlasts a loss of power; some filesystems cannot.
        let _ = File::open(folder).and_then(|folder| folder.sync_all());
        Ok(())
    }
}

/// A file without a name yet that only its owner reads, from its first moment.
fn new_file(folder: &Path, bytes: &[u8]) -> io::Result<NamedTempFile> {
    let mode = fs::Permissions::from_mode(0o600);
    let mut file = tempfile::Builder::new().prefix(".impostazione-").permissions(mode).tempfile_in(folder)?;
    file.write_all(bytes)?;
    file.as_file().sync_all()?;
    Ok(file)
}

/// What the system says about a file, in words.
impl From<(&Path, &io::Error)> for StoreFault {
    fn from((path, error): (&Path, &io::Error)) -> Self {
        Self::Unreadable {
            path: path.display().to_string(),
            reason: format!("cannot be written: {}", plain(error)),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_old_store_is_kept_and_nobody_else_reads_either() {
        let folder = tempfile::tempdir().unwrap();
        let path = store_path(&folder.path().join("harbor.toml"));
        assert!(path.ends_with("harbor.secrets.age"));
        let file = StoreFile::read(&path).unwrap();
        assert!(!file.is_there() && file.sealed().is_err());
        file.replace(b"one").unwrap();
        let first = StoreFile::read(&path).unwrap();
        first.replace(b"two").unwrap();
        assert_eq!(fs::read(&path).unwrap(), b"two");
        assert_eq!(fs::read(first.copy_path()).unwrap(), b"one");
        for file in [&path, &first.copy_path()] {
            assert_eq!(fs::metadata(file).unwrap().mode() & 0o7777, 0o600);
        }
        assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 2);
    }

    #[test]
    fn what_somebody_else_wrote_is_not_overwritten() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("harbor.secrets.age");
        fs::write(&path, "one").unwrap();
        fs::set_permissions(&path, fs::Permissions::from_mode(0o644)).unwrap();
        let file = StoreFile::read(&path).unwrap();
        assert_eq!(file.mode_for_others(), Some(0o644));
        fs::write(&path, "theirs").unwrap();
        assert!(file.replace(b"mine").unwrap_err().to_string().contains("in the meantime"));
        assert_eq!(fs::read(&path).unwrap(), b"theirs");
    }
}
