//! Values set in a descriptor in place: every other byte stays as it is.

use std::collections::HashMap;
use std::ops::Range;

use impostazione_text::Hidden;
use roxmltree::{Document, Node};

use super::descriptor::Descriptor;
use super::xml::{attribute, child, children};

/// A value to be set.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Setting {
    /// Id of the machine; `None` for a property of the collection.
    pub system: Option<String>,
    /// Id of the property.
    pub property: String,
    /// Its new value.
    pub value: Hidden,
    /// The deployment option that was chosen, whose own default is set too where there is one.
    pub option: Option<String>,
}

impl Descriptor {
    /// The descriptor's text with values set, and with this deployment option as the one that is taken where nobody chooses. A
    /// setting of a property that is not there changes nothing, nor does an option that is not there.
    pub fn with_values(&self, settings: &[Setting], option: Option<&str>) -> String {
        let text: &str = &self.text;
        let bare = text.strip_prefix('\u{feff}').unwrap_or(text);
        let shift = text.len() - bare.len();
        // It was read before, from the same text.
        let options =
            roxmltree::ParsingOptions { nodes_limit: super::limits::NODE_LIMIT, ..Default::default() };
        let Ok(document) = Document::parse_with_options(bare, options) else { return text.to_owned() };
        let mut edits = Vec::new();
        let envelope = document.root_element();
        if let Some(collection) = child(envelope, "VirtualSystemCollection") {
            edits_of(bare, collection, None, settings, &mut edits);
            for system in children(collection, "VirtualSystem") {
                edits_of(bare, system, attribute(system, "id"), settings, &mut edits);
            }
        }
        for system in children(envelope, "VirtualSystem") {
            edits_of(bare, system, attribute(system, "id"), settings, &mut edits);
        }
        if let Some(option) = option.filter(|option| self.default_option() != Some(option)) {
            edits_of_options(bare, envelope, option, &mut edits);
        }
        edits.sort_by_key(|(range, _)| range.start);
        let mut changed = String::with_capacity(text.len() + 1024);
        let mut at = 0;
        for (range, replacement) in edits {
            changed.push_str(text.get(at..range.start + shift).unwrap_or_default());
            changed.push_str(&replacement);
            at = range.end + shift;
        }
        changed.push_str(text.get(at..).unwrap_or_default());
        changed
    }
}

fn edits_of(
    text: &str,
    content: Node<'_, '_>,
    system: Option<&str>,
    settings: &[Setting],
    edits: &mut Vec<(Range<usize>, String)>,
) {
    let mut wanted: HashMap<&str, &Setting> = settings
        .iter()
        .filter(|setting| setting.system.as_deref() == system)
        .map(|setting| (setting.property.as_str(), setting))
        .collect();
    for section in children(content, "ProductSection") {
        let class = attribute(section, "class").unwrap_or_default();
        let instance = attribute(section, "instance").unwrap_or_default();
        for property in children(section, "Property") {
            let key = attribute(property, "key").unwrap_or_default();
            let parts = [class, key, instance];
            let id = parts.into_iter().filter(|part| !part.is_empty()).collect::<Vec<_>>().join(".");
            // Of several with one id the first is meant.
            let Some(setting) = wanted.remove(id.as_str()) else { continue };
            edits.extend(edit(text, property, setting.value.reveal()));
            let own = children(property, "Value")
                .find(|value| attribute(*value, "configuration") == setting.option.as_deref());
            if let Some(own) = own.filter(|_| setting.option.is_some()) {
                edits.extend(edit(text, own, setting.value.reveal()));
            }
        }
    }
}

/// Makes one deployment option the default, and no other (DSP0243 2.1.1, section 9.8: `ovf:default`).
fn edits_of_options(
    text: &str,
    envelope: Node<'_, '_>,
    option: &str,
    edits: &mut Vec<(Range<usize>, String)>,
) {
    let sections = children(envelope, "DeploymentOptionSection");
    let options: Vec<Node<'_, '_>> =
        sections.flat_map(|section| children(section, "Configuration")).collect();
    if !options.iter().any(|node| attribute(*node, "id") == Some(option)) {
        return;
    }
    for node in options {
        let is_meant = attribute(node, "id") == Some(option);
        let mark = node.attributes().find(|found| found.name() == "default");
        match mark {
            Some(mark) if super::xml::is_true(node, "default") != is_meant => {
                edits.push((mark.range_value(), is_meant.to_string()));
            }
            None if is_meant => edits.extend(new_attribute(text, node, "default", "true")),
            Some(_) | None => {}
        }
    }
}

/// What is to be written where, so that an element has one more attribute: behind its last, with the prefix of one that is OVF's.
fn new_attribute(
    text: &str,
    element: Node<'_, '_>,
    name: &str,
    value: &str,
) -> Option<(Range<usize>, String)> {
    let model = element.attributes().find(|found| matches!(found.name(), "key" | "configuration" | "id"))?;
    let prefix = text.get(model.range_qname())?.strip_suffix(model.name())?;
    let last = element.attributes().map(|found| found.range().end).max()?;
    Some((last..last, format!(" {prefix}{name}=\"{}\"", escaped(value))))
}

