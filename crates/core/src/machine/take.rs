//! Values that an answer takes from elsewhere in the sheet.

use impostazione_ovf::TakeWord;
use impostazione_text::{Place, Written};
use ipnet::IpNet;

/// A value that is taken.
#[derive(Clone, Debug)]
pub struct Take {
    /// Which value.
    pub word: Written<TakeWord>,
    /// Whose.
    pub of: Of,
    /// Of which link.
    pub link: Option<Written<String>>,
    /// What is reached over that link, where it is chosen by that.
    pub toward: Option<Written<Toward>>,
    /// Which of several, from 1.
    pub nth: Option<Written<usize>>,
    /// What stands between several.
    pub join: Option<String>,
    /// Where the whole stands.
    pub place: Place,
}

/// Whose value is taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Of {
    /// The appliance's own.
    Itself,
    /// Another machine's, by index.
    Machine(usize),
    /// A subnet's, by index.
    Subnet(usize),
    /// A pool's, by index.
    Pool(usize),
    /// A cluster's, by index.
    Cluster(usize),
}

/// What a link is to lead to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Toward {
    /// An address, or all of a prefix.
    Prefix(IpNet),
    /// A subnet, by index.
    Subnet(usize),
    /// A machine, by index.
    Machine(usize),
}

/// Why there is nothing to take, or not one thing.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TakeFault {
    /// What is wrong.
    pub message: String,
    /// What to write instead.
    pub fix: String,
    /// The part of the sheet to change.
    pub place: Place,
    /// Whether another finding names the cause already.
    pub is_known: bool,
    /// Whether the sheet has no such value, rather than several or one that cannot be told.
    pub is_nothing: bool,
}
