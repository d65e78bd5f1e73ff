//! Rules on OVF packages and the answers to their properties.

use super::{Check, Judge, Nature, Rule};
use crate::finding::{Finding, Severity};
use crate::given::Given;
use crate::machine::{Answer, AnswerSource, Machine, TakeWord};
use crate::names::nearest;
use crate::ovf::{Package, PackageFault, Property};
use crate::source::{Place, Written};

pub(super) const RULES: &[&Rule] = &[
    &PACKAGE_MISSING,
    &PACKAGE_UNREADABLE,
    &NETWORK_UNKNOWN,
    &PROPERTY_UNKNOWN,
    &PROPERTY_UNANSWERED,
    &PROPERTY_NOT_SETTABLE,
    &PROPERTY_WRONG_TYPE,
    &REFERENCE_DANGLING,
    &REFERENCE_LOOP,
];

/// No package at the path.
static PACKAGE_MISSING: Rule = Rule {
    name: "package-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "there is no package at the path that the sheet gives",
    explanation: "`package` is the path of the package's OVF descriptor. It starts from the folder that the sheet is in, \
        not from where the command is run.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbok.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = { take = \"address\" }\n",
    about_absence: false,
    check: Check::Site(check_missing),
};

/// A package that cannot be used.
static PACKAGE_UNREADABLE: Rule = Rule {
    name: "package-unreadable",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a package's descriptor cannot be read",
    explanation: "The descriptor is an XML file in UTF-8 whose root is an OVF envelope with one virtual machine. This \
        version does not open OVA archives: unpack them with tar, and name the .ovf file among what comes out.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"keys/keeper.pub\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = { take = \"address\" }\n",
    about_absence: false,
    check: Check::Site(check_unreadable),
};

/// A network that the package does not have.
static NETWORK_UNKNOWN: Rule = Rule {
    name: "network-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a link is on a network that the package does not have",
    explanation: "`network` of an appliance's link is a name from the network section of the package's descriptor. Upper \
        and lower case count.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { network = \"management\", subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = { take = \"address\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { network = \"Management\", subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = { take = \"address\" }\n",
    about_absence: false,
    check: Check::Site(check_networks),
};

/// An answer to nothing.
static PROPERTY_UNKNOWN: Rule = Rule {
    name: "property-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an answer is given to a property that the package does not have",
    explanation: "A property is named by its class, key and instance with dots between them, as far as it has them, in \
        quotes. A newer version of a package may have renamed it.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = { take = \"address\" }\n\"net.gatway\" = \"10.64.10.1\"\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = { take = \"address\" }\n\"net.gateway\" = \"10.64.10.1\"\n",
    about_absence: false,
    check: Check::Site(check_unknown),
};

/// A property without an answer.
static PROPERTY_UNANSWERED: Rule = Rule {
    name: "property-unanswered",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a property that has no default is given no answer",
    explanation: "The package asks for the property and has no default for it, so the appliance would start without the \
        setting, or not at all. A default that is an empty text counts as one.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = { take = \"address\" }\n",
    about_absence: true,
    check: Check::Site(check_unanswered),
};

/// A property that is not the administrator's.
static PROPERTY_NOT_SETTABLE: Rule = Rule {
    name: "property-not-settable",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an answer is given to a property that the package keeps for itself",
    explanation: "A property whose descriptor does not say userConfigurable=\"true\" is the package's own. Platforms ignore \
        an answer to it, or the appliance does not start with one.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = { take = \"address\" }\n\"build.channel\" = \"test\"\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = { take = \"address\" }\n",
    about_absence: false,
    check: Check::Site(check_not_settable),
};

/// An answer that does not fit.
static PROPERTY_WRONG_TYPE: Rule = Rule {
    name: "property-wrong-type",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an answer is not of the property's type",
    explanation: "The descriptor gives each property a type: a whole number of so many bits with or without a sign, a \
        fraction, true or false, or a text. An appliance that cannot read an answer falls back to its default without a \
        word, or stops.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = { take = \"address\" }\n\"node.number\" = 300\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = { take = \"address\" }\n\"node.number\" = 3\n",
    about_absence: false,
    check: Check::Site(check_type),
};

/// Nothing to take.
static REFERENCE_DANGLING: Rule = Rule {
    name: "reference-dangling",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a value is taken from where there is none",
    explanation: "{ take = \"…\" } takes a value that the sheet holds elsewhere: the appliance's own, or with `of` that of \
        another machine or of a subnet. Where there are several values, nth or join says what becomes of them.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = { take = \"address\" }\n\"clock\" = { take = \"address\", of = \"signal-towr\" }\n",
    right: "[[host]]\nname = \"signal-tower\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.31\" }\n[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = { take = \"address\" }\n\"clock\" = { take = \"address\", of = \"signal-tower\" }\n",
    about_absence: true,
    check: Check::Site(check_references),
};

/// A value that leads back to itself.
static REFERENCE_LOOP: Rule = Rule {
    name: "reference-loop",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "values of the sheet take each other in a circle",
    explanation: "A list takes a server of another machine's list, and that in turn one of this. Nowhere on the way is \
        an address written. Write it at one of the places.",
    wrong: "[[host]]\nname = \"gauge-01\"\ndns = [{ take = \"dns-1\", of = \"gauge-02\" }, \"none\"]\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n[[host]]\nname = \"gauge-02\"\ndns = [{ take = \"dns-1\", of = \"gauge-01\" }, \"none\"]\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.12\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\ndns = [{ take = \"dns-1\", of = \"gauge-02\" }, \"none\"]\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n[[host]]\nname = \"gauge-02\"\ndns = [\"10.64.10.53\", \"none\"]\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.12\" }\n",
    about_absence: false,
    check: Check::Reading,
};

/// The packages with a fault, each with the first appliance that names it.
fn faulty_packages<'a>(judge: &Judge<'a>) -> Vec<(&'a Machine, Place, &'a Package, &'a PackageFault)> {
    let site = judge.site;
    let mut seen = vec![false; site.packages.len()];
    let mut faulty = Vec::new();
    for machine in &site.machines {
        let Some(index) = machine.appliance().and_then(|appliance| appliance.package.value()) else {
            continue;
        };
        let Some(package) = site.packages.get(index.value) else { continue };
        if let (false, Err(fault)) = (std::mem::replace(&mut seen[index.value], true), &package.descriptor) {
            faulty.push((machine, index.place, package, fault));
        }
    }
    faulty
}

