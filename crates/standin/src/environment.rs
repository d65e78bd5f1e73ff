//! Reading an OVF environment document (DSP8027).

use std::collections::BTreeMap;

use roxmltree::{Document, Node};

const NAMESPACE: &str = "http://schemas.dmtf.org/ovf/environment/1";

/// What a platform tells a machine.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Environment {
    /// The machine's id.
    pub id: String,
    /// Its properties.
    pub properties: BTreeMap<String, String>,
    /// Properties of the other machines of its collection, by their ids.
    pub siblings: BTreeMap<String, BTreeMap<String, String>>,
}

/// Why a document is of no use.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum EnvironmentFault {
    /// It is not UTF-8, or no well-formed XML.
    #[error("it is not well-formed")]
    NotWellFormed,
    /// It is another document.
    #[error("its root is not an Environment of DSP8027")]
    NotAnEnvironment,
    /// A property has no key, or no value.
    #[error("a property has no key or no value")]
    Incomplete,
    /// A property stands there twice.
    #[error("the property {0} is there twice")]
    Twice(String),
}

impl Environment {
    /// Reads a document.
    pub fn read(bytes: &[u8]) -> Result<Self, EnvironmentFault> {
        let text = std::str::from_utf8(bytes).map_err(|_| EnvironmentFault::NotWellFormed)?;
        let document = Document::parse(text).map_err(|_| EnvironmentFault::NotWellFormed)?;
        let root = document.root_element();
        if !root.has_tag_name((NAMESPACE, "Environment")) {
            return Err(EnvironmentFault::NotAnEnvironment);
        }
        let mut environment = Self {
            id: root.attribute((NAMESPACE, "id")).unwrap_or_default().to_owned(),
            properties: properties(root)?,
            siblings: BTreeMap::new(),
        };
        for entity in root.children().filter(|node| node.has_tag_name((NAMESPACE, "Entity"))) {
            let id = entity.attribute((NAMESPACE, "id")).unwrap_or_default().to_owned();
            environment.siblings.insert(id, properties(entity)?);
        }
        Ok(environment)
    }
}

fn properties(of: Node<'_, '_>) -> Result<BTreeMap<String, String>, EnvironmentFault> {
    let sections = of.children().filter(|node| node.has_tag_name((NAMESPACE, "PropertySection")));
    let mut found = BTreeMap::new();
    for property in sections.flat_map(|section| section.children()) {
        if !property.has_tag_name((NAMESPACE, "Property")) {
            continue;
        }
        let get = |name| property.attribute((NAMESPACE, name)).map(str::to_owned);
        let (key, value) = get("key").zip(get("value")).ok_or(EnvironmentFault::Incomplete)?;
        if found.insert(key.clone(), value).is_some() {
            return Err(EnvironmentFault::Twice(key));
        }
    }
    Ok(found)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_of_no_use_is_refused() {
        let read = |inside: &str| {
            let text = format!(
                r#"<Environment xmlns="{NAMESPACE}" xmlns:e="{NAMESPACE}" e:id="a">{inside}</Environment>"#
            );
            Environment::read(text.as_bytes())
        };
        assert_eq!(Environment::read(b"<a"), Err(EnvironmentFault::NotWellFormed));
        assert_eq!(Environment::read(b"<Environment/>"), Err(EnvironmentFault::NotAnEnvironment));
        let property = r#"<Property e:key="k" e:value="v"/>"#;
        let section = |inside: &str| format!("<PropertySection>{inside}</PropertySection>");
        assert_eq!(read(&section(property)).unwrap().properties["k"], "v");
        assert_eq!(read(&section(&property.repeat(2))), Err(EnvironmentFault::Twice("k".into())));
        assert_eq!(read(&section(r#"<Property e:key="k"/>"#)), Err(EnvironmentFault::Incomplete));
    }
}
