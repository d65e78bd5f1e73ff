//! What the rules on told values share: where a value belongs, and how a finding about it is worded.

use std::net::IpAddr;

use impostazione_net::Family;
use impostazione_ovf::Meaning;

use super::super::judge::Judge;
use crate::appliance::{AboutLink, Origin, SheetValue, ToldAppliance, ToldValue, TypedValue};
use crate::finding::{Finding, Nature, Rule, Severity};
use crate::machine::{Cluster, Link, Machine, Site, Subnet};

/// Reports a breach at a told value.
pub(crate) fn report_told(
    judge: &mut Judge<'_>,
    rule: &'static Rule,
    machine: &Machine,
    told: &ToldValue<'_>,
    message: &str,
    fix: String,
) {
    judge.report_on_value(machine, told_finding(rule, machine, told, message, fix));
}

/// A breach at a told value. A default that stands is its maker's word, not the administrator's: that is a warning, and may be
/// set aside.
pub(super) fn told_finding(
    rule: &'static Rule,
    machine: &Machine,
    told: &ToldValue<'_>,
    message: &str,
    fix: String,
) -> Finding {
    let label = machine.label.as_deref().map(str::to_owned);
    let message = format!("{message} It is {}.", told.role());
    let finding = Finding::new(rule, label, told.place, message, fix_of(told, fix)).about_property(told.id());
    match told.origin {
        Origin::Default | Origin::WhenMissing => finding.weighing(Severity::Warning, Nature::Judgment),
        _ => finding,
    }
}

/// What to write in place of a value: what the sheet has for it, where it has something.
fn fix_of(told: &ToldValue<'_>, otherwise: String) -> String {
    match &told.of_sheet {
        _ if !told.is_answered() => {
            format!("add \"{}\" = \"…\" to [appliance.answer]; {otherwise}", told.id())
        }
        SheetValue::Is(right) if !right.is_empty() && *right != *told.text.reveal() => {
            format!("write \"{right}\", as in the sheet, or remove the line")
        }
        _ => otherwise,
    }
}

/// The addresses that an appliance is told for itself or its cluster in place of what the sheet gives to the link.
pub(crate) fn told_addresses<'a>(
    site: &'a Site,
    appliance: &'a ToldAppliance<'a>,
) -> impl Iterator<Item = (&'a ToldValue<'a>, IpAddr)> {
    appliance.values.iter().filter_map(move |value| {
        let is_address = matches!(
            value.meaning,
            Meaning::Address | Meaning::Address6 | Meaning::AddressWithPrefix | Meaning::VirtualAddress
        );
        let address = value.typed()?.address().filter(|_| is_address && value.is_own_word())?;
        (!is_known(site, appliance.machine, value, address)).then_some((value, address))
    })
}

/// Whether the sheet says of an address that it is the link's, or the cluster's: then it is judged there.
fn is_known(site: &Site, machine: &Machine, value: &ToldValue<'_>, address: IpAddr) -> bool {
    let has = |link: &Link| link.addresses().any(|found| found.address.value == address);
    match &value.link {
        AboutLink::Link(link) => has(link),
        AboutLink::Unclear(_) => machine.links.iter().any(has),
        AboutLink::Machine => site
            .cluster_of(machine)
            .is_some_and(|cluster| cluster.addresses().any(|found| found.address.value == address)),
    }
}

/// The subnet that a told value is about: that of its link; else that in which the address lies that the same group is told.
pub(crate) fn told_subnet<'a>(
    site: &'a Site,
    appliance: &ToldAppliance<'a>,
    value: &ToldValue<'a>,
) -> Option<&'a Subnet> {
    match &value.link {
        AboutLink::Link(link) => site.subnet_of(link),
        AboutLink::Unclear(_) => {
            let of_group = |other: &&ToldValue<'a>| {
                other.hint == value.hint && matches!(other.link, AboutLink::Unclear(_))
            };
            let mut addresses =
                appliance.values.iter().filter(of_group).filter_map(|other| match other.meaning {
                    Meaning::Gateway | Meaning::Gateway6 => None,
                    _ => other.typed()?.address(),
                });
            let own = value.typed().and_then(TypedValue::address);
            own.or_else(|| addresses.next()).and_then(|address| subnet_with(site, address))
        }
        AboutLink::Machine => {
            let of_cluster =
                site.cluster_of(appliance.machine).and_then(|cluster| subnet_of_cluster(site, cluster));
            let of_machine = || match appliance.machine.links.as_slice() {
                [only] => site.subnet_of(only),
                _ => None,
            };
            let by_address = || subnet_with(site, value.typed()?.address()?);
            of_cluster.or_else(of_machine).or_else(by_address)
        }
    }
}

fn subnet_of_cluster<'a>(site: &'a Site, cluster: &Cluster) -> Option<&'a Subnet> {
    site.subnets.get(cluster.subnet.value()?.value)
}

/// The subnet in which an address lies.
pub(super) fn subnet_with(site: &Site, address: IpAddr) -> Option<&Subnet> {
    let family = Family::of(address);
    site.subnets
        .iter()
        .find(|subnet| subnet.family(family).is_some_and(|side| side.prefix.value.contains(&address)))
}
