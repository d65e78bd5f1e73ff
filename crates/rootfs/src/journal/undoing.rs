//! Taking a placement back.

use std::os::fd::AsFd as _;

use impostazione_text::FileBytes;
use rustix::fs::OFlags;
use rustix::io::Errno;

use super::super::change::Owner;
use super::super::entries::{
    FolderAttributes, Lists, copy_attributes, move_into, open_folder, open_to_read, own_identity,
    remove_if_there, set_folder, sync, temporary, write_new,
};
use super::super::folder::{Rootfs, RootfsFault, split};
use super::super::path::RootfsPath;
use super::super::record::{FolderTimes, KEPT, RECORD_FOLDER, Record, Step, UNDER_WAY};
use super::super::remains::Remains;
use super::super::state::State;
use super::super::times::{self, set_times};
use super::leftovers::remove_record;
use super::since::check_reach;
use crate::open_folder::OpenFolder;

/// What taking a placement back could not do.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Undone {
    /// Paths that are as they were again.
    pub restored: usize,
    /// Folders that the placement made and that hold something of somebody else's now.
    pub left_folders: Vec<String>,
}

/// Puts everything back as it was before the placement, but for what remains of what others have added since, and removes the
/// record. It may be cut off and begun again. What cannot be put back does not keep the rest from it; the record then stays.
pub fn undo(rootfs: &Rootfs, record: &Record, remains: &Remains) -> Result<Undone, RootfsFault> {
    check_reach(rootfs, record)?;
    let folder = open_folder(rootfs, RECORD_FOLDER)?;
    remove_if_there(&folder, UNDER_WAY, UNDER_WAY)?;
    write_new(&folder, UNDER_WAY, &[], 0o600, None, UNDER_WAY)?;
    sync(&folder)?;
    let kept = open_folder(rootfs, &format!("{RECORD_FOLDER}/{KEPT}")).ok();
    let mut undone = Undone::default();
    let mut first_fault = None;
    for (number, step) in record.steps.iter().enumerate().rev() {
        let back =
            Back { rootfs, record, kept: kept.as_ref(), number, step, content: remains.content(number) };
        if let Err(fault) = back.put(&remains.state(number, step), &mut undone) {
            first_fault.get_or_insert(fault);
        }
    }
    for times in record.folders.iter().rev() {
        set_times(rootfs, times);
    }
    sync(&folder)?;
    drop(kept);
    if let Some(fault) = first_fault {
        return Err(fault);
    }
    // What was kept goes only when everything is seen to be back.
    for (number, step) in record.steps.iter().enumerate() {
        let is_left = undone.left_folders.iter().any(|folder| step.path == folder.as_str());
        if !is_left && rootfs.state(&step.path)? != remains.state(number, step) {
            return Err(RootfsFault::ChangedMeanwhile(step.path.to_string()));
        }
    }
    let above: Vec<FolderTimes> = record
        .folders
        .iter()
        .filter(|times| times.path.as_ref().is_none_or(|path| RECORD_FOLDER.starts_with(path.as_str())))
        .cloned()
        .collect();
    let stays = times::folder_of(record.made_folders.first().unwrap_or(&RootfsPath::fixed(RECORD_FOLDER)));
    times::note(rootfs, stays.as_ref(), &record.made_folders, &above)?;
    remove_record(rootfs, &folder)?;
    drop(folder);
    times::settle(rootfs)?;
    // What a filesystem is mounted by may be good for looking only.
    let top = rootfs
        .open_at("", OFlags::RDONLY | OFlags::DIRECTORY)
        .map_err(|errno| RootfsFault::refused("read", "", errno))?;
    sync(&top)?;
    Ok(undone)
}

/// A step that is taken back.
struct Back<'a> {
    rootfs: &'a Rootfs,
    record: &'a Record,
    kept: Option<&'a OpenFolder>,
    number: usize,
    step: &'a Step,
    /// What the file is to hold, where that is not what was kept.
    content: Option<&'a FileBytes>,
}

impl Back<'_> {
    /// Puts the path into the state that it is to have.
    fn put(&self, target: &State, undone: &mut Undone) -> Result<(), RootfsFault> {
        let Self { rootfs, record, kept, number, step, content } = *self;
        let path = step.path.as_str();
        if let Some((boot, name)) = rootfs.on_boot_partition(path) {
            let was = kept.map(|_| record.read_kept(rootfs, number)).transpose()?.flatten();
            if let Some(bytes) = was
                && boot.state(path, name)? != step.before
            {
                undone.restored += 1;
                boot.write(path, name, &bytes)?;
            }
            return Ok(());
        }
        let Some((parent, name)) = rootfs.parent(path)? else {
            return if target.is_absent() {
                Ok(())
            } else {
                Err(RootfsFault::FolderGone { path: path.to_owned(), folder: split(path).0.to_owned() })
            };
        };
        remove_if_there(&parent, &temporary(number), path)?;
        if State::at(&parent, name, path)? == *target {
            return Ok(());
        }
        undone.restored += 1;
        match target {
            State::Absent if matches!(step.after, State::Folder { .. }) => match parent.remove_folder(name) {
                Ok(()) => {}
                Err(Errno::NOTEMPTY | Errno::EXIST) => undone.left_folders.push(path.to_owned()),
                Err(errno) => return Err(RootfsFault::refused("removed", path, errno)),
            },
            State::Absent => remove_if_there(&parent, name, path)?,
            State::Folder { mode, uid, gid, access_list } => {
                let owner = own_identity().is_none().then_some(Owner { uid: *uid, gid: *gid });
                let attributes = FolderAttributes { mode: *mode, owner, access_list: access_list.as_ref() };
                set_folder(&parent, name, attributes, path)?;
            }
            State::File { .. } | State::Link { .. } => {
                let kept = kept.ok_or_else(|| {
                    RootfsFault::Unreachable(format!("{RECORD_FOLDER}/{KEPT}"), "the kept copy is missing")
                })?;
                let from = match content {
                    None => record.kept_name(number),
                    // What was kept stays, so that this may be done again.
                    Some(content) => {
                        let with_additions = format!("{}-with-additions", record.own_name(number));
                        remove_if_there(kept, &with_additions, path)?;
                        write_like(kept, &record.kept_name(number), target, &with_additions, content, path)?;
                        with_additions
                    }
                };
                move_into(kept, &from, &parent, name, path)?;
            }
        }
        Ok(())
    }
}

/// Writes a file with mode, owner, access list and labels of one that is kept in the same folder.
pub(super) fn write_like(
    folder: &OpenFolder,
    model: &str,
    state: &State,
    name: &str,
    content: &[u8],
    path: &str,
) -> Result<(), RootfsFault> {
    let State::File { mode, uid, gid, .. } = state else { return Ok(()) };
    let owner = own_identity().is_none().then_some(Owner { uid: *uid, gid: *gid });
    let file = write_new(folder, name, content, *mode, owner, path)?;
    if folder.look(model).is_ok_and(|found| found.is_some()) {
        let old = open_to_read(folder, model, path)?;
        copy_attributes(old.as_fd(), file.as_fd(), Lists::Too, path)?;
    }
    rustix::fs::fsync(&file).map_err(|errno| RootfsFault::refused("written", path, errno))
}
