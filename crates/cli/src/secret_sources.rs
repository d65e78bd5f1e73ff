//! Where the values of secrets come from in a run of the program: its environment, its terminal, and the store beside the
//! sheet.

use std::collections::HashMap;
use std::fs::File;
use std::io::{self, BufRead as _, IsTerminal as _, Read as _};
use std::os::unix::fs::MetadataExt as _;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, OnceLock, PoisonError};

use impostazione_secret::store::{
    Opener, PrivateKey, Seal, SealedStore, Store, StoreFault, StoreFile, StoreFingerprint, StoreLock,
    StoreMemory, is_locked, private_keys, store_path,
};
use impostazione_secret::{SecretSources, SourceFault};
use impostazione_text::Hidden;
use impostazione_text::files::plain;

use crate::args::UnlockArguments;

/// The most bytes that are read of a passphrase or a private key.
const LIMIT: u64 = 64 * 1024;
/// The variable that names the file of a private key.
const KEY_VARIABLE: &str = "IMPOSTAZIONE_KEY";
/// How often a person may try.
const TRIES: usize = 3;

/// The sources of one run.
pub(crate) struct RunSources {
    file: PathBuf,
    unlock: UnlockArguments,
    /// Whether a person has said that the store is the right one.
    is_accepted: bool,
    opened: OnceLock<Result<OpenStore, StoreFault>>,
    /// What was typed, by the secret: a sheet may be judged several times in a run.
    typed: Mutex<HashMap<String, Hidden>>,
}

/// The store, with what it takes to close it again.
pub(crate) struct OpenStore {
    pub(crate) store: Store,
    pub(crate) seal: Seal,
    pub(crate) file: StoreFile,
}

impl RunSources {
    /// The sources for a sheet.
    pub(crate) fn new(sheet: &Path, unlock: &UnlockArguments) -> Self {
        Self {
            file: store_path(sheet),
            unlock: unlock.clone(),
            is_accepted: false,
            opened: OnceLock::new(),
            typed: Mutex::default(),
        }
    }

    /// The same, taking the store for the right one, whatever is remembered.
    pub(crate) fn accepting(mut self) -> Self {
        self.is_accepted = true;
        self
    }

    /// Keeps others from changing the store meanwhile.
    pub(crate) fn lock(&self) -> Result<StoreLock, StoreFault> {
        StoreLock::wait(&self.file)
    }

    /// The store's file.
    pub(crate) fn path(&self) -> &Path {
        &self.file
    }

    /// The store, opened at the first call.
    pub(crate) fn open(&self) -> Result<&OpenStore, StoreFault> {
        self.opened.get_or_init(|| self.unlock()).as_ref().map_err(Clone::clone)
    }

    /// The same, to be changed.
    pub(crate) fn into_open(self) -> Result<OpenStore, StoreFault> {
        match self.opened.into_inner() {
            Some(opened) => opened,
            None => Self { opened: OnceLock::new(), ..self }.unlock(),
        }
    }

    fn unlock(&self) -> Result<OpenStore, StoreFault> {
        let file = StoreFile::read(&self.file)?;
        let sealed = file.sealed()?;
        let (store, seal) = if sealed.wants_passphrase()? {
            self.by_passphrase(&sealed)?
        } else {
            // A key that the environment names for other stores says nothing against this one.
            let is_named = !self.unlock.key.is_empty();
            sealed.open(&Opener::Keys(self.keys()?)).map_err(|fault| match fault {
                StoreFault::WrongKey(name) if !is_named => StoreFault::NeedsAnotherKey(name),
                fault => fault,
            })?
        };
        self.refuse_another(&store)?;
        Ok(OpenStore { store, seal, file })
    }

    /// Refuses a store that is not the one that this computer knows, or that was named.
    fn refuse_another(&self, store: &Store) -> Result<(), StoreFault> {
        let name = self.file.display().to_string();
        if let Some(identity) = &self.unlock.store_identity {
            let is_named = StoreFingerprint::parse(identity) == Some(store.identity.fingerprint());
            return if is_named { Ok(()) } else { Err(StoreFault::NotAsNamed(name)) };
        }
        let memory = memory_of(&self.file)?;
        let is_new = if self.is_accepted { true } else { memory.check(&name, store)? };
        if is_new {
            remember(&memory, store);
        }
        Ok(())
    }

