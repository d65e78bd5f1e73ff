//! Changing the paths, once everything is laid ready.

use std::collections::HashMap;

use rustix::io::Errno;

use super::super::change::Owner;
use super::super::entries::{
    FolderAttributes, give, move_into, open_folder, own_identity, remove_if_there, set_folder, sync,
    temporary, write_new,
};
use super::super::folder::{Kind, Rootfs, RootfsFault, look_in, split};
use super::super::record::{NEW, RECORD, RECORD_FOLDER, Record, Step, UNDER_WAY};
use super::super::state::State;
use super::leftovers::{empty_folder, tidy};
use crate::open_folder::OpenFolder;

/// The folders in which something changes, open from when what stands in them was kept until it was changed: what was kept is
/// what is replaced, whoever renames folders meanwhile.
#[derive(Default)]
pub(super) struct Parents(HashMap<String, OpenFolder>);

impl Parents {
    /// The folder that a path lies in, and the name in it; nothing where there is no such folder yet.
    pub(super) fn of<'p>(
        &mut self,
        rootfs: &Rootfs,
        path: &'p str,
    ) -> Result<Option<(&OpenFolder, &'p str)>, RootfsFault> {
        let (above, name) = split(path);
        if !self.0.contains_key(above) {
            let Some((folder, _)) = rootfs.parent(path)? else { return Ok(None) };
            self.0.insert(above.to_owned(), folder);
        }
        Ok(self.0.get(above).map(|folder| (folder, name)))
    }
}

/// Completes a placement that took the place of another and was cut off.
pub fn complete(rootfs: &Rootfs, record: Record) -> Result<Record, RootfsFault> {
    let folder = open_folder(rootfs, RECORD_FOLDER)?;
    let new = folder
        .enter(NEW)
        .map_err(|errno| RootfsFault::refused("read", &format!("{RECORD_FOLDER}/{NEW}"), errno))?;
    let left_folders = carry_out(rootfs, &new, &mut Parents::default(), &record)?;
    finish(&folder, Record { left_folders, ..record })
}

/// Changes the paths, in order. What is there already is left, so that this may be done again. Gives the folders that were to
/// go and hold something.
pub(super) fn carry_out(
    rootfs: &Rootfs,
    new: &OpenFolder,
    parents: &mut Parents,
    record: &Record,
) -> Result<Vec<String>, RootfsFault> {
    let mut left_folders = Vec::new();
    for (number, step) in record.steps.iter().enumerate() {
        let path = step.path.as_str();
        if let Some((boot, name)) = rootfs.on_boot_partition(path) {
            let ready = format!("{RECORD_FOLDER}/{NEW}/{number}");
            if let Some(bytes) = rootfs.read(&ready)? {
                boot.write(path, name, &bytes)?;
            }
            remove_if_there(new, &number.to_string(), path)?;
            continue;
        }
        let Some((parent, name)) = parents.of(rootfs, path)? else {
            if step.after.is_absent() {
                continue;
            }
            return Err(RootfsFault::Unreachable(path.to_owned(), "its folder does not exist"));
        };
        if !change(new, number, step, (parent, name))? {
            left_folders.push(path.to_owned());
        }
    }
    Ok(left_folders)
}

/// Changes one path. `false` where a folder was to go that holds something.
fn change(
    new: &OpenFolder,
    number: usize,
    step: &Step,
    (parent, name): (&OpenFolder, &str),
) -> Result<bool, RootfsFault> {
    let path = step.path.as_str();
    let refused = |errno| RootfsFault::refused("written", path, errno);
    match &step.after {
        State::Absent => {
            let set_aside = |errno| RootfsFault::refused("set aside", path, errno);
            match look_in(parent, name, path)?.map(|found| found.kind) {
                None => {}
                Some(Kind::Folder) => match parent.remove_folder(name) {
                    Ok(()) => {}
                    Err(Errno::NOTEMPTY | Errno::EXIST) => return Ok(false),
                    Err(errno) => return Err(set_aside(errno)),
                },
                Some(_) => parent.remove(name).map_err(set_aside)?,
            }
        }
        State::File { .. } => {
            let is_ready = new.look(&number.to_string()).map_err(refused)?.is_some();
            if is_ready {
                move_into(new, &number.to_string(), parent, name, path)?;
            } else if State::at(parent, name, path)? != step.after {
                return Err(RootfsFault::Unreachable(path.to_owned(), "its prepared copy is missing"));
            }
        }
        State::Link { target, uid, gid } => {
            let beside = temporary(number);
            remove_if_there(parent, &beside, path)?;
            parent.make_link(&beside, target).map_err(refused)?;
            if own_identity().is_none() {
                give(parent, &beside, Owner { uid: *uid, gid: *gid }).map_err(refused)?;
            }
            parent.rename(&beside, parent, name).map_err(refused)?;
        }
        State::Folder { mode, uid, gid, access_list } => {
            match parent.make_folder(name, 0o700) {
                Ok(_) | Err(Errno::EXIST) => {}
                Err(errno) => return Err(refused(errno)),
            }
            let owner = own_identity().is_none().then_some(Owner { uid: *uid, gid: *gid });
            let attributes = FolderAttributes { mode: *mode, owner, access_list: access_list.as_ref() };
            set_folder(parent, name, attributes, path)?;
        }
    }
    Ok(true)
}

/// Removes the mark: the placement is whole. Steps that only put something back are no part of it any more.
pub(super) fn finish(folder: &OpenFolder, mut record: Record) -> Result<Record, RootfsFault> {
    sync(folder)?;
    record.steps.retain(|step| !step.is_back);
    (record.is_under_way, record.is_to_complete) = (false, false);
    if record.generation > 0 {
        write_record(folder, &record.bytes()?)?;
        tidy(folder, &record)?;
        sync(folder)?;
        return Ok(record);
    }
    empty_folder(folder, NEW)?;
    folder.remove(UNDER_WAY).map_err(|errno| RootfsFault::refused("finished", RECORD_FOLDER, errno))?;
    sync(folder)?;
    Ok(record)
}

/// Writes the record, in one step.
pub(super) fn write_record(folder: &OpenFolder, bytes: &[u8]) -> Result<(), RootfsFault> {
    remove_if_there(folder, "record", RECORD)?;
    write_new(folder, "record", bytes, 0o600, None, RECORD)?;
    sync(folder)?;
    folder
        .rename("record", folder, RECORD)
        .map_err(|errno| RootfsFault::refused("written", &format!("{RECORD_FOLDER}/{RECORD}"), errno))?;
    sync(folder)
}
