//! Rules on time zones.

use super::check::Check;
use super::judge::Judge;
use crate::finding::{Nature, Rule, Severity};

pub(super) const CHECKS: &[Check] =
    &[Check::new(&TIMEZONE_MISSING, check_missing), Check::new(&TIMEZONE_FIXED_OFFSET, check_fixed_offset)];

/// No word on the zone.
static TIMEZONE_MISSING: Rule = Rule {
    name: "timezone-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a host has no time zone",
    explanation: "Without a time zone the host keeps the one of its image, whatever it is, for its logs and \
        schedules. \"Etc/UTC\" is a time zone too.",
    wrong: "# a whole sheet\nformat = 1\n[common]\ndns = \"none\"\nntp = \"none\"\n[subnet.quay]\nprefix = \"10.64.10.0/24\"\ngateway = \"10.64.10.1\"\n[account.keeper]\nadmin = true\nssh_keys = [\"keys/keeper.pub\"]\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[common]\ntimezone = \"Europe/Rome\"\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// A zone without daylight saving, by the look of its name not on purpose.
static TIMEZONE_FIXED_OFFSET: Rule = Rule {
    name: "timezone-fixed-offset",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a time zone is a fixed offset from UTC, without daylight saving time",
    explanation: "Zones such as Etc/GMT-1, EST or GMT have the same offset all year, so clocks are an hour off for \
        half of it where daylight saving time is used. Also, the sign of the Etc/GMT zones is the opposite of the \
        usual one. Write the zone of the place, or Etc/UTC if you do not want local time.",
    wrong: "[common]\ntimezone = \"Etc/GMT-1\"\n",
    right: "[common]\ntimezone = \"Europe/Rome\"\n",
    ..Rule::PLAIN
};

fn check_fixed_offset(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        let Some(zone) = machine.settings.timezone.value() else { continue };
        let name = zone.value.as_str();
        let hours = name.strip_prefix("Etc/GMT").unwrap_or_default().trim_start_matches(['+', '-']);
        let is_fixed =
            matches!(name, "EST" | "MST" | "HST" | "GMT" | "GMT0" | "GMT+0" | "GMT-0" | "Greenwich")
                || hours.parse::<u8>().is_ok_and(|hours| hours > 0);
        if is_fixed {
            judge.on_setting(
                &TIMEZONE_FIXED_OFFSET,
                machine,
                zone.place,
                zone.place,
                format!("The time zone {name} has no daylight saving time."),
                if name.starts_with('G') {
                    "write the zone of the place, such as \"Europe/London\", or \"Etc/UTC\""
                } else {
                    "write the zone of the place, such as \"Europe/Rome\", or \"Etc/UTC\""
                },
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
        0 => format!("{} has no time zone.", first.called()),
        1 => format!("The sheet gives {} and 1 more host no time zone.", first.called()),
        more => format!("{} and {more} more hosts have no time zone.", first.called()),
    };
    judge.on_machine(
        &TIMEZONE_MISSING,
        first,
        first.place,
        message,
        "write timezone = \"Europe/Rome\", or the right zone, in [common] or on the host",
    );
}
