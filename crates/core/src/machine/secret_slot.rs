//! What uses secrets, and which values are wanted because of it.

use impostazione_text::Place;

/// One use of a secret.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SecretUse {
    /// Index in [`super::Site::secrets`].
    pub secret: usize,
    /// Index in [`super::Site::machines`]; `None` where no machine has what uses it.
    pub machine: Option<usize>,
    /// What for.
    pub role: SecretRole,
    /// Where the sheet says so.
    pub place: Place,
}

/// What a secret is used for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum SecretRole {
    /// The password of a login: index in [`super::Site::accounts`].
    Account(usize),
    /// An answer of the machine, by its index.
    Answer(usize),
    /// The passphrase of a wireless network: index in [`super::Site::subnets`].
    Wifi(usize),
    /// A key of time servers: index in [`super::Site::time_keys`].
    TimeKey(usize),
}

/// A value that is wanted: one for a site, a cluster or a machine.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SecretSlot {
    /// Index in [`super::Site::secrets`].
    pub secret: usize,
    /// Name of the machine or cluster that has a value of its own.
    pub holder: Option<String>,
    /// What uses it: indexes in [`super::Site::secret_uses`].
    pub uses: Vec<usize>,
}
