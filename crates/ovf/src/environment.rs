//! OVF environment documents (DSP8027 1.1.0; DSP0243 2.1.1, section 11).

use std::collections::HashSet;
use std::io;
use std::ops::Range;

use impostazione_text::{FileBytes, Hidden};
use quick_xml::Writer;
use quick_xml::events::{BytesDecl, BytesEnd, BytesStart, BytesText, Event};

use crate::descriptor::{NESTING_LIMIT, nests_deeper_than};

/// Namespace of the environment document, the same for OVF 1.x and 2.x.
const NAMESPACE: &str = "http://schemas.dmtf.org/ovf/environment/1";

/// What `Kind` of the platform section says: the settings were made before there was a platform.
const KIND: &str = "Impostazione";

/// What an environment document tells one virtual machine.
#[derive(Clone, Debug, Default)]
pub struct Environment {
    /// The machine itself.
    pub itself: Entity,
    /// Language and region, as `it-IT`.
    pub locale: Option<String>,
    /// The other machines of its collection.
    pub siblings: Vec<Entity>,
}

/// A machine in an environment document.
#[derive(Clone, Debug, Default)]
pub struct Entity {
    /// Its id in the descriptor.
    pub id: String,
    /// Id and value of each of its properties.
    pub properties: Vec<(String, Hidden)>,
}

/// An environment document that was read back: the machine itself first, then the others of its collection.
#[derive(Clone, Debug, Default)]
pub struct ReadEnvironment {
    /// Its machines.
    pub entities: Vec<ReadEntity>,
}

/// A machine in a document that was read back.
#[derive(Clone, Debug, Default)]
pub struct ReadEntity {
    /// Its id in the descriptor.
    pub id: String,
    /// Its properties.
    pub properties: Vec<ReadProperty>,
}

/// A property in a document that was read back.
#[derive(Clone, Debug)]
pub struct ReadProperty {
    /// Its id.
    pub id: String,
    /// Its value.
    pub value: Hidden,
    /// Where its value stands in the text, or else its element.
    pub range: Range<usize>,
}

/// Largest environment document that is read.
pub const ENVIRONMENT_LIMIT: u64 = 16 * 1024 * 1024;

/// Most elements and attributes of one.
const NODE_LIMIT: u32 = 1_000_000;

impl ReadEnvironment {
    /// Reads a document, which a stranger may have written: document types are refused. Fails with what is wrong with it.
    pub fn parse(text: &str) -> Result<Self, String> {
        if nests_deeper_than(text, NESTING_LIMIT) {
            return Err(format!("its elements are nested more than {NESTING_LIMIT} deep"));
        }
        let options = roxmltree::ParsingOptions { nodes_limit: NODE_LIMIT, ..Default::default() };
        let document = roxmltree::Document::parse_with_options(text, options)
            .map_err(|error| format!("it is not well-formed XML: {error}"))?;
        let root = document.root_element();
        if !root.has_tag_name((NAMESPACE, "Environment")) {
            return Err("it is not an OVF environment document".to_owned());
        }
        let others = root.children().filter(|node| node.has_tag_name((NAMESPACE, "Entity")));
        let entities: Vec<ReadEntity> = std::iter::once(root).chain(others).map(read_entity).collect();
        for entity in &entities {
            let mut seen = HashSet::new();
            if let Some(twice) = entity.properties.iter().find(|property| !seen.insert(property.id.as_str()))
            {
                return Err(format!("it has {} twice, and which one counts depends on the reader", twice.id));
            }
        }
        Ok(Self { entities })
    }
}

fn read_entity(node: roxmltree::Node<'_, '_>) -> ReadEntity {
    let get = |node: roxmltree::Node<'_, '_>, name: &'static str| {
        let value = node.attribute((NAMESPACE, name)).or_else(|| node.attribute(name));
        value.unwrap_or_default().to_owned()
    };
    let sections = node.children().filter(|child| child.has_tag_name((NAMESPACE, "PropertySection")));
    let properties = sections.flat_map(|section| section.children());
    ReadEntity {
        id: get(node, "id"),
        properties: properties
            .filter(|child| child.has_tag_name((NAMESPACE, "Property")))
            .map(|child| ReadProperty {
                id: get(child, "key"),
                value: Hidden::new(get(child, "value")),
                range: child
                    .attributes()
                    .find(|attribute| attribute.name() == "value")
                    .map_or(child.range(), |attribute| attribute.range_value()),
            })
            .collect(),
    }
}

