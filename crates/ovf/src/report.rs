//! What a package asks for and holds, in the form that scripts read.

use serde::{Serialize, Serializer};

use super::descriptor::{Descriptor, Product, VirtualSystem};
use super::meaning::{MeaningsFile, Reading, Signs, read_reviewed};
use super::package::{FileState, Package, Signature};

/// A package as `inspect` shows it.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct PackageReport {
    /// What it is.
    pub product: ReportedProduct,
    /// Its virtual machines.
    pub systems: Vec<ReportedSystem>,
    /// Their properties.
    pub properties: Vec<ReportedProperty>,
    /// The sizes that it comes in.
    pub deployment_options: Vec<ReportedOption>,
    /// Its networks.
    pub networks: Vec<ReportedNetwork>,
    /// Its disks.
    pub disks: Vec<ReportedDisk>,
    /// Its licenses in full.
    pub licenses: Vec<String>,
    /// The ways in which its machines can be given their settings.
    pub transports: Vec<String>,
    /// Its files.
    pub files: Vec<ReportedFile>,
    /// Files that are not touched, and why.
    pub unsafe_files: Vec<UnsafeFile>,
    /// What is wrong with lines of its manifest.
    pub manifest_faults: Vec<Remark>,
    /// What is not as the standard has it, and does no harm here.
    pub notes: Vec<Remark>,
    /// Who signed it.
    pub signature: Option<ReportedSignature>,
}

/// Something that is said of a package.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Remark {
    /// The end of a sentence.
    pub message: String,
}

impl Remark {
    fn new(message: impl Into<String>) -> Self {
        Self { message: message.into() }
    }
}

/// `null` in place of a text that is empty.
#[allow(clippy::ptr_arg, reason = "serde asks for it")]
fn null_if_empty<S: Serializer>(text: &String, serializer: S) -> Result<S::Ok, S::Error> {
    (!text.is_empty()).then_some(text).serialize(serializer)
}

/// What a package is.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[allow(missing_docs, reason = "the elements of a product section")]
pub struct ReportedProduct {
    #[serde(serialize_with = "null_if_empty")]
    pub name: String,
    #[serde(serialize_with = "null_if_empty")]
    pub vendor: String,
    #[serde(serialize_with = "null_if_empty")]
    pub version: String,
    #[serde(serialize_with = "null_if_empty")]
    pub full_version: String,
}

/// A virtual machine of a package.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ReportedSystem {
    /// Its id, which `system` in a sheet names.
    pub id: String,
    /// Its name.
    pub name: String,
    /// The networks of its adapters, in their order.
    pub adapters: Vec<String>,
    /// Processors, as it comes.
    pub processors: Option<u64>,
    /// Memory, as it comes.
    pub memory_bytes: Option<u64>,
}

/// A property.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct ReportedProperty {
    /// `class.key.instance`
    pub id: String,
    /// The machine that asks for it, where there are several; `null` for the only one, and for the collection.
    pub system: Option<String>,
    /// Its key.
    pub key: String,
    /// Its class.
    #[serde(serialize_with = "null_if_empty")]
    pub class: String,
    /// Its instance.
    #[serde(serialize_with = "null_if_empty")]
    pub instance: String,
    /// Its type as written.
    #[serde(rename = "type")]
    pub kind: String,
    /// What it is called.
    #[serde(serialize_with = "null_if_empty")]
    pub label: String,
    /// What is said of it.
    #[serde(serialize_with = "null_if_empty")]
    pub description: String,
    /// The heading that it stands under.
    #[serde(serialize_with = "null_if_empty")]
    pub category: String,
    /// Its default; `null` where it has none, and for a password.
    pub default: Option<String>,
    /// Its defaults that come with a deployment option.
    pub option_defaults: Vec<OptionDefault>,
    /// Whether an administrator may set it.
    pub settable: bool,
    /// Whether it is a password.
    #[serde(rename = "password")]
    pub is_password: bool,
    /// The only values that it takes.
    pub choices: Vec<String>,
    /// The fewest characters.
    pub min_length: Option<u64>,
    /// The most characters.
    pub max_length: Option<u64>,
    /// What it wants.
    pub meaning: &'static str,
    /// How sure that is.
    pub confidence: f64,
    /// What it most likely wants, where a person has to say.
    pub likely: Vec<LikelyMeaning>,
    /// The link that it is about.
    pub link: Option<String>,
    /// The account that it is about.
    pub account: Option<String>,
    /// Which of several it wants.
    pub position: Option<usize>,
}

