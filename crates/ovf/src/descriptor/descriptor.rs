//! What a descriptor says.

use std::sync::Arc;

use roxmltree::{Document, Node};

use super::fault::DescriptorFault;
use super::hardware::Hardware;
use super::limits::{NESTING_LIMIT, NODE_LIMIT};
use super::product::Product;
use super::property::Property;
use super::strings::Strings;
use super::units::in_bytes;
use super::xml::{attribute, child, children, is_ovf, is_true};

/// What a descriptor says that settings depend on.
#[derive(Clone, Debug, Default)]
pub struct Descriptor {
    /// Its text, byte for byte.
    pub text: Arc<str>,
    /// The collection that its machines are in, where they are in one.
    pub collection: Option<Collection>,
    /// Its virtual machines, in their order; at least one.
    pub systems: Vec<VirtualSystem>,
    /// Its networks.
    pub networks: Vec<Network>,
    /// Its disks.
    pub disks: Vec<Disk>,
    /// The files that belong to it.
    pub files: Vec<FileReference>,
    /// The sizes that it comes in.
    pub options: Vec<DeploymentOption>,
}

/// A `VirtualSystemCollection` at the top.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Collection {
    /// `ovf:id`
    pub id: String,
    /// `Name`, or else its id.
    pub name: String,
    /// What it is.
    pub product: Option<Product>,
}

/// A `VirtualSystem`.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct VirtualSystem {
    /// `ovf:id`, which the environment document repeats.
    pub id: String,
    /// `Name`, or else its id.
    pub name: String,
    /// What software it holds; the collection's where it says nothing.
    pub product: Product,
    /// Its properties in their order, and then those of its collection, each id once.
    pub properties: Vec<Property>,
    /// Ids that several of its properties have. Only the first of them can be answered.
    pub repeated_ids: Vec<String>,
    /// What it is made of.
    pub hardware: Hardware,
    /// The licenses to be accepted, those of its collection too.
    pub licenses: Vec<String>,
}

/// A `Network`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Network {
    /// `ovf:name`
    pub name: String,
    /// `Description`
    pub description: String,
}

/// A `Disk`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Disk {
    /// `ovf:diskId`
    pub id: String,
    /// How large the machine sees it, in bytes, where that is a fixed number.
    pub capacity: Option<u64>,
    /// What it takes before anything is written to it, in bytes.
    pub populated: Option<u64>,
    /// `ovf:href` of its file; a disk without one is empty.
    pub file: Option<String>,
    /// `ovf:fileRef`, where `References` has no such file: what is on the disk is not known.
    pub unknown_file: Option<String>,
}

/// A `File` of `References`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FileReference {
    /// `ovf:id`
    pub id: String,
    /// `ovf:href`
    pub href: String,
    /// `ovf:size` in bytes
    pub size: Option<u64>,
    /// `ovf:compression`, where it is compressed.
    pub compression: Option<String>,
    /// `ovf:chunkSize`, where it is cut into pieces of so many bytes.
    pub chunk_size: Option<u64>,
}

/// A `Configuration` of the `DeploymentOptionSection`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DeploymentOption {
    /// `ovf:id`
    pub id: String,
    /// `Label`
    pub label: String,
    /// `Description`
    pub description: String,
    /// Whether it is taken where nobody chooses: the one that says so, or else the first (DSP0243 2.1.1, section 9.8).
    pub is_default: bool,
}

impl Descriptor {
    /// Reads a descriptor that needs no other file of its package.
    pub fn parse(bytes: &[u8]) -> Result<Self, DescriptorFault> {
        Self::parse_with(bytes, &mut |_| None)
    }

