//! Laying a placement ready, and making it.

use std::os::fd::AsFd as _;

use rustix::io::Errno;

use super::super::change::{Change, Owner, Want};
use super::super::digest::digest;
use super::super::entries::{
    Lists, copy, copy_attributes, make_folder, open_folder, open_to_read, own_identity, write_new,
};
use super::super::folder::{Rootfs, RootfsFault};
use super::super::path::RootfsPath;
use super::super::record::{
    FORMAT, FolderTimes, KEPT, MEANT, NEW, RECORD, RECORD_FOLDER, Record, Step, UNDER_WAY, own_name,
};
use super::super::remains::Remains;
use super::super::state::State;
use super::super::times::{self, remember_times};
use super::carrying::{Parents, carry_out, finish, write_record};
use super::leftovers::{clear_leftovers, tidy};
use super::since::{Since, check_reach, since_step};
use super::undoing::{undo, write_like};
use crate::open_folder::OpenFolder;

/// Largest file of which it is kept what the output has: others that were changed since are taken as a whole.
const MEANT_LIMIT: usize = 1024 * 1024;

/// What a placement is to be remembered by.
#[derive(Clone, Debug)]
pub struct PlacementFacts {
    /// The machine.
    pub machine: String,
    /// Digest of its output.
    pub output: String,
    /// When, as the administrator's clock has it.
    pub placed: String,
    /// Accounts of the output.
    pub accounts: Vec<String>,
    /// Users that the image has.
    pub image_users: Vec<String>,
    /// Whether the host is given an identity of its own.
    pub fresh_identity: bool,
}

/// A placement whose place another takes.
#[derive(Clone, Copy, Debug)]
pub struct Earlier<'a> {
    /// Its record.
    pub record: &'a Record,
    /// What would remain if it was taken back.
    pub remains: &'a Remains,
    /// What has become of its steps, as was found when this was planned.
    pub since: &'a [Since],
}

/// Carries changes out. A placement that is there is named, and the changes are from what was before it; paths that it changed
/// and that are not among them are put back.
pub fn place(
    rootfs: &Rootfs,
    changes: &[Change],
    facts: &PlacementFacts,
    earlier: Option<Earlier<'_>>,
) -> Result<Record, RootfsFault> {
    match earlier {
        None => clear_leftovers(rootfs)?,
        Some(earlier) => check_reach(rootfs, earlier.record)?,
    }
    let mut making = Making::begin(rootfs, earlier)?;
    let record = match making.lay_ready(changes, facts) {
        Ok(record) => record,
        Err(fault) => {
            // Nothing was changed yet. What cannot be cleared now is cleared by the next command.
            let Making { folder, .. } = making;
            let _ = match earlier {
                None => {
                    drop(folder);
                    clear_leftovers(rootfs)
                }
                Some(earlier) => tidy(&folder, earlier.record),
            };
            return Err(fault);
        }
    };
    let done = carry_out(rootfs, &making.new, &mut making.parents, &record)
        .and_then(|left_folders| finish(&making.folder, Record { left_folders, ..record.clone() }));
    drop(making);
    done.map_err(|fault| {
        let is_back = earlier.is_none() && undo(rootfs, &record, &Remains::default()).is_ok();
        RootfsFault::CutShort { fault: Box::new(fault), is_back }
    })
}

/// The folder of the record while a placement is laid ready.
struct Making<'a> {
    rootfs: &'a Rootfs,
    earlier: Option<Earlier<'a>>,
    generation: u32,
    folder: OpenFolder,
    kept: OpenFolder,
    new: OpenFolder,
    meant: OpenFolder,
    own: Option<Owner>,
    /// Folders above that of the record, which were not there.
    made_folders: Vec<RootfsPath>,
    /// Times of folders before anything in them was changed.
    folders: Vec<FolderTimes>,
    parents: Parents,
}

impl<'a> Making<'a> {
    fn begin(rootfs: &'a Rootfs, earlier: Option<Earlier<'a>>) -> Result<Self, RootfsFault> {
        let (made_folders, folders, generation) = match earlier {
            Some(Earlier { record, .. }) => {
                let folder = open_folder(rootfs, RECORD_FOLDER)?;
                if Record::read_in(&folder).ok().flatten().as_ref() != Some(record) {
                    return Err(RootfsFault::ChangedMeanwhile(format!("{RECORD_FOLDER}/{RECORD}")));
                }
                tidy(&folder, record)?;
                (record.made_folders.clone(), record.folders.clone(), record.generation.saturating_add(1))
            }
            None => {
                let (made, folders) = make_record_folder(rootfs)?;
                (made, folders, 0)
            }
        };
        let folder = open_folder(rootfs, RECORD_FOLDER)?;
        let inner = |name: &str| {
            let made = match folder.make_folder(name, 0o700) {
                Err(Errno::EXIST) => folder.enter(name),
                made => made,
            };
            made.map_err(|errno| RootfsFault::refused("made", &format!("{RECORD_FOLDER}/{name}"), errno))
        };
        let (kept, new, meant) = (inner(KEPT)?, inner(NEW)?, inner(MEANT)?);
        let (own, parents) = (own_identity(), Parents::default());
        Ok(Self {
            rootfs,
            earlier,
            generation,
            folder,
            kept,
            new,
            meant,
            own,
            made_folders,
            folders,
            parents,
        })
    }

