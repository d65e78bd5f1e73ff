//! Several files as one, as netplan joins them.

use impostazione_text::Sources;

use super::netplan_rules;
use super::yaml::{Map, Node, Value};
use crate::finding::Finding;

/// Adds a later file. Where both say something about a link that is not the same, an older file is likely in the way, and a
/// finding says so.
pub(super) fn join(into: &mut Map, later: Map, sources: &Sources, findings: &mut Vec<Finding>) {
    join_maps(into, later, &mut Vec::new(), sources, findings);
}

fn join_maps(
    into: &mut Map,
    later: Map,
    path: &mut Vec<String>,
    sources: &Sources,
    findings: &mut Vec<Finding>,
) {
    for (key, value) in later.entries {
        let Some((_, here)) = into.entries.iter_mut().find(|(known, _)| known.value == key.value) else {
            into.entries.push((key, value));
            continue;
        };
        path.push(key.value.clone());
        // network: KIND: LINK: …
        let is_of_link = path.len() > 3;
        if is_of_link && !here.value.says_the_same(&value.value) && !matches!(value.value, Value::Map(_)) {
            findings.push(netplan_rules::files_collide(
                key.place,
                path.get(2).map_or("", String::as_str),
                &key.value,
                matches!(value.value, Value::List(_)),
                &sources.in_words(here.place),
                short_name(sources.get(here.place.source).name(), sources.get(key.place.source).name()),
            ));
        }
        join_nodes(here, value, path, sources, findings);
        path.pop();
    }
}

fn join_nodes(
    here: &mut Node,
    later: Node,
    path: &mut Vec<String>,
    sources: &Sources,
    findings: &mut Vec<Finding>,
) {
    match (&mut here.value, later.value) {
        (Value::Map(into), Value::Map(map)) => join_maps(into, map, path, sources, findings),
        (Value::List(into), Value::List(items)) => {
            for item in items {
                let is_there = into.iter().any(|known| known.value.says_the_same(&item.value));
                if !is_there {
                    into.push(item);
                }
            }
        }
        (_, value) => *here = Node::new(value, later.place),
    }
}

/// The name of a file without its folder, where another one is in the same.
fn short_name<'a>(file: &'a str, other: &str) -> &'a str {
    let folder = |path: &str| path.rfind('/').map_or(0, |slash| slash + 1);
    let (of_file, of_other) = (folder(file), folder(other));
    if file.get(..of_file) == other.get(..of_other) { file.get(of_file..).unwrap_or(file) } else { file }
}
