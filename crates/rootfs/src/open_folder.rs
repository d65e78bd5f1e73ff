//! A folder that is open, and its entries by single names: nothing that somebody renames or links meanwhile leads elsewhere.
//!
//! Everything that is written, on root filesystems and in output trees, is written through this.

use std::ffi::CString;
use std::fs::File;
use std::os::fd::{AsFd, BorrowedFd, OwnedFd};
use std::path::Path;

use rustix::fs::{Access, AtFlags, Dir, Mode, OFlags, RenameFlags, ResolveFlags, Stat};
use rustix::io::Errno;

use crate::access_list;

/// How often an entry is looked up again while somebody renames folders around it (`openat2(2)`, `EAGAIN`).
const TRIES: usize = 16;

/// An open folder.
#[derive(Debug)]
pub struct OpenFolder(OwnedFd);

impl AsFd for OpenFolder {
    fn as_fd(&self) -> BorrowedFd<'_> {
        self.0.as_fd()
    }
}

impl From<OwnedFd> for OpenFolder {
    fn from(handle: OwnedFd) -> Self {
        Self(handle)
    }
}

/// The name of one entry of a folder: no path, and neither `.` nor `..`.
pub fn is_entry_name(name: &str) -> bool {
    !matches!(name, "" | "." | "..") && !name.contains(['/', '\0'])
}

fn entry(name: &str) -> Result<&str, Errno> {
    if is_entry_name(name) { Ok(name) } else { Err(Errno::INVAL) }
}

impl OpenFolder {
    /// Opens the folder at a path of the running system, wherever links lead.
    pub fn open(path: &Path) -> Result<Self, Errno> {
        let path = if path.as_os_str().is_empty() { Path::new(".") } else { path };
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        rustix::fs::open(path, flags, Mode::empty()).map(Self)
    }

    /// Opens an entry, which is no link (`openat2(2)`, `RESOLVE_BENEATH`, `RESOLVE_NO_SYMLINKS`).
    fn open_entry(&self, name: &str, flags: OFlags, mode: Mode) -> Result<OwnedFd, Errno> {
        let name = entry(name)?;
        let flags = flags | OFlags::NOFOLLOW | OFlags::CLOEXEC;
        let within = ResolveFlags::BENEATH | ResolveFlags::NO_SYMLINKS | ResolveFlags::NO_MAGICLINKS;
        let mut tries = 0;
        loop {
            match rustix::fs::openat2(&self.0, name, flags, mode, within) {
                Err(Errno::AGAIN) if tries < TRIES => tries += 1,
                other => return other,
            }
        }
    }

    /// Opens a folder in it. A link or a file is `ENOTDIR` or `ELOOP`.
    pub fn enter(&self, name: &str) -> Result<Self, Errno> {
        self.open_entry(name, OFlags::RDONLY | OFlags::DIRECTORY, Mode::empty()).map(Self)
    }

    /// Opens what is in it to be read; a pipe does not block.
    pub fn open_file(&self, name: &str) -> Result<OwnedFd, Errno> {
        self.open_entry(name, OFlags::RDONLY | OFlags::NONBLOCK | OFlags::NOCTTY, Mode::empty())
    }

    /// The same folder once more, good for reading its list.
    pub fn reopen(&self) -> Result<Self, Errno> {
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        rustix::fs::openat(&self.0, ".", flags, Mode::empty()).map(Self)
    }

    /// Whether entries may be added to it and removed from it.
    pub fn may_write(&self) -> Result<(), Errno> {
        rustix::fs::accessat(&self.0, ".", Access::WRITE_OK | Access::EXEC_OK, AtFlags::EACCESS)
    }

    /// The handle behind it.
    pub fn into_handle(self) -> OwnedFd {
        self.0
    }

    /// Makes a new file for its owner alone, whatever the folder has new files inherit.
    pub fn create(&self, name: &str) -> Result<File, Errno> {
        let flags = OFlags::WRONLY | OFlags::CREATE | OFlags::EXCL;
        let file = self.open_entry(name, flags, Mode::from_raw_mode(0o600))?;
        access_list::remove(file.as_fd())?;
        Ok(File::from(file))
    }

    /// Makes a folder with no more permission bits than these, whatever this one has new folders inherit, and opens it.
    pub fn make_folder(&self, name: &str, mode: u32) -> Result<Self, Errno> {
        rustix::fs::mkdirat(&self.0, entry(name)?, Mode::from_raw_mode(mode))?;
        let made = self.enter(name)?;
        access_list::remove_with_default(made.as_fd())?;
        Ok(made)
    }

