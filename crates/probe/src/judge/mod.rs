//! Holds what the network answered against what the sheet says. Needs no network.

mod addresses;
mod clocks;
mod gateways;
mod leases;
mod name_servers;
mod names;
mod records;
mod services;
mod tally;
mod unlooked;
mod words;

use std::net::IpAddr;

use impostazione_core::finding::{Finding, Rule};

pub use records::RecordToAdd;
pub use tally::{Subject, Tally, Verdict};

use crate::answer::Answers;
use crate::question::Plan;
pub(crate) use unlooked::{Reason, Unknown, Unlooked};
pub(crate) use words::listed;

/// What came of asking.
#[derive(Clone, Debug, Default)]
pub struct Judged {
    /// What is wrong, and what was not looked at. Waivers have not been applied.
    pub findings: Vec<Finding>,
    /// Records that DNS lacks.
    pub records: Vec<RecordToAdd>,
    /// Rules of which nothing can be said about some of what was to be asked, since a server does not answer at all.
    pub in_doubt: Vec<&'static Rule>,
    /// Servers that are machines of the sheet and do not answer yet, which is as it has to be.
    pub not_yet: Vec<String>,
    /// How many things of each kind are right, wrong or not known.
    pub tally: Tally,
}

/// A judgment under way.
struct Judging<'a> {
    plan: &'a Plan<'a>,
    answers: &'a Answers,
    judged: Judged,
    unlooked: Unlooked<'a>,
}

/// Judges all answers.
pub fn judge(plan: &Plan<'_>, answers: &Answers) -> Judged {
    let mut judging = Judging { plan, answers, judged: Judged::default(), unlooked: Unlooked::default() };
    judging.addresses();
    judging.gateways();
    judging.name_servers();
    judging.names();
    judging.domains();
    judging.outside_name();
    judging.clocks();
    judging.services();
    judging.leases();
    let Judging { mut judged, unlooked, .. } = judging;
    judged.findings.extend(unlooked.into_findings());
    judged
}

impl Judging<'_> {
    fn report(&mut self, finding: Finding) {
        self.judged.findings.push(finding);
    }

    /// Notes a server that is a machine of the sheet, and is not there yet.
    fn not_yet(&mut self, what: &str, server: IpAddr) {
        let uses = self.plan.site.address_uses().get(&server).and_then(|uses| uses.first());
        let owner = uses.and_then(|found| self.plan.site.owning_link(found.owner));
        let server = match owner {
            Some((machine, _)) => format!("the {what} {server} ({})", machine.called()),
            None => format!("the {what} {server}"),
        };
        if !self.judged.not_yet.contains(&server) {
            self.judged.not_yet.push(server);
        }
    }

    fn count(&mut self, subject: Subject, verdict: Verdict) {
        self.judged.tally.count(subject, verdict);
    }
}