    /// Reads a descriptor. `read` gives the content of a file of the package, for string bundles. Document types are
    /// refused.
    pub fn parse_with(
        bytes: &[u8],
        read: &mut dyn FnMut(&str) -> Option<Vec<u8>>,
    ) -> Result<Self, DescriptorFault> {
        let text = text_of(bytes)?;
        let bare = text.strip_prefix('\u{feff}').unwrap_or(text);
        if nests_deeper_than(bare, NESTING_LIMIT) {
            return Err(DescriptorFault::TooDeep);
        }
        super::limits::refuse_excess(bare)?;
        let options = roxmltree::ParsingOptions { nodes_limit: NODE_LIMIT, ..Default::default() };
        let document = Document::parse_with_options(bare, options).map_err(|error| match error {
            roxmltree::Error::DtdDetected => DescriptorFault::DocumentType,
            other => DescriptorFault::Xml(other.to_string()),
        })?;
        let envelope = document.root_element();
        if envelope.tag_name().name() != "Envelope" {
            return Err(DescriptorFault::NotAnEnvelope);
        }
        if !is_ovf(envelope) {
            return Err(match envelope.tag_name().namespace() {
                Some(other) => DescriptorFault::OtherNamespace(other.to_owned()),
                None => DescriptorFault::NotAnEnvelope,
            });
        }
        let strings = Strings::of(envelope, read);
        let mut descriptor = Self {
            text: text.into(),
            collection: None,
            systems: Vec::new(),
            networks: networks(envelope, &strings),
            disks: Vec::new(),
            files: files(envelope),
            options: deployment_options(envelope, &strings),
        };
        let pieces = descriptor.files.iter().map(FileReference::pieces).fold(0, u64::saturating_add);
        if pieces > super::limits::PIECE_LIMIT {
            return Err(DescriptorFault::TooManyPieces(super::limits::PIECE_LIMIT));
        }
        descriptor.disks = disks(envelope, &descriptor.files);
        if let Some(collection) = child(envelope, "VirtualSystemCollection") {
            descriptor.read_collection(collection, &strings)?;
        } else {
            let shared = Shared::default();
            descriptor.systems = children(envelope, "VirtualSystem")
                .map(|system| system_of(system, &strings, &shared))
                .collect();
        }
        let properties: usize = descriptor.systems.iter().map(|system| system.properties.len()).sum();
        if properties > super::limits::SHARED_LIMIT {
            return Err(DescriptorFault::TooManyProperties(super::limits::SHARED_LIMIT));
        }
        if descriptor.systems.is_empty() { Err(DescriptorFault::NoMachine) } else { Ok(descriptor) }
    }

    fn read_collection(
        &mut self,
        collection: Node<'_, '_>,
        strings: &Strings,
    ) -> Result<(), DescriptorFault> {
        if child(collection, "VirtualSystemCollection").is_some() {
            return Err(DescriptorFault::NestedCollection);
        }
        let id = attribute(collection, "id").unwrap_or_default().to_owned();
        let product = Product::of(collection, strings);
        let (properties, repeated_ids) = super::product::properties(collection, strings, true);
        let shared = Shared {
            properties,
            repeated_ids,
            licenses: licenses_in(collection, strings),
            product: product.clone(),
        };
        self.systems =
            children(collection, "VirtualSystem").map(|system| system_of(system, strings, &shared)).collect();
        self.collection = Some(Collection { name: name_of(collection, strings, &id), id, product });
        Ok(())
    }

    /// The machine of this id, or the only one where none is named.
    pub fn system(&self, id: Option<&str>) -> Option<&VirtualSystem> {
        match (id, self.systems.as_slice()) {
            (None, [only]) => Some(only),
            (None, _) => None,
            (Some(id), systems) => systems.iter().find(|system| system.id == id),
        }
    }

    /// What the package as a whole is: the collection's product, or that of its first machine.
    pub fn product(&self) -> Option<&Product> {
        self.collection
            .as_ref()
            .and_then(|collection| collection.product.as_ref())
            .or_else(|| self.systems.first().map(|system| &system.product))
    }

    /// The deployment option of this id.
    pub fn option(&self, id: &str) -> Option<&DeploymentOption> {
        self.options.iter().find(|option| option.id == id)
    }

    /// The deployment option that is taken where nobody chooses.
    pub fn default_option(&self) -> Option<&str> {
        self.options.iter().find(|option| option.is_default).map(|option| option.id.as_str())
    }

    /// The size of a file of the package as the descriptor gives it.
    pub fn file(&self, href: &str) -> Option<&FileReference> {
        self.files.iter().find(|file| file.href == href)
    }
}

impl VirtualSystem {
    /// The property with this id.
    pub fn property(&self, id: &str) -> Option<&Property> {
        self.properties.iter().find(|property| property.has_id(id))
    }
}