    fn by_passphrase(&self, sealed: &SealedStore) -> Result<(Store, Seal), StoreFault> {
        let name = self.file.display().to_string();
        if let Some(given) = self.given_passphrase()? {
            return sealed.open(&Opener::Passphrase(given));
        }
        let mut last = StoreFault::NeedsPassphrase(name.clone());
        for _ in 0..TRIES {
            let Some(passphrase) = ask_once(&format!("Passphrase of {name}: ")) else { break };
            match sealed.open(&Opener::Passphrase(passphrase)) {
                Err(fault @ StoreFault::WrongPassphrase(_)) => {
                    crate::terminal::say_error(&fault.to_string());
                    last = fault;
                }
                other => return other,
            }
        }
        Err(last)
    }

    /// The passphrase of a file, where one was named.
    pub(crate) fn given_passphrase(&self) -> Result<Option<Hidden>, StoreFault> {
        self.unlock.passphrase_from.as_deref().map(passphrase_in).transpose()
    }

    fn keys(&self) -> Result<Vec<PrivateKey>, StoreFault> {
        let mut files = self.unlock.key.clone();
        if files.is_empty() {
            files.extend(std::env::var_os(KEY_VARIABLE).filter(|name| !name.is_empty()).map(PathBuf::from));
        }
        if files.is_empty() {
            return Err(StoreFault::NeedsKey(self.file.display().to_string()));
        }
        let mut keys = Vec::new();
        for path in &files {
            let name = path.display().to_string();
            let bytes = impostazione_text::files::read_file(path, LIMIT)
                .map_err(|fault| wrong_key(format!("the private key {name}: {fault}")))?;
            let bytes = zeroize::Zeroizing::new(bytes);
            let is_locked = is_locked(&bytes);
            let file = name.clone();
            let ask = move |_: &str| ask_once(&format!("Passphrase of the key {file}: "));
            keys.extend(
                private_keys(&name, &bytes, ask).map_err(|fault| wrong_key(format!("{name} {fault}")))?,
            );
            refuse_if_readable(path, "private key")?;
            if is_locked && !is_interactive() {
                let reason = format!(
                    "the private key {name} has a passphrase of its own, and there is no terminal to ask for it"
                );
                return Err(StoreFault::Opener { reason, fix: "run this in a terminal".to_owned() });
            }
        }
        Ok(keys)
    }
}

/// Where a store is remembered: in the folder of the user's state (XDG Base Directory Specification).
fn memory_of(store: &Path) -> Result<StoreMemory, StoreFault> {
    let given = |name: &str| std::env::var_os(name).map(PathBuf::from).filter(|path| path.is_absolute());
    let state = given("XDG_STATE_HOME").or_else(|| Some(given("HOME")?.join(".local/state")));
    state.map(|state| StoreMemory::of(store, &state)).ok_or_else(|| StoreFault::Opener {
        reason: "neither XDG_STATE_HOME nor HOME is set, so this computer cannot remember stores".to_owned(),
        fix: "give the store's identity with --store-identity".to_owned(),
    })
}

/// A file that was named as a private key's and cannot be used.
fn wrong_key(reason: String) -> StoreFault {
    let fix = format!("name the file of your private key with --key, or in the variable {KEY_VARIABLE}");
    StoreFault::Opener { reason, fix }
}

fn remember(memory: &StoreMemory, store: &Store) {
    if let Err(error) = memory.remember(store) {
        crate::terminal::say_warning(&memory.cannot(&error));
    }
}

/// Remembers a store that this command has written.
pub(crate) fn remember_written(store: &Path, content: &Store) {
    if let Ok(memory) = memory_of(store) {
        remember(&memory, content);
    }
}

