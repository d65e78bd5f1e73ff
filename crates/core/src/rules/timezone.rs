//! Rules on time zones.

use impostazione_net::nearest_zones;
use impostazione_text::Written;

use super::{Check, Judge, Nature, Rule};
use crate::finding::{Finding, Severity};

pub(super) const RULES: &[&Rule] = &[&TIMEZONE_MISSING, &TIMEZONE_UNKNOWN, &TIMEZONE_FIXED_OFFSET];

/// No word on the zone.
static TIMEZONE_MISSING: Rule = Rule {
    name: "timezone-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a host is given no time zone",
    explanation: "Without a zone the host keeps the one of its image, whatever that is, and its logs and schedules run by \
        it. \"Etc/UTC\" is a zone too.",
    wrong: "# a whole sheet\nformat = 1\n[common]\ndns = \"none\"\nntp = \"none\"\n[subnet.quay]\nprefix = \"10.64.10.0/24\"\ngateway = \"10.64.10.1\"\n[account.keeper]\nadmin = true\nssh_keys = [\"keys/keeper.pub\"]\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[common]\ntimezone = \"Europe/Rome\"\n",
    about_absence: true,
    check: Check::Site(check_missing),
};

/// A zone that does not exist.
static TIMEZONE_UNKNOWN: Rule = Rule {
    name: "timezone-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a time zone is not in the zone database",
    explanation: "A zone is named as in the zone database, such as Europe/Rome; upper and lower case count, since the name \
        is a path on the host. With an unknown name the host runs on UTC.",
    wrong: "[common]\ntimezone = \"Europe/Roma\"\n",
    right: "[common]\ntimezone = \"Europe/Rome\"\n",
    about_absence: false,
    check: Check::Reading,
};

/// A zone without daylight saving, by the look of its name not on purpose.
static TIMEZONE_FIXED_OFFSET: Rule = Rule {
    name: "timezone-fixed-offset",
    severity: Severity::Warning,
    nature: Nature::Judgement,
    summary: "a time zone is a fixed distance from UTC, without daylight saving",
    explanation: "Zones such as Etc/GMT-1 or EST keep the same distance from UTC all year, so that clocks are an hour off for \
        half of it where daylight saving is kept. The sign of the Etc/GMT zones is the reverse of the usual one, besides. \
        Name the zone of the place, or Etc/UTC where local time is not wanted at all.",
    wrong: "[common]\ntimezone = \"Etc/GMT-1\"\n",
    right: "[common]\ntimezone = \"Europe/Rome\"\n",
    about_absence: false,
    check: Check::Site(check_fixed_offset),
};

fn check_fixed_offset(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        let Some(zone) = machine.settings.timezone.value() else { continue };
        let name = zone.value.as_str();
        let hours = name.strip_prefix("Etc/GMT").unwrap_or_default().trim_start_matches(['+', '-']);
        let is_fixed =
            matches!(name, "EST" | "MST" | "HST") || hours.parse::<u8>().is_ok_and(|hours| hours > 0);
        if is_fixed {
            judge.on_setting(
                &TIMEZONE_FIXED_OFFSET,
                machine,
                zone.place,
                zone.place,
                format!("The time zone {name} has no daylight saving."),
                "write the zone of the place, such as \"Europe/Rome\", or \"Etc/UTC\"",
            );
        }
    }
}

fn check_missing(judge: &mut Judge<'_>) {
    let site = judge.site;
    let mut lacking = site
        .machines
        .iter()
        .filter(|machine| machine.host().is_some() && machine.settings.timezone.is_absent());
    let Some(first) = lacking.next() else { return };
    let message = match lacking.count() {
        0 => format!("The sheet gives {} no time zone.", first.called()),
        1 => format!("The sheet gives {} and one more host no time zone.", first.called()),
        more => format!("The sheet gives {} and {more} more hosts no time zone.", first.called()),
    };
    judge.on_machine(
        &TIMEZONE_MISSING,
        first,
        first.place,
        message,
        "write timezone = \"Europe/Rome\", or the zone that is right, in [common] or on the host",
    );
}

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
            [] => "write a zone of the zone database, such as \"Europe/Rome\" or \"Etc/UTC\"".to_owned(),
            zones => format!("write {}", zones.join(" or ")),
        },
    )
}
