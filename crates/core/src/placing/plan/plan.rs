//! What is to change on a root filesystem, and what stands against it.

use impostazione_rootfs::{Change, OddPath, RootfsFault};
use impostazione_secret::NoRandomness;
use serde::Serialize;

use super::super::survey::WayIn;

/// Something on the root filesystem that the output cannot be reconciled with.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Obstacle {
    /// The file.
    pub path: String,
    /// Its line, from 1; 0 for the file as a whole.
    pub line: usize,
    /// What is wrong with what was found.
    pub message: String,
    /// What to do.
    pub fix: String,
    /// Whether the host could not be used because of it.
    pub is_grave: bool,
    /// What it is about.
    pub concerns: Concern,
}

/// What an obstacle is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Concern {
    /// An account and the users that are there.
    Account,
    /// A name on the root filesystem that is no path inside it.
    Path,
}

/// The changes of a placement.
#[derive(Clone, Debug, Default)]
pub struct Plan {
    /// What changes, in an order in which it can be done.
    pub changes: Vec<Change>,
    /// What becomes of logins.
    pub accounts: Vec<PlannedAccount>,
    /// Ways in that the image brings, and what becomes of each.
    pub ways_in: Vec<(WayIn, Fate)>,
    /// What stands against it.
    pub obstacles: Vec<Obstacle>,
}

/// Why no plan could be made.
#[derive(Debug, thiserror::Error)]
pub enum PlanFault {
    /// Something on the root filesystem could not be read.
    #[error(transparent)]
    Rootfs(#[from] RootfsFault),
    /// A name that the image gives leads to no path inside it.
    #[error(transparent)]
    Odd(#[from] OddPath),
    /// A host key could not be made.
    #[error("a host key could not be generated: {0}")]
    HostKey(String),
}

impl From<NoRandomness> for PlanFault {
    fn from(fault: NoRandomness) -> Self {
        Self::HostKey(fault.to_string())
    }
}

/// What becomes of a way in.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Fate {
    /// The sheet gives it, every system has it, or nobody is there who could take it.
    Wanted,
    /// Placing shuts it, by what ends the sentence "placing …".
    Shut(&'static str),
    /// It stays: why, as the end of a sentence, and what to do.
    Stays {
        /// Why.
        why: String,
        /// What to do.
        fix: String,
        /// Whether somebody of the sheet could do more than the sheet says.
        is_grave: bool,
    },
}

/// What becomes of a login.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct PlannedAccount {
    /// Its name.
    pub name: String,
    /// What happens to it.
    pub change: AccountChange,
    /// Its number, of one that the sheet names.
    pub uid: Option<u32>,
    /// Whether it gets a password.
    pub password: bool,
    /// Whether that has to be changed at the first login.
    pub change_at_first_login: bool,
    /// How many SSH keys open it.
    pub ssh_keys: usize,
    /// Whether it may act as root.
    pub admin: bool,
}

/// What happens to a login.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum AccountChange {
    /// It is made.
    New,
    /// It is there, and gets what the sheet says.
    AlreadyThere,
    /// It is the image's own, and nobody logs in with it any more.
    Shut,
}