impl Environment {
    /// The document. Fails only when memory does.
    pub fn document(&self) -> io::Result<FileBytes> {
        let mut writer = Writer::new_with_indent(Vec::with_capacity(16 * 1024), b' ', 2);
        writer.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
        let mut environment = BytesStart::new("Environment");
        environment.push_attribute(("xmlns", NAMESPACE));
        environment.push_attribute(("xmlns:oe", NAMESPACE));
        environment.push_attribute(("oe:id", self.itself.id.as_str()));
        writer.write_event(Event::Start(environment))?;
        writer.write_event(Event::Start(BytesStart::new("PlatformSection")))?;
        text(&mut writer, "Kind", KIND)?;
        if let Some(locale) = &self.locale {
            text(&mut writer, "Locale", locale)?;
        }
        writer.write_event(Event::End(BytesEnd::new("PlatformSection")))?;
        properties(&mut writer, &self.itself)?;
        for sibling in &self.siblings {
            let mut entity = BytesStart::new("Entity");
            entity.push_attribute(("oe:id", sibling.id.as_str()));
            writer.write_event(Event::Start(entity))?;
            properties(&mut writer, sibling)?;
            writer.write_event(Event::End(BytesEnd::new("Entity")))?;
        }
        writer.write_event(Event::End(BytesEnd::new("Environment")))?;
        let mut bytes = writer.into_inner();
        bytes.push(b'\n');
        Ok(FileBytes::new(bytes))
    }
}

fn text(writer: &mut Writer<Vec<u8>>, name: &str, value: &str) -> io::Result<()> {
    writer.write_event(Event::Start(BytesStart::new(name)))?;
    writer.write_event(Event::Text(BytesText::new(value)))?;
    writer.write_event(Event::End(BytesEnd::new(name)))
}

fn properties(writer: &mut Writer<Vec<u8>>, entity: &Entity) -> io::Result<()> {
    writer.write_event(Event::Start(BytesStart::new("PropertySection")))?;
    for (id, value) in &entity.properties {
        let mut property = BytesStart::new("Property");
        property.push_attribute(("oe:key", id.as_str()));
        property.push_attribute(("oe:value", value.reveal()));
        writer.write_event(Event::Empty(property))?;
    }
    writer.write_event(Event::End(BytesEnd::new("PropertySection")))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn of(id: &str, properties: &[(&str, &str)]) -> Entity {
        let properties = properties.iter().map(|(id, value)| ((*id).to_owned(), Hidden::new(*value)));
        Entity { id: id.to_owned(), properties: properties.collect() }
    }

    fn read_back(bytes: &[u8]) -> Vec<(String, String)> {
        let text = std::str::from_utf8(bytes).unwrap();
        let document = roxmltree::Document::parse(text).unwrap();
        document
            .descendants()
            .filter(|node| node.has_tag_name((NAMESPACE, "Property")))
            .map(|node| {
                let get = |name| node.attribute((NAMESPACE, name)).unwrap().to_owned();
                (get("key"), get("value"))
            })
            .collect()
    }

    #[test]
    fn a_document_is_read_back_with_the_places_of_its_properties() {
        let environment = Environment {
            itself: of("a", &[("k", "one & two")]),
            siblings: vec![of("b", &[])],
            ..Environment::default()
        };
        let bytes = environment.document().unwrap();
        let text = std::str::from_utf8(&bytes).unwrap();
        let read = ReadEnvironment::parse(text).unwrap();
        assert_eq!(read.entities.iter().map(|entity| entity.id.as_str()).collect::<Vec<_>>(), ["a", "b"]);
        let property = &read.entities[0].properties[0];
        assert_eq!((property.id.as_str(), property.value.reveal()), ("k", "one & two"));
        assert_eq!(&text[property.range.clone()], "one &amp; two");
        let twice = text.replacen("<Property ", "<Property oe:key=\"k\" oe:value=\"\"/><Property ", 1);
        assert!(ReadEnvironment::parse(&twice).unwrap_err().contains("has k twice"), "{twice}");
        for wrong in ["", "<a/>", "<!DOCTYPE a><Environment/>", "<Environment/>"] {
            assert!(ReadEnvironment::parse(wrong).is_err(), "{wrong}");
        }
    }

    #[test]
    fn the_machine_its_platform_and_its_siblings_are_named() {
        let environment = Environment {
            itself: of("log\"book", &[]),
            locale: Some("it-IT".to_owned()),
            siblings: vec![of("reader", &[("a", "b")])],
        };
        let bytes = environment.document().unwrap();
        let document = roxmltree::Document::parse(std::str::from_utf8(&bytes).unwrap()).unwrap();
        let root = document.root_element();
        assert!(root.has_tag_name((NAMESPACE, "Environment")));
        assert_eq!(root.attribute((NAMESPACE, "id")), Some("log\"book"));
        let sections: Vec<&str> =
            root.children().filter(roxmltree::Node::is_element).map(|node| node.tag_name().name()).collect();
        assert_eq!(sections, ["PlatformSection", "PropertySection", "Entity"]);
        let sibling = root.last_element_child().unwrap();
        assert_eq!(sibling.attribute((NAMESPACE, "id")), Some("reader"));
        assert_eq!(read_back(&bytes), [("a".to_owned(), "b".to_owned())]);
    }

    proptest! {
        #[test]
        fn any_value_comes_back_as_it_was(key in "[a-z.]{1,9}", value in "([ -~]|[\t\n\r]|[à-ü]|<|&|\"|'){0,40}") {
            let environment = Environment { itself: of("m", &[(&key, &value)]), ..Environment::default() };
            prop_assert_eq!(read_back(&environment.document().unwrap()), [(key, value)]);
        }
    }
}