impl FileReference {
    /// How many files hold it.
    fn pieces(&self) -> u64 {
        match (self.chunk_size, self.size) {
            (Some(chunk), Some(size)) if chunk > 0 => size.div_ceil(chunk).max(1),
            _ => 1,
        }
    }

    /// Names of the files that hold it: itself, or its pieces, `NAME.000000000` and on (DSP0243 2.1.1, section 7.1).
    pub fn names(&self) -> Vec<(String, Option<u64>)> {
        match (self.chunk_size, self.size) {
            (Some(chunk), Some(size)) if chunk > 0 => (0..self.pieces())
                .map(|index| {
                    let length = (size - (index * chunk).min(size)).min(chunk);
                    (format!("{}.{index:09}", self.href), Some(length))
                })
                .collect(),
            (Some(chunk), None) if chunk > 0 => vec![(format!("{}.000000000", self.href), None)],
            _ => vec![(self.href.clone(), self.size)],
        }
    }
}

/// What machines of a collection have in common.
#[derive(Default)]
pub(super) struct Shared {
    pub(super) properties: Vec<Property>,
    pub(super) repeated_ids: Vec<String>,
    pub(super) licenses: Vec<String>,
    pub(super) product: Option<Product>,
}

pub(super) fn text_of(bytes: &[u8]) -> Result<&str, DescriptorFault> {
    if bytes.starts_with(b"\xff\xfe")
        || bytes.starts_with(b"\xfe\xff")
        || bytes.starts_with(b"<\0")
        || bytes.starts_with(b"\0<")
    {
        return Err(DescriptorFault::Utf16);
    }
    std::str::from_utf8(bytes).map_err(|_| DescriptorFault::NotUtf8)
}

/// Whether elements lie in each other deeper than that. Comments and the like may be counted in; a descriptor comes
/// nowhere near the limit.
pub(crate) fn nests_deeper_than(text: &str, limit: usize) -> bool {
    let bytes = text.as_bytes();
    let mut depth = 0usize;
    let mut at = 0;
    while let Some(found) = bytes.get(at..).and_then(|rest| rest.iter().position(|byte| *byte == b'<')) {
        let start = at + found + 1;
        let rest = text.get(start..).unwrap_or_default();
        let end_of = |end: &str| rest.find(end).map_or(bytes.len(), |offset| start + offset + end.len());
        at = if rest.starts_with("!--") {
            end_of("-->")
        } else if rest.starts_with("![CDATA[") {
            end_of("]]>")
        } else if rest.starts_with('/') {
            depth = depth.saturating_sub(1);
            end_of(">")
        } else if rest.starts_with(['!', '?']) {
            end_of(">")
        } else {
            let end = end_of_tag(bytes, start);
            if bytes.get(end.wrapping_sub(2)) != Some(&b'/') {
                depth += 1;
            }
            end
        };
        if depth > limit {
            return true;
        }
    }
    false
}

/// One past the `>` that ends a tag, quoted ones ignored.
pub(super) fn end_of_tag(bytes: &[u8], start: usize) -> usize {
    let mut quote = None;
    for (at, byte) in bytes.iter().enumerate().skip(start) {
        match (quote, byte) {
            (None, b'"' | b'\'') => quote = Some(*byte),
            (Some(open), byte) if *byte == open => quote = None,
            (None, b'>') => return at + 1,
            _ => {}
        }
    }
    bytes.len()
}

pub(super) fn system_of(node: Node<'_, '_>, strings: &Strings, shared: &Shared) -> VirtualSystem {
    let id = attribute(node, "id").unwrap_or_default().to_owned();
    let (mut properties, mut repeated_ids) = super::product::properties(node, strings, false);
    let own_ids: std::collections::HashSet<String> = properties.iter().map(Property::id).collect();
    for property in &shared.properties {
        let id = property.id();
        if own_ids.contains(&id) {
            repeated_ids.push(id);
        } else {
            properties.push(property.clone());
        }
    }
    repeated_ids.extend(shared.repeated_ids.iter().cloned());
    let mut licenses = shared.licenses.clone();
    licenses.extend(licenses_in(node, strings));
    VirtualSystem {
        name: name_of(node, strings, &id),
        id,
        product: Product::of(node, strings).or_else(|| shared.product.clone()).unwrap_or_default(),
        properties,
        repeated_ids,
        hardware: Hardware::read(node),
        licenses,
    }
}

