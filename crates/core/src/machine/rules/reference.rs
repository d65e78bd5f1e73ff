//! Rules on values that are taken from elsewhere in the sheet.

use impostazione_ovf::TakeWord;
use impostazione_text::{Place, Written, nearest};

use crate::finding::{Finding, Nature, Rule, Severity};

/// The rules that are broken while it is read.
pub(crate) const RULES: &[&Rule] = &[&REFERENCE_LOOP];

/// Nothing to take.
pub(crate) static REFERENCE_DANGLING: Rule = Rule {
    name: "reference-dangling",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "take asks for a value that does not exist",
    explanation: "{ take = \"…\" } copies a value from elsewhere in the sheet: the appliance's own, or, with `of`, \
        the value of another machine, subnet, pool or cluster. Where there are several values, choose one with nth \
        or join them with join.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = { take = \"address\" }\n\"copies\" = { take = \"address\", of = \"signal-towr\" }\n",
    right: "[[host]]\nname = \"signal-tower\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.31\" }\n[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = { take = \"address\" }\n\"copies\" = { take = \"address\", of = \"signal-tower\" }\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// A value that leads back to itself.
pub(crate) static REFERENCE_LOOP: Rule = Rule {
    name: "reference-loop",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "values of the sheet refer to each other in a circle",
    explanation: "A list takes a server from another machine's list, which takes it from this one, so no address is \
        ever written. Write the address in one of these places.",
    wrong: "[[host]]\nname = \"gauge-01\"\ndns = [{ take = \"dns-1\", of = \"gauge-02\" }, \"none\"]\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n[[host]]\nname = \"gauge-02\"\ndns = [{ take = \"dns-1\", of = \"gauge-01\" }, \"none\"]\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.12\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\ndns = [{ take = \"dns-1\", of = \"gauge-02\" }, \"none\"]\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n[[host]]\nname = \"gauge-02\"\ndns = [\"10.64.10.53\", \"none\"]\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.12\" }\n",
    ..Rule::PLAIN
};

/// `of` names nothing that the sheet has.
pub(crate) fn reference_dangling(
    machine: Option<String>,
    written: &Written<String>,
    known: &[&str],
) -> Finding {
    let longer =
        || known.iter().find(|name| !written.value.is_empty() && name.contains(&written.value)).copied();
    let fix = match nearest(&written.value, known.iter().copied(), 1).first().copied().or_else(longer) {
        Some(close) => format!("write of = \"{close}\""),
        None => "write the name of a machine, subnet, pool or cluster of this sheet".to_owned(),
    };
    Finding::new(
        &REFERENCE_DANGLING,
        machine,
        written.place,
        format!("The sheet has no machine, subnet, pool or cluster \"{}\".", written.value),
        fix,
    )
}

/// `toward` names nothing that the sheet has, and is no address.
pub(crate) fn toward_nothing(machine: Option<String>, written: &Written<String>, known: &[&str]) -> Finding {
    let fix = match nearest(&written.value, known.iter().copied(), 1).first() {
        Some(close) => format!("write toward = \"{close}\""),
        None => "write an address, a prefix such as \"10.64.96.0/20\", or the name of a subnet or machine of this sheet"
            .to_owned(),
    };
    let message = format!("\"{}\" is not an address, a subnet or a machine of the sheet.", written.value);
    Finding::new(&REFERENCE_DANGLING, machine, written.place, message, fix)
}

pub(crate) fn reference_loop(machine: Option<String>, place: Place, path: &[Place]) -> Finding {
    let message = match path.len() {
        1 => "The value refers to itself.".to_owned(),
        steps => {
            format!("The value refers to itself through {steps} entries, and none of them gives an address.")
        }
    };
    Finding::new(&REFERENCE_LOOP, machine, place, message, "write the address itself in one of them")
}

/// A value that a list cannot take.
pub(crate) fn reference_fault(
    machine: Option<String>,
    place: Place,
    message: String,
    fix: String,
) -> Finding {
    Finding::new(&REFERENCE_DANGLING, machine, place, message, fix)
}

pub(crate) fn list_take_word(machine: Option<String>, word: &Written<TakeWord>) -> Finding {
    Finding::new(
        &REFERENCE_DANGLING,
        machine,
        word.place,
        format!("A list of servers cannot take the {}.", word.value.text()),
        "take one of: address, address6, gateway, gateway6, dns-1, dns-2, ntp-1, ntp-2",
    )
}

pub(crate) fn list_take_without_of(place: Place, word: TakeWord) -> Finding {
    Finding::on_sheet(
        &REFERENCE_DANGLING,
        place,
        format!("The list does not say which machine's {} to take.", word.text()),
        "add of = \"NAME\" with the name of a machine",
    )
}
