//! Rules on machines that belong together.

use std::collections::BTreeMap;

use impostazione_ovf::Meaning;
use impostazione_text::Place;

use super::check::Check;
use super::judge::Judge;
use crate::appliance::{AnsweredProperty, Origin};
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{AllowedSizes, Cluster, Machine};

pub(super) const CHECKS: &[Check] = &[
    Check::new(&CLUSTER_TOO_SMALL, check_too_few),
    Check::new(&CLUSTER_TOO_LARGE, check_too_many),
    Check::new(&CLUSTER_EVEN_MEMBERS, check_even),
    Check::new(&CLUSTER_NUMBER_DUPLICATE, check_numbers),
    Check::new(&CLUSTER_MEMBER_DIFFERS, check_differences),
];

/// Machines that are still to come.
static CLUSTER_TOO_SMALL: Rule = Rule {
    name: "cluster-too-small",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a cluster has fewer machines in the sheet than its size",
    explanation: "`size` of a cluster is the final number of machines, and `allowed_sizes` the numbers with which it \
        works. With fewer machines it does not start, or it loses data when the first one fails. Add the others, or \
        waive the rule until they are added.",
    wrong: "[cluster.logbook]\nsize = 3\n[[appliance]]\nname = \"logbook-{1..2}\"\ncluster = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.{61..62}\" }\n",
    right: "[cluster.logbook]\nsize = 3\n[[appliance]]\nname = \"logbook-{1..3}\"\ncluster = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.{61..63}\" }\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// More machines than are meant.
static CLUSTER_TOO_LARGE: Rule = Rule {
    name: "cluster-too-large",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "a cluster has more machines in the sheet than its size",
    explanation: "`size` of a cluster is the final number of machines; a pair has two. Machines are configured with \
        that number, and refuse any more.",
    wrong: "[cluster.logbook]\nsize = 2\n[[appliance]]\nname = \"logbook-{1..3}\"\ncluster = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.{61..63}\" }\n",
    right: "[cluster.logbook]\nsize = 3\n[[appliance]]\nname = \"logbook-{1..3}\"\ncluster = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.{61..63}\" }\n",
    ..Rule::PLAIN
};

/// Halves that cannot agree.
static CLUSTER_EVEN_MEMBERS: Rule = Rule {
    name: "cluster-even-members",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "a cluster that needs an odd number of machines has an even one",
    explanation: "When the network between them breaks, the larger part continues. Two equal halves both stop, or \
        both continue and diverge. An even number survives no more failures than the odd number below it.",
    wrong: "[cluster.logbook]\nallowed_sizes = \"odd\"\n[[appliance]]\nname = \"logbook-{1..4}\"\ncluster = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.{61..64}\" }\n",
    right: "[cluster.logbook]\nallowed_sizes = \"odd\"\n[[appliance]]\nname = \"logbook-{1..3}\"\ncluster = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.{61..63}\" }\n",
    ..Rule::PLAIN
};

/// A number given twice.
static CLUSTER_NUMBER_DUPLICATE: Rule = Rule {
    name: "cluster-number-duplicate",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "two machines of a cluster have the same number",
    explanation: "Each machine of a cluster has its own number, by which the others know it. Two machines with the \
        same number mistake each other for a restarted machine. Remove the answer, so that the machines are counted, \
        or write a pattern.",
    wrong: "[cluster.logbook]\n[[appliance]]\nname = \"logbook-{1..2}\"\ncluster = \"logbook\"\npackage = \"packages/numbered.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.{61..62}\" }\n[appliance.answer]\n\"node.id\" = 1\n",
    right: "[cluster.logbook]\n[[appliance]]\nname = \"logbook-{1..2}\"\ncluster = \"logbook\"\npackage = \"packages/numbered.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.{61..62}\" }\n[appliance.answer]\n\"node.id\" = \"{1..2}\"\n",
    ..Rule::PLAIN
};

/// A machine that is not like the others.
static CLUSTER_MEMBER_DIFFERS: Rule = Rule {
    name: "cluster-member-differs",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a machine of a cluster has a different setting than the others",
    explanation: "Machines of a cluster have the same package, size, servers, domain, time zone and subnets, and the \
        same answers except for those that tell them apart. If one machine has an entry of its own, a change to the \
        others is easily forgotten there. One entry with a pattern avoids this.",
    wrong: "[cluster.logbook]\n[[appliance]]\nname = \"logbook-1\"\ncluster = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[[appliance]]\nname = \"logbook-2\"\ncluster = \"logbook\"\nsearch = [\"quay.capovetro.example\"]\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.62\" }\n",
    right: "[cluster.logbook]\n[[appliance]]\nname = \"logbook-{1..2}\"\ncluster = \"logbook\"\nsearch = [\"quay.capovetro.example\"]\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.{61..62}\" }\n",
    ..Rule::PLAIN
};

/// Each cluster with its machines.
fn clusters<'a>(judge: &Judge<'a>) -> Vec<(&'a Cluster, Vec<&'a Machine>)> {
    let site = judge.site;
    let mut members: Vec<Vec<&'a Machine>> = vec![Vec::new(); site.clusters.len()];
    for machine in &site.machines {
        if let Some(list) = machine.cluster.as_ref().and_then(|cluster| members.get_mut(cluster.value)) {
            list.push(machine);
        }
    }
    site.clusters.iter().zip(members).collect()
}

