//! Rules on time zones.

use impostazione_net::nearest_zones;
use impostazione_text::Written;

use crate::finding::{Finding, Nature, Rule, Severity};

/// The rules that are broken while it is read.
pub(crate) const RULES: &[&Rule] = &[&TIMEZONE_UNKNOWN];

/// A zone that does not exist.
pub(crate) static TIMEZONE_UNKNOWN: Rule = Rule {
    name: "timezone-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a time zone is not in the zone database",
    explanation: "A zone has its name from the time zone database, such as Europe/Rome. Upper and lower case matter, \
        because the name is a path on the host. With an unknown name the host runs on UTC.",
    wrong: "[common]\ntimezone = \"Europe/Roma\"\n",
    right: "[common]\ntimezone = \"Europe/Rome\"\n",
    ..Rule::PLAIN
};

pub(crate) fn unknown(machine: Option<String>, written: &Written<String>) -> Finding {
    // A zone of fixed distance is never what was meant, and its sign is the reverse of the usual one.
    let near: Vec<String> = nearest_zones(&written.value)
        .iter()
        .filter(|zone| !zone.starts_with("Etc/GMT"))
        .map(|zone| format!("\"{zone}\""))
        .collect();
    Finding::new(
        &TIMEZONE_UNKNOWN,
        machine,
        written.place,
        format!("There is no time zone \"{}\".", written.value),
        match near.as_slice() {
            [] => "write a time zone such as \"Europe/Rome\" or \"Etc/UTC\"".to_owned(),
            zones => format!("write {}", zones.join(" or ")),
        },
    )
}
