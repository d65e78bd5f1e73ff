//! OVF descriptors.

use roxmltree::{Document, Node};

use super::{Property, PropertyType};

/// Envelope namespaces of OVF 1.x and 2.x (DSP0243).
const ENVELOPES: [&str; 2] =
    ["http://schemas.dmtf.org/ovf/envelope/1", "http://schemas.dmtf.org/ovf/envelope/2"];

/// What a descriptor says that settings depend on.
#[derive(Clone, Debug, Default)]
pub struct Descriptor {
    /// `ovf:id` of its virtual machine, which the environment document repeats.
    pub machine_id: String,
    /// Its properties, in their order, each id once.
    pub properties: Vec<Property>,
    /// Names of its networks.
    pub networks: Vec<String>,
}

/// Why a text is no descriptor that can be used.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum DescriptorFault {
    /// It is not UTF-8.
    #[error("it is not UTF-8 text")]
    NotUtf8,
    /// It is no well-formed XML, or has a document type, which may hide anything.
    #[error("it is not well-formed XML: {0}")]
    Xml(String),
    /// Its root is no OVF envelope.
    #[error("its root element is not an OVF envelope")]
    NotAnEnvelope,
    /// It holds no virtual machine.
    #[error("it describes no virtual machine")]
    NoMachine,
    /// It holds a collection.
    #[error("it describes a collection of several machines, which this version does not answer")]
    Collection,
}

impl Descriptor {
    /// Reads a descriptor. Document types are refused (they may expand without bound or name files).
    pub fn parse(bytes: &[u8]) -> Result<Self, DescriptorFault> {
        let text = std::str::from_utf8(bytes).map_err(|_| DescriptorFault::NotUtf8)?;
        let text = text.strip_prefix('\u{feff}').unwrap_or(text);
        let document = Document::parse(text).map_err(|error| DescriptorFault::Xml(error.to_string()))?;
        let envelope = document.root_element();
        if envelope.tag_name().name() != "Envelope" || !is_ovf(envelope) {
            return Err(DescriptorFault::NotAnEnvelope);
        }
        if child(envelope, "VirtualSystemCollection").is_some() {
            return Err(DescriptorFault::Collection);
        }
        let machine = child(envelope, "VirtualSystem").ok_or(DescriptorFault::NoMachine)?;
        let configuration = default_configuration(envelope);
        let mut descriptor = Self {
            machine_id: attribute(machine, "id").unwrap_or_default().to_owned(),
            networks: children(envelope, "NetworkSection")
                .flat_map(|section| children(section, "Network"))
                .filter_map(|network| attribute(network, "name"))
                .map(str::to_owned)
                .collect(),
            properties: Vec::new(),
        };
        for section in children(machine, "ProductSection") {
            let class = attribute(section, "class").unwrap_or_default();
            let instance = attribute(section, "instance").unwrap_or_default();
            for node in children(section, "Property") {
                let property = read_property(node, class, instance, configuration);
                let id = property.id();
                if !descriptor.properties.iter().any(|known| known.id() == id) {
                    descriptor.properties.push(property);
                }
            }
        }
        Ok(descriptor)
    }

    /// The property with this id.
    pub fn property(&self, id: &str) -> Option<&Property> {
        self.properties.iter().find(|property| property.id() == id)
    }
}

fn read_property(node: Node<'_, '_>, class: &str, instance: &str, configuration: Option<&str>) -> Property {
    let is_true = |name: &str| attribute(node, name).is_some_and(|value| matches!(value, "true" | "1"));
    let of_configuration = || {
        let wanted = configuration?;
        children(node, "Value").find(|value| attribute(*value, "configuration") == Some(wanted))
    };
    let default =
        of_configuration().and_then(|value| attribute(value, "value")).or_else(|| attribute(node, "value"));
    Property {
        class: class.to_owned(),
        key: attribute(node, "key").unwrap_or_default().to_owned(),
        instance: instance.to_owned(),
        kind: PropertyType::parse(attribute(node, "type").unwrap_or("string")),
        label: child(node, "Label").and_then(|label| label.text()).unwrap_or_default().trim().to_owned(),
        is_settable: is_true("userConfigurable"),
        is_password: is_true("password"),
        default: default.map(str::to_owned),
    }
}

/// The configuration that is marked as the default, or else the first (DSP0243 2.1.1, section 9.8).
fn default_configuration<'a>(envelope: Node<'a, '_>) -> Option<&'a str> {
    let section = child(envelope, "DeploymentOptionSection")?;
    let marked = children(section, "Configuration")
        .find(|option| attribute(*option, "default").is_some_and(|value| matches!(value, "true" | "1")));
    attribute(marked.or_else(|| child(section, "Configuration"))?, "id")
}

fn is_ovf(node: Node<'_, '_>) -> bool {
    node.tag_name().namespace().is_some_and(|namespace| ENVELOPES.contains(&namespace))
}

fn children<'a, 'd>(node: Node<'a, 'd>, name: &'static str) -> impl Iterator<Item = Node<'a, 'd>> {
    node.children()
        .filter(move |child| child.is_element() && child.tag_name().name() == name && is_ovf(*child))
}

fn child<'a, 'd>(node: Node<'a, 'd>, name: &'static str) -> Option<Node<'a, 'd>> {
    children(node, name).next()
}

/// An attribute of the OVF namespace, or, as some packages write it, of none.
fn attribute<'a>(node: Node<'a, '_>, name: &str) -> Option<&'a str> {
    ENVELOPES.iter().find_map(|namespace| node.attribute((*namespace, name))).or_else(|| node.attribute(name))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

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
        assert_eq!(
            (descriptor.machine_id.as_str(), descriptor.networks.as_slice()),
            ("logbook", &["Management".to_owned()][..])
        );
        let ids: Vec<String> = descriptor.properties.iter().map(Property::id).collect();
        assert_eq!(ids, ["net.ip.1", "net.cache.1", "name"]);
        let ip = descriptor.property("net.ip.1").unwrap();
        assert!(ip.is_settable && ip.default.is_none() && ip.label == "Address");
        let cache = descriptor.property("net.cache.1").unwrap();
        assert_eq!(
            (cache.is_settable, cache.default.as_deref(), &cache.kind),
            (false, Some("8"), &PropertyType::Unsigned(16))
        );
        assert_eq!(descriptor.property("name").unwrap().default.as_deref(), Some(""));
    }

    #[test]
    fn what_is_no_descriptor_says_why() {
        let fault = |text: &str| Descriptor::parse(text.as_bytes()).unwrap_err();
        assert!(matches!(fault("<a"), DescriptorFault::Xml(_)));
        assert!(matches!(fault("<!DOCTYPE e [<!ENTITY a \"b\">]><e>&a;</e>"), DescriptorFault::Xml(_)));
        assert_eq!(fault("<Envelope/>"), DescriptorFault::NotAnEnvelope);
        assert_eq!(fault(&envelope("")), DescriptorFault::NoMachine);
        assert_eq!(fault(&envelope("<VirtualSystemCollection/>")), DescriptorFault::Collection);
        assert_eq!(Descriptor::parse(b"\xff\xfe<\0").unwrap_err(), DescriptorFault::NotUtf8);
    }

    proptest! {
        #[test]
        fn no_text_makes_reading_panic(inside in "(<[/a-zA-Z:]{1,12}|[ =\"'>/]|ovf:[a-z]{1,5}=\"[^\"]{0,4}\"|\\PC){0,40}") {
            let _ = Descriptor::parse(envelope(&inside).as_bytes());
            let _ = Descriptor::parse(inside.as_bytes());
        }
    }
}
