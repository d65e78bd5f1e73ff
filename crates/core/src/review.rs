//! What each machine will be, for a person to agree to. It judges nothing: what could not be read is left out.

use serde::Serialize;

use crate::given::Given;
use crate::machine::{AddressChoice, AnswerSource, Link, Machine, Role, Site};
use crate::net::Family;
use crate::ovf::property_values;

/// A site as a person reviews it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Review {
    /// What the site is called.
    pub site: Option<String>,
    /// Its machines, in the order of the sheet.
    pub machines: Vec<ReviewedMachine>,
}

/// One machine.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ReviewedMachine {
    /// Its name as written; empty where the sheet gives none.
    pub name: String,
    /// `host` or `appliance`.
    pub kind: &'static str,
    /// Its full name, where it has a domain.
    pub fqdn: Option<String>,
    /// Domain; a list, as the others, of none or one.
    pub domain: Stated,
    /// Name servers.
    pub dns: Stated,
    /// Search domains.
    pub search: Stated,
    /// Time servers.
    pub ntp: Stated,
    /// Time zone.
    pub timezone: Stated,
    /// Its links.
    pub links: Vec<ReviewedLink>,
    /// Logins, of a host.
    pub logins: Vec<String>,
    /// Path of the package, of an appliance.
    pub package: Option<String>,
    /// The package's properties, of an appliance.
    pub properties: Vec<ReviewedProperty>,
}

/// What a sheet states of a setting.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Stated {
    /// These values.
    Values(Vec<String>),
    /// That there is to be none.
    None,
    /// Nothing.
    Nothing,
    /// Something that could not be read.
    Unreadable,
}

/// One link.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ReviewedLink {
    /// Its name.
    pub name: String,
    /// The package's network that it is on.
    pub network: Option<String>,
    /// Its subnet.
    pub subnet: Option<String>,
    /// Its addresses with their masks.
    pub addresses: Stated,
    /// The gateways that its default routes lead to.
    pub gateways: Vec<String>,
}

/// One property of a package.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ReviewedProperty {
    /// `class.key.instance`
    pub id: String,
    /// The value that it gets; `null` for a password.
    pub value: Option<String>,
    /// Where the value comes from.
    pub from: ValueOrigin,
}

/// Where the value of a property comes from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum ValueOrigin {
    /// It stands in the sheet as it is.
    Answer,
    /// It is taken from elsewhere in the sheet.
    Taken,
    /// The package's default, which the sheet leaves.
    Default,
    /// The package's own, which nobody sets.
    Package,
    /// There is none.
    Unanswered,
}

/// Puts a site's machines, those that `wanted` picks by name, into that form.
pub fn review(site: &Site, wanted: impl Fn(&str) -> bool) -> Review {
    let machines = site.machines.iter().filter(|machine| wanted(machine.label()));
    Review { site: site.name.clone(), machines: machines.map(|machine| reviewed(site, machine)).collect() }
}

fn reviewed(site: &Site, machine: &Machine) -> ReviewedMachine {
    let settings = &machine.settings;
    let logins = machine.host().map(|host| host.accounts.as_slice()).unwrap_or_default();
    let package =
        machine.appliance().and_then(|appliance| site.packages.get(appliance.package.value()?.value));
    ReviewedMachine {
        name: machine.label().to_owned(),
        kind: machine.kind().word(),
        fqdn: machine.fqdn(),
        domain: one(settings.domain.as_ref().and_then(|written| Some(written.value.to_string()))),
        dns: many(settings.dns.as_ref().and_then(|list| Some((list.is_declined(), texts(list.values()))))),
        search: many(
            settings.search.as_ref().and_then(|list| Some((list.is_declined(), texts(list.values())))),
        ),
        ntp: many(settings.ntp.as_ref().and_then(|list| Some((list.is_declined(), texts(list.values()))))),
        timezone: one(settings.timezone.as_ref().and_then(|written| Some(written.value.to_string()))),
        links: machine.links.iter().map(|link| reviewed_link(site, link)).collect(),
        logins: logins
            .iter()
            .filter_map(|index| Some(site.accounts.get(*index)?.name.value.to_string()))
            .collect(),
        package: package.map(|package| package.path.clone()),
        properties: reviewed_properties(site, machine),
    }
}

fn reviewed_link(site: &Site, link: &Link) -> ReviewedLink {
    let families = || Family::BOTH.into_iter();
    let given =
        |wanted: fn(&Given<AddressChoice>) -> bool| families().any(|family| wanted(link.choice_in(family)));
    let addresses: Vec<String> = families()
        .filter_map(|family| {
            let plain = link.address_in(family)?.address.value.to_string();
            Some(site.interface_address(link, family).map_or(plain, |address| address.to_string()))
        })
        .collect();
    let addresses = if !addresses.is_empty() {
        Stated::Values(addresses)
    } else if given(|choice| matches!(choice, Given::Faulty)) {
        Stated::Unreadable
    } else if given(|choice| matches!(choice, Given::Value(AddressChoice::Declined))) {
        Stated::None
    } else {
        Stated::Nothing
    };
    ReviewedLink {
        name: link.name.value.to_string(),
        network: link.network.as_ref().map(|network| network.value.clone()),
        subnet: site.subnet_of(link).map(|subnet| subnet.name.value.clone()),
        addresses,
        gateways: families()
            .filter_map(|family| Some(site.default_gateway(link, family)?.value.to_string()))
            .collect(),
    }
}

fn reviewed_properties(site: &Site, machine: &Machine) -> Vec<ReviewedProperty> {
    let Role::Appliance(appliance) = &machine.role else { return Vec::new() };
    property_values(site, machine)
        .into_iter()
        .map(|(property, value)| {
            let id = property.id();
            let answer = appliance.answers.iter().find(|answer| answer.property.value == id);
            let from = match answer.and_then(|answer| answer.source.value()) {
                Some(AnswerSource::Literal(_)) => ValueOrigin::Answer,
                Some(AnswerSource::Take(_)) => ValueOrigin::Taken,
                None if !property.is_settable => ValueOrigin::Package,
                None if property.default.is_some() => ValueOrigin::Default,
                None => ValueOrigin::Unanswered,
            };
            ReviewedProperty { id, value: (!property.is_password).then_some(value), from }
        })
        .collect()
}

fn one(given: Given<String>) -> Stated {
    many(given.and_then(|value| Some((false, vec![value]))))
}

fn many(given: Given<(bool, Vec<String>)>) -> Stated {
    match given {
        Given::Value((true, _)) => Stated::None,
        Given::Value((false, values)) if values.is_empty() => Stated::Nothing,
        Given::Value((false, values)) => Stated::Values(values),
        Given::Absent => Stated::Nothing,
        Given::Faulty => Stated::Unreadable,
    }
}

fn texts<'a, T: ToString + 'a>(values: impl Iterator<Item = &'a T>) -> Vec<String> {
    values.map(ToString::to_string).collect()
}
