//! Rules on bonds.

use impostazione_text::{Written, nearest};

use super::link::links;
use super::{Check, Judge, Nature, Rule};
use crate::finding::{Finding, Severity};
use crate::machine::{Bond, BondMode, Link, LinkKind, Machine};

pub(super) const RULES: &[&Rule] =
    &[&BOND_WITHOUT_MEMBERS, &BOND_ONLY_ONE_MEMBER, &BOND_MODE_UNKNOWN, &BOND_OPTION_WITHOUT_EFFECT];

/// A bond of nothing.
static BOND_WITHOUT_MEMBERS: Rule = Rule {
    name: "bond-without-members",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a bond has no members",
    explanation: "A bond is made of other links of the machine. Without one it never has a carrier, and its address \
        answers nobody.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.uplink = { kind = \"bond\", mode = \"active-backup\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"active-backup\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: true,
    check: Check::Site(check_members),
};

/// A bond that gives nothing.
static BOND_ONLY_ONE_MEMBER: Rule = Rule {
    name: "bond-only-one-member",
    severity: Severity::Warning,
    nature: Nature::Judgement,
    summary: "a bond has one member only",
    explanation: "A bond is there so that the machine stays on the network when one cable or port fails, or to use \
        several at once. With one member it does neither. The second was perhaps forgotten.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\"], mode = \"active-backup\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"active-backup\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: false,
    check: Check::Site(check_one_member),
};

/// A mode that the driver does not have.
static BOND_MODE_UNKNOWN: Rule = Rule {
    name: "bond-mode-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a bond has a mode that the kernel does not know",
    explanation: "The modes of the kernel's bonding driver are balance-rr, active-backup, balance-xor, broadcast, \
        802.3ad, balance-tlb and balance-alb. 802.3ad needs a switch that is set up for it; active-backup \
        works with any.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"failover\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"active-backup\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: false,
    check: Check::Reading,
};

/// A setting that the mode does not have.
static BOND_OPTION_WITHOUT_EFFECT: Rule = Rule {
    name: "bond-option-without-effect",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a bond has a setting that its mode does not take",
    explanation: "primary belongs to the modes active-backup, balance-tlb and balance-alb, lacp_rate to 802.3ad, and \
        spread_by to balance-xor, 802.3ad and balance-tlb. Netplan lets them pass in any mode, and the \
        kernel refuses them at boot.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"802.3ad\", primary = \"lan0\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"active-backup\", primary = \"lan0\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: false,
    check: Check::Site(check_options),
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
            "add members = [\"lan0\", \"lan1\"], and a table for each of these links",
        );
    }
}

fn check_one_member(judge: &mut Judge<'_>) {
    for (machine, link, bond) in bonds(judge) {
        let [only] = bond.members.as_slice() else { continue };
        judge.on_machine(
            &BOND_ONLY_ONE_MEMBER,
            machine,
            only.place,
            format!("The bond {} has the member {} only.", link.name.value, only.value),
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
                "lacp_rate",
                bond.is_lacp_fast.as_ref().map(|written| written.place),
                mode == BondMode::Ieee8023ad,
            ),
            ("spread_by", bond.spread_by.as_ref().map(|written| written.place), mode.spreads()),
        ];
        for (key, place, _) in wrong.into_iter().filter(|(_, _, is_right)| !is_right) {
            if let Some(place) = place {
                judge.on_machine(
                    &BOND_OPTION_WITHOUT_EFFECT,
                    machine,
                    place,
                    format!("`{key}` has no place in the mode {} of {}.", mode.word(), link.name.value),
                    "take it out, or choose a mode that has it",
                );
            }
        }
    }
}

pub(crate) fn mode_unknown(machine: Option<String>, written: &Written<String>) -> Finding {
    let modes = || BondMode::ALL.into_iter().map(|(word, _)| word);
    let plain = written.value.to_ascii_lowercase();
    let usual = match plain.as_str() {
        "0" => Some("balance-rr"),
        "1" | "failover" | "active-passive" | "backup" => Some("active-backup"),
        "2" => Some("balance-xor"),
        "3" => Some("broadcast"),
        "4" | "lacp" | "802.3-ad" => Some("802.3ad"),
        "5" => Some("balance-tlb"),
        "6" => Some("balance-alb"),
        _ => None,
    };
    let fix = match usual.or_else(|| nearest(&written.value, modes(), 1).first().copied()) {
        Some(meant) => format!("write mode = \"{meant}\""),
        None => format!("write one of {}", modes().collect::<Vec<_>>().join(", ")),
    };
    let message = format!("The kernel has no bond mode \"{}\".", written.value);
    Finding::new(&BOND_MODE_UNKNOWN, machine, written.place, message, fix)
}
