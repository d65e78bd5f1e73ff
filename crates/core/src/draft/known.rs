//! What is known before anything is asked.

/// What this computer and its user suggest: proposals, never more.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Known {
    /// The name of the user.
    pub user: Option<String>,
    /// The user's public keys: the path of each, and its line.
    pub public_keys: Vec<(String, String)>,
    /// The time zone.
    pub timezone: Option<String>,
    /// The layout of the keyboard.
    pub keyboard: Option<String>,
}
