//! What a placement leaves that ended before it began, and the record of one that is taken back.

use std::collections::HashSet;

use rustix::io::Errno;

use super::super::entries::{open_folder, remove_folder, remove_if_there};
use super::super::folder::{Found, Kind, Rootfs, RootfsFault, look_in};
use super::super::record::{KEPT, MEANT, NEW, RECORD, RECORD_FOLDER, Record, UNDER_WAY};
use super::super::times;
use crate::open_folder::OpenFolder;

/// Removes the record: what it kept first, then itself, so that until the end it says that it is under way.
pub(super) fn remove_record(rootfs: &Rootfs, folder: &OpenFolder) -> Result<(), RootfsFault> {
    for inner in [KEPT, NEW, MEANT] {
        empty_folder(folder, inner)?;
    }
    for name in [RECORD, "record", UNDER_WAY] {
        remove_if_there(folder, name, name)?;
    }
    remove_folder(rootfs, RECORD_FOLDER)
}

/// Clears what was laid ready by a placement that ended before it changed anything, and what a taking back that had put
/// everything back has left. A record that is there after all stays.
pub(super) fn clear_leftovers(rootfs: &Rootfs) -> Result<(), RootfsFault> {
    match rootfs.look(RECORD_FOLDER)? {
        None => {}
        Some(Found { kind: Kind::Folder, .. }) => {
            let folder = open_folder(rootfs, RECORD_FOLDER)?;
            let path = format!("{RECORD_FOLDER}/{RECORD}");
            if look_in(&folder, RECORD, &path)?.is_some() {
                return Err(RootfsFault::ChangedMeanwhile(path));
            }
            remove_record(rootfs, &folder)?;
        }
        Some(_) => return Err(RootfsFault::FileInTheWay(RECORD_FOLDER.to_owned())),
    }
    times::settle(rootfs)
}

/// Whether something was laid ready and nothing changed, by a placement that was cut off, or a taking back was cut off at its
/// very end.
pub fn has_leftovers(rootfs: &Rootfs) -> Result<bool, RootfsFault> {
    let has_folder = rootfs.look(RECORD_FOLDER)?.is_some_and(|found| found.kind == Kind::Folder);
    if has_folder {
        Ok(rootfs.look(&format!("{RECORD_FOLDER}/{RECORD}"))?.is_none())
    } else {
        Ok(times::has_note(rootfs))
    }
}

/// Clears them.
pub fn clear(rootfs: &Rootfs) -> Result<(), RootfsFault> {
    clear_leftovers(rootfs)
}

pub(super) fn empty_folder(folder: &OpenFolder, name: &str) -> Result<(), RootfsFault> {
    let path = format!("{RECORD_FOLDER}/{name}");
    let refused = |errno| RootfsFault::refused("removed", &path, errno);
    let inner = match folder.enter(name) {
        Ok(inner) => inner,
        Err(Errno::NOENT) => return Ok(()),
        Err(Errno::LOOP | Errno::NOTDIR) => return Err(RootfsFault::FileInTheWay(path)),
        Err(errno) => return Err(refused(errno)),
    };
    for entry in inner.names().map_err(refused)?.into_iter().flatten() {
        inner.remove(&entry).map_err(refused)?;
    }
    folder.remove_folder(name).map_err(refused)
}

/// Clears what no step of a record names: what was laid ready for a placement that was to take its place and did not begin, or
/// what belonged to the one before it. The record is the one in the folder.
pub(super) fn tidy(folder: &OpenFolder, record: &Record) -> Result<(), RootfsFault> {
    // With its mark, what was laid ready is known to be of no use.
    for name in [UNDER_WAY, "record"] {
        remove_if_there(folder, name, name)?;
    }
    empty_folder(folder, NEW)?;
    let numbers = 0..record.steps.len();
    let kept: HashSet<String> = numbers.clone().map(|number| record.kept_name(number)).collect();
    let meant: HashSet<String> = numbers.map(|number| record.own_name(number)).collect();
    for (inner, named) in [(KEPT, kept), (MEANT, meant)] {
        let path = format!("{RECORD_FOLDER}/{inner}");
        let refused = |errno| RootfsFault::refused("removed", &path, errno);
        let inner = match folder.enter(inner) {
            Ok(inner) => inner,
            Err(Errno::NOENT) => continue,
            Err(errno) => return Err(refused(errno)),
        };
        for entry in inner.names().map_err(refused)?.into_iter().flatten() {
            if !named.contains(&entry) {
                inner.remove(&entry).map_err(refused)?;
            }
        }
    }
    Ok(())
}
