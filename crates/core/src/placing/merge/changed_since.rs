//! Something that was placed and that somebody has changed since, as people are told of it.

use std::fmt::{self, Display};

use serde::Serialize;

/// Something that was placed and that somebody has changed since.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ChangedSince {
    /// The path.
    pub path: String,
    /// The user, group or host whose line of the file it is; `None` for the path as a whole.
    pub entry: Option<String>,
    /// What of the line.
    pub what: Vec<&'static str>,
    /// Whether it was taken out.
    #[serde(rename = "gone")]
    pub is_gone: bool,
    /// Whether it is now as it was before the placement, so that taking that back loses nothing.
    #[serde(skip)]
    pub is_as_before: bool,
    /// Whether it can stay: the output says there what it said before, or the line is one that both can be in.
    #[serde(skip)]
    pub can_stay: bool,
    /// Whether it stays when something is placed; `None` where nothing is.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub stays: Option<bool>,
}

impl Display for ChangedSince {
    /// What was changed: a sentence without its end.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self { path, entry, what, is_gone, .. } = self;
        let verb = if *is_gone { "removed" } else { "changed" };
        match entry {
            None if *is_gone => write!(f, "/{path} was removed"),
            None if what.is_empty() => write!(f, "/{path} was changed"),
            None => write!(f, "the mode, owner or ACL of /{path} was changed"),
            Some(entry) if *is_gone || what.is_empty() || what == &["line"] => {
                write!(f, "in /{path} the line for {entry} was {verb}")
            }
            Some(entry) => {
                let (words, were) = match what.as_slice() {
                    [word] => ((*word).to_owned(), "was"),
                    [first, .., last] if what.len() == 2 => (format!("{first} and {last}"), "were"),
                    [.., last] => {
                        let others = what.get(..what.len() - 1).unwrap_or_default().join(", ");
                        (format!("{others} and {last}"), "were")
                    }
                    [] => (String::new(), "was"),
                };
                write!(f, "in /{path} the {words} of {entry} {were} changed")
            }
        }
    }
}
