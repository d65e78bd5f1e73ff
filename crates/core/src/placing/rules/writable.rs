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
    summary: "a folder is not the root filesystem of a Linux system",
    explanation: "A root filesystem has etc/os-release, which says what it is. A folder without that file is the \
        wrong partition of a card, most often the small boot partition, or nothing is mounted there. Nothing is \
        written to it.",
    wrong: "# a root filesystem\n\"etc/os-release\" = false\n",
    right: "# a root filesystem\n\"etc/os-release\" = \"ID=debian\\nVERSION_ID=12\\n\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static IS_RUNNING_SYSTEM: Rule = Rule {
    name: "rootfs-is-running-system",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a root filesystem is the one of the running system",
    explanation: "Placing is for hosts that are not running. On the running system it would cut your own computer \
        off the network. The folder is the root of the running system, or another mount of it.",
    wrong: "# a root filesystem\nmount.is_running = true\n",
    right: "# a root filesystem\nmount.is_running = false\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static READ_ONLY: Rule = Rule {
    name: "rootfs-read-only",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a root filesystem is mounted read-only",
    explanation: "The card's write-protect switch is set, or the filesystem was mounted read-only, often because it \
        was not unmounted cleanly and needs a check. Mount it again for writing.",
    wrong: "# a root filesystem\nmount.read_only = true\n",
    right: "# a root filesystem\nmount.read_only = false\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static NO_SPACE: Rule = Rule {
    name: "rootfs-no-space",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a root filesystem has no space for a placement",
    explanation: "A placement writes a few dozen small files, and keeps what it replaces. On a filesystem this full \
        the host would not start either: enlarge the partition, or delete something.",
    wrong: "# a root filesystem\nmount.free = \"4 KiB\"\n",
    right: "# a root filesystem\nmount.free = \"4 MiB\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static ODD_PATH: Rule = Rule {
    name: "rootfs-odd-path",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a path on a root filesystem would lead a placement elsewhere",
    explanation: "Home folders in etc/passwd, and names after WantedBy, RequiredBy and Alias in units, say where \
        files are created. With \"..\" such a path leads to another folder than it seems, or out of the root \
        filesystem. Nobody writes that by accident: find out who made the image before you use it.",
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
            format!("check the filesystem, then run mount -o remount,rw {}", case.name),
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
        format!("{} has {left} free, and the placement may need {needed}.", case.name),
        "enlarge the partition, or delete something that the host does not need",
    );
}
