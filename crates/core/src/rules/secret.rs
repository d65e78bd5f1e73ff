//! Rules on confidential values.

use super::{Check, Nature, Rule};
use crate::finding::{Finding, Severity};
use crate::names::nearest;
use crate::source::{Place, Written};

pub(super) const RULES: &[&Rule] = &[&SECRET_UNDEFINED, &SECRET_MISSING];

/// A secret that the sheet does not have.
static SECRET_UNDEFINED: Rule = Rule {
    name: "secret-undefined",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a value is to come from a secret that the sheet does not name",
    explanation: "from_secret names a [secret.NAME] table, which says where the value comes from.",
    wrong: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { from_secret = \"quay-wifi\" } }\n",
    right: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { from_secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n",
    about_absence: false,
    check: Check::Reading,
};

/// A secret that cannot be had.
static SECRET_MISSING: Rule = Rule {
    name: "secret-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the value of a secret cannot be had",
    explanation: "The file of a secret holds the value alone, on one line. It must be there whenever the sheet is \
        judged, since what cannot be had cannot be proved right.",
    wrong: "[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay.secret\"\n",
    right: "[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n",
    about_absence: false,
    check: Check::Reading,
};

pub(crate) fn undefined(name: &str, place: Place, known: &[&str]) -> Finding {
    let fix = match nearest(name, known.iter().copied(), 1).first() {
        Some(close) => format!("write from_secret = \"{close}\""),
        None => format!("add a table [secret.{name}] with from = \"file\" and the path of the file"),
    };
    Finding::on_sheet(&SECRET_UNDEFINED, place, format!("The sheet has no secret \"{name}\"."), fix)
}

pub(crate) fn missing(path: &Written<String>, name: &str, reason: &str, fix: &str) -> Finding {
    let message = format!("The secret {name} cannot be had: {reason}.");
    Finding::on_sheet(&SECRET_MISSING, path.place, message, fix)
}
