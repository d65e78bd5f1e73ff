//! What a root filesystem has become since it was placed: what others have added stays, and what they have changed of ours is
//! told.

use impostazione_rootfs::{
    Change, Owner, Record, Remains, Rootfs, RootfsFault, Since, State, Step, View, Want,
    is_for_the_host_to_change, own_identity,
};
use impostazione_text::FileBytes;

use super::changed_since::ChangedSince;
use super::entries::{Stand, TouchedEntry, stand, with_touched};
use super::form::{EntryForm, Form, entries_of, form_of};
use super::lines::MergedLines;

/// What becomes of what somebody has changed since a placement.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Keeping<'a> {
    /// It stays where it can.
    #[default]
    All,
    /// It goes.
    Nothing,
    /// Some goes: by the number among all that was changed.
    AllBut(&'a [usize]),
}

impl Keeping<'_> {
    fn keeps(self, number: usize) -> bool {
        match self {
            Self::All => true,
            Self::Nothing => false,
            Self::AllBut(numbers) => !numbers.contains(&number),
        }
    }
}

/// What has become of a placement.
#[derive(Clone, Debug, Default)]
pub(crate) struct Become {
    /// What files hold when it is taken back, where others have added something.
    pub(crate) remains: Remains,
    /// What somebody has changed of what was placed.
    touched: Vec<Touched>,
}

/// Something of a placement that somebody has changed.
#[derive(Clone, Debug)]
struct Touched {
    /// The number of the step.
    step: usize,
    path: String,
    detail: Detail,
    /// Whether it is now as it was before the placement.
    is_as_before: bool,
}

#[derive(Clone, Debug)]
enum Detail {
    /// An entry of a file.
    Entry(&'static EntryForm, TouchedEntry),
    /// The file, link or folder as a whole.
    Whole(State),
    /// Its mode, its owner or its access list.
    Access,
}

impl Become {
    /// Looks what has become of each step of a placement.
    pub(crate) fn of(rootfs: &Rootfs, record: &Record, since: &[Since]) -> Result<Self, RootfsFault> {
        let mut become_ = Self::default();
        for (number, (step, since)) in record.steps.iter().zip(since).enumerate() {
            become_.step(rootfs, record, number, step, since)?;
        }
        Ok(become_)
    }

    fn step(
        &mut self,
        rootfs: &Rootfs,
        record: &Record,
        number: usize,
        step: &Step,
        since: &Since,
    ) -> Result<(), RootfsFault> {
        let Since::Changed(now) = since else { return Ok(()) };
        let touch = |detail: Detail, is_as_before: bool| Touched {
            step: number,
            path: step.path.to_string(),
            detail,
            is_as_before,
        };
        let is_access_of_before = !had_no_entries(step) && has_same_access(now, &step.before);
        if !has_same_access(now, step.meant()) && !is_access_of_before {
            self.touched.push(touch(Detail::Access, false));
            if now.says_the_same(step.meant()) {
                return Ok(());
            }
        }
        if let Some(texts) = texts(rootfs, record, number, step, now)? {
            let Texts { placed, before, now: text } = &texts;
            match form_of(&step.path) {
                Form::Entries(form) => {
                    let merged = super::entries::merge(form, placed, before, text);
                    let found = merged.touched.into_iter();
                    self.touched.extend(found.map(|entry| {
                        let is_as_before = entry.is_as_before;
                        touch(Detail::Entry(form, entry), is_as_before)
                    }));
                    self.remain(number, before, merged.text);
                    return Ok(());
                }
                Form::Lines if placed != text => {
                    if let MergedLines::Apart(text) = super::lines::merge(placed, before, text) {
                        self.remain(number, before, text);
                        return Ok(());
                    }
                }
                // Mode or owner alone.
                Form::Lines => {}
            }
        }
        let is_as_before = *now == step.before;
        self.touched.push(touch(Detail::Whole(now.clone()), is_as_before));
        Ok(())
    }

