//! The files of an appliance: its settings in each form in which a platform or a person takes them.

use std::collections::HashMap;

use impostazione_ovf::{
    Algorithm, Descriptor, Entity, Environment, Manifest, ManifestEntry, Package, PackagePlan, Setting,
    VirtualSystem, settings_volume,
};
use impostazione_text::files::Folder;
use impostazione_text::{FileBytes, Hidden};
use serde::Serialize;

use super::render::{Rendering, TriedFile};
use super::tree::OutputContent;
use crate::appliance::{
    AnsweredProperty, Origin, answered_properties, is_at_console, network_of_link, typing_card,
};
use crate::host::Unwritable;
use crate::machine::{Appliance, Machine, Site};

/// Only its owner may read it.
const SECRET: u32 = 0o600;
/// Everybody may read it.
const PUBLIC: u32 = 0o644;

/// New packages that are to be made.
#[derive(Clone, Debug)]
pub struct Packing {
    /// The folder from which paths of packages start: the sheet's.
    pub folder: Folder,
    /// A digest of each file of each package, by the package's path, all of them verified or made.
    pub digests: HashMap<String, Vec<ManifestEntry>>,
}

/// Tries the files of an appliance.
pub(super) fn appliance_files(
    site: &Site,
    machine: &Machine,
    folder: &str,
    rendering: &Rendering<'_>,
    tried: &mut Vec<TriedFile>,
) {
    let mut put = |path: String, mode: u32, content: Result<OutputContent, Unwritable>| {
        tried.push(TriedFile {
            machine: folder.to_owned(),
            path: format!("{folder}/{path}"),
            mode,
            owner: None,
            content,
        });
    };
    let Some(appliance) = machine.appliance() else { return };
    let networks =
        Networks { machine: folder, vm_name: vm_name(machine), attachments: networks(site, machine) };
    put("networks.json".to_owned(), PUBLIC, json(machine, "networks.json", &networks));
    if is_at_console(site, appliance) {
        put("typing-card.txt".to_owned(), PUBLIC, Ok(OutputContent::of(typing_card(site, machine))));
        return;
    }
    let package = site.package_of(appliance);
    let read = package.and_then(|package| Some((package, package.descriptor.as_ref().ok()?)));
    let Some(((package, descriptor), system)) = read.zip(site.system_of(appliance)) else {
        let missing = Unwritable::new(machine, "its package", "it was not read");
        put(format!("{folder}.ovf"), SECRET, Err(missing));
        return;
    };
    let environment = environment(site, machine, system)
        .document()
        .map_err(|error| Unwritable::new(machine, "ovf-env.xml", error.to_string()));
    let volume = environment.as_ref().map(|document| OutputContent::of(settings_volume(document)));
    put("settings.iso".to_owned(), SECRET, volume.map_err(Clone::clone));
    put("ovf-env.xml".to_owned(), SECRET, environment.map(OutputContent::Bytes));
    let answered = answered_properties(site, machine);
    let with_secrets = rendering.secrets_in_descriptors;
    put(
        "properties.json".to_owned(),
        SECRET,
        json(
            machine,
            "properties.json",
            &Properties::of(site, machine, appliance, package, &answered, with_secrets),
        ),
    );
    let set =
        descriptor.with_values(&settings(site, machine, appliance, with_secrets), site.option_of(appliance));
    let set = FileBytes::new(set);
    let packing = rendering.packing;
    let manifest = manifest(package, folder, &set, packing).text().into_bytes();
    if let (Some(packing), Some(contents)) = (packing, &package.contents) {
        let plan = PackagePlan {
            head: vec![
                (format!("{folder}.ovf"), set.clone()),
                (format!("{folder}.mf"), FileBytes::new(manifest.as_slice())),
            ],
            files: files_of(package, descriptor),
            contents: contents.clone(),
            folder: packing.folder.clone(),
        };
        put(format!("{folder}.ova"), SECRET, Ok(OutputContent::Package(Box::new(plan))));
    }
    put(format!("{folder}.ovf"), SECRET, Ok(OutputContent::Bytes(set)));
    put(format!("{folder}.mf"), SECRET, Ok(OutputContent::of(manifest)));
}

fn vm_name(machine: &Machine) -> &str {
    let own = machine.appliance().and_then(|appliance| appliance.vm_name.value());
    own.map_or(machine.label(), |name| &name.value)
}

