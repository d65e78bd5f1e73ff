//! The private folder in which new files are laid ready before they take their places.

use std::path::Path;

use impostazione_rootfs::OpenFolder;
use rustix::fs::FlockOperation;
use rustix::io::Errno;

/// How the names of such folders begin.
pub(super) const PREFIX: &str = ".impostazione-";
/// How many names are tried.
const TRIES: u32 = 100;
/// How deep folders are cleared: a tree is not that deep.
const DEPTH_LIMIT: u32 = 64;

/// A private folder that goes when this does. While it is held it is locked, so that one which a killed command has left is
/// told from one that is in use.
pub(super) struct Staging<'a> {
    beside: &'a OpenFolder,
    name: String,
    folder: OpenFolder,
}

impl<'a> Staging<'a> {
    /// Makes one in a folder, and clears away those that were left there.
    pub(super) fn begin(beside: &'a OpenFolder) -> Result<Self, Errno> {
        Self::clear_abandoned(beside);
        for number in 0..TRIES {
            let name = format!("{PREFIX}{}-{number}", std::process::id());
            match beside.make_folder(&name, 0o700) {
                Ok(folder) => {
                    let _ = rustix::fs::flock(&folder, FlockOperation::NonBlockingLockExclusive);
                    return Ok(Self { beside, name, folder });
                }
                Err(Errno::EXIST) => {}
                Err(errno) => return Err(errno),
            }
        }
        Err(Errno::EXIST)
    }

    /// The folder itself.
    pub(super) fn folder(&self) -> &OpenFolder {
        &self.folder
    }

    /// Removes the private folders of commands that were killed: those of this user that nobody holds.
    pub(super) fn clear_abandoned(beside: &OpenFolder) {
        let uid = rustix::process::geteuid().as_raw();
        for name in beside.names().unwrap_or_default().into_iter().flatten() {
            // Between its making and its lock it is known by its process only.
            let process = name.strip_prefix(PREFIX).and_then(|rest| rest.split('-').next());
            let is_at_work = process
                .and_then(|process| process.parse::<u32>().ok())
                .is_some_and(|process| Path::new(&format!("/proc/{process}")).exists());
            if is_at_work {
                continue;
            }
            let is_private = |found: rustix::fs::Stat| found.st_uid == uid && found.st_mode & 0o7777 == 0o700;
            if !name.starts_with(PREFIX)
                || !beside.look(&name).is_ok_and(|found| found.is_some_and(is_private))
            {
                continue;
            }
            if let Ok(folder) = beside.enter(&name)
                && rustix::fs::flock(&folder, FlockOperation::NonBlockingLockExclusive).is_ok()
            {
                clear(&folder, DEPTH_LIMIT);
                let _ = beside.remove_folder(&name);
            }
        }
    }
}

impl Drop for Staging<'_> {
    fn drop(&mut self) {
        clear(&self.folder, DEPTH_LIMIT);
        let _ = self.beside.remove_folder(&self.name);
    }
}

/// Removes what is in a folder; a link is removed and not followed.
fn clear(folder: &OpenFolder, depth: u32) {
    for name in folder.names().unwrap_or_default().into_iter().flatten() {
        match folder.enter(&name) {
            Ok(inner) if depth > 0 => {
                clear(&inner, depth - 1);
                let _ = folder.remove_folder(&name);
            }
            _ => {
                let _ = folder.remove(&name);
            }
        }
    }
}
