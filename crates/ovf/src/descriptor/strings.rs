//! Texts that stand in string bundles (DSP0243 2.1.1, section 9.11; 1.1.0, section 10).

use std::collections::HashMap;

use roxmltree::{Document, Node};

use super::xml::{attribute, child, children, language};

/// The texts of a descriptor by message id, in the language that is shown.
#[derive(Debug, Default)]
pub(super) struct Strings {
    texts: HashMap<String, String>,
}

impl Strings {
    /// Reads the bundles of an envelope. Of several languages English wins, then the first. `read` gives the content of
    /// a file of the package.
    pub(super) fn of(envelope: Node<'_, '_>, read: &mut dyn FnMut(&str) -> Option<Vec<u8>>) -> Self {
        let mut bundles: Vec<(bool, HashMap<String, String>)> = Vec::new();
        for bundle in children(envelope, "Strings") {
            let is_english = language(bundle).to_ascii_lowercase().starts_with("en");
            let texts = match attribute(bundle, "fileRef") {
                None => messages(bundle),
                Some(reference) => file_of(envelope, reference)
                    .and_then(&mut *read)
                    .map(|bytes| of_file(&bytes))
                    .unwrap_or_default(),
            };
            bundles.push((is_english, texts));
        }
        let mut texts = HashMap::new();
        bundles.sort_by_key(|(is_english, _)| !is_english);
        for (_, bundle) in bundles {
            for (id, text) in bundle {
                texts.entry(id).or_insert(text);
            }
        }
        Self { texts }
    }

    /// The text of an element: that of its bundle where it names a message, or else its own.
    pub(super) fn text(&self, node: Option<Node<'_, '_>>) -> String {
        let Some(node) = node else { return String::new() };
        let own = || node.text().unwrap_or_default().trim().to_owned();
        attribute(node, "msgid").and_then(|id| self.texts.get(id)).cloned().unwrap_or_else(own)
    }
}

fn of_file(bytes: &[u8]) -> HashMap<String, String> {
    let Ok(text) = std::str::from_utf8(bytes) else { return HashMap::new() };
    let text = text.strip_prefix('\u{feff}').unwrap_or(text);
    let Ok(document) = Document::parse(text) else { return HashMap::new() };
    let root = document.root_element();
    // The root is the bundle itself.
    messages(child(root, "Strings").unwrap_or(root))
}

fn messages(bundle: Node<'_, '_>) -> HashMap<String, String> {
    children(bundle, "Msg")
        .filter_map(|message| {
            let id = attribute(message, "msgid")?;
            Some((id.to_owned(), message.text().unwrap_or_default().trim().to_owned()))
        })
        .collect()
}

fn file_of<'a>(envelope: Node<'a, '_>, id: &str) -> Option<&'a str> {
    let references = child(envelope, "References")?;
    let file = children(references, "File").find(|file| attribute(*file, "id") == Some(id))?;
    attribute(file, "href")
}
