//! Rules on patterns.

use super::{Check, Rule};
use crate::finding::{Finding, Severity};
use crate::source::Place;

pub(super) const RULES: &[&Rule] = &[&PATTERN_MALFORMED, &PATTERN_LENGTHS_DIFFER];

/// Braces that are no range.
static PATTERN_MALFORMED: Rule = Rule {
    name: "pattern-malformed",
    severity: Severity::Error,
    summary: "braces in an entry hold no range",
    explanation: "In the texts of a [[host]] or an [[appliance]] entry a range in braces makes several machines: {01..12} \
        counts in decimal, leading zeros giving the width, {0x0a..0x1f} in hexadecimal, {10.64.32.11..10.64.35.250} runs \
        through whole addresses. Where a brace itself is meant it is written twice.",
    wrong: "[[host]]\nname = \"gauge-{1-3}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..13}\" }\n",
    right: "[[host]]\nname = \"gauge-{1..3}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..13}\" }\n",
    about_absence: false,
    check: Check::Reading,
};

/// Ranges that do not run in step.
static PATTERN_LENGTHS_DIFFER: Rule = Rule {
    name: "pattern-lengths-differ",
    severity: Severity::Error,
    summary: "the ranges of an entry do not have the same number of values",
    explanation: "Several ranges in one entry run in step: the first machine takes the first value of each, and so on. With \
        ranges of different length some machine would have no address, or some address no machine.",
    wrong: "[[host]]\nname = \"gauge-{01..12}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..23}\" }\n",
    right: "[[host]]\nname = \"gauge-{01..12}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..22}\" }\n",
    about_absence: false,
    check: Check::Reading,
};

pub(crate) fn malformed(machine: Option<String>, place: Place, message: String, fix: String) -> Finding {
    Finding { rule: &PATTERN_MALFORMED, machine, place, message, fix }
}

/// A range, and the first range of the entry, each as written with its number of values.
pub(crate) fn lengths_differ(
    machine: Option<String>,
    place: Place,
    (range, count): (&str, u64),
    (first, wanted): (&str, u64),
) -> Finding {
    Finding {
        rule: &PATTERN_LENGTHS_DIFFER,
        machine,
        place,
        message: format!("{range} has {count} values, and {first} of the same entry has {wanted}."),
        fix: "correct one of the two, so that they run in step".to_owned(),
    }
}
