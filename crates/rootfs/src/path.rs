//! A path inside a root filesystem.

use std::borrow::{Borrow, Cow};
use std::fmt;
use std::ops::Deref;

use serde::{Deserialize, Serialize};

/// A path from the top of a root filesystem on, without a slash in front: no part of it is empty, `.` or `..`, so that its
/// last part is an entry of the folder that the others lead to. Whatever a placement changes or remembers is named by one.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct RootfsPath(Cow<'static, str>);

/// Why a text is no path inside a root filesystem.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0:?} is not a path inside a root filesystem: no part may be empty, \".\" or \"..\"")]
pub struct OddPath(pub String);

impl RootfsPath {
    /// Takes a path that is spelled in the one way in which these are.
    ///
    /// ```
    /// use impostazione_rootfs::RootfsPath;
    ///
    /// assert!(RootfsPath::new("etc/hostname").is_ok());
    /// for odd in ["/etc/hostname", "etc//hostname", "etc/../shadow", ""] {
    ///     assert!(RootfsPath::new(odd).is_err(), "{odd}");
    /// }
    /// ```
    pub fn new(path: impl Into<String>) -> Result<Self, OddPath> {
        let path = path.into();
        if is_plain(&path) { Ok(Self(Cow::Owned(path))) } else { Err(OddPath(path)) }
    }

    /// Takes a path as a host spells it: from `/` on, perhaps with a slash too many. What goes up with `..` is refused, since
    /// where that leads depends on links.
    pub fn of_host(path: &str) -> Result<Self, OddPath> {
        let parts: Vec<&str> = path.split('/').filter(|part| !matches!(*part, "" | ".")).collect();
        Self::new(parts.join("/")).map_err(|_| OddPath(path.to_owned()))
    }

    /// A path that is part of the program.
    ///
    /// # Panics
    ///
    /// Where the path is none, which in a constant keeps the program from being built.
    pub const fn fixed(path: &'static str) -> Self {
        assert!(is_plain(path), "a path of the program's own has no empty part, no . and no ..");
        Self(Cow::Borrowed(path))
    }

    /// The path of what lies in this folder under these names.
    pub fn join(&self, names: &str) -> Result<Self, OddPath> {
        Self::new(format!("{self}/{names}"))
    }

    /// The text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

/// Whether no part is empty, `.` or `..`, and the kernel can take it.
const fn is_plain(path: &str) -> bool {
    let bytes = path.as_bytes();
    let mut start = 0;
    let mut at = 0;
    loop {
        if at == bytes.len() || bytes[at] == b'/' {
            let length = at - start;
            let is_dots = (length == 1 || length == 2) && bytes[start] == b'.' && bytes[at - 1] == b'.';
            if length == 0 || is_dots {
                return false;
            }
            if at == bytes.len() {
                return true;
            }
            start = at + 1;
        } else if bytes[at] == 0 {
            return false;
        }
        at += 1;
    }
}

impl Deref for RootfsPath {
    type Target = str;

    fn deref(&self) -> &str {
        &self.0
    }
}

impl Borrow<str> for RootfsPath {
    fn borrow(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for RootfsPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

impl PartialEq<str> for RootfsPath {
    fn eq(&self, other: &str) -> bool {
        self.as_str() == other
    }
}

impl PartialEq<&str> for RootfsPath {
    fn eq(&self, other: &&str) -> bool {
        self.as_str() == *other
    }
}

impl TryFrom<String> for RootfsPath {
    type Error = OddPath;

    fn try_from(path: String) -> Result<Self, OddPath> {
        Self::new(path)
    }
}

impl From<RootfsPath> for String {
    fn from(path: RootfsPath) -> Self {
        path.0.into_owned()
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn no_part_leads_up_or_nowhere() {
        for odd in
            ["", "/", ".", "..", "/etc", "etc/", "etc//hosts", "etc/./hosts", "etc/../..", "a/..", "a\0"]
        {
            assert!(RootfsPath::new(odd).is_err(), "{odd:?}");
        }
        for plain in ["etc", "etc/hosts", "home/.ssh", "a/...", "a/..b", "a/b..", " "] {
            assert_eq!(RootfsPath::new(plain).unwrap(), plain);
        }
        assert_eq!(RootfsPath::of_host("//home/./keeper/").unwrap(), "home/keeper");
        for odd in ["/x/../..", "/", "", "/home/..", "/.."] {
            assert!(RootfsPath::of_host(odd).is_err(), "{odd:?}");
        }
        assert!(RootfsPath::fixed("etc").join("../x").is_err());
    }

    proptest! {
        #[test]
        fn what_is_taken_names_one_entry_after_the_other(text in r"[a./\x00]{0,12}") {
            let is_plain = text.split('/').all(crate::open_folder::is_entry_name);
            prop_assert_eq!(RootfsPath::new(text.as_str()).is_ok(), is_plain);
            if let Ok(path) = RootfsPath::of_host(&text) {
                prop_assert!(path.split('/').all(crate::open_folder::is_entry_name));
            }
        }
    }
}
