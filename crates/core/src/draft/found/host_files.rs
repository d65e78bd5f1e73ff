//! The files of a host, wherever they lie.

use std::cell::RefCell;
use std::collections::BTreeMap;

use impostazione_rootfs::{RootfsFault, View};

/// The files of a host, by their paths without the first slash.
pub trait HostFiles {
    /// The text of a file; nothing where it is not there or is not text.
    fn text(&self, path: &str) -> Option<String>;

    /// The names in a folder, in their order.
    fn list(&self, folder: &str) -> Vec<String>;

    /// Where a link leads.
    fn target(&self, path: &str) -> Option<String>;
}

/// The files of a root filesystem. What could not be read is kept: it is not the same as what is not there.
pub struct RootfsFiles<'v> {
    view: View<'v>,
    unread: RefCell<Vec<String>>,
}

impl<'v> RootfsFiles<'v> {
    /// The files that are seen through a view.
    pub fn new(view: View<'v>) -> Self {
        Self { view, unread: RefCell::default() }
    }

    /// What could not be read so far, and why, each once.
    pub fn unread(&self) -> Vec<String> {
        self.unread.borrow().clone()
    }

    fn looked_at<T: Default>(&self, found: Result<T, RootfsFault>) -> T {
        found.unwrap_or_else(|fault| {
            let mut unread = self.unread.borrow_mut();
            let fault = fault.to_string();
            if !unread.contains(&fault) {
                unread.push(fault);
            }
            T::default()
        })
    }
}

impl HostFiles for RootfsFiles<'_> {
    fn text(&self, path: &str) -> Option<String> {
        self.looked_at(self.view.text(path))
    }

    fn list(&self, folder: &str) -> Vec<String> {
        self.looked_at(self.view.list(folder))
    }

    fn target(&self, path: &str) -> Option<String> {
        self.looked_at(self.view.target(path))
    }
}

/// Files that were read before.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FilesInMemory {
    texts: BTreeMap<String, String>,
    links: BTreeMap<String, String>,
}

impl FilesInMemory {
    /// Adds a file.
    pub fn add(&mut self, path: impl Into<String>, text: impl Into<String>) {
        self.texts.insert(path.into(), text.into());
    }

    /// Adds a link.
    pub fn add_link(&mut self, path: impl Into<String>, target: impl Into<String>) {
        self.links.insert(path.into(), target.into());
    }
}

impl HostFiles for FilesInMemory {
    fn text(&self, path: &str) -> Option<String> {
        self.texts.get(path).cloned()
    }

    fn list(&self, folder: &str) -> Vec<String> {
        let inside = |path: &String| {
            let rest = path.strip_prefix(folder)?.strip_prefix('/')?;
            (!rest.contains('/')).then(|| rest.to_owned())
        };
        let mut names: Vec<String> = self.texts.keys().chain(self.links.keys()).filter_map(inside).collect();
        names.sort();
        names
    }

    fn target(&self, path: &str) -> Option<String> {
        self.links.get(path).cloned()
    }
}
