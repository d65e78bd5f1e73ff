//! What is said of a link at several places as one, as netplan joins it.

use impostazione_text::Sources;

use super::sentences;
use super::yaml::{Map, Node, Value};
use crate::finding::Finding;

/// Lists of which the last one counts. All others are added to each other.
const REPLACED_LISTS: [&str; 1] = ["link-local"];

/// Adds what is said later. Where a link (`link`) has something said of it twice that is not the same, in two files or in
/// one, a finding says so.
pub(super) fn join(
    into: &mut Map,
    later: Map,
    link: Option<&str>,
    sources: &Sources,
    findings: &mut Vec<Finding>,
) {
    for (key, value) in later.entries {
        let Some((_, here)) = into.entries.iter_mut().find(|(known, _)| known.value == key.value) else {
            // A mapping may have a key twice by itself.
            let is_map = matches!(value.value, Value::Map(_));
            let first = if is_map { Value::Map(Map::default()) } else { value.value.clone() };
            into.entries.push((key, Node::new(first, value.place)));
            if let Some((_, here)) = into.entries.last_mut()
                && is_map
            {
                join_nodes(here, value, "", link, sources, findings);
            }
            continue;
        };
        let differs = !here.value.says_the_same(&value.value) && !matches!(value.value, Value::Map(_));
        if let Some(link) = link
            && differs
        {
            let (first, second) = (here.place.source, key.place.source);
            let is_added =
                matches!(value.value, Value::List(_)) && !REPLACED_LISTS.contains(&key.value.as_str());
            let at = sources.in_words(here.place);
            findings.push(if first == second {
                sentences::key_twice(key.place, link, &key.value, is_added, &at)
            } else {
                let file = short_name(sources.get(first).name(), sources.get(second).name());
                sentences::files_collide(key.place, link, &key.value, is_added, &at, file)
            });
        }
        join_nodes(here, value, &key.value, link, sources, findings);
    }
}

fn join_nodes(
    here: &mut Node,
    later: Node,
    key: &str,
    link: Option<&str>,
    sources: &Sources,
    findings: &mut Vec<Finding>,
) {
    match (&mut here.value, later.value) {
        (Value::Map(into), Value::Map(map)) => join(into, map, link, sources, findings),
        (Value::List(into), Value::List(items)) if !REPLACED_LISTS.contains(&key) => {
            for item in items {
                if !into.iter().any(|known| known.value.says_the_same(&item.value)) {
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