/// A meaning that a property may have.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct LikelyMeaning {
    /// The meaning.
    pub meaning: &'static str,
    /// How much speaks for it, from 0 to 1.
    pub confidence: f64,
}

/// A default that comes with a deployment option.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[allow(missing_docs, reason = "the words of a value element")]
pub struct OptionDefault {
    pub option: String,
    pub value: String,
}

/// A size that a package comes in.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ReportedOption {
    /// Its id, which `deployment_option` in a sheet names.
    pub id: String,
    /// What it is called.
    #[serde(serialize_with = "null_if_empty")]
    pub label: String,
    /// What is said of it.
    #[serde(serialize_with = "null_if_empty")]
    pub description: String,
    /// Whether it is taken where nobody chooses.
    pub default: bool,
    /// What each machine gets with it.
    pub systems: Vec<OptionSize>,
}

/// What a machine gets with a deployment option.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct OptionSize {
    /// The machine's id.
    pub system: String,
    /// Processors.
    pub processors: Option<u64>,
    /// Memory.
    pub memory_bytes: Option<u64>,
}

/// A network.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[allow(missing_docs, reason = "the elements of a network")]
pub struct ReportedNetwork {
    pub name: String,
    #[serde(serialize_with = "null_if_empty")]
    pub description: String,
}

/// A disk.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ReportedDisk {
    /// Its id.
    pub id: String,
    /// How large the machine sees it.
    pub capacity_bytes: Option<u64>,
    /// Its file; `null` for an empty disk, and where that file is unknown.
    pub file: Option<String>,
    /// The id of a file that the descriptor's references do not have; else `null`.
    pub unknown_file: Option<String>,
    /// The size of that file, of all its pieces.
    pub file_bytes: Option<u64>,
    /// How the file is compressed.
    pub compression: Option<String>,
}

/// A file of a package.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ReportedFile {
    /// Its name.
    pub name: String,
    /// Its size, where it is there.
    pub size_bytes: Option<u64>,
    /// The size that the descriptor gives it.
    pub stated_bytes: Option<u64>,
    /// The algorithm of its digest, as the manifest has it.
    pub algorithm: Option<String>,
    /// Its digest in hexadecimal digits.
    pub digest: Option<String>,
    /// What is known of it.
    pub state: &'static str,
}

/// A file that is not touched.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[allow(missing_docs, reason = "as they are named")]
pub struct UnsafeFile {
    pub name: String,
    #[serde(rename = "message")]
    pub why: &'static str,
}

/// Who signed a package.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ReportedSignature {
    /// Whom the certificate is for.
    #[serde(serialize_with = "null_if_empty")]
    pub subject: String,
    /// Who made it.
    #[serde(serialize_with = "null_if_empty")]
    pub issuer: String,
    /// First day on which it holds.
    #[serde(serialize_with = "null_if_empty")]
    pub from: String,
    /// Last day on which it holds.
    #[serde(serialize_with = "null_if_empty")]
    pub until: String,
    /// SHA-256 of the certificate.
    #[serde(serialize_with = "null_if_empty")]
    pub fingerprint: String,
    /// Whether the manifest is what was signed.
    pub valid: bool,
    /// Whether the certificate is trusted; `null` where nobody said whom to trust.
    pub trusted: Option<bool>,
    /// Why it is not valid, or not trusted.
    #[serde(rename = "message")]
    pub why: Option<String>,
}

impl From<&Product> for ReportedProduct {
    fn from(product: &Product) -> Self {
        let Product { name, vendor, version, full_version } = product.clone();
        Self { name, vendor, version, full_version }
    }
}

