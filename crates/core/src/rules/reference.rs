//! Rules on values that are taken from elsewhere in the sheet.

use super::check::Check;
use super::judge::Judge;
use crate::machine::AnswerSource;
use crate::machine::rules::reference::REFERENCE_DANGLING;

pub(super) const CHECKS: &[Check] = &[Check::new(&REFERENCE_DANGLING, check_references)];

fn check_references(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        for answer in machine.appliance().into_iter().flat_map(|appliance| &appliance.answers) {
            let Some(AnswerSource::Take(take)) = answer.source.value() else { continue };
            match take.value(site, machine) {
                Err(fault) if !fault.is_known => {
                    judge.on_machine(&REFERENCE_DANGLING, machine, fault.place, fault.message, fault.fix);
                }
                _ => {}
            }
        }
    }
}