    /// Makes a symbolic link.
    pub fn make_link(&self, name: &str, target: &str) -> Result<(), Errno> {
        rustix::fs::symlinkat(target, &self.0, entry(name)?)
    }

    /// What stands under a name, a link not being followed; nothing where nothing is.
    pub fn look(&self, name: &str) -> Result<Option<Stat>, Errno> {
        match rustix::fs::statat(&self.0, entry(name)?, AtFlags::SYMLINK_NOFOLLOW) {
            Ok(stat) => Ok(Some(stat)),
            Err(Errno::NOENT) => Ok(None),
            Err(errno) => Err(errno),
        }
    }

    /// Where a link leads.
    pub fn target(&self, name: &str) -> Result<CString, Errno> {
        rustix::fs::readlinkat(&self.0, entry(name)?, Vec::new())
    }

    /// Moves an entry to another folder, in one step; a file or a link that stands there goes.
    pub fn rename(&self, name: &str, to: &Self, new_name: &str) -> Result<(), Errno> {
        rustix::fs::renameat(&self.0, entry(name)?, &to.0, entry(new_name)?)
    }

    /// Moves an entry to another folder, in one step, where nothing stands.
    pub fn rename_to_free(&self, name: &str, to: &Self, new_name: &str) -> Result<(), Errno> {
        rustix::fs::renameat_with(&self.0, entry(name)?, &to.0, entry(new_name)?, RenameFlags::NOREPLACE)
    }

    /// Gives a file or a link a second name in another folder.
    pub fn link_into(&self, name: &str, to: &Self, new_name: &str) -> Result<(), Errno> {
        rustix::fs::linkat(&self.0, entry(name)?, &to.0, entry(new_name)?, AtFlags::empty())
    }

    /// Removes a file or a link; it may be gone already.
    pub fn remove(&self, name: &str) -> Result<(), Errno> {
        match rustix::fs::unlinkat(&self.0, entry(name)?, AtFlags::empty()) {
            Err(Errno::NOENT) => Ok(()),
            other => other,
        }
    }

    /// Removes an empty folder; it may be gone already.
    pub fn remove_folder(&self, name: &str) -> Result<(), Errno> {
        match rustix::fs::unlinkat(&self.0, entry(name)?, AtFlags::REMOVEDIR) {
            Err(Errno::NOENT) => Ok(()),
            other => other,
        }
    }

    /// The names in it, in no order; those that are no UTF-8 text are `None`.
    pub fn names(&self) -> Result<Vec<Option<String>>, Errno> {
        let mut names = Vec::new();
        for found in Dir::read_from(&self.0)? {
            let found = found?;
            let name = found.file_name().to_str().ok();
            if !matches!(name, Some("." | "..")) {
                names.push(name.map(str::to_owned));
            }
        }
        Ok(names)
    }
}

#[cfg(test)]
mod tests {
    use std::fs;
    use std::os::unix::fs::symlink;

    use super::*;

    #[test]
    fn a_name_is_one_entry_and_no_way_to_another_folder() {
        let outside = tempfile::tempdir().unwrap();
        let top = outside.path().join("top");
        fs::create_dir(&top).unwrap();
        fs::write(outside.path().join("file"), "x").unwrap();
        symlink("..", top.join("up")).unwrap();
        let folder = OpenFolder::open(&top).unwrap();
        for odd in ["", ".", "..", "../file", "up/file", "a/b", "/file", "a\0b"] {
            assert_eq!(folder.look(odd).map(|_| ()), Err(Errno::INVAL), "{odd:?}");
            assert_eq!(folder.create(odd).map(|_| ()), Err(Errno::INVAL), "{odd:?}");
            assert_eq!(folder.make_folder(odd, 0o700).map(|_| ()), Err(Errno::INVAL), "{odd:?}");
            assert_eq!(folder.enter(odd).map(|_| ()), Err(Errno::INVAL), "{odd:?}");
            assert_eq!(folder.remove(odd), Err(Errno::INVAL), "{odd:?}");
            assert_eq!(folder.rename("up", &folder, odd), Err(Errno::INVAL), "{odd:?}");
        }
        assert_eq!(folder.enter("up").map(|_| ()), Err(Errno::NOTDIR));
        assert_eq!(folder.open_file("up").map(|_| ()), Err(Errno::LOOP));
    }
}