    fn remain(&mut self, number: usize, before: &str, text: String) {
        if text != before {
            self.remains.insert(number, FileBytes::new(text));
        }
    }

    /// What somebody has changed.
    pub(crate) fn changed_since(&self) -> Vec<ChangedSince> {
        self.touched.iter().map(|touched| touched.told(false)).collect()
    }

    /// Puts into planned changes what stays of what somebody has changed; gives all that was changed and that the plan would
    /// have otherwise. What the host itself fills in stays without being told.
    pub(crate) fn keep(
        &self,
        rootfs: &Rootfs,
        record: &Record,
        changes: &mut [Change],
        (keeping, is_same_machine): (Keeping<'_>, bool),
    ) -> Result<Vec<ChangedSince>, RootfsFault> {
        let mut told = Vec::new();
        for touched in &self.touched {
            let change = changes.iter_mut().find(|change| change.path == touched.path.as_str());
            let Some(stays) = touched.can_stay(record, change.as_deref(), is_same_machine) else { continue };
            let is_kept = stays && keeping.keeps(told.len());
            if is_kept && let Some(change) = change {
                touched.put_into(rootfs, change)?;
            }
            told.push(ChangedSince { stays: Some(is_kept), ..touched.told(stays) });
        }
        Ok(told)
    }
}

/// Has files of entries keep the order in which they stand now: a file that says the same does not change.
pub(crate) fn keep_order(rootfs: &Rootfs, changes: &mut [Change]) -> Result<(), RootfsFault> {
    for change in changes {
        let (Some(form), Some(text)) = (entries_of(&change.path), text_of(change)) else { continue };
        if !matches!(View::of(rootfs).state(&change.path)?, State::File { .. }) {
            continue;
        }
        let now = rootfs.read(&change.path)?.and_then(|bytes| String::from_utf8(bytes.to_vec()).ok());
        if let (Some(now), Want::File { bytes, .. }) = (now, &mut change.want) {
            *bytes = FileBytes::new(super::entries::in_order_of(form, &text, &now));
        }
    }
    Ok(())
}

/// Has what the host itself fills in, such as its machine id, stay as it is.
pub(crate) fn keep_identity(
    rootfs: &Rootfs,
    record: &Record,
    changes: &mut [Change],
) -> Result<(), RootfsFault> {
    for change in changes {
        let Some((_, step)) = record.step(&change.path) else { continue };
        if is_for_the_host_to_change(step) && step.meant() == &change.state(own_identity()) {
            let now = View::of(rootfs).state(&change.path)?;
            if now != *step.meant() && now != step.before {
                stay(rootfs, change, &now)?;
            }
        }
    }
    Ok(())
}

impl Touched {
    /// Whether what was changed could stay beside what the plan does; nothing where the plan has it just so.
    fn can_stay(&self, record: &Record, change: Option<&Change>, is_same_machine: bool) -> Option<bool> {
        let Some(change) = change else {
            // The path is put back as it was.
            return (!self.is_as_before).then_some(false);
        };
        match &self.detail {
            Detail::Entry(form, entry) => match stand(form, &text_of(change)?, entry) {
                Stand::Same => None,
                Stand::Without => Some(false),
                Stand::Other => Some(is_same_machine),
            },
            Detail::Access => Some(false),
            Detail::Whole(now) => {
                let planned = change.state(own_identity());
                if planned == *now {
                    return None;
                }
                // Where the output says what it said, nothing else is asked of the path.
                let step = record.steps.get(self.step)?;
                Some(is_same_machine && planned == *step.meant() && !now.is_absent())
            }
        }
    }

    fn put_into(&self, rootfs: &Rootfs, change: &mut Change) -> Result<(), RootfsFault> {
        match &self.detail {
            Detail::Entry(form, entry) => {
                let Some(text) = text_of(change) else { return Ok(()) };
                let meant = change.want.clone();
                if let Want::File { bytes, .. } = &mut change.want {
                    *bytes = FileBytes::new(with_touched(form, &text, &[entry]));
                }
                change.meant.get_or_insert(meant);
                Ok(())
            }
            Detail::Whole(now) => stay(rootfs, change, now),
            Detail::Access => Ok(()),
        }
    }