impl From<&Result<Signature, String>> for ReportedSignature {
    fn from(signature: &Result<Signature, String>) -> Self {
        match signature {
            Err(why) => Self {
                subject: String::new(),
                issuer: String::new(),
                from: String::new(),
                until: String::new(),
                fingerprint: String::new(),
                valid: false,
                trusted: None,
                why: Some(why.clone()),
            },
            Ok(signature) => Self {
                subject: signature.subject.clone(),
                issuer: signature.issuer.clone(),
                from: signature.validity.0.clone(),
                until: signature.validity.1.clone(),
                fingerprint: signature.fingerprint.clone(),
                valid: signature.is_valid.is_ok(),
                trusted: signature.is_trusted.as_ref().map(Result::is_ok),
                why: signature
                    .is_valid
                    .clone()
                    .err()
                    .or_else(|| signature.is_trusted.clone().and_then(Result::err)),
            },
        }
    }
}

impl PackageReport {
    /// Whether the package cannot be used as it is: a file is missing, damaged, unknown or leads out of it, or a signature does
    /// not hold.
    pub fn has_faults(&self) -> bool {
        let bad = [FileState::Missing, FileState::WrongSize, FileState::WrongDigest].map(FileState::word);
        let signature = self.signature.as_ref();
        self.files.iter().any(|file| bad.contains(&file.state))
            || !self.unsafe_files.is_empty()
            || self.disks.iter().any(|disk| disk.unknown_file.is_some())
            || signature.is_some_and(|signature| !signature.valid || signature.trusted == Some(false))
    }
}

/// Puts a package whose descriptor could be read into that form. `readings` are what its machines' properties want, in the
/// machines' order.
pub fn package_report(
    package: &Package,
    descriptor: &Descriptor,
    readings: &[Vec<Reading>],
) -> PackageReport {
    let product = descriptor.product().cloned().unwrap_or_default();
    let mut transports: Vec<String> = Vec::new();
    let mut licenses: Vec<String> = Vec::new();
    let mut properties = Vec::new();
    let several = descriptor.systems.len() > 1;
    for (index, (system, readings)) in descriptor.systems.iter().zip(readings).enumerate() {
        for transport in &system.hardware.transports {
            if !transports.contains(transport) {
                transports.push(transport.clone());
            }
        }
        for license in &system.licenses {
            if !licenses.contains(license) {
                licenses.push(license.clone());
            }
        }
        for (property, reading) in system.properties.iter().zip(readings) {
            // What the collection asks for is shown once.
            if !property.of_collection || index == 0 {
                let of = (several && !property.of_collection).then(|| system.id.clone());
                properties.push(reported(property, reading, of, descriptor));
            }
        }
    }
    PackageReport {
        product: (&product).into(),
        systems: descriptor.systems.iter().map(reported_system).collect(),
        properties,
        deployment_options: descriptor
            .options
            .iter()
            .map(|option| ReportedOption {
                id: option.id.clone(),
                label: option.label.clone(),
                description: option.description.clone(),
                default: option.is_default,
                systems: descriptor
                    .systems
                    .iter()
                    .map(|system| {
                        let size = system.hardware.size(Some(&option.id));
                        OptionSize {
                            system: system.id.clone(),
                            processors: size.processors,
                            memory_bytes: size.memory_bytes,
                        }
                    })
                    .collect(),
            })
            .collect(),
        networks: descriptor
            .networks
            .iter()
            .map(|network| ReportedNetwork {
                name: network.name.clone(),
                description: network.description.clone(),
            })
            .collect(),
        disks: reported_disks(package, descriptor),
        licenses,
        transports,
        files: package
            .files
            .iter()
            .map(|file| ReportedFile {
                name: file.name.clone(),
                size_bytes: file.size,
                stated_bytes: file.stated_size,
                algorithm: file.digest.as_ref().map(|(algorithm, _)| algorithm.word().to_owned()),
                digest: file.digest.as_ref().map(|(_, digest)| digest.clone()),
                state: file.state.word(),
            })
            .collect(),
        unsafe_files: package
            .unsafe_files
            .iter()
            .map(|(name, why)| UnsafeFile { name: name.clone(), why })
            .collect(),
        manifest_faults: package
            .manifest
            .as_ref()
            .into_iter()
            .flat_map(|manifest| manifest.faults.iter().map(Remark::new))
            .collect(),
        notes: notes(package, descriptor),
        signature: package.signature.as_ref().map(ReportedSignature::from),
    }
}