fn json<T: Serialize>(machine: &Machine, path: &'static str, value: &T) -> Result<OutputContent, Unwritable> {
    let mut bytes = serde_json::to_vec_pretty(value)
        .map_err(|error| Unwritable::new(machine, path, error.to_string()))?;
    bytes.push(b'\n');
    Ok(OutputContent::of(bytes))
}

/// The other machines of the same collection: those of the same package, and the same cluster where it is in one.
fn siblings<'a>(site: &'a Site, machine: &'a Machine) -> impl Iterator<Item = &'a Machine> {
    let package =
        machine.appliance().and_then(|appliance| appliance.package.value()).map(|written| written.value);
    let system = move |machine: &'a Machine| {
        let appliance = machine.appliance()?;
        let is_same = appliance.package.value().map(|written| written.value) == package;
        is_same.then(|| appliance.system.value().map(|written| written.value.as_str()))?
    };
    let own = system(machine);
    let cluster = |machine: &Machine| machine.cluster.as_ref().map(|written| written.value);
    site.machines.iter().filter(move |other| {
        !std::ptr::eq(*other, machine)
            && own.is_some()
            && system(other).is_some_and(|system| Some(system) != own)
            && cluster(other) == cluster(machine)
    })
}

fn entity(site: &Site, machine: &Machine, system: &VirtualSystem) -> Entity {
    let properties = answered_properties(site, machine)
        .into_iter()
        .map(|answered| (answered.property.id(), Hidden::new(answered.outcome.text().unwrap_or_default())));
    Entity { id: system.id.clone(), properties: properties.collect() }
}

fn environment(site: &Site, machine: &Machine, system: &VirtualSystem) -> Environment {
    let locale = machine.settings.locale.value().map(|locale| locale.value.as_str());
    Environment {
        itself: entity(site, machine, system),
        // `it_IT.UTF-8` is `it-IT` there; C is no language.
        locale: locale
            .and_then(|name| name.split('.').next())
            .filter(|name| name.contains('_'))
            .map(|name| name.replace('_', "-")),
        siblings: siblings(site, machine)
            .filter_map(|other| Some(entity(site, other, site.system_of(other.appliance()?)?)))
            .collect(),
    }
}

/// What is to be set in the descriptor: all that is not a default, of this machine and of the others of its collection, with
/// or without secrets; and defaults of the chosen size, which hold there by themselves only for who looks at sizes.
fn settings(site: &Site, machine: &Machine, appliance: &Appliance, with_secrets: bool) -> Vec<Setting> {
    let option = site.option_of(appliance).map(str::to_owned);
    let mut settings: Vec<Setting> = Vec::new();
    for one in std::iter::once(machine).chain(siblings(site, machine)) {
        let Some(system) = one.appliance().and_then(|appliance| site.system_of(appliance)) else { continue };
        for answered in answered_properties(site, one) {
            let is_of_size = option
                .as_deref()
                .is_some_and(|option| answered.property.option_defaults.iter().any(|(of, _)| of == option));
            let is_own = !matches!(answered.outcome.origin(), None | Some(Origin::Default | Origin::Package));
            let is_set = (is_own || is_of_size) && (with_secrets || !answered.is_secret());
            let Some(value) = answered.outcome.text().filter(|_| is_set) else { continue };
            let own = (!answered.property.of_collection).then(|| system.id.clone());
            let property = answered.property.id();
            // What all share is set as the machine itself has it.
            if settings.iter().all(|known| known.system != own || known.property != property) {
                settings.push(Setting {
                    system: own,
                    property,
                    value: Hidden::new(value),
                    option: option.clone(),
                });
            }
        }
    }
    settings
}

/// The files of a package that a new one takes over, in the order of the references, with their sizes.
fn files_of(package: &Package, descriptor: &Descriptor) -> Vec<(String, u64)> {
    let names = descriptor.files.iter().flat_map(impostazione_ovf::FileReference::names);
    let size = |name: &str| package.files.iter().find(|file| file.name == name).and_then(|file| file.size);
    let mut files: Vec<(String, u64)> = Vec::new();
    for (name, _) in names {
        if let Some(size) = size(&name).filter(|_| files.iter().all(|(known, _)| *known != name)) {
            files.push((name, size));
        }
    }
    files
}