/// What is to be written where, so that an element has this value.
fn edit(text: &str, element: Node<'_, '_>, value: &str) -> Option<(Range<usize>, String)> {
    // The attribute that reading takes: OVF's own, or else one of that name.
    let mut values = element.attributes().filter(|found| found.name() == "value");
    let namespace = element.tag_name().namespace();
    let own = values.clone().find(|found| found.namespace() == namespace).or_else(|| values.next());
    if let Some(own) = own {
        return Some((own.range_value(), escaped(value)));
    }
    new_attribute(text, element, "value", value)
}

/// A text as the value of an attribute, in whichever quotes.
fn escaped(value: &str) -> String {
    let mut escaped = String::with_capacity(value.len());
    for character in value.chars() {
        match character {
            '&' => escaped.push_str("&amp;"),
            '<' => escaped.push_str("&lt;"),
            '>' => escaped.push_str("&gt;"),
            '"' => escaped.push_str("&quot;"),
            '\'' => escaped.push_str("&apos;"),
            '\n' => escaped.push_str("&#10;"),
            '\r' => escaped.push_str("&#13;"),
            '\t' => escaped.push_str("&#9;"),
            other => escaped.push(other),
        }
    }
    escaped
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const TEXT: &str = "\u{feff}<?xml version='1.0'?>\r\n<!-- kept -->\r\n<o:Envelope xmlns:o=\"http://schemas.dmtf.org/ovf/envelope/1\" xmlns:x=\"http://capovetro.example/x\">\r\n\
        <o:VirtualSystem o:id=\"a\"><o:ProductSection o:class=\"net\">\
        <o:Property x:mark=\"1\" o:key=\"ip\"   o:value='old &amp; gone' o:type=\"string\"/>\
        <o:Property o:key=\"gw\" o:type=\"string\"><o:Value o:value=\"1\" o:configuration=\"big\"/><o:Value o:value=\"2\" o:configuration=\"small\"/></o:Property>\
        </o:ProductSection></o:VirtualSystem></o:Envelope>\r\n";

    fn set(property: &str, value: &str) -> Setting {
        Setting {
            system: Some("a".to_owned()),
            property: property.to_owned(),
            value: Hidden::new(value),
            option: Some("big".to_owned()),
        }
    }

    #[test]
    fn only_the_values_change() {
        let descriptor = Descriptor::parse(TEXT.as_bytes()).unwrap();
        let settings = [set("net.ip", "10.64.10.61"), set("net.gw", "a\"b"), set("net.no", "x")];
        let changed = descriptor.with_values(&settings, None);
        let expected = TEXT
            .replace("old &amp; gone", "10.64.10.61")
            .replace("o:key=\"gw\" o:type=\"string\"", "o:key=\"gw\" o:type=\"string\" o:value=\"a&quot;b\"")
            .replace("o:value=\"1\" o:configuration=\"big\"", "o:value=\"a&quot;b\" o:configuration=\"big\"");
        assert_eq!(changed, expected);
        assert_eq!(descriptor.with_values(&[], None), TEXT);
    }

    #[test]
    fn the_chosen_size_becomes_the_default_and_no_other() {
        let sizes = |small: &str, large: &str| {
            let section = format!(
                "<o:DeploymentOptionSection><o:Info/><o:Configuration o:id=\"small\"{small}/><o:Configuration o:id='large'{large}/></o:DeploymentOptionSection>"
            );
            TEXT.replace("<o:VirtualSystem ", &format!("{section}<o:VirtualSystem "))
        };
        for (before, option, after) in [
            (sizes("", ""), "large", sizes("", " o:default=\"true\"")),
            (sizes(" o:default=\"true\"", ""), "large", sizes(" o:default=\"false\"", " o:default=\"true\"")),
            (sizes("", " o:default=\"1\""), "small", sizes(" o:default=\"true\"", " o:default=\"false\"")),
            (sizes("", ""), "small", sizes("", "")),
            (sizes("", ""), "huge", sizes("", "")),
        ] {
            let descriptor = Descriptor::parse(before.as_bytes()).unwrap();
            let changed = descriptor.with_values(&[], Some(option));
            assert_eq!(changed, after);
            let known = descriptor.options.iter().any(|known| known.id == option);
            let read = Descriptor::parse(changed.as_bytes()).unwrap();
            assert_eq!(read.default_option() == Some(option), known);
        }
    }

    #[test]
    fn a_value_in_another_namespace_is_not_written_twice() {
        let text = TEXT
            .replace("o:Property x:mark", "o:Property xmlns:y=\"http://capovetro.example/y\" x:mark")
            .replace("o:value='old", "y:value='old");
        let descriptor = Descriptor::parse(text.as_bytes()).unwrap();
        let changed = descriptor.with_values(&[set("net.ip", "new")], None);
        assert_eq!(changed, text.replace("old &amp; gone", "new"));
    }

    proptest! {
        #[test]
        fn any_value_comes_back(value in "([ -~]|[\t\n\r]|[à-ü]|<|&|\"|'){0,40}") {
            let descriptor = Descriptor::parse(TEXT.as_bytes()).unwrap();
            let changed = descriptor.with_values(&[set("net.ip", &value), set("net.gw", &value)], None);
            let again = Descriptor::parse(changed.as_bytes()).unwrap();
            let system = again.system(None).unwrap();
            prop_assert_eq!(system.property("net.ip").unwrap().default_with(None), Some(value.as_str()));
            prop_assert_eq!(system.property("net.gw").unwrap().default_with(Some("big")), Some(value.as_str()));
            prop_assert_eq!(system.property("net.gw").unwrap().default_with(Some("small")), Some("2"));
        }
    }
}
