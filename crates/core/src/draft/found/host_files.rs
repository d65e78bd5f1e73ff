//! The files of a host, wherever they lie.

use std::collections::BTreeMap;

use impostazione_rootfs::View;

/// The files of a host, by their paths without the first slash.
pub trait HostFiles {
    /// The text of a file; nothing where it is not there or is not text.
    fn text(&self, path: &str) -> Option<String>;

    /// The names in a folder, in their order.
    fn list(&self, folder: &str) -> Vec<String>;

    /// Where a link leads.
    fn target(&self, path: &str) -> Option<String>;
}

impl HostFiles for View<'_> {
    fn text(&self, path: &str) -> Option<String> {
        View::text(*self, path).ok().flatten()
    }

    fn list(&self, folder: &str) -> Vec<String> {
        View::list(*self, folder).unwrap_or_default()
    }

    fn target(&self, path: &str) -> Option<String> {
        View::target(*self, path).ok().flatten()
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