    fn told(&self, can_stay: bool) -> ChangedSince {
        let (entry, what, is_gone) = match &self.detail {
            Detail::Entry(form, entry) => {
                let words = entry.fields.iter().map(|field| form.word(field.number)).collect();
                (Some(entry.key.name.clone()), words, entry.is_gone)
            }
            Detail::Whole(now) => (None, Vec::new(), now.is_absent()),
            Detail::Access => (None, vec!["mode", "owner"], false),
        };
        let is_as_before = self.is_as_before;
        ChangedSince { path: self.path.clone(), entry, what, is_gone, is_as_before, can_stay, stays: None }
    }
}

/// Whether the same people may do the same with two paths.
fn has_same_access(one: &State, other: &State) -> bool {
    let access = |state: &State| match state {
        State::File { mode, uid, gid, access_list, .. } | State::Folder { mode, uid, gid, access_list } => {
            Some((*mode, *uid, *gid, access_list.clone()))
        }
        State::Absent | State::Link { .. } => None,
    };
    match (access(one), access(other)) {
        (Some(one), Some(other)) => one == other,
        _ => true,
    }
}

/// Has a path stay as it is now.
fn stay(rootfs: &Rootfs, change: &mut Change, now: &State) -> Result<(), RootfsFault> {
    let want = match now {
        State::Absent => Want::Absent,
        State::Link { target, .. } => Want::Link(target.clone()),
        State::Folder { mode, uid, gid, .. } => {
            Want::Folder { mode: *mode, owner: Owner { uid: *uid, gid: *gid } }
        }
        State::File { mode, uid, gid, .. } => {
            let Some(bytes) = rootfs.read(&change.path)? else { return Ok(()) };
            Want::File { bytes, mode: *mode, owner: Owner { uid: *uid, gid: *gid } }
        }
    };
    let meant = std::mem::replace(&mut change.want, want);
    change.meant.get_or_insert(meant);
    Ok(())
}

fn text_of(change: &Change) -> Option<String> {
    match &change.want {
        Want::File { bytes, .. } => std::str::from_utf8(bytes).ok().map(str::to_owned),
        _ => None,
    }
}

/// Whether the file at a path has entries, to which others add theirs.
pub(crate) fn has_entries(path: &str) -> bool {
    entries_of(path).is_some()
}

/// Whether a step made a file of entries where none was.
fn had_no_entries(step: &Step) -> bool {
    step.before.is_absent() && has_entries(&step.path)
}

/// The three texts of a file that was replaced, or made.
struct Texts {
    placed: String,
    before: String,
    now: String,
}

/// The texts of a step's file as it was placed, before, and now; nothing where they are not all there.
fn texts(
    rootfs: &Rootfs,
    record: &Record,
    number: usize,
    step: &Step,
    now: &State,
) -> Result<Option<Texts>, RootfsFault> {
    let is_file = |state: &State| matches!(state, State::File { .. });
    // Where there was no file of entries, there were none.
    let had_none = had_no_entries(step);
    if !((is_file(&step.before) || had_none) && is_file(step.meant()) && is_file(now)) {
        return Ok(None);
    }
    let text = |bytes: Option<FileBytes>| bytes.and_then(|bytes| String::from_utf8(bytes.to_vec()).ok());
    let placed = text(record.read_meant(rootfs, number)?);
    let before = if had_none { Some(String::new()) } else { text(record.read_kept(rootfs, number)?) };
    let now = text(rootfs.read(&step.path)?);
    Ok(match (placed, before, now) {
        (Some(placed), Some(before), Some(now)) => Some(Texts { placed, before, now }),
        _ => None,
    })
}

/// The names of a file's entries, where it has such.
pub(crate) fn entry_names(path: &str, text: &str) -> Vec<String> {
    entries_of(path).map(|form| text.lines().filter_map(form.name).collect()).unwrap_or_default()
}
