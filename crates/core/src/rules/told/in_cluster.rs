//! What machines of a cluster are told of each other.

use impostazione_ovf::Meaning;

use super::super::check::Check;
use super::super::judge::Judge;
use super::example::answered_in_cluster;
use super::value::report_told;
use crate::appliance::{Asks, FaultKind, ReadValue, ToldAppliance, ToldValue, TypedValue};
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{Link, Machine, TimeServer};

pub(crate) const CHECKS: &[Check] =
    &[Check::new(&CLUSTER_COUNT_DIFFERS, check_count), Check::new(&CLUSTER_PEER_WRONG, check_peers)];

/// A number of machines that is not the cluster's.
static CLUSTER_COUNT_DIFFERS: Rule = Rule {
    name: "cluster-count-differs",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "a machine gets a different number of machines than its cluster has",
    explanation: "A machine that waits for more machines than exist never starts, and one that expects fewer refuses \
        the last ones. The number is `size` of the cluster, or else the number of its machines in the sheet.",
    wrong: answered_in_cluster!("\"node.count\" = 3"),
    right: answered_in_cluster!("\"node.count\" = 2"),
    ..Rule::PLAIN
};

/// Somebody else in a list of a cluster's machines.
static CLUSTER_PEER_WRONG: Rule = Rule {
    name: "cluster-peer-wrong",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "a machine gets a wrong list of the other machines in its cluster",
    explanation: "A machine finds the others of its cluster through this list. It waits forever for a wrong one, and \
        if it finds itself in the list, it joins itself. Remove the answer, or write { take = \"peers\" }, which \
        changes with the cluster.",
    wrong: answered_in_cluster!("\"node.peers\" = \"10.64.10.63\""),
    right: answered_in_cluster!("\"node.peers\" = { take = \"peers\", join = \",\" }"),
    ..Rule::PLAIN
};

fn check_count(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (appliance, told) in judge.told_values() {
        let Some(TypedValue::Number(count)) = told.typed() else { continue };
        if told.meaning != Meaning::NodeCount || !told.is_own_word() {
            continue;
        }
        let Some(index) = appliance.machine.cluster.as_ref().map(|written| written.value) else { continue };
        let Some(cluster) = site.clusters.get(index) else { continue };
        let size = cluster.size.value().map_or_else(|| site.members(index).count(), |size| size.value);
        if *count != size as u64 {
            let message =
                format!("The cluster {} has {size} machines, but the value is {count}.", cluster.name.value);
            let fix = format!("write {size}");
            report_told(judge, &CLUSTER_COUNT_DIFFERS, appliance.machine, told, &message, fix);
        }
    }
}

/// Whether a property wants the machine itself among the others.
fn wants_all(told: &ToldValue<'_>) -> bool {
    let texts = match told.asks {
        Asks::Property(property) => [property.label.as_str(), property.description.as_str()],
        Asks::Question(question) => [question.ask.as_str(), ""],
    };
    let words =
        ["all nodes", "all members", "all machines", "all hosts", "including", "every node", "every member"];
    texts.iter().any(|text| {
        let text = text.to_lowercase();
        words.iter().any(|word| text.contains(word))
    })
}

fn is_named(machine: &Machine, peer: &TimeServer) -> bool {
    match peer {
        TimeServer::Address(address) => {
            machine.links.iter().flat_map(Link::addresses).any(|found| found.address.value == *address)
        }
        TimeServer::Name(name) => {
            let name = name.as_str();
            let full = machine.fqdn();
            machine.label().eq_ignore_ascii_case(name)
                || machine.hostname.value().is_some_and(|own| own.as_str().eq_ignore_ascii_case(name))
                || full.is_some_and(|full| full.eq_ignore_ascii_case(name))
        }
    }
}

fn check_peers(judge: &mut Judge<'_>) {
    for (appliance, told) in judge.told_values() {
        if let ReadValue::Wrong(fault) = &told.read
            && fault.kind == FaultKind::Peer
        {
            let message = format!("\"{}\" {}.", fault.item, fault.reason);
            let fix = "write the addresses or names of the cluster's other machines".to_owned();
            report_told(judge, &CLUSTER_PEER_WRONG, appliance.machine, told, &message, fix);
        }
        if told.meaning == Meaning::Peers && told.is_own_word() && told.take().is_none() {
            check_peers_of(judge, appliance, told);
        }
    }
}

fn check_peers_of(judge: &mut Judge<'_>, appliance: &ToldAppliance<'_>, told: &ToldValue<'_>) {
    let site = judge.site;
    let machine = appliance.machine;
    let (Some(TypedValue::Peers(peers)), Some(cluster)) = (told.typed(), &machine.cluster) else { return };
    let name = site.cluster_of(machine).map_or("", |cluster| cluster.name.value.as_str());
    let mut is_right = true;
    for (at, peer) in peers.iter().enumerate() {
        let message = if is_named(machine, peer) && !wants_all(told) {
            format!("{peer} is {} itself.", machine.called())
        } else if !site.members(cluster.value).any(|member| is_named(member, peer)) {
            format!("{peer} is not a machine of the cluster {name}.")
        } else if peers.iter().take(at).any(|earlier| earlier == peer) {
            format!("{peer} is already in this list.")
        } else {
            continue;
        };
        is_right = false;
        let fix = "write the addresses or names of the cluster's other machines".to_owned();
        report_told(judge, &CLUSTER_PEER_WRONG, machine, told, &message, fix);
    }
    let missing = site
        .members(cluster.value)
        .find(|member| !std::ptr::eq(*member, machine) && !peers.iter().any(|peer| is_named(member, peer)));
    // One of several is asked for by its number, or alone.
    let is_list = is_right && told.position.is_none() && (told.separator.is_some() || peers.len() > 1);
    if let Some(missing) = missing.filter(|_| is_list) {
        let message = format!("{} of the cluster {name} is missing.", missing.called());
        let fix = "write the addresses or names of all other machines of the cluster".to_owned();
        report_told(judge, &CLUSTER_PEER_WRONG, machine, told, &message, fix);
    }
}
