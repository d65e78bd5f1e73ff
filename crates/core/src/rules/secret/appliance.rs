//! The rule on what stays behind in an appliance.

use super::super::check::Check;
use super::super::judge::Judge;
use crate::appliance::is_at_console;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{AnswerSource, Machine, Site};

pub(in crate::rules) const CHECKS: &[Check] = &[Check::new(&SECRET_STAYS_READABLE, check_stays)];

/// A value that can still be read later.
static SECRET_STAYS_READABLE: Rule = Rule {
    name: "secret-stays-readable",
    severity: Severity::Note,
    nature: Nature::Judgment,
    summary: "a password stays readable around an appliance after its first boot",
    explanation: "A property is passed on as plain text: it is in the ISO volume, in the settings of the virtual \
        machine, and readable for every program in the machine. Once the appliance has its password, detach \
        settings.iso, clear the property in the hypervisor, and delete the output. `render --without-secrets` leaves \
        passwords out of the descriptor and properties.json, for appliances that read them from the volume.",
    wrong: "[secret.harbor-admin]\nfrom = \"file\"\npath = \"harbor-admin.secret\"\n[[appliance]]\nname = \"logbook\"\npackage = \"packages/secured.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"admin.password\" = { secret = \"harbor-admin\" }\n",
    right: "[secret.harbor-admin]\nfrom = \"file\"\npath = \"harbor-admin.secret\"\n[[appliance]]\nname = \"logbook\"\npackage = \"packages/secured.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"admin.password\" = { secret = \"harbor-admin\" }\n[[waiver]]\nrule = \"secret-stays-readable\"\nreason = \"the harbor office empties the property after the first boot\"\nuntil = 2027-06-30\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// The properties of a machine that are answered with secrets.
fn confidential(site: &Site, machine: &Machine) -> Vec<String> {
    let Some(appliance) = machine.appliance().filter(|appliance| !is_at_console(site, appliance)) else {
        return Vec::new();
    };
    let Some(system) = site.system_of(appliance) else { return Vec::new() };
    let is_secret =
        |answer: &&crate::machine::Answer| matches!(answer.source.value(), Some(AnswerSource::Secret(_)));
    appliance
        .answers
        .iter()
        .filter(is_secret)
        .filter(|answer| system.property(&answer.property.value).is_some_and(|property| property.is_settable))
        .map(|answer| answer.property.value.clone())
        .collect()
}

fn check_stays(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        let properties = confidential(site, machine);
        let Some(appliance) = machine.appliance().filter(|_| !properties.is_empty()) else { continue };
        let by_volume = site
            .system_of(appliance)
            .is_some_and(|system| system.hardware.transports.iter().any(|transport| transport == "iso"));
        let by_other = site
            .system_of(appliance)
            .is_some_and(|system| system.hardware.transports.iter().any(|transport| transport != "iso"));
        let mut places = Vec::new();
        places.extend(by_volume.then_some("in the ISO volume"));
        places.extend(by_other.then_some("in the hypervisor's settings"));
        let verb = if properties.len() == 1 { "stays" } else { "stay" };
        let fix = match (by_volume, by_other) {
            (true, false) => {
                "detach settings.iso once it is up, and delete the output; waive the rule to say that you will"
            }
            (false, true) => {
                "clear the property in the hypervisor once it is up, and delete the output; waive the rule to say \
                    that you will"
            }
            _ => {
                "once it is up, detach settings.iso, clear the property in the hypervisor, and delete the output; \
                    waive the rule to say that you will"
            }
        };
        judge.on_machine(
            &SECRET_STAYS_READABLE,
            machine,
            appliance.answers_place.unwrap_or(machine.place),
            format!(
                "{} {verb} readable after the first boot: {}, and in the output.",
                properties.join(", "),
                if places.is_empty() { "in the descriptor".to_owned() } else { places.join(" and ") }
            ),
            fix,
        );
    }
}
