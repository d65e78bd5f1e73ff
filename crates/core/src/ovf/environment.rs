//! OVF environment documents (DSP8027 1.1.0; DSP0243 2.1.1, section 11).

use std::io;

use quick_xml::Writer;
use quick_xml::events::{BytesDecl, BytesEnd, BytesStart, Event};

/// Namespace of the environment document, the same for OVF 1.x and 2.x.
const NAMESPACE: &str = "http://schemas.dmtf.org/ovf/environment/1";

/// The environment document of one virtual machine: its id in the descriptor, and each property's id and value.
/// Fails only when memory does.
pub fn environment_document<'a>(
    machine_id: &str,
    properties: impl IntoIterator<Item = (String, &'a str)>,
) -> io::Result<Vec<u8>> {
    let mut writer = Writer::new_with_indent(Vec::new(), b' ', 2);
    writer.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    let mut environment = BytesStart::new("Environment");
    environment.push_attribute(("xmlns", NAMESPACE));
    environment.push_attribute(("xmlns:oe", NAMESPACE));
    environment.push_attribute(("oe:id", machine_id));
    writer.write_event(Event::Start(environment))?;
    writer.write_event(Event::Start(BytesStart::new("PropertySection")))?;
    for (id, value) in properties {
        let mut property = BytesStart::new("Property");
        property.push_attribute(("oe:key", id.as_str()));
        property.push_attribute(("oe:value", value));
        writer.write_event(Event::Empty(property))?;
    }
    writer.write_event(Event::End(BytesEnd::new("PropertySection")))?;
    writer.write_event(Event::End(BytesEnd::new("Environment")))?;
    let mut bytes = writer.into_inner();
    bytes.push(b'\n');
    Ok(bytes)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

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
    fn the_machine_is_named() {
        let bytes = environment_document("log\"book", []).unwrap();
        let document = roxmltree::Document::parse(std::str::from_utf8(&bytes).unwrap()).unwrap();
        let root = document.root_element();
        assert!(root.has_tag_name((NAMESPACE, "Environment")));
        assert_eq!(root.attribute((NAMESPACE, "id")), Some("log\"book"));
    }

    proptest! {
        #[test]
        fn any_value_comes_back_as_it_was(key in "[a-z.]{1,9}", value in "([ -~]|[\t\n\r]|[à-ü]|<|&|\"|'){0,40}") {
            let bytes = environment_document("m", [(key.clone(), value.as_str())]).unwrap();
            prop_assert_eq!(read_back(&bytes), [(key, value)]);
        }
    }
}
