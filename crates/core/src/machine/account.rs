//! Logins on hosts.

use globset::GlobMatcher;

use crate::names::AccountName;
use crate::source::{Place, Written};

/// A login on hosts.
#[derive(Debug)]
pub struct Account {
    /// Its name.
    pub name: Written<AccountName>,
    /// Whose it is; empty where the sheet does not say.
    pub full_name: String,
    /// Whether it may act as root.
    pub is_admin: bool,
    /// The public keys that open it.
    pub keys: Vec<AuthorizedKey>,
    /// Whether some key could not be read; findings say so already.
    pub has_faulty_keys: bool,
    /// The hosts that get it; `None` stands for all.
    pub hosts: Option<Vec<GlobMatcher>>,
}

/// A public key, in the form of a line of `authorized_keys`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AuthorizedKey {
    /// Algorithm, key and comment.
    pub line: String,
    /// Where the sheet names it.
    pub place: Place,
    /// Why it should not open anything, as the end of a sentence.
    pub weakness: Option<String>,
}

impl Account {
    /// Whether a host of this name gets the login.
    pub fn is_on(&self, host: &str) -> bool {
        self.hosts.as_ref().is_none_or(|globs| globs.iter().any(|glob| glob.is_match(host)))
    }
}
