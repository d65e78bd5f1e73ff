//! Logins on hosts.

use globset::GlobMatcher;
use impostazione_net::AccountName;
use impostazione_text::{Place, Stated, Written};
use jiff::civil::DateTime;

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
    /// Its password: index in [`super::site::Site::secrets`], and where the sheet names it.
    pub password: Stated<Written<usize>>,
    /// Whether the password has to be changed at the first login, and where the sheet says so.
    pub change_at_first_login: Option<Written<bool>>,
    /// Groups of the host that it is a member of, beside its own and the administrators'.
    pub groups: Vec<String>,
    /// The program that a login starts, where the sheet says so.
    pub shell: Option<String>,
    /// Whether some key could not be read; findings say so already.
    pub has_faulty_keys: bool,
    /// The hosts that get it; `None` stands for all.
    pub hosts: Option<Vec<GlobMatcher>>,
}

/// A public key, in the form of a line of `authorized_keys`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AuthorizedKey {
    /// Options, algorithm, key and comment.
    pub line: String,
    /// Where the sheet names it.
    pub place: Place,
    /// Why it should not open anything, as the end of a sentence.
    pub weakness: Option<String>,
    /// When it stops opening anything, by the host's clock.
    pub expires: Option<DateTime>,
    /// Whether it opens nothing itself, and only signs certificates that do.
    pub is_authority: bool,
}

impl Account {
    /// Whether the sheet gives it a password, if perhaps one that cannot be had.
    pub fn has_password(&self) -> bool {
        !self.password.is_absent()
    }

    /// Whether the sheet gives it a key, if perhaps one that cannot be read.
    pub fn has_key(&self) -> bool {
        !self.keys.is_empty() || self.has_faulty_keys
    }

    /// Whether its password has to be changed at the first login.
    pub fn changes_password(&self) -> bool {
        self.change_at_first_login.as_ref().is_some_and(|flag| flag.value)
    }

    /// Whether a host of this name gets the login.
    pub fn is_on(&self, host: &str) -> bool {
        self.hosts.as_ref().is_none_or(|globs| globs.iter().any(|glob| glob.is_match(host)))
    }
}
