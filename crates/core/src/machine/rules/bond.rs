//! Rules on bonds.

use impostazione_text::{Written, nearest};

use crate::finding::{Finding, Nature, Rule, Severity};
use crate::machine::link::BondMode;

/// The rules that are broken while it is read.
pub(crate) const RULES: &[&Rule] = &[&BOND_MODE_UNKNOWN];

/// A mode that the driver does not have.
pub(crate) static BOND_MODE_UNKNOWN: Rule = Rule {
    name: "bond-mode-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the kernel does not know a bond's mode",
    explanation: "The modes of the kernel's bonding driver are balance-rr, active-backup, balance-xor, broadcast, \
        802.3ad, balance-tlb and balance-alb. 802.3ad needs a switch that is set up for it; active-backup \
        works with any.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"failover\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"active-backup\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

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
    let message = format!("There is no bond mode \"{}\".", written.value);
    Finding::new(&BOND_MODE_UNKNOWN, machine, written.place, message, fix)
}