fn check_missing(judge: &mut Judge<'_>) {
    for (machine, place, package, fault) in faulty_packages(judge) {
        if *fault == PackageFault::Missing {
            judge.on_machine(
                &PACKAGE_MISSING,
                machine,
                place,
                format!("There is no file {}.", package.path),
                "write the descriptor's path from the folder of the sheet on, or put the package there",
            );
        }
    }
}

fn check_unreadable(judge: &mut Judge<'_>) {
    for (machine, place, package, fault) in faulty_packages(judge) {
        if let PackageFault::Unreadable(reason) = fault {
            judge.on_machine(
                &PACKAGE_UNREADABLE,
                machine,
                place,
                format!("{} cannot be used as a package: {reason}.", package.path),
                "name the package's .ovf descriptor",
            );
        }
    }
}

fn check_networks(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        let Some(descriptor) = machine.appliance().and_then(|appliance| site.descriptor_of(appliance)) else {
            continue;
        };
        for network in machine.links.iter().filter_map(|link| link.network.as_ref()) {
            if descriptor.networks.contains(&network.value) {
                continue;
            }
            let known: Vec<String> = descriptor.networks.iter().map(|name| format!("\"{name}\"")).collect();
            judge.on_machine(
                &NETWORK_UNKNOWN,
                machine,
                network.place,
                format!("The package has no network \"{}\".", network.value),
                if known.is_empty() {
                    "take network out: the package has none".to_owned()
                } else {
                    format!("write {}", known.join(" or "))
                },
            );
        }
    }
}

/// Each answer of each appliance whose package could be read, with the property that it is for.
fn answered<'a>(
    judge: &Judge<'a>,
) -> impl Iterator<Item = (&'a Machine, &'a Answer, &'a Property)> + use<'a> {
    let site = judge.site;
    site.machines.iter().flat_map(move |machine| {
        let appliance = machine.appliance();
        let descriptor = appliance.and_then(|appliance| site.descriptor_of(appliance));
        appliance
            .into_iter()
            .flat_map(|appliance| &appliance.answers)
            .filter_map(move |answer| Some((machine, answer, descriptor?.property(&answer.property.value)?)))
    })
}

fn check_unknown(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        let Some(appliance) = machine.appliance() else { continue };
        let Some(descriptor) = site.descriptor_of(appliance) else { continue };
        let ids: Vec<String> = descriptor.properties.iter().map(Property::id).collect();
        for answer in appliance.answers.iter().filter(|answer| !ids.contains(&answer.property.value)) {
            let settable: Vec<&str> = descriptor
                .properties
                .iter()
                .zip(&ids)
                .filter(|(property, _)| property.is_settable)
                .map(|(_, id)| id.as_str())
                .collect();
            let fix = match nearest(&answer.property.value, settable.iter().copied(), 1).first() {
                Some(close) => format!("write \"{close}\""),
                None => format!("take the line out, or answer one of: {}", settable.join(", ")),
            };
            judge.on_machine(
                &PROPERTY_UNKNOWN,
                machine,
                answer.property.place,
                format!("The package has no property \"{}\".", answer.property.value),
                fix,
            );
        }
    }
}

