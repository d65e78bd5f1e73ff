//! What has changed between two reports of `probe`.

use std::collections::BTreeMap;

use super::comparison::{Comparison, DifferenceKind, DifferencePlace, difference};
use crate::network::rules::NOT_LOOKED_AT;
use crate::views::kept_report::{KeptFinding, KeptMachine, KeptReport};

/// What a report says of one thing: a value for each.
type Said = BTreeMap<(String, DifferencePlace), Vec<String>>;

/// Compares what two reports say of the machines that are meant, and of what is for all.
pub fn compare_reports(
    first: &KeptReport,
    second: &KeptReport,
    is_meant: &dyn Fn(&str) -> bool,
) -> Comparison {
    let mut comparison = Comparison::default();
    let is_same_time = first.when == second.when;
    let (mut of_first, mut of_second) = (findings(first), findings(second));
    if is_same_time {
        of_first.extend(others(first));
        of_second.extend(others(second));
    } else {
        let why = format!(
            "one was asked {} the first boot and the other {}; only what was wrong is compared",
            first.when, second.when
        );
        comparison.leave_out("what was right", None, why);
    }
    for (which, report) in [("the first", first), ("the second", second)] {
        for finding in report.findings.iter().filter(|finding| finding.rule == NOT_LOOKED_AT.name) {
            let machine = finding.machine.as_deref().filter(|machine| is_meant(machine));
            if finding.machine.is_none() || machine.is_some() {
                let why = finding.message.trim_end_matches('.');
                comparison.leave_out(format!("what {which} had not looked at"), machine, why);
            }
        }
    }
    let mut keys: Vec<&(String, DifferencePlace)> = of_first.keys().chain(of_second.keys()).collect();
    keys.sort();
    keys.dedup();
    for key in keys {
        let (machine, at) = key;
        if !machine.is_empty() && !is_meant(machine) {
            continue;
        }
        let (one, other) = (of_first.get(key), of_second.get(key));
        if one == other {
            continue;
        }
        let kind = match (one, other) {
            (Some(_), None) => DifferenceKind::OnlyFirst,
            (None, Some(_)) => DifferenceKind::OnlySecond,
            _ => DifferenceKind::Differs,
        };
        let text = |values: Option<&Vec<String>>| values.map(|values| values.join(" / "));
        let mut found = difference(machine, at.clone(), kind);
        (found.first, found.second) = (text(one), text(other));
        comparison.differences.push(found);
    }
    comparison.sort();
    comparison
}

fn place(part: &str, name: &str, setting: Option<&str>) -> DifferencePlace {
    DifferencePlace {
        file: None,
        part: (!part.is_empty()).then(|| part.to_owned()),
        name: (!name.is_empty()).then(|| name.to_owned()),
        setting: setting.map(str::to_owned),
    }
}

/// What was wrong.
fn findings(report: &KeptReport) -> Said {
    let mut said = Said::new();
    for KeptFinding { rule, machine, message, waived } in &report.findings {
        if rule == NOT_LOOKED_AT.name {
            continue;
        }
        let message = if *waived { format!("{message} (waived)") } else { message.clone() };
        let machine = machine.clone().unwrap_or_default();
        said.entry((machine, place("", rule, None))).or_default().push(message);
    }
    for values in said.values_mut() {
        values.sort();
    }
    said
}

/// All else that is said.
fn others(report: &KeptReport) -> Said {
    let mut said = Said::new();
    for machine in &report.machines {
        of_machine(&mut said, machine);
    }
    for shared in &report.virtual_addresses {
        let at = place("cluster", &shared.cluster, Some(&shared.address));
        said.entry((String::new(), at)).or_default().push(shared.state.clone());
    }
    for count in &report.asked {
        let at = place("asked about", &count.about, None);
        let value = format!("{} right, {} wrong, {} not known", count.right, count.wrong, count.unknown);
        said.entry((String::new(), at)).or_default().push(value);
    }
    for record in &report.records_to_add {
        let at = place("record to add", &record.owner, Some(&record.kind));
        said.entry((String::new(), at)).or_default().push(record.value.clone());
    }
    said
}

fn of_machine(said: &mut Said, machine: &KeptMachine) {
    let mut say = |at: DifferencePlace, value: &str| {
        said.entry((machine.machine.clone(), at)).or_default().push(value.to_owned());
    };
    say(place("", "", Some("state")), &machine.state);
    if let Some(address) = &machine.address {
        say(place("", "", Some("address")), address);
    }
    if let Some(key) = &machine.host_key {
        say(place("", "", Some("host_key")), &key.sha256);
    }
    if let Some(certificate) = &machine.certificate {
        say(place("", "", Some("certificate")), &certificate.sha256);
    }
    for inside in &machine.inside {
        let at = place("inside", &inside.about, None);
        say(at, &format!("{}: {}", inside.state, inside.found.join(", ")));
    }
}
