//! Rules on bonds.

use super::check::Check;
use super::judge::Judge;
use super::link::links;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{Bond, BondMode, Link, LinkKind, Machine};

pub(super) const CHECKS: &[Check] = &[
    Check::new(&BOND_WITHOUT_MEMBERS, check_members),
    Check::new(&BOND_ONLY_ONE_MEMBER, check_one_member),
    Check::new(&BOND_OPTION_WITHOUT_EFFECT, check_options),
];

/// A bond of nothing.
static BOND_WITHOUT_MEMBERS: Rule = Rule {
    name: "bond-without-members",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a bond has no members",
    explanation: "A bond is made of other links of the machine. Without members it never has a carrier, and its \
        address never answers.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.uplink = { kind = \"bond\", mode = \"active-backup\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"active-backup\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: true,
    of_any_host: true,
    ..Rule::PLAIN
};

/// A bond that gives nothing.
static BOND_ONLY_ONE_MEMBER: Rule = Rule {
    name: "bond-only-one-member",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a bond has one member only",
    explanation: "A bond keeps the machine on the network when one cable or port fails, or uses several at once. \
        With one member it does neither. Perhaps the second was forgotten.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\"], mode = \"active-backup\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"active-backup\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// A setting that the mode does not have.
static BOND_OPTION_WITHOUT_EFFECT: Rule = Rule {
    name: "bond-option-without-effect",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a bond has a setting that its mode does not have",
    explanation: "primary is for the modes active-backup, balance-tlb and balance-alb, lacp_rate for 802.3ad, and \
        hash_policy for balance-xor, 802.3ad and balance-tlb. Netplan accepts them in any mode, and the kernel \
        refuses them at boot.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"802.3ad\", primary = \"lan0\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"active-backup\", primary = \"lan0\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

fn bonds<'a>(judge: &Judge<'a>) -> impl Iterator<Item = (&'a Machine, &'a Link, &'a Bond)> + use<'a> {
    links(judge).filter_map(|(machine, link)| match &link.kind {
        LinkKind::Bond(bond) => Some((machine, link, &**bond)),
        _ => None,
    })
}

fn check_members(judge: &mut Judge<'_>) {
    for (machine, link, _) in
        bonds(judge).filter(|(_, _, bond)| bond.members.is_empty() && !bond.has_faulty_members)
    {
        judge.on_machine(
            &BOND_WITHOUT_MEMBERS,
            machine,
            link.name.place,
            format!("The bond {} has no members.", link.name.value),
            judge.say(
                "add members = [\"lan0\", \"lan1\"], and a table for each of these links",
                "add interfaces: [lan0, lan1], and define these links",
            ),
        );
    }
}

fn check_one_member(judge: &mut Judge<'_>) {
    for (machine, link, bond) in bonds(judge) {
        let [only] = bond.members.as_slice() else { continue };
        if bond.has_faulty_members {
            continue;
        }
        judge.on_machine(
            &BOND_ONLY_ONE_MEMBER,
            machine,
            only.place,
            format!("The bond {} has only the member {}.", link.name.value, only.value),
            "add the second link, or give the address to the link itself",
        );
    }
}

fn check_options(judge: &mut Judge<'_>) {
    for (machine, link, bond) in bonds(judge) {
        let Some(mode) = bond.mode.value().map(|written| written.value) else { continue };
        let wrong = [
            ("primary", bond.primary.as_ref().map(|written| written.place), mode.has_primary()),
            (
                judge.say("lacp_rate", "lacp-rate"),
                bond.is_lacp_fast.as_ref().map(|written| written.place),
                mode == BondMode::Ieee8023ad,
            ),
            ("hash_policy", bond.hash_policy.as_ref().map(|written| written.place), mode.spreads()),
        ];
        for (key, place, _) in wrong.into_iter().filter(|(_, _, is_right)| !is_right) {
            if let Some(place) = place {
                judge.on_machine(
                    &BOND_OPTION_WITHOUT_EFFECT,
                    machine,
                    place,
                    format!("`{key}` has no effect in mode {} of {}.", mode.word(), link.name.value),
                    "remove it, or choose a mode that has it",
                );
            }
        }
    }
}
