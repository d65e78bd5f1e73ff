//! Rules on how an appliance is deployed: its size, networks, disks and licenses.

use std::collections::HashSet;

use impostazione_ovf::{Descriptor, VirtualSystem};
use impostazione_text::{ByteSize, Place, nearest};

use super::check::Check;
use super::judge::Judge;
use crate::appliance::network_of_link;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{Appliance, Machine};

pub(super) const CHECKS: &[Check] = &[
    Check::new(&PACKAGE_SYSTEM_UNKNOWN, check_system),
    Check::new(&DEPLOYMENT_OPTION_UNKNOWN, check_option_unknown),
    Check::new(&DEPLOYMENT_OPTION_MISSING, check_option_missing),
    Check::new(&PACKAGE_NETWORK_UNKNOWN, check_networks),
    Check::new(&PACKAGE_NETWORK_UNMAPPED, check_unmapped),
    Check::new(&HYPERVISOR_NETWORK_MISSING, check_hypervisor),
    Check::new(&PACKAGE_DISKS_TOO_LARGE, check_disks),
    Check::new(&PACKAGE_LICENSE_NOT_ACCEPTED, check_licenses),
    Check::new(&PACKAGE_TRANSPORT_MISSING, check_transport),
];

/// A machine that the package does not have.
static PACKAGE_SYSTEM_UNKNOWN: Rule = Rule {
    name: "package-system-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the sheet does not say which virtual machine of its package an appliance is",
    explanation: "A package may hold several virtual machines. `system` names the one for this appliance, by its id \
        in the descriptor. A package with one machine needs no such line.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/pair.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/pair.ovf\"\nsystem = \"scribe\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// A size that the package does not come in.
static DEPLOYMENT_OPTION_UNKNOWN: Rule = Rule {
    name: "deployment-option-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the package has no such deployment option",
    explanation: "`deployment_option` is the id of an option of the package, which sets processors, memory and often \
        defaults. `inspect` lists the options and what each changes. Upper and lower case matter.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/sizes.ovf\"\ndeployment_option = \"Small\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/sizes.ovf\"\ndeployment_option = \"small\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// A size that nobody chose.
static DEPLOYMENT_OPTION_MISSING: Rule = Rule {
    name: "deployment-option-missing",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "the package comes in several sizes, and the sheet does not say which",
    explanation: "Without a choice the package's default is used, which is rarely the planned size. Many appliances \
        do not start in a size that is too small for their load, and most cannot change it later.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/sizes.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/sizes.ovf\"\ndeployment_option = \"large\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// A network that the package does not have.
static PACKAGE_NETWORK_UNKNOWN: Rule = Rule {
    name: "package-network-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a link is on a network that the package does not have",
    explanation: "`network` of an appliance's link is a name from the network section of the package's descriptor. \
        Upper and lower case matter.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { network = \"management\", subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { network = \"Management\", subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// A network that leads nowhere.
static PACKAGE_NETWORK_UNMAPPED: Rule = Rule {
    name: "package-network-unmapped",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "a network of the package has no link in the sheet",
    explanation: "The virtual machine has an adapter on a network of the package, and no link in the sheet is on \
        that network, so nobody knows where to attach it. Add a link with `network`; several networks may be in one \
        subnet, and a link may have no address (address = \"none\").",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/two-networks.ovf\"\nlink.management = { network = \"Management\", subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/two-networks.ovf\"\nlink.management = { network = \"Management\", subnet = \"quay\", address = \"10.64.10.61\" }\nlink.signals = { network = \"Signals\", subnet = \"quay\", address = \"none\" }\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// A subnet without a name on the hypervisor.
static HYPERVISOR_NETWORK_MISSING: Rule = Rule {
    name: "hypervisor-network-missing",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "an appliance is in a subnet without the hypervisor's network name",
    explanation: "networks.json says which hypervisor network each network of the package attaches to. The sheet \
        gives that name for some subnets (hypervisor_network) and not for this one. A sheet that gives no such name \
        at all is not checked.",
    wrong: "[subnet.mole]\nprefix = \"10.64.30.0/24\"\nhypervisor_network = \"mole-130\"\n[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[subnet.quay]\nhypervisor_network = \"quay-110\"\n[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// Disks that do not fit.
static PACKAGE_DISKS_TOO_LARGE: Rule = Rule {
    name: "package-disks-too-large",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "the disks of the package are larger than the free space",
    explanation: "storage_free is the free space where the disks will be stored. Thin disks start small, and stop \
        the appliance on the day when they fill the storage.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/disks.ovf\"\nstorage_free = \"40 GiB\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/disks.ovf\"\nstorage_free = \"80 GiB\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// A license that nobody has read.
static PACKAGE_LICENSE_NOT_ACCEPTED: Rule = Rule {
    name: "package-license-not-accepted",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "the package has a license that the sheet does not accept",
    explanation: "Hypervisors do not deploy the package until its licenses are accepted. Read them with `inspect \
        --licenses`, and write accept_licenses = true.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/licensed.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/licensed.ovf\"\naccept_licenses = true\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// Settings that have no way into the machine.
static PACKAGE_TRANSPORT_MISSING: Rule = Rule {
    name: "package-transport-missing",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "the package has properties, but no transport for them",
    explanation: "The descriptor says how the machine gets its settings (ovf:transport): from an ISO volume, or \
        through the hypervisor. Without a transport, hypervisors pass nothing on. The appliance is then set up at \
        its console, and gets a typing card.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/silent.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// An appliance whose package could be read.
struct Packaged<'a> {
    machine: &'a Machine,
    appliance: &'a Appliance,
    descriptor: &'a Descriptor,
    /// Where the sheet names the package.
    place: Place,
}

/// Each appliance whose package could be read.
fn packaged<'a>(judge: &Judge<'a>) -> impl Iterator<Item = Packaged<'a>> + use<'a> {
    let site = judge.site;
    site.machines.iter().filter_map(move |machine| {
        let appliance = machine.appliance()?;
        let descriptor = site.descriptor_of(appliance)?;
        Some(Packaged { machine, appliance, descriptor, place: appliance.package.value()?.place })
    })
}

/// Those of which it is known which machine of the package they are.
fn systems<'a>(judge: &Judge<'a>) -> impl Iterator<Item = (Packaged<'a>, &'a VirtualSystem)> + use<'a> {
    let site = judge.site;
    packaged(judge).filter_map(move |packaged| {
        let system = site.system_of(packaged.appliance)?;
        Some((packaged, system))
    })
}

fn check_system(judge: &mut Judge<'_>) {
    for Packaged { machine, appliance, descriptor, place } in packaged(judge) {
        let ids: Vec<&str> = descriptor.systems.iter().map(|system| system.id.as_str()).collect();
        let known = ids.join(", ");
        match appliance.system.value() {
            Some(written) if descriptor.system(Some(&written.value)).is_none() => {
                let fix = match nearest(&written.value, ids.iter().copied(), 1).first() {
                    Some(close) => format!("write system = \"{close}\""),
                    None => format!("write one of: {known}"),
                };
                let message = format!("The package has no machine \"{}\".", written.value);
                judge.on_machine(&PACKAGE_SYSTEM_UNKNOWN, machine, written.place, message, fix);
            }
            None if appliance.system.is_absent() && ids.len() > 1 => {
                let message = format!(
                    "The package holds {} virtual machines ({known}), and the sheet does not say which one this is.",
                    ids.len()
                );
                let fix = format!("add system = \"{}\", or another of them", ids[0]);
                judge.on_machine(&PACKAGE_SYSTEM_UNKNOWN, machine, place, message, fix);
            }
            _ => {}
        }
    }
}

fn check_option_unknown(judge: &mut Judge<'_>) {
    for Packaged { machine, appliance, descriptor, .. } in packaged(judge) {
        let Some(option) = appliance.deployment_option.value() else { continue };
        if descriptor.option(&option.value).is_some() {
            continue;
        }
        let ids: Vec<&str> = descriptor.options.iter().map(|option| option.id.as_str()).collect();
        let is_meant = |id: &str| {
            let label = descriptor.option(id).map(|known| known.label.as_str());
            id.eq_ignore_ascii_case(&option.value) || label == Some(option.value.as_str())
        };
        let meant = ids.iter().copied().find(|id| is_meant(id));
        let close = meant.or_else(|| nearest(&option.value, ids.iter().copied(), 1).first().copied());
        judge.on_machine(
            &DEPLOYMENT_OPTION_UNKNOWN,
            machine,
            option.place,
            format!("The package has no deployment option \"{}\".", option.value),
            match close {
                Some(close) => format!("write \"{close}\""),
                None if ids.is_empty() => "remove the line: the package has none".to_owned(),
                None => format!("write one of: {}", ids.join(", ")),
            },
        );
    }
}

fn check_option_missing(judge: &mut Judge<'_>) {
    for Packaged { machine, appliance, descriptor, place } in packaged(judge) {
        if descriptor.options.len() > 1 && appliance.deployment_option.is_absent() {
            let ids: Vec<&str> = descriptor.options.iter().map(|option| option.id.as_str()).collect();
            judge.on_machine(
                &DEPLOYMENT_OPTION_MISSING,
                machine,
                place,
                format!(
                    "The package comes in {} sizes ({}); without a choice it would be {}.",
                    ids.len(),
                    ids.join(", "),
                    descriptor.default_option().unwrap_or_default()
                ),
                "add deployment_option = \"…\" with the size you want",
            );
        }
    }
}

fn check_networks(judge: &mut Judge<'_>) {
    for Packaged { machine, descriptor, .. } in packaged(judge) {
        for network in machine.links.iter().filter_map(|link| link.network.as_ref()) {
            if descriptor.networks.iter().any(|known| known.name == network.value) {
                continue;
            }
            let known: Vec<String> =
                descriptor.networks.iter().map(|known| format!("\"{}\"", known.name)).collect();
            judge.on_machine(
                &PACKAGE_NETWORK_UNKNOWN,
                machine,
                network.place,
                format!("The package has no network \"{}\".", network.value),
                if known.is_empty() {
                    "remove network: the package has none".to_owned()
                } else {
                    format!("write {}", known.join(" or "))
                },
            );
        }
    }
}

fn check_unmapped(judge: &mut Judge<'_>) {
    for (Packaged { machine, descriptor, place, .. }, system) in systems(judge) {
        let is_known = |name: &str| descriptor.networks.iter().any(|network| network.name == name);
        // A mistyped network has its finding.
        if machine.links.iter().any(|link| link.network.as_ref().is_some_and(|own| !is_known(&own.value))) {
            continue;
        }
        let used: Vec<&str> = machine
            .links
            .iter()
            .filter_map(|link| network_of_link(machine, system, descriptor, link))
            .collect();
        let mut open = system.hardware.adapters.iter().filter(|adapter| !used.contains(&adapter.as_str()));
        let Some(first) = open.next() else { continue };
        let has_unnamed = machine.links.iter().any(|link| link.network.is_none());
        judge.on_machine(
            &PACKAGE_NETWORK_UNMAPPED,
            machine,
            place,
            format!(
                "The package has an adapter on the network \"{first}\", and no link of {} is on it.",
                machine.called()
            ),
            if has_unnamed {
                format!("add network = \"{first}\" to the right link")
            } else {
                format!("add a link with network = \"{first}\"")
            },
        );
    }
}

fn check_hypervisor(judge: &mut Judge<'_>) {
    let site = judge.site;
    if !site.subnets.iter().any(|subnet| subnet.hypervisor_network.is_some()) {
        return;
    }
    let mut seen = HashSet::new();
    for machine in site.machines.iter().filter(|machine| machine.appliance().is_some()) {
        for subnet in machine.links.iter().filter_map(|link| site.subnet_of(link)) {
            if subnet.hypervisor_network.is_none() && seen.insert(&subnet.name.value) {
                judge.on_machine(
                    &HYPERVISOR_NETWORK_MISSING,
                    machine,
                    subnet.name.place,
                    format!(
                        "The sheet does not say what the hypervisor calls subnet {}, and {} is in it.",
                        subnet.name.value,
                        machine.called()
                    ),
                    format!("add hypervisor_network = \"…\" to [subnet.{}]", subnet.name.value),
                );
            }
        }
    }
}

fn check_disks(judge: &mut Judge<'_>) {
    for Packaged { machine, appliance, descriptor, .. } in packaged(judge) {
        let Some(free) = appliance.storage_free.value() else { continue };
        let total = descriptor.disks.iter().filter_map(|disk| disk.capacity).fold(0u64, u64::saturating_add);
        if total > free.value.0 {
            let disks = match descriptor.disks.len() {
                1 => "The disk of the package takes".to_owned(),
                count => format!("The {count} disks of the package take"),
            };
            judge.on_machine(
                &PACKAGE_DISKS_TOO_LARGE,
                machine,
                free.place,
                format!("{disks} {}, and {} are free.", ByteSize(total), free.value),
                "free some space, choose another place for the disks, or a smaller size of the package",
            );
        }
    }
}

fn check_licenses(judge: &mut Judge<'_>) {
    for (Packaged { machine, appliance, place, .. }, system) in systems(judge) {
        let accepts = appliance.accept_licenses.value();
        let is_faulty = !appliance.accept_licenses.is_absent() && accepts.is_none();
        if system.licenses.is_empty() || is_faulty || accepts.is_some_and(|written| written.value) {
            continue;
        }
        let message = match system.licenses.len() {
            1 => "The package has a license, and the sheet does not accept it.".to_owned(),
            count => format!("The package has {count} licenses, and the sheet does not accept them."),
        };
        judge.on_machine(
            &PACKAGE_LICENSE_NOT_ACCEPTED,
            machine,
            accepts.map_or(place, |written| written.place),
            message,
            "read them with inspect --licenses, and write accept_licenses = true",
        );
    }
}

fn check_transport(judge: &mut Judge<'_>) {
    for (Packaged { machine, place, .. }, system) in systems(judge) {
        let asks = system.properties.iter().any(|property| property.is_settable);
        if asks && system.hardware.transports.is_empty() {
            judge.on_machine(
                &PACKAGE_TRANSPORT_MISSING,
                machine,
                place,
                format!(
                    "The package has properties, but its descriptor has no transport by which they reach {}.",
                    machine.called()
                ),
                "set it up at its console with its typing card, or ask the vendor",
            );
        }
    }
}
