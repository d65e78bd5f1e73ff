//! What an environment document tells an appliance, judged by itself: without the sheet that it was made from.

use std::sync::Arc;

use impostazione_net::{Family, LinkName};
use impostazione_ovf::{
    Descriptor, LinkHint, Meaning, MeaningsFile, Package, Property, ReadEntity, ReadEnvironment, Reading,
    Signs, VirtualSystem, read_reviewed,
};
use impostazione_text::{Place, Source, SourceId, Sources, Span, Stated, Written};
use ipnet::IpNet;
use serde::Serialize;

use super::review::{ReviewedProperty, review};
use crate::appliance::{ToldAppliance, ToldValue, told_appliances};
use crate::finding::{Finding, Nature, Redaction, Severity};
use crate::machine::{
    AddressChoice, Answer, AnswerSource, Appliance, Link, LinkAddress, LinkKind, Machine, NamedMeanings,
    Role, Serves, Site, Subnet, SubnetFamily,
};
use crate::rules::{self, Judge};

/// An environment document that has been read and judged.
#[derive(Debug)]
pub struct EnvironmentInspection {
    /// The text that findings point into.
    pub sources: Sources,
    /// Its machines, as a site that has nothing else.
    pub site: Site,
    /// What is wrong, in the order of the places.
    pub findings: Vec<Finding>,
    /// Whether there was a descriptor; else meanings are told from ids alone.
    pub has_descriptor: bool,
}

/// A machine, and what the document tells it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ToldMachine {
    /// Its name, or its id in the descriptor.
    pub name: String,
    /// Its properties.
    pub properties: Vec<ReviewedProperty>,
    /// Ids of properties that the descriptor asks for, and the document does not tell.
    pub not_told: Vec<String>,
}

/// Reads an environment document and judges what it tells its machines. What each property means is told from the descriptor,
/// or from its id alone where there is none; a meanings file has the last word. `name` is what messages call the machine. Fails
/// with what is wrong with the document.
pub fn inspect_environment(
    name: &str,
    document: Source,
    descriptor: Option<Descriptor>,
    meanings: Option<MeaningsFile>,
) -> Result<EnvironmentInspection, String> {
    let read = ReadEnvironment::parse(document.text())?;
    let mut sources = Sources::default();
    let id = sources.add(document);
    sources.mark_read(id, None);
    let has_descriptor = descriptor.is_some();
    let mut site = site_of(name, id, &read, descriptor, meanings);
    let links: Vec<(Vec<Subnet>, Vec<Link>)> = told_appliances(&site).iter().map(links_of).collect();
    for (at, (subnets, mut links)) in links.into_iter().enumerate() {
        let first = site.subnets.len();
        site.subnets.extend(subnets);
        for (offset, link) in links.iter_mut().enumerate() {
            link.subnet = Stated::Value(Written::new(first + offset, link.name.place));
        }
        if let Some(machine) = site.machines.get_mut(at) {
            machine.links = links;
        }
    }
    for place in hidden(&site) {
        sources.mark_secret(place);
    }
    let told = told_appliances(&site);
    let mut judge = Judge::new(&site, &told, &sources, Vec::new());
    rules::run_on_told_values(&mut judge);
    let mut findings = judge.into_findings();
    for finding in findings.iter_mut().filter(|finding| is_default(&told, finding)) {
        finding.weight = Some((Severity::Warning, Nature::Judgment));
    }
    // Nothing is said of a property that the document leaves out.
    let is_told = |finding: &Finding, id: &String| {
        let machine = told.iter().find(|told| finding.machine.as_deref() == Some(told.machine.label()));
        machine.is_none_or(|told| told.appliance.answers.iter().any(|answer| answer.property.value == *id))
    };
    findings.retain(|finding| finding.property.as_ref().is_none_or(|id| is_told(finding, id)));
    drop(told);
    let redaction = Redaction::new(&sources);
    for finding in &mut findings {
        redaction.apply(finding);
    }
    findings.sort_by_key(|finding| finding.place);
    Ok(EnvironmentInspection { sources, site, findings, has_descriptor })
}

impl EnvironmentInspection {
    /// What each machine is told, with what is wrong with it.
    pub fn machines(&self) -> Vec<ToldMachine> {
        let review = review(&self.site, |_| true).with_judgment(&self.site, &self.findings);
        let machines = review.machines.into_iter().zip(&self.site.machines);
        machines
            .map(|(machine, own)| {
                let answers =
                    own.appliance().map(|appliance| appliance.answers.as_slice()).unwrap_or_default();
                let system = own.appliance().and_then(|appliance| self.site.system_of(appliance));
                // What the package asks for and the document does not tell is filled in by nobody.
                let is_missing = |id: &str| {
                    system.and_then(|system| system.property(id)).is_some_and(|property| property.is_settable)
                        && !answers.iter().any(|answer| answer.property.value == id)
                };
                let (missing, properties): (Vec<_>, Vec<_>) =
                    machine.properties.into_iter().partition(|property| is_missing(&property.id));
                ToldMachine {
                    name: machine.name,
                    properties,
                    not_told: missing.into_iter().map(|property| property.id).collect(),
                }
            })
            .collect()
    }
}