    /// Writes everything new, keeps everything old, and writes the record with its mark.
    fn lay_ready(&mut self, changes: &[Change], facts: &PlacementFacts) -> Result<Record, RootfsFault> {
        let mut steps: Vec<Step> = Vec::new();
        let mut not_owned = Vec::new();
        for change in changes {
            let step = self.step(steps.len(), change)?;
            if self.own.is_some_and(|own| !belongs_as_wanted(&change.want, own)) {
                not_owned.push(change.path.clone());
            }
            steps.push(step);
        }
        if let Some(Earlier { record, .. }) = self.earlier {
            for (number, step) in record.steps.iter().enumerate().rev() {
                if !changes.iter().any(|change| change.path == step.path) {
                    let back = self.back(steps.len(), number, step)?;
                    steps.push(back);
                }
            }
        }
        let record = Record {
            format: FORMAT,
            machine: facts.machine.clone(),
            output: facts.output.clone(),
            placed: facts.placed.clone(),
            steps,
            folders: std::mem::take(&mut self.folders),
            made_folders: self.made_folders.clone(),
            accounts: facts.accounts.clone(),
            image_users: Some(facts.image_users.clone()),
            fresh_identity: facts.fresh_identity,
            not_owned,
            generation: self.generation,
            is_under_way: false,
            is_to_complete: false,
            left_folders: Vec::new(),
        };
        let bytes = record.bytes()?;
        // One that takes the place of another is completed, and does so from when its record is there.
        let mark = self.earlier.map(|_| digest(&bytes)).unwrap_or_default();
        write_new(&self.folder, UNDER_WAY, mark.as_bytes(), 0o600, None, UNDER_WAY)?;
        write_record(&self.folder, &bytes)?;
        times::take_note_away(self.rootfs)?;
        Ok(record)
    }

    /// Lays a change ready.
    fn step(&mut self, number: usize, change: &Change) -> Result<Step, RootfsFault> {
        let of_earlier = self.earlier.and_then(|earlier| earlier.record.step(&change.path));
        let (now, before, kept) = match of_earlier {
            Some((old_number, old)) => {
                let now = self.now(old_number, old)?;
                let (before, kept) = self.keep_again(number, old_number, old)?;
                (now, before, kept)
            }
            None => {
                let before = self.keep(number, change)?;
                if before != change.before {
                    return Err(RootfsFault::ChangedMeanwhile(change.path.to_string()));
                }
                (before.clone(), before, None)
            }
        };
        let after = change.state(self.own);
        if let Want::File { bytes, mode, owner } = &change.want
            && now != after
        {
            let owner = self.own.map_or(Some(*owner), |_| None);
            self.stage(number, change, bytes, *mode, owner, &now)?;
        }
        // From what the output has one tells later what others have changed in a file that is not ours alone.
        let is_shared = matches!(before, State::File { .. }) || change.has_entries && before.is_absent();
        if let Want::File { bytes, .. } = change.meant.as_ref().unwrap_or(&change.want)
            && is_shared
            && bytes.len() <= MEANT_LIMIT
            && self.rootfs.on_boot_partition(&change.path).is_none()
        {
            write_new(&self.meant, &own_name(self.generation, number), bytes, 0o600, None, &change.path)?;
        }
        self.remember(&change.path, &before, &after)?;
        Ok(Step {
            path: change.path.clone(),
            subject: change.subject.into(),
            why: change.why.clone(),
            before,
            after,
            meant: change.meant_state(self.own),
            kept,
            is_back: false,
            is_made_up: change.is_made_up,
            is_on_another: self.rootfs.is_on_another(&change.path)?,
        })
    }

    /// Lays ready what was before, or remains, at a path that the earlier placement changed and this one does not.
    fn back(&mut self, number: usize, old_number: usize, old: &Step) -> Result<Step, RootfsFault> {
        let now = self.now(old_number, old)?;
        let (before, kept) = self.keep_again(number, old_number, old)?;
        if now != before
            && let State::File { .. } = &before
        {
            let from = kept.clone().unwrap_or_else(|| own_name(self.generation, number));
            copy(&self.kept, &from, &self.new, &number.to_string(), &old.path)?;
        }
        Ok(Step { after: before.clone(), before, kept, meant: None, is_back: true, ..old.clone() })
    }

