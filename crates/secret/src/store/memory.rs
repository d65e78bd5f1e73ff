//! What this computer remembers of a store that it has seen: which it was, and how far it had come.

use std::fs;
use std::io::{self, Write as _};
use std::path::{Path, PathBuf};

use impostazione_text::files::{ReadFault, plain, read_file};
use serde::{Deserialize, Serialize};
use sha2::{Digest as _, Sha256};

use super::content::Store;
use super::identity::StoreFingerprint;
use super::opening::StoreFault;

/// The folder of what is remembered, below that of the user's state (XDG Base Directory Specification, `XDG_STATE_HOME`).
const FOLDER: &str = "impostazione";
/// The largest such file that is read.
const LIMIT: u64 = 64 * 1024;

/// What is remembered of one store.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
struct Remembered {
    format: u8,
    /// The store's file.
    path: PathBuf,
    identity: StoreFingerprint,
    revision: u64,
}

/// The file in which one store is remembered.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StoreMemory {
    store: PathBuf,
    file: PathBuf,
}

impl StoreMemory {
    /// Where a store is remembered, by its path; `state` is the folder of the user's state.
    pub fn of(store: &Path, state: &Path) -> Self {
        let store =
            fs::canonicalize(store).or_else(|_| std::path::absolute(store)).unwrap_or_else(|_| store.into());
        let name = hex::encode(Sha256::digest(store.as_os_str().as_encoded_bytes()));
        let file = state.join(FOLDER).join(format!("store-{}.json", name.get(..32).unwrap_or(&name)));
        Self { store, file }
    }

    /// Where it is remembered.
    pub fn file(&self) -> &Path {
        &self.file
    }

    /// Compares an open store with what is remembered of it. Says whether there is something new to be remembered.
    pub fn check(&self, name: &str, store: &Store) -> Result<bool, StoreFault> {
        let unreadable = |reason: String| StoreFault::Forgotten {
            path: name.to_owned(),
            file: self.file.display().to_string(),
            reason,
        };
        let bytes = match read_file(&self.file, LIMIT) {
            Ok(bytes) => bytes,
            // It is seen for the first time.
            Err(ReadFault::Missing) => return Ok(true),
            Err(fault) => return Err(unreadable(fault.to_string())),
        };
        let known: Remembered = serde_json::from_slice(&bytes)
            .ok()
            .filter(|known: &Remembered| known.format == 1)
            .ok_or_else(|| unreadable("it was not written by this version".to_owned()))?;
        if known.identity != store.identity.fingerprint() {
            let follows = store.replaces.contains(&known.identity);
            return Err(StoreFault::Another { path: name.to_owned(), follows });
        }
        if store.revision < known.revision {
            let (found, seen) = (store.revision, known.revision);
            return Err(StoreFault::Older { path: name.to_owned(), found, seen });
        }
        Ok(store.revision > known.revision)
    }

    /// Remembers an open store.
    pub fn remember(&self, store: &Store) -> io::Result<()> {
        use std::os::unix::fs::{DirBuilderExt as _, PermissionsExt as _};
        let folder = self.file.parent().unwrap_or_else(|| Path::new("."));
        fs::DirBuilder::new().recursive(true).mode(0o700).create(folder)?;
        let known = Remembered {
            format: 1,
            path: self.store.clone(),
            identity: store.identity.fingerprint(),
            revision: store.revision,
        };
        let mut file = tempfile::Builder::new()
            .prefix(".impostazione-")
            .permissions(fs::Permissions::from_mode(0o600))
            .tempfile_in(folder)?;
        serde_json::to_writer_pretty(&mut file, &known).map_err(io::Error::other)?;
        file.write_all(b"\n")?;
        file.persist(&self.file).map_err(|error| error.error)?;
        Ok(())
    }

    /// Why a store could not be remembered, in words.
    pub fn cannot(&self, error: &io::Error) -> String {
        format!(
            "{} cannot be written: {}; without it, a replaced store would not be noticed",
            self.file.display(),
            plain(error)
        )
    }
}
