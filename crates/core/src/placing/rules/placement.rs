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
    explanation: "This is probably the wrong card, and two hosts would come up with one address. If this card is to \
        become the new machine, add --replace: the old placement is taken back first.",
    wrong: "# a root filesystem\nplacement.machine = \"gauge-02\"\n",
    right: "# a root filesystem\nplacement.machine = \"gauge-01\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static DRIFTED: Rule = Rule {
    name: "placement-drifted",
    severity: Severity::Warning,
    nature: Nature::Fault,
    summary: "something that was placed has been changed",
    explanation: "Somebody, or the running host itself, has changed what a placement wrote: a file, or a line in a \
        shared file. `place` asks about each change, and without a terminal needs --keep-changes or \
        --discard-changes; `undo` would lose the change, and asks too. Lines that others added to such files are \
        kept without asking: users of packages, members of groups, host names. `compare` shows what differs. Changes \
        on a boot partition that is not mounted cannot be seen or taken back: mount it first.",
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
                "make sure that it is the right card; if it is to become {}, add --replace",
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
            format!("/{} was changed by the placement of {}, and is on another filesystem that is not mounted now.", step.path, record.machine),
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
                "--keep-changes keeps the change; --discard-changes overwrites it with the output".to_owned()
            }
            (false, Some(_)) => {
                "see what differs with compare; --discard-changes overwrites the change".to_owned()
            }
            (false, None) => "see what differs with compare, before you place or undo".to_owned(),
        };
        found.at(&DRIFTED, case.view, &changed.path, 0, format!("Since it was placed, {changed}."), fix);
    }
}
