//! Where the values of secrets come from that are not files beside the sheet.

use impostazione_text::Hidden;

use super::store::{Store, StoreFault};

/// Why a value cannot be had, as the end of a sentence.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum SourceFault {
    /// Its source cannot be reached from here: a variable is not set, or nobody can be asked. Elsewhere it may be right.
    OutOfReach(String),
    /// It is there, and is of no use.
    Unusable(String),
}

/// Where the values of secrets come from that are not files beside the sheet.
pub trait SecretSources: Sync {
    /// Whether values are wanted at all: what only shows a sheet asks for none.
    fn are_asked(&self) -> bool {
        true
    }

    /// The value of an environment variable.
    fn variable(&self, name: &str) -> Result<Hidden, SourceFault>;

    /// What a person types, once a run for each secret.
    fn ask(&self, secret: &str) -> Result<Hidden, SourceFault>;

    /// The store beside the sheet, opened once a run.
    fn store(&self) -> Result<&Store, StoreFault>;

    /// The permission bits of the store, where somebody but its owner may read it.
    fn store_mode_for_others(&self) -> Option<u32> {
        None
    }

    /// What messages call the store.
    fn store_name(&self) -> String {
        "the store".to_owned()
    }
}

/// Files beside the sheet, and nothing else.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct FilesOnly;

impl SecretSources for FilesOnly {
    fn variable(&self, name: &str) -> Result<Hidden, SourceFault> {
        Err(SourceFault::OutOfReach(format!("the environment variable {name} is not set")))
    }

    fn ask(&self, _: &str) -> Result<Hidden, SourceFault> {
        Err(SourceFault::OutOfReach("there is no terminal".to_owned()))
    }

    fn store(&self) -> Result<&Store, StoreFault> {
        Err(StoreFault::Missing(self.store_name()))
    }
}

/// A store, and nothing else: for judging what is about to be put into it.
#[derive(Clone, Copy, Debug)]
pub struct StoreOnly<'a>(pub &'a Store);

impl SecretSources for StoreOnly<'_> {
    fn variable(&self, name: &str) -> Result<Hidden, SourceFault> {
        FilesOnly.variable(name)
    }

    fn ask(&self, secret: &str) -> Result<Hidden, SourceFault> {
        FilesOnly.ask(secret)
    }

    fn store(&self) -> Result<&Store, StoreFault> {
        Ok(self.0)
    }
}

/// No values: for what shows a sheet and judges nothing.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct NotAsked;

impl SecretSources for NotAsked {
    fn are_asked(&self) -> bool {
        false
    }

    fn variable(&self, _: &str) -> Result<Hidden, SourceFault> {
        Err(SourceFault::OutOfReach("it was not asked for".to_owned()))
    }

    fn ask(&self, _: &str) -> Result<Hidden, SourceFault> {
        Err(SourceFault::OutOfReach("it was not asked for".to_owned()))
    }

    fn store(&self) -> Result<&Store, StoreFault> {
        Err(StoreFault::Missing(self.store_name()))
    }
}