/// The passphrase on the first line of a file, or of a pipe.
pub(crate) fn passphrase_in(path: &Path) -> Result<Hidden, StoreFault> {
    let refused = |reason: &str| StoreFault::Opener {
        reason: format!("the passphrase in {}: {reason}", path.display()),
        fix: "name a file whose first line is the passphrase".to_owned(),
    };
    refuse_if_readable(path, "passphrase")?;
    let file = File::open(path).map_err(|error| refused(&plain(&error)))?;
    let mut line = zeroize::Zeroizing::new(String::with_capacity(1024));
    let mut reader = io::BufReader::new(file.take(LIMIT));
    reader.read_line(&mut line).map_err(|error| refused(&plain(&error)))?;
    let passphrase = line.trim_end_matches(['\n', '\r']);
    if passphrase.is_empty() {
        return Err(refused("its first line is empty"));
    }
    Ok(Hidden::new(passphrase))
}

/// A file that opens the store is for its owner alone.
fn refuse_if_readable(path: &Path, what: &str) -> Result<(), StoreFault> {
    // What is not there, or is a pipe, is looked at when it is read.
    let Ok(found) = std::fs::metadata(path) else { return Ok(()) };
    let mode = found.mode() & 0o7777;
    if found.is_file() && mode & 0o077 != 0 {
        let name = path.display();
        return Err(StoreFault::Opener {
            reason: format!("other users can read {name}, which holds a {what} (mode {mode:04o})"),
            fix: format!("run chmod 600 {name}"),
        });
    }
    Ok(())
}

impl SecretSources for RunSources {
    fn variable(&self, name: &str) -> Result<Hidden, SourceFault> {
        let called = |state: &str| format!("the environment variable {name} is {state}");
        match std::env::var(name) {
            Ok(value) if value.is_empty() => Err(SourceFault::Unusable(called("empty"))),
            Ok(value) => Ok(Hidden::new(value)),
            Err(std::env::VarError::NotPresent) => Err(SourceFault::OutOfReach(called("not set"))),
            Err(std::env::VarError::NotUnicode(_)) => Err(SourceFault::Unusable(called("not UTF-8 text"))),
        }
    }

    fn ask(&self, secret: &str) -> Result<Hidden, SourceFault> {
        if !is_interactive() {
            let reason = "it is asked for on every run, and there is no terminal";
            return Err(SourceFault::OutOfReach(reason.to_owned()));
        }
        let mut typed = self.typed.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(known) = typed.get(secret) {
            return Ok(known.clone());
        }
        let value = ask_twice(&format!("Value of the secret {secret}: "))
            .ok_or_else(|| SourceFault::Unusable("no value was entered".to_owned()))?;
        typed.insert(secret.to_owned(), value.clone());
        Ok(value)
    }

    fn store(&self) -> Result<&Store, StoreFault> {
        self.open().map(|open| &open.store)
    }

    fn store_mode_for_others(&self) -> Option<u32> {
        self.open().ok()?.file.mode_for_others()
    }

    fn store_name(&self) -> String {
        self.file.display().to_string()
    }
}

/// Whether somebody sits at a terminal and can be asked.
pub(crate) fn is_interactive() -> bool {
    io::stdin().is_terminal() && io::stderr().is_terminal()
}

/// Asks on the terminal without showing what is typed. Nothing where nobody can be asked, or nothing is typed.
pub(crate) fn ask_once(prompt: &str) -> Option<Hidden> {
    if !is_interactive() {
        return None;
    }
    let typed = zeroize::Zeroizing::new(rpassword::prompt_password(prompt).ok()?);
    (!typed.is_empty()).then(|| Hidden::new(typed.as_str()))
}

/// The same, twice, until both are the same.
pub(crate) fn ask_twice(prompt: &str) -> Option<Hidden> {
    for _ in 0..TRIES {
        let first = ask_once(prompt)?;
        if ask_once("Repeat the passphrase: ").as_ref() == Some(&first) {
            return Some(first);
        }
        crate::terminal::tell("the two did not match; try again\n");
    }
    None
}