fn check_unanswered(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        let Some(appliance) = machine.appliance() else { continue };
        let Some(descriptor) = site.descriptor_of(appliance) else { continue };
        for property in
            descriptor.properties.iter().filter(|property| property.is_settable && property.default.is_none())
        {
            let id = property.id();
            if appliance.answers.iter().any(|answer| answer.property.value == id) {
                continue;
            }
            let label =
                if property.label.is_empty() { String::new() } else { format!(" ({})", property.label) };
            judge.on_machine(
                &PROPERTY_UNANSWERED,
                machine,
                appliance.answers_place.unwrap_or(machine.place),
                format!("The package asks for \"{id}\"{label}, has no default for it, and the sheet gives no answer."),
                format!("add \"{id}\" = \"…\" to [appliance.answer], or take a value of the sheet: \"{id}\" = {{ take = \"…\" }}"),
            );
        }
    }
}

fn check_not_settable(judge: &mut Judge<'_>) {
    for (machine, answer, property) in answered(judge) {
        if !property.is_settable {
            judge.on_machine(
                &PROPERTY_NOT_SETTABLE,
                machine,
                answer.property.place,
                format!("The package keeps \"{}\" for itself.", property.id()),
                "take the line out",
            );
        }
    }
}

fn check_type(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (machine, answer, property) in answered(judge).filter(|(_, _, property)| property.is_settable) {
        let value = match &answer.source {
            Given::Value(AnswerSource::Literal(text)) => text.clone(),
            Given::Value(AnswerSource::Take(take)) => match take.value(site, machine) {
                Ok(value) => value,
                Err(_) => continue,
            },
            Given::Absent | Given::Faulty => continue,
        };
        if let Err(wrong) = property.kind.accepts(&value) {
            let found = if property.is_password { "the answer".to_owned() } else { format!("\"{value}\"") };
            judge.on_machine(
                &PROPERTY_WRONG_TYPE,
                machine,
                answer.place,
                format!("\"{}\" is of type {} and {found} is not.", property.id(), property.kind),
                format!("write {}", wrong.takes),
            );
        }
    }
}

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

/// `of` names nothing that the sheet has.
pub(crate) fn reference_dangling(
    machine: Option<String>,
    written: &Written<String>,
    known: &[&str],
) -> Finding {
    let longer =
        || known.iter().find(|name| !written.value.is_empty() && name.contains(&written.value)).copied();
    let fix = match nearest(&written.value, known.iter().copied(), 1).first().copied().or_else(longer) {
        Some(close) => format!("write of = \"{close}\""),
        None => "write the name of a machine or subnet of this sheet".to_owned(),
    };
    Finding::new(
        &REFERENCE_DANGLING,
        machine,
        written.place,
        format!("The sheet has no machine and no subnet \"{}\".", written.value),
        fix,
    )
}

pub(crate) fn reference_loop(machine: Option<String>, place: Place, path: &[Place]) -> Finding {
    let message = match path.len() {
        1 => "The value is taken from itself.".to_owned(),
        steps => format!("The value is taken in a circle of {steps} places, and stands at none of them."),
    };
    Finding::new(&REFERENCE_LOOP, machine, place, message, "write the address itself at one of the places")
}

/// A value that a list cannot take.
pub(crate) fn reference_fault(
    machine: Option<String>,
    place: Place,
    message: String,
    fix: String,
) -> Finding {
    Finding::new(&REFERENCE_DANGLING, machine, place, message, fix)
}

pub(crate) fn list_take_word(machine: Option<String>, word: &Written<TakeWord>) -> Finding {
    Finding::new(
        &REFERENCE_DANGLING,
        machine,
        word.place,
        format!("A list of servers cannot take the {}.", word.value.text()),
        "take one of: address, address6, gateway, gateway6, dns-1, dns-2, ntp-1, ntp-2",
    )
}

pub(crate) fn list_take_without_of(place: Place, word: TakeWord) -> Finding {
    Finding::on_sheet(
        &REFERENCE_DANGLING,
        place,
        format!("The list does not say of which machine to take the {}.", word.text()),
        "add of = \"…\" with the name of a machine",
    )
}
