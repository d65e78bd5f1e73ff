//! Where the settings of machines come from, for people: machines whose settings come from the same lines once.

use std::collections::HashMap;
use std::fmt::Write as _;

use impostazione_core::views::review::Review;
use impostazione_core::views::setting_origins::ReviewedOrigin;
use impostazione_text::visible::harmless;

use super::table::{finished, new_table};
use super::theme::STRONG;

/// A table of it.
pub(crate) fn show_origins(review: &Review, width: usize) -> String {
    if review.machines.is_empty() {
        return String::new();
    }
    let mut groups: Vec<(&[ReviewedOrigin], Vec<String>)> = Vec::new();
    let mut positions: HashMap<&[ReviewedOrigin], usize> = HashMap::new();
    for machine in &review.machines {
        let origins = machine.origins.as_slice();
        let at = *positions.entry(origins).or_insert_with(|| {
            groups.push((origins, Vec::new()));
            groups.len() - 1
        });
        if let Some((_, names)) = groups.get_mut(at) {
            names.push(harmless(&machine.name));
        }
    }
    let mut table = new_table(width);
    table.set_header(["machine", "settings", "from"]);
    for (origins, names) in groups {
        let mut settings: Vec<(String, Vec<&str>)> = Vec::new();
        for origin in origins {
            let from = from_words(origin);
            match settings.iter_mut().find(|(known, _)| *known == from) {
                Some((_, keys)) => keys.push(origin.setting),
                None => settings.push((from, vec![origin.setting])),
            }
        }
        if settings.is_empty() {
            settings.push(("nowhere: the sheet states none".to_owned(), Vec::new()));
        }
        for (nth, (from, keys)) in settings.into_iter().enumerate() {
            let names = if nth == 0 { names.join(", ") } else { String::new() };
            table.add_row([names, keys.join(", "), from]);
        }
    }
    let mut text = String::new();
    // Writing to a String does not fail.
    let _ = writeln!(text, "\n{STRONG}Where settings come from{STRONG:#}\n\n{}", finished(table));
    text
}

fn from_words(origin: &ReviewedOrigin) -> String {
    match (origin.from, &origin.subnet) {
        ("common", _) => "[common]".to_owned(),
        (_, Some(subnet)) => format!("[subnet.{}]", harmless(subnet)),
        _ => format!("the machine, {}", harmless(&origin.at)),
    }
}
