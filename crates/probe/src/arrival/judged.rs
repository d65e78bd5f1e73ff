//! What all machines have come to together.

use std::collections::HashMap;

use impostazione_core::finding::{Finding, Severity};
use impostazione_core::machine::{Link, Machine};
use impostazione_core::network::rules::{CERTIFICATE_OF_ANOTHER, MACHINE_SILENT, MEMBER_MISSING};
use impostazione_text::visible::harmless;

use super::shared::finding_of;
use super::stage::{Arrival, SharedArrival, Stage};
use crate::judge::{Reason, Unknown, Unlooked};
use crate::question::ArrivalPlan;

/// What all machines have come to.
#[derive(Debug)]
pub struct Arrivals<'a> {
    /// Each machine, in the order of the plan. What is wrong with it stands among the findings.
    pub machines: Vec<Arrival<'a>>,
    /// Each virtual address.
    pub shared: Vec<SharedArrival>,
    /// What is wrong, and what was not looked at. Waivers have not been applied.
    pub findings: Vec<Finding>,
}

/// Judges what was seen of single machines as a whole.
pub fn judge_arrivals<'a>(
    plan: &ArrivalPlan<'a>,
    mut machines: Vec<Arrival<'a>>,
    shared: Vec<SharedArrival>,
) -> Arrivals<'a> {
    let mut unlooked = Unlooked::default();
    for machine in &plan.without_address {
        let reason = Reason::new(
            "the sheet gives none",
            "write its address in the sheet, or look yourself whether it has started",
        );
        unlooked.note(Unknown::Machine, machine.called(), &[*machine], machine.place, reason);
    }
    missing_members(plan, &mut machines);
    certificates_of_others(plan, &mut machines);
    let mut findings = Vec::new();
    for arrival in &mut machines {
        findings.append(&mut arrival.findings);
        for unseen in arrival.unseen.drain(..) {
            unlooked.note(unseen.unknown, unseen.thing, &[unseen.machine], unseen.place, unseen.reason);
        }
    }
    for (expected, arrival) in plan.shared.iter().zip(&shared) {
        findings.extend(finding_of(expected, arrival, &machines));
        let first = expected.members.first().and_then(|at| plan.machines.get(*at));
        if let (Stage::Unknown, Some(member)) = (arrival.stage, first) {
            let thing =
                format!("the virtual address {} of {}", expected.at.address, expected.cluster.name.value);
            let reason =
                Reason::new(arrival.says.clone(), "run the command again, and let it come to its end");
            unlooked.note(Unknown::Arrival, thing, &[member.machine], expected.at.place, reason);
        }
    }
    findings.extend(unlooked.into_findings());
    Arrivals { machines, shared, findings }
}

/// A certificate with the name or address of another machine, and none of its own.
fn certificates_of_others(plan: &ArrivalPlan<'_>, machines: &mut [Arrival<'_>]) {
    let called = |machine: &Machine| -> Vec<String> {
        let addresses =
            machine.links.iter().flat_map(Link::addresses).map(|own| own.address.value.to_string());
        let names = machine.hostname.value().map(ToString::to_string).into_iter().chain(machine.fqdn());
        names.map(|name| name.to_ascii_lowercase()).chain(addresses).collect()
    };
    let mut whose: HashMap<String, &Machine> = HashMap::new();
    for machine in &plan.site.machines {
        whose.extend(called(machine).into_iter().map(|name| (name, machine)));
    }
    for (expected, arrival) in plan.machines.iter().zip(machines) {
        let (Some(certificate), Stage::Right, false) =
            (&arrival.certificate, arrival.stage, arrival.is_remembered)
        else {
            continue;
        };
        let names = certificate.names.iter().map(|name| name.to_ascii_lowercase());
        let owners: Vec<&&Machine> = names.filter_map(|name| whose.get(&name)).collect();
        let is_own = |owner: &&&Machine| std::ptr::eq(**owner, expected.machine);
        let (Some(other), Some(at)) = (owners.first(), expected.addresses.first()) else { continue };
        if owners.iter().any(is_own) {
            continue;
        }
        let (called, other) = (expected.machine.called(), other.called());
        let message = format!(
            "{called} shows a certificate that is made for {other}: {}.",
            crate::judge::listed(&certificate.names.iter().map(|name| harmless(name)).collect::<Vec<_>>())
        );
        let fix = format!("look at their consoles whether {called} and {other} have each other's settings");
        let label = expected.machine.label.as_deref().map(str::to_owned);
        arrival.findings.push(Finding::new(&CERTIFICATE_OF_ANOTHER, label, at.place, message, fix));
        arrival.stage = Stage::Wrong;
        arrival.says = format!("HTTPS, with a certificate for {other}");
    }
}

/// Where other machines of its cluster answer, one that is silent is missing there.
fn missing_members(plan: &ArrivalPlan<'_>, machines: &mut [Arrival<'_>]) {
    for (nth, expected) in plan.machines.iter().enumerate() {
        let Some(cluster) = &expected.machine.cluster else { continue };
        let Some(named) = plan.site.clusters.get(cluster.value) else { continue };
        let of_cluster = || {
            let is_member = |other: &crate::question::ExpectedMachine<'_>| {
                other.machine.cluster.as_ref().is_some_and(|own| own.value == cluster.value)
            };
            plan.machines.iter().zip(&*machines).filter(move |(other, _)| is_member(other))
        };
        let (all, right) =
            (of_cluster().count(), of_cluster().filter(|(_, arrival)| arrival.stage == Stage::Right).count());
        if right == 0 {
            continue;
        }
        let Some(arrival) = machines.get_mut(nth) else { continue };
        if !matches!(arrival.stage, Stage::Silent | Stage::Starting | Stage::Wrong) || arrival.at.is_some() {
            continue;
        }
        for finding in &mut arrival.findings {
            if finding.rule == &MACHINE_SILENT && finding.severity() == Severity::Error {
                let message = format!(
                    "{} {right} of the {all} machines of cluster {} answer.",
                    finding.message, named.name.value
                );
                let again = Finding::new(
                    &MEMBER_MISSING,
                    finding.machine.clone(),
                    finding.place,
                    message,
                    finding.fix.clone(),
                );
                *finding = again;
            }
        }
    }
}
