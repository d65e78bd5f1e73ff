//! Ways in, and to root, that an image comes with and the sheet does not give.

use super::case::RootfsCase;
use super::found::RootfsFindings;
use super::network::{handled, weight_of_handled};
use crate::finding::{Examples, Nature, Rule, Severity};
use crate::placing::plan::Fate;
use crate::placing::survey::{WayIn, WayKind};

pub(super) static WAY_IN: Rule = Rule {
    name: "rootfs-way-in",
    severity: Severity::Warning,
    nature: Nature::Credential,
    summary: "a root filesystem gives a login or root access that the sheet does not",
    explanation: "A login is not the only way in. sudo files, groups such as docker, SSH server settings, directory \
        services and consoles with automatic login open a host too. `inspect` lists who can become root and how. \
        `place` closes every way that the sheet does not allow, and `undo` reverts that; or it says why a way stays \
        open. Setuid programs and PAM modules are not checked.",
    wrong: "# a root filesystem\n\"etc/sudoers\" = \"ALL ALL=(ALL) NOPASSWD: ALL\\n@includedir /etc/sudoers.d\\n\"\n",
    right: "# a root filesystem\n\"etc/sudoers\" = \"%sudo ALL=(ALL:ALL) ALL\\n@includedir /etc/sudoers.d\\n\"\n",
    about_credentials: true,
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) fn check(case: &RootfsCase<'_>, found: &mut RootfsFindings) {
    match case.placing {
        Some((_, plan)) => {
            for (way, fate) in &plan.ways_in {
                with_fate(case, way, fate, found);
            }
        }
        None => {
            for way in case.survey.ways_in.iter().filter(|way| !way.is_usual && !is_of_record(case, way)) {
                let (message, fix) = (message(way), handled(case, "closes it unless the sheet allows it"));
                found.push(&WAY_IN, case.view, (&way.path, way.line), message, fix, None);
            }
        }
    }
}

/// Whether an account of the sheet has it by its placement. What the sheet did not give was shut then.
fn is_of_record(case: &RootfsCase<'_>, way: &WayIn) -> bool {
    let accounts = case.record.map(|record| record.accounts.as_slice()).unwrap_or_default();
    matches!(way.kind, WayKind::Group | WayKind::RootNumber)
        && way.names.as_ref().is_some_and(|names| names.iter().all(|name| accounts.contains(name)))
}

fn message(way: &WayIn) -> String {
    format!("{} {}.", way.who(), way.how)
}

fn with_fate(case: &RootfsCase<'_>, way: &WayIn, fate: &Fate, found: &mut RootfsFindings) {
    // Of a login that is shut because it is one, a rule of its own speaks.
    let is_login = way.kind == WayKind::RootNumber;
    let (message, fix, severity) = match fate {
        Fate::Wanted => return,
        Fate::Shut(_) if is_login => return,
        Fate::Shut(how) => (message(way), handled(case, how), weight_of_handled(case)),
        Fate::Stays { why, fix, is_grave } => {
            let severity = is_grave.then_some(Severity::Error);
            (format!("{} {}, and {why}.", way.who(), way.how), fix.clone(), severity)
        }
    };
    found.push(&WAY_IN, case.view, (&way.path, way.line), message, fix, severity);
}