    /// The state of a path that the earlier placement changed, which must be as it was found when this was planned.
    fn now(&self, number: usize, old: &Step) -> Result<State, RootfsFault> {
        let Some(earlier) = self.earlier else { return Ok(State::Absent) };
        let since = since_step(self.rootfs, earlier.record, old)?;
        if earlier.since.get(number) != Some(&since) {
            return Err(RootfsFault::ChangedMeanwhile(old.path.to_string()));
        }
        self.rootfs.state(&old.path)
    }

    /// How a path is to be when this placement is taken back, and the name under which the earlier one keeps it; what remains
    /// is kept again.
    fn keep_again(
        &self,
        number: usize,
        old_number: usize,
        old: &Step,
    ) -> Result<(State, Option<String>), RootfsFault> {
        let Some(earlier) = self.earlier else { return Ok((State::Absent, None)) };
        let before = earlier.remains.state(old_number, old);
        let old_name = earlier.record.kept_name(old_number);
        let Some(content) = earlier.remains.content(old_number) else { return Ok((before, Some(old_name))) };
        let name = own_name(self.generation, number);
        write_like(&self.kept, &old_name, &before, &name, content, &old.path)?;
        Ok((before, None))
    }

    /// Remembers when the list of a folder last changed, in which something is about to.
    fn remember(&mut self, path: &RootfsPath, before: &State, after: &State) -> Result<(), RootfsFault> {
        let is_on_boot_partition = self.rootfs.on_boot_partition(path).is_some();
        if !is_on_boot_partition && (!before.is_absent() || !after.is_absent()) {
            remember_times(self.rootfs, times::folder_of(path).as_ref(), &mut self.folders)?;
        }
        Ok(())
    }

    /// Keeps what stands at a path: by a second name for it where the filesystem has them, else by a copy.
    fn keep(&mut self, number: usize, change: &Change) -> Result<State, RootfsFault> {
        let path = change.path.as_str();
        if let Some((boot, name)) = self.rootfs.on_boot_partition(path) {
            if let Some(bytes) = boot.read(path, name)? {
                write_new(&self.kept, &own_name(self.generation, number), &bytes, 0o600, None, path)?;
            }
            return boot.state(path, name);
        }
        let Some((parent, name)) = self.parents.of(self.rootfs, path)? else { return Ok(State::Absent) };
        let before = State::at(parent, name, path)?;
        match &before {
            State::Absent | State::Folder { .. } => return Ok(before),
            State::File { .. } | State::Link { .. } => {}
        }
        let kept = own_name(self.generation, number);
        match parent.link_into(name, &self.kept, &kept) {
            Ok(()) => Ok(before),
            Err(Errno::XDEV | Errno::PERM | Errno::MLINK | Errno::NOTSUP | Errno::ACCESS) => {
                copy(parent, name, &self.kept, &kept, path)?;
                Ok(before)
            }
            Err(errno) => Err(RootfsFault::refused("kept", path, errno)),
        }
    }

    /// Writes what is to stand at a path; it has the labels of what it replaces, and no access list.
    fn stage(
        &mut self,
        number: usize,
        change: &Change,
        bytes: &[u8],
        mode: u32,
        owner: Option<Owner>,
        before: &State,
    ) -> Result<(), RootfsFault> {
        let name = number.to_string();
        let file = write_new(&self.new, &name, bytes, mode, owner, &change.path)?;
        if matches!(before, State::File { .. })
            && self.rootfs.on_boot_partition(&change.path).is_none()
            && let Some((parent, old)) = self.parents.of(self.rootfs, &change.path)?
        {
            let old = open_to_read(parent, old, &change.path)?;
            copy_attributes(old.as_fd(), file.as_fd(), Lists::Not, &change.path)?;
        }
        Ok(())
    }
}

/// Makes the folder of the record; gives those above it that were made, and the times of the one that stays.
fn make_record_folder(rootfs: &Rootfs) -> Result<(Vec<RootfsPath>, Vec<FolderTimes>), RootfsFault> {
    let record_folder = RootfsPath::fixed(RECORD_FOLDER);
    let missing = times::missing_above(rootfs, &record_folder)?;
    let mut folders = Vec::new();
    remember_times(rootfs, missing.folder.as_ref(), &mut folders)?;
    // Until the record says it: what is laid ready may be cut off at any moment.
    times::note(rootfs, missing.folder.as_ref(), &missing.made, &folders)?;
    for path in &missing.made {
        make_folder(rootfs, path, 0o755, None)?;
    }
    make_folder(rootfs, RECORD_FOLDER, 0o700, None)?;
    Ok((missing.made, folders))
}

fn belongs_as_wanted(want: &Want, own: Owner) -> bool {
    match want {
        Want::File { owner, .. } | Want::Folder { owner, .. } => *owner == own,
        Want::Link(_) | Want::Absent => true,
    }
}