pub(super) fn name_of(node: Node<'_, '_>, strings: &Strings, id: &str) -> String {
    let name = strings.text(child(node, "Name"));
    if name.is_empty() { id.to_owned() } else { name }
}

pub(super) fn licenses_in(content: Node<'_, '_>, strings: &Strings) -> Vec<String> {
    children(content, "EulaSection").map(|section| strings.text(child(section, "License"))).collect()
}

pub(super) fn networks(envelope: Node<'_, '_>, strings: &Strings) -> Vec<Network> {
    children(envelope, "NetworkSection")
        .flat_map(|section| children(section, "Network"))
        .filter_map(|network| {
            Some(Network {
                name: attribute(network, "name")?.to_owned(),
                description: strings.text(child(network, "Description")),
            })
        })
        .collect()
}

pub(super) fn files(envelope: Node<'_, '_>) -> Vec<FileReference> {
    children(envelope, "References")
        .flat_map(|references| children(references, "File"))
        .map(|file| {
            let number = |name| attribute(file, name).and_then(|text| text.trim().parse().ok());
            FileReference {
                id: attribute(file, "id").unwrap_or_default().to_owned(),
                href: attribute(file, "href").unwrap_or_default().to_owned(),
                size: number("size"),
                compression: attribute(file, "compression")
                    .filter(|kind| !matches!(*kind, "" | "identity"))
                    .map(str::to_owned),
                chunk_size: number("chunkSize"),
            }
        })
        .collect()
}

pub(super) fn disks(envelope: Node<'_, '_>, files: &[FileReference]) -> Vec<Disk> {
    children(envelope, "DiskSection")
        .flat_map(|section| children(section, "Disk"))
        .map(|disk| {
            let reference = attribute(disk, "fileRef");
            let file = reference.and_then(|id| files.iter().find(|file| file.id == id));
            Disk {
                id: attribute(disk, "diskId").unwrap_or_default().to_owned(),
                capacity: attribute(disk, "capacity").and_then(|capacity| {
                    in_bytes(capacity, attribute(disk, "capacityAllocationUnits").unwrap_or_default())
                }),
                populated: attribute(disk, "populatedSize").and_then(|size| size.trim().parse().ok()),
                file: file.map(|file| file.href.clone()),
                unknown_file: reference.filter(|_| file.is_none()).map(str::to_owned),
            }
        })
        .collect()
}