fn notes(package: &Package, descriptor: &Descriptor) -> Vec<Remark> {
    let mut notes = Vec::new();
    if package.contents.as_ref().is_some_and(|contents| !contents.begins_with_descriptor()) {
        notes.push(Remark::new(
            "the descriptor is not the first file of the archive, which some hypervisors refuse",
        ));
    }
    for system in &descriptor.systems {
        for id in &system.repeated_ids {
            notes.push(Remark::new(format!(
                "several properties have the id {id}; only the first can be answered"
            )));
        }
    }
    notes
}

fn reported_system(system: &VirtualSystem) -> ReportedSystem {
    let size = system.hardware.size(None);
    ReportedSystem {
        id: system.id.clone(),
        name: system.name.clone(),
        adapters: system.hardware.adapters.clone(),
        processors: size.processors,
        memory_bytes: size.memory_bytes,
    }
}

fn reported(
    property: &crate::descriptor::Property,
    reading: &Reading,
    system: Option<String>,
    descriptor: &Descriptor,
) -> ReportedProperty {
    let default = property.default_with(descriptor.default_option()).map(str::to_owned);
    ReportedProperty {
        id: property.id(),
        system,
        key: property.key.clone(),
        class: property.class.clone(),
        instance: property.instance.clone(),
        kind: property.written_kind.clone(),
        label: property.label.clone(),
        description: property.description.clone(),
        category: property.category.clone(),
        default: default.filter(|_| !property.is_password),
        option_defaults: property
            .option_defaults
            .iter()
            .filter(|_| !property.is_password)
            .map(|(option, value)| OptionDefault { option: option.clone(), value: value.clone() })
            .collect(),
        settable: property.is_settable,
        is_password: property.is_password,
        choices: property.limits.choices.clone(),
        min_length: property.limits.min_length,
        max_length: property.limits.max_length,
        meaning: reading.meaning.word(),
        confidence: reading.confidence,
        likely: if reading.needs_review() { likely_of(reading) } else { Vec::new() },
        link: reading.link.as_ref().map(ToString::to_string),
        account: reading.account.clone(),
        position: reading.position,
    }
}

fn likely_of(reading: &Reading) -> Vec<LikelyMeaning> {
    let rounded = |chance: f64| (chance * 100.0).round() / 100.0;
    let likely = |guess: super::meaning::Guess| LikelyMeaning {
        meaning: guess.meaning.word(),
        confidence: rounded(guess.chance),
    };
    reading.likely().into_iter().map(likely).collect()
}

fn reported_disks(package: &Package, descriptor: &Descriptor) -> Vec<ReportedDisk> {
    let size_of = |href: &str| {
        let names = descriptor.file(href)?.names();
        names
            .iter()
            .map(|(name, _)| package.files.iter().find(|file| file.name == *name)?.size)
            .sum::<Option<u64>>()
    };
    descriptor
        .disks
        .iter()
        .map(|disk| ReportedDisk {
            id: disk.id.clone(),
            capacity_bytes: disk.capacity,
            file_bytes: disk.file.as_deref().and_then(size_of),
            compression: disk.file.as_deref().and_then(|href| descriptor.file(href)?.compression.clone()),
            file: disk.file.clone(),
            unknown_file: disk.unknown_file.clone(),
        })
        .collect()
}

/// What the properties of each machine of a package want.
pub fn read_package(
    descriptor: &Descriptor,
    signs: &Signs,
    file: Option<&MeaningsFile>,
) -> Vec<Vec<Reading>> {
    descriptor.systems.iter().map(|system| read_reviewed(system, signs, file)).collect()
}
