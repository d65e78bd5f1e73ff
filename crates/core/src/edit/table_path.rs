//! Which table of a sheet is meant.

use std::fmt;

use toml_edit::Key;

/// A table of a sheet, by the names that lead to it: `[subnet.quay]`, or the links of the second `[[host]]`.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct TablePath {
    /// The names, from the top of the sheet.
    pub(super) keys: Vec<String>,
    /// Which entry it is, or is in, where the first name is that of entries.
    pub(super) entry: Option<usize>,
}

impl TablePath {
    /// A table at the top: `[common]`.
    pub fn top(name: &str) -> Self {
        Self { keys: vec![name.to_owned()], entry: None }
    }

    /// A table with a name of its own: `[subnet.quay]`.
    pub fn named(kind: &str, name: &str) -> Self {
        Self { keys: vec![kind.to_owned(), name.to_owned()], entry: None }
    }

    /// An entry, counted from 0: `[[host]]`.
    pub fn entry(kind: &str, index: usize) -> Self {
        Self { keys: vec![kind.to_owned()], entry: Some(index) }
    }

    /// A table in this one: `[host.link.eth0]`.
    #[must_use]
    pub fn inner(&self, keys: &[&str]) -> Self {
        let mut inner = self.clone();
        inner.keys.extend(keys.iter().map(|key| (*key).to_owned()));
        inner
    }

    /// The names that lead to it.
    pub fn keys(&self) -> &[String] {
        &self.keys
    }

    /// Which entry it is, or is in.
    pub fn entry_index(&self) -> Option<usize> {
        self.entry
    }

    /// The first of its names.
    pub(super) fn family(&self) -> &str {
        self.keys.first().map_or("", String::as_str)
    }

    /// Whether it is an entry itself, and not a table in one.
    pub(super) fn is_entry(&self) -> bool {
        self.entry.is_some() && self.keys.len() == 1
    }
}

impl fmt::Display for TablePath {
    /// As its header is written.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let names: Vec<String> =
            self.keys.iter().map(|key| Key::new(key.as_str()).display_repr().into_owned()).collect();
        let names = names.join(".");
        if self.is_entry() { write!(f, "[[{names}]]") } else { write!(f, "[{names}]") }
    }
}
