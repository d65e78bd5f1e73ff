//! Names that appliances are told, against those of the other machines.

use std::collections::HashMap;

use impostazione_ovf::Meaning;

use super::super::judge::Judge;
use super::value::report_told;
use crate::appliance::TypedValue;
use crate::finding::Rule;
use crate::machine::Machine;

/// Names that an appliance is told in place of its own, and that another machine has.
pub(crate) fn check_duplicate(judge: &mut Judge<'_>, rule: &'static Rule) {
    let site = judge.site;
    let mut told_names = judge
        .told_values()
        .filter(|(_, told)| matches!(told.meaning, Meaning::Hostname | Meaning::Fqdn) && told.is_own_word())
        .peekable();
    if told_names.peek().is_none() {
        return;
    }
    // Whose each name is, and whether it is told that.
    let mut names: HashMap<String, (&Machine, bool)> = HashMap::with_capacity(site.machines.len() * 2);
    for machine in &site.machines {
        let own = [
            Some(machine.label().to_owned()),
            machine.hostname.value().map(ToString::to_string),
            machine.fqdn(),
        ];
        for name in own.into_iter().flatten() {
            names.entry(name.to_ascii_lowercase()).or_insert((machine, false));
        }
    }
    for (appliance, told) in told_names {
        let name = match told.typed() {
            Some(TypedValue::Hostname(name)) => name.to_string(),
            Some(TypedValue::Domain(name)) => name.to_string(),
            _ => continue,
        };
        let small = name.to_ascii_lowercase();
        match names.get(&small) {
            Some((other, is_told)) if !std::ptr::eq(*other, appliance.machine) => {
                let message = if *is_told {
                    format!("{name} is already given to {} as its name.", other.called())
                } else {
                    format!("{name} is already the name of {}.", other.called())
                };
                let fix = "write another name".to_owned();
                report_told(judge, rule, appliance.machine, told, &message, fix);
            }
            Some(_) => {}
            // Two that are told the same name.
            None => {
                names.insert(small, (appliance.machine, true));
            }
        }
    }
}
