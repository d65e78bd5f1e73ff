//! Elements and attributes of an OVF descriptor.

use roxmltree::Node;

/// Envelope namespaces of OVF 1.x and 2.x (DSP0243).
const ENVELOPES: [&str; 2] =
    ["http://schemas.dmtf.org/ovf/envelope/1", "http://schemas.dmtf.org/ovf/envelope/2"];

/// Namespace of `xml:lang`.
const XML: &str = "http://www.w3.org/XML/1998/namespace";

/// Whether an element is one of OVF's.
pub(super) fn is_ovf(node: Node<'_, '_>) -> bool {
    node.tag_name().namespace().is_some_and(|namespace| ENVELOPES.contains(&namespace))
}

/// The children of this name.
pub(super) fn children<'a, 'd>(
    node: Node<'a, 'd>,
    name: &'static str,
) -> impl Iterator<Item = Node<'a, 'd>> + use<'a, 'd> {
    node.children()
        .filter(move |child| child.is_element() && child.tag_name().name() == name && is_ovf(*child))
}

/// The first child of this name.
pub(super) fn child<'a, 'd>(node: Node<'a, 'd>, name: &'static str) -> Option<Node<'a, 'd>> {
    children(node, name).next()
}

/// An attribute of the OVF namespace, or, as some packages write it, of none.
pub(super) fn attribute<'a>(node: Node<'a, '_>, name: &str) -> Option<&'a str> {
    ENVELOPES.iter().find_map(|namespace| node.attribute((*namespace, name))).or_else(|| node.attribute(name))
}

/// An attribute of this name in whatever namespace.
pub(super) fn attribute_of_any<'a>(node: Node<'a, '_>, name: &str) -> Option<&'a str> {
    attribute(node, name)
        .or_else(|| node.attributes().find(|found| found.name() == name).map(|found| found.value()))
}

/// Whether a truth value is there and true.
pub(super) fn is_true(node: Node<'_, '_>, name: &str) -> bool {
    attribute(node, name).is_some_and(|value| matches!(value.trim(), "true" | "1"))
}

/// The text of the first child element of this local name, in whatever namespace: hardware items are not OVF's own.
pub(super) fn text_of<'a>(node: Node<'a, '_>, name: &str) -> Option<&'a str> {
    node.children()
        .find(|child| child.is_element() && child.tag_name().name() == name)
        .and_then(|child| child.text())
        .map(str::trim)
        .filter(|text| !text.is_empty())
}

/// `xml:lang`
pub(super) fn language<'a>(node: Node<'a, '_>) -> &'a str {
    node.attribute((XML, "lang")).unwrap_or_default()
}
