//! Whether a folder is a root filesystem that can be placed on at all.

use impostazione_rootfs::Want;
use impostazione_text::ByteSize;

use super::case::RootfsCase;
use super::found::RootfsFindings;
use crate::finding::{Examples, Nature, Rule, Severity};

pub(super) static NOT_LINUX: Rule = Rule {
    name: "rootfs-not-linux",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a folder is no root filesystem of a Linux system",
    explanation: "A root filesystem says in etc/os-release what it is. A folder without that file is the wrong partition of \
        a card, most often the small one that it boots from, or no mount at all. Nothing is written to it.",
    wrong: "# a root filesystem\n\"etc/os-release\" = false\n",
    right: "# a root filesystem\n\"etc/os-release\" = \"ID=debian\\nVERSION_ID=12\\n\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static IS_RUNNING_SYSTEM: Rule = Rule {
    name: "rootfs-is-running-system",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a root filesystem is that of the system that runs",
    explanation: "Placing is for hosts that have not started yet. On the system that runs it would cut the \
        administrator's own workplace off from the network. The folder is the running one's, or leads to it by another mount.",
    wrong: "# a root filesystem\nmount.is_running = true\n",
    right: "# a root filesystem\nmount.is_running = false\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static READ_ONLY: Rule = Rule {
    name: "rootfs-read-only",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a root filesystem is mounted so that nothing can be written",
    explanation: "The card has a switch that is set, or the filesystem was mounted read-only, often because it was not taken \
        out cleanly and wants to be checked. Mount it again to be written.",
    wrong: "# a root filesystem\nmount.read_only = true\n",
    right: "# a root filesystem\nmount.read_only = false\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static NO_SPACE: Rule = Rule {
    name: "rootfs-no-space",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a root filesystem has no room for a placement",
    explanation: "A placement writes a few dozen small files, and keeps what it replaces. A filesystem as full as that would \
        not let the host start either: enlarge the partition, or take something away.",
    wrong: "# a root filesystem\nmount.free = \"4 KiB\"\n",
    right: "# a root filesystem\nmount.free = \"4 MiB\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static ODD_PATH: Rule = Rule {
    name: "rootfs-odd-path",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a name on a root filesystem would lead a placement elsewhere",
    explanation: "Homes in etc/passwd, and names after WantedBy, RequiredBy and Alias in units, say where something is to be \
        made. One with \"..\" in it ends in another folder than it seems, or outside the root filesystem altogether. Nobody \
        writes such a name by accident: find out who made the image before it is used.",
    wrong: "# a root filesystem\n\"etc/passwd\" = \"root:x:0:0:root:/root:/bin/bash\\nkeeper:x:1000:1000::/home/../..:/bin/bash\\n\"\n",
    right: "# a root filesystem\n\"etc/passwd\" = \"root:x:0:0:root:/root:/bin/bash\\nkeeper:x:1000:1000::/home/keeper/:/bin/bash\\n\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

/// What a small file takes on disk, and what the record takes beside.
const BLOCK: u64 = 4096;

pub(super) fn check(case: &RootfsCase<'_>, found: &mut RootfsFindings) {
    if case.is_running {
        found.whole(
            &IS_RUNNING_SYSTEM,
            format!("{} is the root filesystem of the system that is running.", case.name),
            "mount the card, or unpack the image, and name that folder",
        );
        return;
    }
    if case.survey.system.is_none() {
        found.whole(
            &NOT_LINUX,
            format!("{} has neither etc/os-release nor usr/lib/os-release.", case.name),
            "name the folder in which the root partition is mounted: it has etc, usr and var in it",
        );
        return;
    }
    if case.room.is_read_only {
        found.whole(
            &READ_ONLY,
            format!("{} is mounted read-only.", case.name),
            format!("check the filesystem, and mount it again: mount -o remount,rw {}", case.name),
        );
        return;
    }
    let Some((_, plan)) = case.placing else { return };
    let blocks = |bytes: usize| (bytes as u64).div_ceil(BLOCK).max(1) * BLOCK;
    let bytes: u64 = plan
        .changes
        .iter()
        .map(|change| match &change.want {
            // What stands there may have to be kept by a copy.
            Want::File { bytes, .. } => blocks(bytes.len()) * 2,
            _ => BLOCK,
        })
        .sum::<u64>()
        + 16 * BLOCK;
    let files = plan.changes.len() as u64 * 2 + 8;
    let lacks_files = case.room.files.is_some_and(|left| left < files);
    if plan.changes.is_empty() || (case.room.bytes >= bytes && !lacks_files) {
        return;
    }
    let (left, needed) = if lacks_files {
        (format!("{} files", case.room.files.unwrap_or(0)), format!("{files}"))
    } else {
        (ByteSize(case.room.bytes).to_string(), ByteSize(bytes).to_string())
    };
    found.whole(
        &NO_SPACE,
        format!("{} has room for {left}, and the placement may take {needed}.", case.name),
        "enlarge the partition, or take something away that the host does not need",
    );
}
