//! What a root filesystem has from an earlier placement.

use impostazione_rootfs::Since;

use super::case::RootfsCase;
use super::found::RootfsFindings;
use crate::finding::{Examples, Nature, Rule, Severity};

pub(super) static OF_OTHER_MACHINE: Rule = Rule {
    name: "placement-of-other-machine",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a root filesystem was placed for another machine already",
    explanation: "The card in the drive is likely another one than was meant, and two hosts would come up with one \
        address. If it is to become the new machine, say so with --replace: the old placement is taken back first.",
    wrong: "# a root filesystem\nplacement.machine = \"gauge-02\"\n",
    right: "# a root filesystem\nplacement.machine = \"gauge-01\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static DRIFTED: Rule = Rule {
    name: "placement-drifted",
    severity: Severity::Warning,
    nature: Nature::Fault,
    summary: "something that was placed was changed since",
    explanation: "Somebody, or the host itself while it was in use, has changed a file that a placement wrote. Placing again \
        and taking back would lose that change, so both ask first, and without a terminal want --discard-changes. `compare` shows \
        what differs. What was changed on a boot partition that is not mounted now can be neither seen nor taken back: mount it \
        first.",
    wrong: "# a root filesystem\nplacement.machine = \"gauge-01\"\nplacement.changed = \"etc/hostname\"\n",
    right: "# a root filesystem\nplacement.machine = \"gauge-01\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) fn check(case: &RootfsCase<'_>, found: &mut RootfsFindings) {
    let Some(record) = case.record else { return };
    if let Some(output) = case.output()
        && output.machine != record.machine
        && !case.may_replace
    {
        found.whole(
            &OF_OTHER_MACHINE,
            format!("{} has the placement of {}, made {}.", case.name, record.machine, record.placed),
            format!(
                "look whether it is the right card; if it is to become {}, add --replace",
                output.machine
            ),
        );
    }
    for (step, _) in case
        .record
        .iter()
        .flat_map(|record| &record.steps)
        .zip(case.since)
        .filter(|(_, since)| **since == Since::OutOfReach)
    {
        let folder = step.path.rsplit_once('/').map_or("", |(folder, _)| folder);
        found.push(
            &DRIFTED,
            case.view,
            (&step.path, 0),
            format!("/{} was changed by the placement of {}, and lies on a filesystem of its own that is not mounted now.", step.path, record.machine),
            format!("mount it at {folder} below the root filesystem, or name the image of the whole card"),
            case.placing.map(|_| Severity::Error),
        );
    }
    if case.may_lose_changes {
        return;
    }
    for (step, since) in record.steps.iter().zip(case.since) {
        let Since::Changed(now) = since else { continue };
        let what = if now.is_absent() { "was taken away" } else { "was changed" };
        found.at(
            &DRIFTED,
            case.view,
            &step.path,
            0,
            format!("/{} {what} since it was placed.", step.path),
            "see with compare what differs; --discard-changes goes on and loses the change",
        );
    }
}