/// The machines of a document, each answered with what the document tells it.
fn site_of(
    name: &str,
    source: SourceId,
    read: &ReadEnvironment,
    descriptor: Option<Descriptor>,
    meanings: Option<MeaningsFile>,
) -> Site {
    let mut descriptor = descriptor.unwrap_or_else(|| guessed(read));
    for system in &mut descriptor.systems {
        // It has come to the machine, whichever way.
        system.hardware.transports = vec!["iso".to_owned()];
    }
    let readings: Vec<Arc<[Reading]>> = read
        .entities
        .iter()
        .map(|entity| match system_of(&descriptor, entity) {
            Some(system) => read_reviewed(system, Signs::own(), meanings.as_ref()).into(),
            None => Arc::default(),
        })
        .collect();
    let nowhere = Place { source, span: Span::new(0, 0) };
    let machines = read.entities.iter().zip(readings).enumerate().map(|(at, (entity, readings))| {
        let system = system_of(&descriptor, entity);
        let is_settable = |id: &str| {
            system.and_then(|system| system.property(id)).is_none_or(|property| property.is_settable)
        };
        let answers = entity.properties.iter().filter(|property| is_settable(&property.id)).map(|property| {
            let place = Place { source, span: Span::new(property.range.start, property.range.end) };
            Answer {
                property: Written::new(property.id.clone(), place),
                source: Stated::Value(AnswerSource::Literal(property.value.reveal().to_owned())),
                place,
            }
        });
        let appliance = Appliance {
            package: Stated::Value(Written::new(0, nowhere)),
            system: system
                .map_or(Stated::Absent, |system| Stated::Value(Written::new(system.id.clone(), nowhere))),
            meanings: if meanings.is_some() {
                Stated::Value(Written::new(0, nowhere))
            } else {
                Stated::Absent
            },
            readings,
            answers: answers.collect(),
            answers_place: Some(nowhere),
            ..Appliance::default()
        };
        let label = if at == 0 { name } else { entity.id.as_str() };
        Machine {
            label: Some(label.into()),
            place: nowhere,
            header: nowhere,
            hostname: Stated::Absent,
            name_place: nowhere,
            full_name: None,
            serves: Serves::default(),
            cluster: None,
            settings: Arc::default(),
            links: Vec::new(),
            role: Role::Appliance(Box::new(appliance)),
        }
    });
    let machines = machines.collect();
    let package = Package {
        path: name.to_owned(),
        descriptor: Ok(descriptor),
        contents: None,
        manifest: None,
        files: Vec::new(),
        unsafe_files: Vec::new(),
        signature: None,
    };
    let meanings = meanings.map(|file| NamedMeanings { path: String::new(), content: Ok(file) });
    let mut site = Site::default();
    site.packages.push(package);
    site.meanings.extend(meanings);
    site.machines = machines;
    site
}

/// A descriptor of what the ids of the properties say, and nothing else.
fn guessed(read: &ReadEnvironment) -> Descriptor {
    let property = |id: &str| Property {
        key: id.to_owned(),
        is_settable: true,
        is_password: false,
        written_kind: "string".to_owned(),
        ..Property::default()
    };
    Descriptor {
        text: "".into(),
        collection: None,
        systems: read
            .entities
            .iter()
            .map(|entity| VirtualSystem {
                id: entity.id.clone(),
                name: entity.id.clone(),
                properties: entity.properties.iter().map(|told| property(&told.id)).collect(),
                ..VirtualSystem::default()
            })
            .collect(),
        networks: Vec::new(),
        disks: Vec::new(),
        files: Vec::new(),
        options: Vec::new(),
    }
}

fn system_of<'d>(descriptor: &'d Descriptor, entity: &ReadEntity) -> Option<&'d VirtualSystem> {
    match descriptor.systems.as_slice() {
        [only] => Some(only),
        several => several.iter().find(|system| system.id == entity.id),
    }
}

/// Places of values that must not be shown.
fn hidden(site: &Site) -> Vec<Place> {
    let told = told_appliances(site);
    let properties = told.iter().flat_map(|told| &told.properties);
    properties
        .filter(|property| {
            let text = property.outcome.text().unwrap_or_default();
            property.is_confidential() || crate::appliance::login_in_url(text).is_some()
        })
        .filter_map(|property| Some(property.answer?.place))
        .collect()
}