fn machines(count: usize) -> String {
    if count == 1 { "1 machine".to_owned() } else { format!("{count} machines") }
}

fn check_too_few(judge: &mut Judge<'_>) {
    for (cluster, members) in clusters(judge) {
        let kind = cluster.allowed_sizes.value();
        let needed = kind.map_or(0, |written| match written.value {
            AllowedSizes::Odd => 3,
            AllowedSizes::Pair => 2,
            AllowedSizes::Any => 0,
        });
        let planned = cluster.size.value();
        let meant = planned.map_or(needed, |size| size.value);
        let place = planned.map(|size| size.place).or(kind.map(|written| written.place));
        if let Some(place) = place.filter(|_| members.len() < meant) {
            judge.on_sheet(
                &CLUSTER_TOO_SMALL,
                place,
                format!(
                    "The cluster {} should have {}, but the sheet has {}.",
                    cluster.name.value,
                    machines(meant),
                    members.len()
                ),
                "add the others, or change the number",
            );
        }
    }
}

fn check_too_many(judge: &mut Judge<'_>) {
    for (cluster, members) in clusters(judge) {
        let pair = cluster.allowed_sizes.value().filter(|written| written.value == AllowedSizes::Pair);
        let limits = cluster.size.value().map(|size| (size.value, size.place));
        let limits = limits.into_iter().chain(pair.map(|written| (2, written.place)));
        let Some((most, place)) = limits.min_by_key(|(most, _)| *most) else { continue };
        if members.len() > most {
            judge.on_sheet(
                &CLUSTER_TOO_LARGE,
                place,
                format!(
                    "The cluster {} should have {}, but the sheet has {}.",
                    cluster.name.value,
                    machines(most),
                    members.len()
                ),
                "remove machines from it, or change the number",
            );
        }
    }
}

fn check_even(judge: &mut Judge<'_>) {
    for (cluster, members) in clusters(judge) {
        let Some(written) =
            cluster.allowed_sizes.value().filter(|written| written.value == AllowedSizes::Odd)
        else {
            continue;
        };
        let meant = cluster.size.value().map_or(members.len(), |size| size.value);
        // With two and no size a machine is missing, which is said already.
        if meant.is_multiple_of(2) && meant >= 4 || (cluster.size.value().is_some() && meant == 2) {
            judge.on_sheet(
                &CLUSTER_EVEN_MEMBERS,
                cluster.size.value().map_or(written.place, |size| size.place),
                format!(
                    "The cluster {} needs an odd number of machines, but its size is {meant}.",
                    cluster.name.value
                ),
                if meant == 2 {
                    "write size = 3".to_owned()
                } else {
                    format!("write size = {} or {}", meant - 1, meant + 1)
                },
            );
        }
    }
}

fn check_numbers(judge: &mut Judge<'_>) {
    for (_, members) in clusters(judge) {
        let mut first: BTreeMap<(String, String), &Machine> = BTreeMap::new();
        for machine in members {
            for (id, value, place) in numbers(judge, machine) {
                let known = first.entry((id.clone(), value.clone())).or_insert(machine);
                if std::ptr::eq(*known, machine) {
                    continue;
                }
                let message = format!("\"{id}\" is {value}, and so is that of {}.", known.called());
                let fix = format!(
                    "remove the answer, so that the machines are counted, or write a pattern: \"{id}\" = \
                        \"{{1..3}}\""
                );
                judge.on_property(&CLUSTER_NUMBER_DUPLICATE, machine, id, place, message, fix);
            }
        }
    }
}

