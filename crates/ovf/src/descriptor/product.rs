//! `ProductSection`: what the software is, and the properties that it asks for (DSP0243 2.1.1, section 9.5).

use roxmltree::Node;

use super::property::{Property, PropertyType};
use super::qualifiers::Limits;
use super::strings::Strings;
use super::xml::{attribute, attribute_of_any, child, children, is_true};

/// What software a machine or a collection holds.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Product {
    /// `Product`
    pub name: String,
    /// `Vendor`
    pub vendor: String,
    /// `Version`
    pub version: String,
    /// `FullVersion`
    pub full_version: String,
}

impl Product {
    /// The first of the product sections of a machine or a collection that names a product.
    pub(super) fn of(content: Node<'_, '_>, strings: &Strings) -> Option<Self> {
        children(content, "ProductSection").find_map(|section| {
            let text = |name| strings.text(child(section, name));
            let product = Self {
                name: text("Product"),
                vendor: text("Vendor"),
                version: text("Version"),
                full_version: text("FullVersion"),
            };
            (product != Self::default()).then_some(product)
        })
    }

    /// The version, the full one where it is all there is.
    pub fn any_version(&self) -> &str {
        if self.version.is_empty() { &self.full_version } else { &self.version }
    }
}

/// The properties of a machine or a collection, each id once, and the ids that stand there twice.
pub(super) fn properties(
    content: Node<'_, '_>,
    strings: &Strings,
    of_collection: bool,
) -> (Vec<Property>, Vec<String>) {
    let mut found: Vec<Property> = Vec::new();
    let mut twice = Vec::new();
    let mut seen = std::collections::HashSet::new();
    for section in children(content, "ProductSection") {
        let info = strings.text(child(section, "Info"));
        let class = attribute(section, "class").unwrap_or_default();
        let instance = attribute(section, "instance").unwrap_or_default();
        let mut category = String::new();
        for node in section.children().filter(|node| node.is_element() && super::xml::is_ovf(*node)) {
            match node.tag_name().name() {
                "Category" => category = strings.text(Some(node)),
                "Property" => {
                    let mut property = property(node, class, instance, strings);
                    property.category.clone_from(&category);
                    property.section.clone_from(&info);
                    property.of_collection = of_collection;
                    let id = property.id();
                    if seen.insert(id.clone()) {
                        found.push(property);
                    } else {
                        twice.push(id);
                    }
                }
                _ => {}
            }
        }
    }
    (found, twice)
}

fn property(node: Node<'_, '_>, class: &str, instance: &str, strings: &Strings) -> Property {
    let mut limits = Limits::default();
    let written = attribute(node, "type").unwrap_or("string");
    let kind = limits.split_type(written);
    if let Some(qualifiers) = attribute_of_any(node, "qualifiers") {
        limits.read(qualifiers);
    }
    let value_of = |value: Node<'_, '_>| attribute(value, "value").map(str::to_owned);
    Property {
        class: class.to_owned(),
        key: attribute(node, "key").unwrap_or_default().to_owned(),
        instance: instance.to_owned(),
        kind: PropertyType::parse(kind),
        written_kind: written.to_owned(),
        label: strings.text(child(node, "Label")),
        description: strings.text(child(node, "Description")),
        category: String::new(),
        section: String::new(),
        is_settable: is_true(node, "userConfigurable"),
        is_password: is_true(node, "password") || kind.eq_ignore_ascii_case("password"),
        base_default: attribute(node, "value").map(str::to_owned).or_else(|| {
            children(node, "Value")
                .find(|value| attribute(*value, "configuration").is_none())
                .and_then(value_of)
        }),
        option_defaults: children(node, "Value")
            .filter_map(|value| Some((attribute(value, "configuration")?.to_owned(), value_of(value)?)))
            .collect(),
        limits,
        of_collection: false,
    }
}