/// Whether a finding is about a value that the package has brought along.
fn is_default(told: &[ToldAppliance<'_>], finding: &Finding) -> bool {
    let values = told
        .iter()
        .filter(|told| finding.machine.as_deref() == Some(told.machine.label()))
        .flat_map(|told| &told.properties);
    values.into_iter().any(|property| {
        let default = property.property.base_default.as_deref();
        finding.property.as_ref() == Some(&property.property.id())
            && default.is_some_and(|default| !default.is_empty() && Some(default) == property.outcome.text())
    })
}

/// The links that a machine's addresses and masks make: one for each group in which it is told them.
fn links_of(told: &ToldAppliance<'_>) -> (Vec<Subnet>, Vec<Link>) {
    let of_links = told.values.iter().filter(|value| value.meaning.is_of_link());
    let mut hints: Vec<Option<&LinkHint>> = Vec::new();
    for value in of_links.clone() {
        if !hints.contains(&value.hint.as_ref()) {
            hints.push(value.hint.as_ref());
        }
    }
    // What is said of one link and of none in particular is about the same.
    let named = hints.iter().filter(|hint| hint.is_some()).count();
    if named <= 1 {
        hints.retain(|hint| hint.is_some() || named == 0);
    }
    let is_of = |value: &ToldValue<'_>, hint: Option<&LinkHint>| {
        value.hint.as_ref() == hint || (value.hint.is_none() && named == 1)
    };
    let mut subnets = Vec::new();
    let mut links = Vec::new();
    for (number, hint) in hints.into_iter().enumerate() {
        let values: Vec<&ToldValue<'_>> = of_links.clone().filter(|value| is_of(value, hint)).collect();
        let Some(name) = link_name(hint, number) else { continue };
        let [v4, v6] = Family::BOTH.map(|family| address_in(&values, family));
        let Some(place) = v4.or(v6).map(|(_, place)| place) else { continue };
        let choice = |found: Option<(std::net::IpAddr, Place)>| match found {
            Some((address, place)) => Stated::Value(AddressChoice::Static(LinkAddress {
                address: Written::new(address, place),
                own_length: None,
                is_outside_subnet: false,
            })),
            None => Stated::Absent,
        };
        let side = |found: Option<(std::net::IpAddr, Place)>, family: Family| {
            let prefix = found.and_then(|(address, place)| {
                let prefix = IpNet::new(address, length_in(&values, family)?).ok()?;
                Some(Written::new(prefix.trunc(), place))
            });
            match prefix {
                Some(prefix) => Stated::Value(SubnetFamily { prefix, gateway: Stated::Absent }),
                // An address without a mask is in a subnet that is not known.
                None if found.is_some() => Stated::Faulty,
                None => Stated::Absent,
            }
        };
        subnets.push(Subnet {
            name: Written::new(name.to_string(), place),
            v4: side(v4, Family::V4),
            v6: side(v6, Family::V6),
            vlan: Stated::Absent,
            mtu: None,
            hypervisor_network: None,
            gateway_on_link: false,
            wifi: Stated::Absent,
            dhcp_ranges: Vec::new(),
            kept_free: Vec::new(),
            in_use: Vec::new(),
            settings: None,
        });
        links.push(Link {
            name: Written::new(name, place),
            kind: LinkKind::Ethernet,
            network: None,
            subnet: Stated::Absent,
            address: choice(v4),
            address6: choice(v6),
            replaces: None,
            default_route: true,
            options: None,
        });
    }
    (subnets, links)
}

/// A name for a link that has none here, by what the package calls it.
fn link_name(hint: Option<&LinkHint>, number: usize) -> Option<LinkName> {
    let word = hint.map(|hint| hint.to_string().replace(' ', "-"));
    let word = word.and_then(|word| LinkName::parse(&word).ok());
    word.or_else(|| LinkName::parse(&format!("link{number}")).ok())
}

fn address_in(values: &[&ToldValue<'_>], family: Family) -> Option<(std::net::IpAddr, Place)> {
    values.iter().find_map(|value| {
        let is_own =
            matches!(value.meaning, Meaning::Address | Meaning::Address6 | Meaning::AddressWithPrefix);
        let address = value.typed()?.address().filter(|address| is_own && Family::of(*address) == family)?;
        Some((address, value.place))
    })
}

fn length_in(values: &[&ToldValue<'_>], family: Family) -> Option<u8> {
    values.iter().find_map(|value| {
        let typed = value.typed()?;
        let is_of_family = match (value.meaning, typed.family()) {
            (_, Some(own)) => own == family,
            (Meaning::PrefixLength6, None) => family == Family::V6,
            (Meaning::Netmask, None) => family == Family::V4,
            // A length without more is that of the family that has addresses.
            (Meaning::PrefixLength, None) => true,
            _ => false,
        };
        typed.length().filter(|length| is_of_family && *length <= family.bits())
    })
}
