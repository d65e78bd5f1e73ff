//! What differs between an output and a root filesystem.

use impostazione_rootfs::{Change, Kind, Rootfs, RootfsFault, Want};

use super::comparison::{Comparison, Difference, DifferenceKind, DifferencePlace, difference};
use super::shown::shown;
use crate::finding::Finding;
use crate::placing::{PendingChanges, Placing};
use crate::views::difference::different_lines;

/// What differs between an output and a root filesystem: what placing it again would change. The output is the first. What
/// would keep it from being placed may hide a change, and is among what could not be compared.
pub fn compare_rootfs(
    rootfs: &Rootfs,
    machine: &str,
    placing: &Placing,
    pending: &PendingChanges<'_>,
) -> Result<Comparison, RootfsFault> {
    let mut differences = Vec::new();
    for change in &pending.changes {
        let mut found = of_change(rootfs, machine, change)?;
        // Lines that differ speak for themselves.
        if found.lines.is_empty() {
            found.message = Some(change.why.clone()).filter(|why| !why.is_empty());
        }
        differences.push(found);
    }
    for path in &pending.back {
        differences.push(difference(machine, DifferencePlace::file(*path), DifferenceKind::OnlySecond));
    }
    // What cannot be put back is among those already.
    for changed in &placing.assessment.changed_since {
        if !differences.iter().any(|known| known.at.file.as_deref() == Some(changed.path.as_str())) {
            let at = DifferencePlace::file(changed.path.as_str());
            differences.push(difference(machine, at, DifferenceKind::Differs));
        }
    }
    let mut comparison = Comparison { differences, not_compared: Vec::new() };
    for finding in placing.assessment.findings.iter().filter(|finding| Finding::bars_rendering(finding)) {
        comparison.leave_out("the root filesystem", Some(machine), finding.message.trim_end_matches('.'));
    }
    comparison.sort();
    Ok(comparison)
}

fn of_change(rootfs: &Rootfs, machine: &str, change: &Change) -> Result<Difference, RootfsFault> {
    let there = rootfs.look(&change.path)?;
    let mut found = difference(
        machine,
        DifferencePlace::file(change.path.clone()),
        match (&change.want, there) {
            (Want::Absent, _) => DifferenceKind::OnlySecond,
            (_, None) => DifferenceKind::OnlyFirst,
            _ => DifferenceKind::Differs,
        },
    );
    let Some(there) = there else { return Ok(found) };
    match &change.want {
        Want::Link(target) => {
            found.first = Some(format!("a link to {target}"));
            found.second = Some(match rootfs.target(&change.path)? {
                Some(target) => format!("a link to {target}"),
                None if there.kind == Kind::Folder => "a folder".to_owned(),
                None => "a file".to_owned(),
            });
        }
        Want::File { bytes, mode, .. } => {
            let now = Placing::content_now(rootfs, change).unwrap_or_default();
            if now.as_bytes() == &bytes[..] {
                found.first = Some(format!("mode {mode:04o}"));
                found.second = Some(format!("mode {:04o}", there.mode));
                if *mode == there.mode {
                    (found.first, found.second) = (None, Some("another owner".to_owned()));
                }
                return Ok(found);
            }
            let is_open = !change.is_secret;
            match (shown(&change.path, bytes, is_open), shown(&change.path, now.as_bytes(), is_open)) {
                (Some(first), Some(second)) if first != second => {
                    found.lines = different_lines(&first, &second);
                }
                _ => found.kind = DifferenceKind::SecretDiffers,
            }
        }
        Want::Folder { mode, .. } => {
            found.first = Some(format!("mode {mode:04o}"));
            found.second = Some(format!("mode {:04o}", there.mode));
        }
        Want::Absent => {}
    }
    Ok(found)
}
