//! The secrets of a sheet for people: never a value.

use std::fmt::Write as _;

use impostazione_core::views::inventory::{Inventory, WantedSecret};
use impostazione_text::visible::harmless;

use super::table::{finished, new_table};
use super::theme::STRONG;

/// The most names that are listed where something is missing.
const MOST_NAMES: usize = 3;

/// How old something is, in words.
fn age(days: Option<i32>) -> String {
    match days {
        None => String::new(),
        Some(days) if days <= 0 => "since today".to_owned(),
        Some(1) => "for a day".to_owned(),
        Some(days) => format!("for {days} days"),
    }
}

/// The whole inventory.
pub(crate) fn show_inventory(inventory: &Inventory, width: usize) -> String {
    let mut text = String::new();
    if inventory.secrets.is_empty() && inventory.host_keys.is_empty() {
        text += "This sheet uses no secret.\n";
    }
    if !inventory.secrets.is_empty() {
        let mut rows = new_table(width);
        rows.set_header(["secret", "values", "comes from", "in the store", "used by"]);
        // The values of one secret stand together.
        for values in inventory.secrets.chunk_by(|one, next| one.name == next.name) {
            rows.add_row(row(values));
        }
        text += &finished(rows);
        text.push('\n');
    }
    if !inventory.host_keys.is_empty() {
        let missing: Vec<&str> = inventory
            .host_keys
            .iter()
            .filter(|key| key.in_store == Some(false))
            .map(|key| key.machine.as_str())
            .collect();
        let oldest = inventory.host_keys.iter().filter_map(|key| key.age_days).max();
        let state = match (inventory.is_store_open, missing.as_slice()) {
            (false, _) => "not checked".to_owned(),
            (true, []) => format!("in the store {}", age(oldest)),
            (true, missing) => format!("missing: {}", some_of(missing)),
        };
        let _ = writeln!(text, "\n{STRONG}host keys{STRONG:#}: {}, {state}", inventory.host_keys.len());
    }
    if !inventory.unused.is_empty() {
        let names: Vec<String> = inventory
            .unused
            .iter()
            .map(|entry| match &entry.holder {
                Some(holder) => format!("{} of {holder}", entry.name),
                None => entry.name.clone(),
            })
            .collect();
        let _ = writeln!(text, "\n{STRONG}no longer used{STRONG:#}: {}", harmless(&names.join(", ")));
    }
    text
}

fn row(values: &[WantedSecret]) -> [String; 5] {
    let first = values.first();
    let missing: Vec<&str> = values
        .iter()
        .filter(|secret| secret.in_store == Some(false))
        .map(|secret| secret.holder.as_deref().unwrap_or_default())
        .collect();
    let is_stored = first.is_some_and(|secret| secret.source == "store");
    let state = if !is_stored {
        String::new()
    } else if values.iter().all(|secret| secret.in_store.is_none()) {
        "not checked".to_owned()
    } else if missing.is_empty() {
        age(values.iter().filter_map(|secret| secret.age_days).max())
    } else if missing == [""] {
        "missing".to_owned()
    } else {
        format!("missing: {}", some_of(&missing))
    };
    let mut used_by: Vec<&str> = Vec::new();
    for role in values.iter().flat_map(|secret| &secret.used_by) {
        if !used_by.contains(&role.as_str()) {
            used_by.push(role);
        }
    }
    let source = first.map(|secret| match &secret.place {
        Some(place) => format!("{} {place}", secret.source),
        None => secret.source.to_owned(),
    });
    [
        harmless(first.map_or("", |secret| secret.name.as_str())),
        values.len().to_string(),
        harmless(&source.unwrap_or_default()),
        harmless(&state),
        if used_by.is_empty() { "nothing".to_owned() } else { harmless(&used_by.join(", ")) },
    ]
}

/// The first few names, and how many more there are.
fn some_of(names: &[&str]) -> String {
    let (shown, others) = names.split_at(names.len().min(MOST_NAMES));
    let more = if others.is_empty() { String::new() } else { format!(" and {} more", others.len()) };
    format!("{}{more}", shown.join(", "))
}
