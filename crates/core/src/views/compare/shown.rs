//! What may be shown of two files that differ.

use impostazione_rootfs::{Change, Rootfs, Want};

use super::comparison::{Difference, DifferenceKind};
use crate::host::{ACCOUNTS_PATH, NETPLAN_PATH};
use crate::output::HostContent;
use crate::placing::Placing;
use crate::views::difference::{DifferentLine, different_lines};

/// A file as it is compared.
pub(super) struct Compared<'a> {
    pub(super) content: &'a HostContent,
    /// Whether everybody may read it.
    pub(super) is_open: bool,
}

/// Whether everybody may read what has these permission bits.
pub(super) fn is_open(mode: u32) -> bool {
    mode & 0o004 != 0
}

impl Difference {
    /// Says how two contents of a file differ, as far as that may be shown.
    pub(super) fn say_content(&mut self, path: &str, first: &Compared<'_>, second: &Compared<'_>) {
        match (first.content, second.content) {
            (HostContent::Bytes(old), HostContent::Bytes(new)) => {
                match (shown(path, old, first.is_open), shown(path, new, second.is_open)) {
                    (Some(old), Some(new)) if old != new => self.lines = different_lines(&old, &new),
                    _ => self.kind = DifferenceKind::SecretDiffers,
                }
            }
            (old, new) => (self.first, self.second) = (Some(leads_to(old)), Some(leads_to(new))),
        }
    }
}

fn leads_to(content: &HostContent) -> String {
    match content {
        HostContent::Link(target) => format!("a link to {target}"),
        HostContent::Bytes(_) => "a file".to_owned(),
    }
}

/// What may be shown of a file; nothing of one that is kept from others, but for netplan's and the list of logins, of which
/// all may be shown but the values.
pub(super) fn shown(path: &str, bytes: &[u8], is_open: bool) -> Option<String> {
    let text = std::str::from_utf8(bytes).ok()?;
    if path.ends_with(NETPLAN_PATH) {
        return Some(without_values(text, &["password:", "password: "]));
    }
    if path.ends_with(ACCOUNTS_PATH) {
        return Some(without_values(text, &["\"password_hash\":"]));
    }
    is_open.then(|| text.to_owned())
}

/// A text with what comes after these keys left out.
fn without_values(text: &str, keys: &[&str]) -> String {
    let mut shown = String::with_capacity(text.len());
    for line in text.lines() {
        let hidden = keys.iter().find_map(|key| Some(line.find(key)? + key.len()));
        match hidden {
            Some(end) if !line.get(end..).is_some_and(|rest| rest.trim_start().starts_with("null")) => {
                shown += line.get(..end).unwrap_or_default();
                shown += " (not shown)";
            }
            _ => shown += line,
        }
        shown.push('\n');
    }
    shown
}

/// The lines that a change of a file brings and takes, for showing before it is made; nothing where they are kept from
/// others.
pub fn lines_of_change(rootfs: &Rootfs, change: &Change) -> Vec<DifferentLine> {
    let Want::File { bytes, .. } = &change.want else { return Vec::new() };
    let Some(now) = Placing::content_now(rootfs, change) else { return Vec::new() };
    let is_open = !change.is_secret;
    match (shown(&change.path, now.as_bytes(), is_open), shown(&change.path, bytes, is_open)) {
        (Some(first), Some(second)) => different_lines(&first, &second),
        _ => Vec::new(),
    }
}
