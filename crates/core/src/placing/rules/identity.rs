//! Whether a root filesystem is a copy of one that was in use.

use super::case::RootfsCase;
use super::found::RootfsFindings;
use crate::finding::{Examples, Nature, Rule, Severity};
use crate::placing::survey::MachineId;

pub(super) static CLONED_IDENTITY: Rule = Rule {
    name: "rootfs-cloned-identity",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a root filesystem has the machine id of a system that has been started before",
    explanation: "Copies of an image that has been started share its machine id, and with it DHCP and link-local \
        addresses, log names, and often SSH host keys. With --fresh-identity the first boot creates a new machine \
        id, and the host gets host keys of its own.",
    wrong: "# a root filesystem\n\"etc/machine-id\" = \"0123456789abcdef0123456789abcdef\\n\"\n",
    right: "# a root filesystem\n\"etc/machine-id\" = \"\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) fn check(case: &RootfsCase<'_>, found: &mut RootfsFindings) {
    let had_fresh = case.record.is_some_and(|record| record.fresh_identity);
    if case.survey.machine_id != MachineId::Set || case.options.fresh_identity || had_fresh {
        return;
    }
    let keys = case.survey.ssh.host_keys.len();
    let beside = match keys {
        0 => String::new(),
        1 => ", and an SSH host key".to_owned(),
        count => format!(", and {count} SSH host keys"),
    };
    found.at(
        &CLONED_IDENTITY,
        case.view,
        "etc/machine-id",
        0,
        format!(
            "{} has a machine id{beside}: this system, or the one it was copied from, was started before.",
            case.name
        ),
        "add --fresh-identity if other hosts are made from the same image",
    );
}