/// The numbers that a machine is told, at properties or at its console: where it is asked for, the number, and its place.
fn numbers(judge: &Judge<'_>, machine: &Machine) -> Vec<(String, String, Place)> {
    let table = machine.appliance().and_then(|appliance| appliance.answers_place).unwrap_or(machine.place);
    let of_properties = properties(judge, machine)
        .iter()
        .filter(|property| property.reading.meaning == Meaning::NodeNumber)
        .filter_map(|property| {
            let place = property.answer.map_or(table, |answer| answer.place);
            Some((property.property.id(), property.outcome.text()?.to_owned(), place))
        });
    let at_console = judge.told_of(machine).filter(|told| told.is_at_console);
    let of_questions = at_console
        .into_iter()
        .flat_map(|told| &told.values)
        .filter(|value| value.meaning == Meaning::NodeNumber)
        .map(|value| (value.id(), value.text.reveal().to_owned(), value.place));
    of_properties.chain(of_questions).filter(|(_, value, _)| !value.is_empty()).collect()
}

fn properties<'a>(judge: &Judge<'a>, machine: &Machine) -> &'a [AnsweredProperty<'a>] {
    judge.told_of(machine).map(|told| told.properties.as_slice()).unwrap_or_default()
}

/// What a machine should have in common with the others of its cluster.
struct Shared {
    what: String,
    value: String,
    place: Place,
}

fn shared(judge: &Judge<'_>, machine: &Machine) -> Vec<Shared> {
    let site = judge.site;
    let settings = &machine.settings;
    let mut shared = Vec::new();
    let mut note = |what: &str, value: String, place: Place| {
        shared.push(Shared { what: what.to_owned(), value, place });
    };
    if let Some(appliance) = machine.appliance() {
        if let (Some(package), Some(written)) = (site.package_of(appliance), appliance.package.value()) {
            note("package", package.path.clone(), written.place);
        }
        if let Some(option) = appliance.deployment_option.value() {
            note("deployment option", option.value.clone(), option.place);
        }
    }
    if let Some(list) = settings.dns.value() {
        note("DNS servers", listed(list.values()), list.place);
    }
    if let Some(list) = settings.ntp.value() {
        note("time servers", listed(list.values()), list.place);
    }
    match settings.search.value() {
        Some(list) => note("search domains", listed(list.values()), list.place),
        None => note("search domains", "none".to_owned(), machine.place),
    }
    if let Some(domain) = settings.domain.value() {
        note("domain", domain.value.to_string(), domain.place);
    }
    if let Some(zone) = settings.timezone.value() {
        note("time zone", zone.value.to_string(), zone.place);
    }
    for link in &machine.links {
        if let (Some(subnet), Some(written)) = (site.subnet_of(link), link.subnet.value()) {
            note(&format!("subnet of {}", link.name.value), subnet.name.value.clone(), written.place);
        }
    }
    for property in properties(judge, machine) {
        let tells_apart = matches!(
            property.reading.meaning,
            Meaning::Address
                | Meaning::Address6
                | Meaning::AddressWithPrefix
                | Meaning::Hostname
                | Meaning::Fqdn
                | Meaning::NodeNumber
                | Meaning::Peers
                | Meaning::Role
                | Meaning::LicenseKey
        );
        let (Some(answer), Some(value)) = (property.answer, property.outcome.text()) else { continue };
        if property.outcome.origin() == Some(Origin::Literal) && !tells_apart && !property.is_confidential() {
            note(&format!("\"{}\"", property.property.id()), value.to_owned(), answer.place);
        }
    }
    shared
}

fn listed<T: ToString>(values: impl Iterator<Item = T>) -> String {
    let listed = values.map(|value| value.to_string()).collect::<Vec<_>>().join(", ");
    if listed.is_empty() { "none".to_owned() } else { listed }
}

fn check_differences(judge: &mut Judge<'_>) {
    for (_, members) in clusters(judge) {
        // What one entry makes is as its pattern says.
        let mut entries: Vec<&Machine> = Vec::new();
        for machine in members {
            if !entries.iter().any(|known| known.header == machine.header) {
                entries.push(machine);
            }
        }
        // Machines of one collection are meant to differ.
        let is_of_collection =
            |machine: &Machine| machine.appliance().is_some_and(|appliance| !appliance.system.is_absent());
        entries.retain(|machine| !is_of_collection(machine));
        let Some((first, others)) = entries.split_first() else { continue };
        let of_first: BTreeMap<String, String> =
            shared(judge, first).into_iter().map(|shared| (shared.what, shared.value)).collect();
        for machine in others {
            for Shared { what, value, place } in shared(judge, machine) {
                let Some(other) = of_first.get(&what).filter(|other| **other != value) else { continue };
                judge.on_machine(
                    &CLUSTER_MEMBER_DIFFERS,
                    machine,
                    place,
                    format!(
                        "{} and {} are in one cluster, but their {what} differs: {value} and {other}.",
                        machine.called(),
                        first.called()
                    ),
                    "use the same value for all machines of the cluster, best in one entry with a pattern",
                );
            }
        }
    }
}
