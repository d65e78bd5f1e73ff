//! Times of folders: adding and removing entries changes them, and they are set back.
//!
//! The folder that the record itself lies in changes when the record comes and when it goes, while there is no record to say
//! what its time was. Meanwhile it is noted in an attribute of that folder, which changes no time that people see. A
//! filesystem without such attributes loses that one time when a command is killed just then.

use std::os::fd::OwnedFd;

use rustix::fs::{OFlags, Timespec, Timestamps, XattrFlags};
use rustix::io::Errno;
use serde::{Deserialize, Serialize};

use super::entries::{own_identity, remove_folder};
use super::folder::{Rootfs, RootfsFault, split};
use super::path::RootfsPath;
use super::record::{FolderTimes, RECORD_FOLDER};

/// The attribute; one that root alone sees where root places.
const NOTES: [&str; 2] = ["trusted.impostazione.times", "user.impostazione.times"];

/// What the attribute holds.
#[derive(Serialize, Deserialize)]
struct Note {
    made_folders: Vec<RootfsPath>,
    folders: Vec<FolderTimes>,
}

/// The folders above a path that are not there, the highest first, and the lowest that is there.
pub(super) struct Missing {
    /// Nothing for the top.
    pub(super) folder: Option<RootfsPath>,
    pub(super) made: Vec<RootfsPath>,
}

pub(super) fn missing_above(rootfs: &Rootfs, path: &RootfsPath) -> Result<Missing, RootfsFault> {
    let mut made = Vec::new();
    let mut folder = folder_of(path);
    while let Some(above) = folder {
        if rootfs.follow(&above)?.is_some() {
            made.reverse();
            return Ok(Missing { folder: Some(above), made });
        }
        folder = folder_of(&above);
        made.push(above);
    }
    made.reverse();
    Ok(Missing { folder: None, made })
}

/// The folder that a path lies in; nothing for the top.
pub(super) fn folder_of(path: &str) -> Option<RootfsPath> {
    RootfsPath::new(split(path).0).ok()
}

fn open(rootfs: &Rootfs, folder: Option<&RootfsPath>) -> Result<OwnedFd, Errno> {
    rootfs.open_at(folder.map_or("", RootfsPath::as_str), OFlags::RDONLY | OFlags::DIRECTORY)
}

/// Adds the times of a folder, if it is there and they are not among those already.
pub(super) fn remember_times(
    rootfs: &Rootfs,
    folder: Option<&RootfsPath>,
    folders: &mut Vec<FolderTimes>,
) -> Result<(), RootfsFault> {
    if folders.iter().any(|known| known.path.as_ref() == folder) {
        return Ok(());
    }
    if let Some(found) = rootfs.follow(folder.map_or(".", RootfsPath::as_str))? {
        folders.push(FolderTimes {
            path: folder.cloned(),
            modified: found.modified,
            accessed: found.accessed,
        });
    }
    Ok(())
}

/// Sets the times of a folder; they are no reason to stop.
pub(super) fn set_times(rootfs: &Rootfs, folder: &FolderTimes) {
    let time = |(seconds, nanoseconds): (i64, u32)| Timespec { tv_sec: seconds, tv_nsec: nanoseconds.into() };
    let times = Timestamps { last_access: time(folder.accessed), last_modification: time(folder.modified) };
    if let Ok(opened) = open(rootfs, folder.path.as_ref()) {
        let _ = rustix::fs::futimens(&opened, &times);
    }
}

/// Notes times, and folders that are made, at the folder that stays.
pub(super) fn note(
    rootfs: &Rootfs,
    folder: Option<&RootfsPath>,
    made_folders: &[RootfsPath],
    folders: &[FolderTimes],
) -> Result<(), RootfsFault> {
    let note = Note { made_folders: made_folders.to_vec(), folders: folders.to_vec() };
    let path = folder.map_or("", RootfsPath::as_str);
    let refused = |errno| RootfsFault::refused("written", path, errno);
    let Ok(value) = serde_json::to_vec(&note) else { return Ok(()) };
    let opened = open(rootfs, folder).map_err(refused)?;
    match rustix::fs::fsetxattr(&opened, attribute(), &value, XattrFlags::empty()) {
        Ok(()) | Err(Errno::NOTSUP | Errno::NOSYS | Errno::PERM | Errno::NOSPC | Errno::INVAL) => Ok(()),
        Err(errno) => Err(refused(errno)),
    }
}

fn attribute() -> &'static str {
    let [of_root, of_user] = NOTES;
    if own_identity().is_none() { of_root } else { of_user }
}

/// The folders at which a note may be: those above that of the record, the lowest first.
fn places() -> Vec<Option<RootfsPath>> {
    let mut places = Vec::new();
    let mut folder = folder_of(RECORD_FOLDER);
    while let Some(above) = folder {
        folder = folder_of(&above);
        places.push(Some(above));
    }
    places.push(None);
    places
}

fn read_note(folder: &OwnedFd, name: &str) -> Option<Note> {
    let mut value = vec![0; 64 * 1024];
    let length = rustix::fs::fgetxattr(folder, name, value.as_mut_slice()).ok()?;
    serde_json::from_slice(value.get(..length)?).ok()
}

/// Whether a note is there.
pub(super) fn has_note(rootfs: &Rootfs) -> bool {
    places().iter().any(|place| {
        open(rootfs, place.as_ref())
            .is_ok_and(|folder| NOTES.iter().any(|name| read_note(&folder, name).is_some()))
    })
}

/// Does what a note says, and takes it away: folders go that were made for the record and hold nothing, and times are set.
pub(super) fn settle(rootfs: &Rootfs) -> Result<(), RootfsFault> {
    each_note(rootfs, |note| {
        // An image that brings a note along can name no folder but those above the record.
        let is_above =
            |path: &str| RECORD_FOLDER.strip_prefix(path).is_some_and(|rest| rest.starts_with('/'));
        for path in note.made_folders.iter().rev().filter(|path| is_above(path)) {
            remove_folder(rootfs, path)?;
        }
        for times in &note.folders {
            if times.path.as_ref().is_none_or(|path| is_above(path)) {
                set_times(rootfs, times);
            }
        }
        Ok(())
    })
}

/// Takes a note away that the record has made needless.
pub(super) fn take_note_away(rootfs: &Rootfs) -> Result<(), RootfsFault> {
    each_note(rootfs, |_| Ok(()))
}

fn each_note(rootfs: &Rootfs, action: impl Fn(&Note) -> Result<(), RootfsFault>) -> Result<(), RootfsFault> {
    for place in places() {
        let Ok(folder) = open(rootfs, place.as_ref()) else { continue };
        for name in NOTES {
            if let Some(note) = read_note(&folder, name) {
                action(&note)?;
                let _ = rustix::fs::fremovexattr(&folder, name);
            }
        }
    }
    Ok(())
}
