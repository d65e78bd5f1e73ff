//! Files that are written for root, or changed in part.

use std::collections::BTreeSet;

use impostazione_rootfs::{Owner, RootfsFault, State, Subject, View, Want};

/// A file of root's.
pub(super) fn root_file(bytes: impl Into<Vec<u8>>, mode: u32) -> Want {
    Want::File { bytes: impostazione_text::FileBytes::new(bytes), mode, owner: Owner::ROOT }
}

/// The edited content of a file that is there: it keeps mode and owner, and loses what an access list let others do.
pub(super) fn edited(
    view: View<'_>,
    path: &str,
    bytes: impl Into<Vec<u8>>,
    mode: u32,
) -> Result<Want, RootfsFault> {
    let (mode, owner) = match view.state(path)? {
        State::File { mode, uid, gid, access_list, .. } => {
            (access_list.map_or(mode, |list| list.mode_without(mode)), Owner { uid, gid })
        }
        _ => (mode, Owner::ROOT),
    };
    Ok(Want::File { bytes: impostazione_text::FileBytes::new(bytes), mode, owner })
}

/// What a path of an output is about.
pub(super) fn subject_of(path: &str) -> Subject {
    const SUBJECTS: [(&str, Subject); 12] = [
        ("etc/netplan/", Subject::Network),
        ("etc/systemd/network/", Subject::Network),
        ("etc/systemd/resolved", Subject::Network),
        ("etc/host", Subject::Names),
        ("etc/ssh/", Subject::Ssh),
        ("etc/systemd/system/", Subject::Ssh),
        ("etc/sudoers", Subject::Accounts),
        ("etc/systemd/timesyncd", Subject::Time),
        ("etc/chrony", Subject::Time),
        ("etc/timezone", Subject::Time),
        ("etc/localtime", Subject::Time),
        ("etc/", Subject::Language),
    ];
    SUBJECTS
        .iter()
        .find(|(start, _)| path.starts_with(start))
        .map_or(Subject::Network, |(_, subject)| *subject)
}

/// What is written before a line that no longer counts.
pub(super) const SET_ASIDE: &str = "# set aside by Impostazione: ";

/// A text in which lines, counted from 1, are remarks.
pub(super) fn lines_set_aside(text: &str, numbers: &BTreeSet<usize>) -> String {
    let mut new = String::with_capacity(text.len() + numbers.len() * SET_ASIDE.len());
    for (index, line) in text.split_inclusive('\n').enumerate() {
        if numbers.contains(&(index + 1)) {
            new.push_str(SET_ASIDE);
        }
        new.push_str(line);
    }
    new
}
