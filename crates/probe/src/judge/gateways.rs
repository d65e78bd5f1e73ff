//! Whether gateways answer.

use impostazione_core::finding::Finding;
use impostazione_core::network::rules::GATEWAY_SILENT;

use super::unlooked::{Reason, Unknown};
use super::{Judging, Subject, Verdict};
use crate::answer::Presence;
use crate::question::ExpectedGateway;

impl<'a> Judging<'a> {
    /// Judges every gateway.
    pub(super) fn gateways(&mut self) {
        let plan = self.plan;
        for expected in &plan.gateways {
            let verdict = self.gateway(expected);
            self.count(Subject::Gateways, verdict);
        }
    }

    fn gateway(&mut self, expected: &'a ExpectedGateway<'a>) -> Verdict {
        let (address, subnet) = (expected.address, &expected.subnet.name.value);
        let reason = match self.answers.presence(expected.target()) {
            Some(Presence::Somebody(_) | Presence::ThisComputer(_)) => return Verdict::Right,
            Some(Presence::Nobody(link)) => {
                let message = format!("The gateway {address} of subnet {subnet} does not answer on {link}.");
                let fix = "correct the gateway in the sheet, switch the router on, or connect this computer to that subnet";
                self.report(Finding::on_sheet(&GATEWAY_SILENT, expected.place, message, fix));
                return Verdict::Wrong;
            }
            Some(Presence::CannotTell(doubt)) => Reason::doubt(doubt, Some(expected.subnet)),
            Some(Presence::NotLooked(obstacle)) => Reason::obstacle(obstacle),
            None => Reason::not_asked(),
        };
        self.unlooked.note(Unknown::Gateway, address.to_string(), &expected.machines, expected.place, reason);
        Verdict::Unknown
    }
}