pub(super) fn deployment_options(envelope: Node<'_, '_>, strings: &Strings) -> Vec<DeploymentOption> {
    let nodes: Vec<Node<'_, '_>> = children(envelope, "DeploymentOptionSection")
        .flat_map(|section| children(section, "Configuration"))
        .collect();
    let marked = nodes.iter().position(|option| is_true(*option, "default")).unwrap_or(0);
    nodes
        .into_iter()
        .enumerate()
        .map(|(index, option)| DeploymentOption {
            id: attribute(option, "id").unwrap_or_default().to_owned(),
            label: strings.text(child(option, "Label")),
            description: strings.text(child(option, "Description")),
            is_default: index == marked,
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::descriptor::property::PropertyType;

    fn envelope(inside: &str) -> String {
        format!(
            r#"<Envelope xmlns="http://schemas.dmtf.org/ovf/envelope/1" xmlns:ovf="http://schemas.dmtf.org/ovf/envelope/1">{inside}</Envelope>"#
        )
    }

    #[test]
    fn ids_types_and_defaults() {
        let text = envelope(
            r#"<NetworkSection><Info/><Network ovf:name="Management"/></NetworkSection>
            <DeploymentOptionSection><Info/><Configuration ovf:id="small"/><Configuration ovf:id="big" ovf:default="true"/></DeploymentOptionSection>
            <VirtualSystem ovf:id="logbook"><Info/>
              <ProductSection ovf:class="net" ovf:instance="1"><Info/>
                <Property ovf:key="ip" ovf:type="string" ovf:userConfigurable="true"><Label> Address </Label></Property>
                <Property ovf:key="cache" ovf:type="uint16" ovf:value="1"><Value ovf:value="8" ovf:configuration="big"/></Property>
              </ProductSection>
              <ProductSection><Info/><Property ovf:key="name" ovf:type="string" ovf:value=""/></ProductSection>
            </VirtualSystem>"#,
        );
        let descriptor = Descriptor::parse(text.as_bytes()).unwrap();
        let system = descriptor.system(None).unwrap();
        assert_eq!((system.id.as_str(), descriptor.networks[0].name.as_str()), ("logbook", "Management"));
        assert_eq!(descriptor.default_option(), Some("big"));
        let ids: Vec<String> = system.properties.iter().map(Property::id).collect();
        assert_eq!(ids, ["net.ip.1", "net.cache.1", "name"]);
        let ip = system.property("net.ip.1").unwrap();
        assert!(ip.is_settable && ip.base_default.is_none() && ip.label == "Address");
        let cache = system.property("net.cache.1").unwrap();
        assert_eq!((cache.is_settable, &cache.kind), (false, &PropertyType::Unsigned(16)));
        assert_eq!((cache.default_with(None), cache.default_with(Some("big"))), (Some("1"), Some("8")));
        assert_eq!(cache.default_with(Some("small")), Some("1"));
        assert_eq!(system.property("name").unwrap().default_with(Some("big")), Some(""));
    }

    #[test]
    fn what_is_no_descriptor_says_why() {
        let fault = |text: &str| Descriptor::parse(text.as_bytes()).unwrap_err();
        assert!(matches!(fault("<a"), DescriptorFault::Xml(_)));
        assert_eq!(fault("<!DOCTYPE e [<!ENTITY a \"b\">]><e>&a;</e>"), DescriptorFault::DocumentType);
        assert_eq!(fault("<!DOCTYPE e SYSTEM \"/etc/passwd\"><e/>"), DescriptorFault::DocumentType);
        assert_eq!(fault("<Envelope/>"), DescriptorFault::NotAnEnvelope);
        assert_eq!(
            fault("<Envelope xmlns=\"http://capovetro.example/tide\"/>"),
            DescriptorFault::OtherNamespace("http://capovetro.example/tide".to_owned())
        );
        assert_eq!(fault(&envelope("")), DescriptorFault::NoMachine);
        assert_eq!(fault(&envelope("<VirtualSystemCollection/>")), DescriptorFault::NoMachine);
        let nested = "<VirtualSystemCollection><VirtualSystemCollection/></VirtualSystemCollection>";
        assert_eq!(fault(&envelope(nested)), DescriptorFault::NestedCollection);
        assert_eq!(Descriptor::parse(b"\xff\xfe<\0").unwrap_err(), DescriptorFault::Utf16);
        assert_eq!(Descriptor::parse(b"<\xff").unwrap_err(), DescriptorFault::NotUtf8);
        let deep = format!("{}{}", "<a>".repeat(300), "</a>".repeat(300));
        assert_eq!(fault(&deep), DescriptorFault::TooDeep);
        let wide = format!("{}<!-- {} -->", "<a x='>'/>".repeat(300), "<a>".repeat(300));
        assert_eq!(fault(&envelope(&wide)), DescriptorFault::NoMachine);
    }

    #[test]
    fn what_a_package_may_say_beside_its_properties() {
        let text = envelope(
            r#"<References>
                 <File ovf:id="f1" ovf:href="a.img" ovf:size="2500" ovf:chunkSize="1000" ovf:compression="gzip"/>
                 <File ovf:id="s" ovf:href="en.strings"/>
               </References>
               <DiskSection><Info/>
                 <Disk ovf:diskId="d1" ovf:fileRef="f1" ovf:capacity="8" ovf:capacityAllocationUnits="byte * 2^30" ovf:populatedSize="77"/>
                 <Disk ovf:diskId="d2" ovf:capacity="16"/>
               </DiskSection>
               <DeploymentOptionSection><Info/>
                 <Configuration ovf:id="small"><Label ovf:msgid="small.label">klein</Label><Description>Few</Description></Configuration>
                 <Configuration ovf:id="big"/>
               </DeploymentOptionSection>
               <VirtualSystemCollection ovf:id="harbor"><Info/>
                 <ProductSection><Info/><Product>Signals</Product><Version>2</Version>
                   <Property ovf:key="mail" ovf:userConfigurable="true"/></ProductSection>
                 <EulaSection><Info/><License>Be kind.</License></EulaSection>
                 <VirtualSystem ovf:id="one"><Info/><Name>First</Name>
                   <ProductSection><Info/><Category ovf:msgid="net">Netz</Category><Property ovf:key="alert" ovf:value="${mail}"/></ProductSection>
                   <VirtualHardwareSection ovf:transport="iso other.platform"><Info/>
                     <Item><VirtualQuantity>2</VirtualQuantity><ResourceType>3</ResourceType></Item>
                     <Item ovf:configuration="big"><VirtualQuantity>4</VirtualQuantity><ResourceType>3</ResourceType></Item>
                     <Item><AllocationUnits>byte * 2^30</AllocationUnits><VirtualQuantity>3</VirtualQuantity><ResourceType>4</ResourceType></Item>
                     <EthernetPortItem><Connection>Management</Connection><ResourceType>10</ResourceType></EthernetPortItem>
                   </VirtualHardwareSection>
                 </VirtualSystem>
                 <VirtualSystem ovf:id="two"><Info/></VirtualSystem>
               </VirtualSystemCollection>
               <Strings xml:lang="de-DE"><Msg ovf:msgid="small.label">Kleine</Msg><Msg ovf:msgid="net">Netz</Msg></Strings>
               <Strings xml:lang="en-US" ovf:fileRef="s"/>"#,
        );
        let bundle = r#"<Strings xmlns="http://schemas.dmtf.org/ovf/envelope/1" xmlns:ovf="http://schemas.dmtf.org/ovf/envelope/1"><Msg ovf:msgid="small.label">Small one</Msg></Strings>"#;
        let mut read = |name: &str| (name == "en.strings").then(|| bundle.as_bytes().to_vec());
        let descriptor = Descriptor::parse_with(text.as_bytes(), &mut read).unwrap();
        let names: Vec<_> = descriptor.files[0].names();
        assert_eq!(names[0], ("a.img.000000000".to_owned(), Some(1000)));
        assert_eq!((names.len(), &names[2]), (3, &("a.img.000000002".to_owned(), Some(500))));
        assert_eq!(descriptor.files[0].compression.as_deref(), Some("gzip"));
        assert_eq!(
            (descriptor.disks[0].capacity, descriptor.disks[0].file.as_deref()),
            (Some(8 << 30), Some("a.img"))
        );
        assert_eq!((descriptor.disks[1].capacity, &descriptor.disks[1].file), (Some(16), &None));
        assert_eq!(
            (descriptor.options[0].label.as_str(), descriptor.options[0].is_default),
            ("Small one", true)
        );
        assert_eq!(descriptor.product().unwrap().name, "Signals");
        assert!(descriptor.system(None).is_none());
        let one = descriptor.system(Some("one")).unwrap();
        assert_eq!(
            (one.name.as_str(), one.product.name.as_str(), one.licenses.len()),
            ("First", "Signals", 1)
        );
        assert_eq!(one.properties[0].category, "Netz");
        assert!(!one.properties[0].of_collection && one.properties[1].of_collection);
        assert_eq!(
            (one.hardware.transports.len(), one.hardware.adapters.as_slice()),
            (2, &["Management".to_owned()][..])
        );
        let size = |option| one.hardware.size(option);
        assert_eq!((size(None).processors, size(Some("big")).processors), (Some(2), Some(4)));
        assert_eq!(size(Some("big")).memory_bytes, Some(3 << 30));
    }

    proptest! {
        #[test]
        fn no_text_makes_reading_panic(inside in "(<[/a-zA-Z:]{1,12}|[ =\"'>/]|ovf:[a-z]{1,5}=\"[^\"]{0,4}\"|\\PC){0,40}") {
            let _ = Descriptor::parse(envelope(&inside).as_bytes());
            let _ = Descriptor::parse(inside.as_bytes());
        }
    }
}
