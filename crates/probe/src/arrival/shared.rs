//! Whether the virtual address of a cluster answers.

use impostazione_core::finding::Finding;
use impostazione_core::network::rules::VIRTUAL_ADDRESS_SILENT;

use super::machine::Moment;
use super::stage::{Arrival, SharedArrival, Stage};
use crate::answer::Door;
use crate::knock::knock;
use crate::network::Network;
use crate::question::{ExpectedShared, Way};
use crate::stop::Stop;

/// Asks it, and judges the answer.
pub(super) fn visit_shared(
    expected: &ExpectedShared<'_>,
    network: &dyn Network,
    moment: impl FnOnce() -> Moment,
    stop: &Stop,
) -> SharedArrival {
    let door = knock(network, expected.at.address, &Way::Unasked(expected.port), &[], stop);
    let moment = moment();
    let says = |text: &str| format!("{text} at {}", expected.at.address);
    match door {
        Door::Open => SharedArrival { stage: Stage::Right, is_settled: true, says: says("answers") },
        Door::NotLooked(obstacle) => {
            SharedArrival { stage: Stage::Unknown, is_settled: true, says: obstacle.to_string() }
        }
        Door::ThisComputer(link) => SharedArrival {
            stage: Stage::Wrong,
            is_settled: true,
            says: format!("this computer itself has {}, on {link}", expected.at.address),
        },
        _ => {
            let may_start = moment.wait.is_some() && moment.since < expected.start;
            let stage = if may_start { Stage::Starting } else { Stage::Silent };
            SharedArrival { stage, is_settled: false, says: says("no answer") }
        }
    }
}

/// What is wrong with a virtual address, when all is over.
pub(super) fn finding_of(
    expected: &ExpectedShared<'_>,
    shared: &SharedArrival,
    machines: &[Arrival<'_>],
) -> Option<Finding> {
    let members = expected.members.iter().filter_map(|at| machines.get(*at));
    // Where none of its members answers, that is what is to be looked at.
    let is_any_there = members.clone().any(|member| member.stage == Stage::Right);
    if !matches!(shared.stage, Stage::Silent | Stage::Starting | Stage::Wrong) || !is_any_there {
        return None;
    }
    let (address, cluster) = (expected.at.address, &expected.cluster.name.value);
    let message = match shared.stage {
        Stage::Wrong => {
            format!("The virtual address {address} of cluster {cluster} is taken: {}.", shared.says)
        }
        _ => format!(
            "The virtual address {address} of cluster {cluster} does not answer, though machines of the cluster do."
        ),
    };
    let fix = "look on the cluster's own page whether it has formed, and which virtual address it was told";
    Some(Finding::on_sheet(&VIRTUAL_ADDRESS_SILENT, expected.at.place, message, fix))
}