/// The manifest for the changed descriptor, by the algorithm of the old one. The other lines are those of the old manifest.
fn manifest(package: &Package, name: &str, descriptor: &[u8], packing: Option<&Packing>) -> Manifest {
    let old = package.manifest.as_ref();
    let old_name =
        package.contents.as_ref().map(|contents| contents.descriptor_name.as_str()).unwrap_or_default();
    let own = old.and_then(|old| old.entry(old_name)).map(|entry| entry.algorithm);
    let algorithm = own.or_else(|| old?.algorithm()).unwrap_or(Algorithm::Sha256);
    let mut manifest = Manifest::default();
    manifest.entries.push(ManifestEntry {
        algorithm,
        name: format!("{name}.ovf"),
        digest: algorithm.of_bytes(descriptor),
    });
    let known = packing.and_then(|packing| packing.digests.get(&package.path));
    let others = known.or(old.map(|old| &old.entries)).into_iter().flatten();
    manifest.entries.extend(others.filter(|entry| entry.name != old_name).cloned());
    manifest
}

/// `properties.json`
#[derive(Serialize)]
struct Properties<'a> {
    machine: &'a str,
    vm_name: &'a str,
    package: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    system: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    deployment_option: Option<&'a str>,
    licenses_accepted: bool,
    #[serde(rename = "properties")]
    values: Vec<KeyValue<'a>>,
}

#[derive(Serialize)]
struct KeyValue<'a> {
    key: String,
    value: &'a str,
}

impl<'a> Properties<'a> {
    fn of(
        site: &'a Site,
        machine: &'a Machine,
        appliance: &'a Appliance,
        package: &'a Package,
        answered: &'a [AnsweredProperty<'a>],
        with_secrets: bool,
    ) -> Self {
        Self {
            machine: machine.label(),
            vm_name: vm_name(machine),
            package: &package.path,
            system: appliance.system.value().map(|written| written.value.as_str()),
            deployment_option: site.option_of(appliance),
            licenses_accepted: appliance.accept_licenses.value().is_some_and(|written| written.value),
            values: answered
                .iter()
                .filter(|answered| answered.property.is_settable && (with_secrets || !answered.is_secret()))
                .filter_map(|answered| {
                    Some(KeyValue { key: answered.property.id(), value: answered.outcome.text()? })
                })
                .collect(),
        }
    }
}

/// `networks.json`
#[derive(Serialize)]
struct Networks<'a> {
    machine: &'a str,
    vm_name: &'a str,
    #[serde(rename = "networks")]
    attachments: Vec<Attachment<'a>>,
}

/// One network of a package, and what it attaches to.
#[derive(Serialize)]
struct Attachment<'a> {
    /// Its name in the package; `null` where there is no package, or the sheet does not say.
    network: Option<&'a str>,
    /// The link of the sheet; `null` where no link is on it.
    link: Option<&'a str>,
    subnet: Option<&'a str>,
    vlan: Option<u16>,
    /// What the hypervisor calls it; `null` where the sheet does not say.
    attaches_to: Option<&'a str>,
}

fn networks<'a>(site: &'a Site, machine: &'a Machine) -> Vec<Attachment<'a>> {
    let appliance = machine.appliance();
    let descriptor = appliance.and_then(|appliance| site.descriptor_of(appliance));
    let system = appliance.and_then(|appliance| site.system_of(appliance));
    let package = descriptor.zip(system);
    let mut attachments: Vec<Attachment<'a>> = machine
        .links
        .iter()
        .map(|link| {
            let subnet = site.subnet_of(link);
            Attachment {
                network: match package {
                    Some((descriptor, system)) => network_of_link(machine, system, descriptor, link),
                    None => link.network.as_ref().map(|network| network.value.as_str()),
                },
                link: Some(link.name.value.as_str()),
                subnet: subnet.map(|subnet| subnet.name.value.as_str()),
                vlan: subnet.and_then(|subnet| subnet.vlan.value()).map(|tag| tag.value),
                attaches_to: subnet.and_then(|subnet| subnet.hypervisor_network.as_deref()),
            }
        })
        .collect();
    if let Some((_, system)) = package {
        for adapter in &system.hardware.adapters {
            if !attachments.iter().any(|known| known.network == Some(adapter)) {
                attachments.push(Attachment {
                    network: Some(adapter),
                    link: None,
                    subnet: None,
                    vlan: None,
                    attaches_to: None,
                });
            }
        }
    }
    attachments
}
