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
    explanation: "Somebody, or the host itself while it was in use, has changed what a placement wrote: a file, or a line of \
        one that others write too. `place` asks of each whether it stays, and without a terminal wants --keep-changes or \
        --discard-changes; `undo` would lose it, and asks too. What others have added to such files stays without a question: \
        users of packages, members of groups, names of hosts. `compare` shows what differs. What was changed on a boot partition that is not mounted now can be neither seen nor taken back: mount it \
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
    if case.is_answered {
        return;
    }
    for changed in case.changed_since {
        let fix = match (changed.can_stay, case.placing) {
            (true, _) => {
                "--keep-changes has it stay; --discard-changes puts in its place what the output says"
                    .to_owned()
            }
            (false, Some(_)) => {
                "see with compare what differs; --discard-changes goes on and loses the change".to_owned()
            }
            (false, None) => "see with compare what differs, before you place or undo".to_owned(),
        };
        found.at(&DRIFTED, case.view, &changed.path, 0, format!("Since it was placed, {changed}."), fix);
    }
}
