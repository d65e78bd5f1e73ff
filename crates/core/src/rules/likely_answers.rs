//! The answers that a property most likely wants, as lines to copy into the sheet.

use impostazione_ovf::{LinkHint, Meaning, Reading, TakeWord};

use crate::machine::Machine;

/// A text as TOML writes it: what a package's author wrote may have quotes of its own.
pub(super) fn in_quotes(text: &str) -> String {
    toml_edit::Value::from(text).to_string()
}

/// What to add where the package asks for a link that the machine does not have.
pub(super) fn fix_of_link(machine: &Machine, id: &str, word: TakeWord, reading: &Reading) -> String {
    let id = in_quotes(id);
    let word = word.text();
    let of_link = machine.links.first().map_or(String::new(), |link| {
        format!(", or {id} = {{ take = \"{word}\", link = \"{}\" }} if you mean {0}", link.name.value)
    });
    let link = match &reading.link {
        Some(LinkHint::Named(name)) => format!("a link that is called {}", name.replace(' ', "-")),
        Some(LinkHint::Adapter(number)) => format!("a link for adapter {number}"),
        None => "the link".to_owned(),
    };
    format!("add to {} {link}{of_link}; or write {id} = \"\" if it may stay empty", machine.called())
}

/// The answers that a property most likely wants, as lines for `[appliance.answer]`, and what to do if it wants none of
/// them: `keep` is the line that keeps its default.
pub(super) fn answers_to_copy(machine: &Machine, id: &str, reading: &Reading, keep: Option<&str>) -> String {
    let id = &in_quotes(id);
    let lines: Vec<String> = reading
        .likely()
        .into_iter()
        .filter_map(|guess| {
            Some(format!(
                "{} for the {}",
                answer_line(machine, id, reading, guess.meaning)?,
                guess.meaning.called()
            ))
        })
        .collect();
    match (lines.as_slice(), keep) {
        ([], None) => format!("add {id} = \"…\" to [appliance.answer]"),
        ([], Some(keep)) => format!("add to [appliance.answer] {id} = \"…\"; or {keep}"),
        (lines, keep) => format!(
            "add to [appliance.answer] {}; or {}",
            lines.join(", or "),
            keep.unwrap_or("write the value in quotes")
        ),
    }
}

/// The line that answers a property with what a meaning takes from the sheet. `None` where a sheet has no word for it.
fn answer_line(machine: &Machine, id: &str, reading: &Reading, meaning: Meaning) -> Option<String> {
    if meaning == Meaning::Password {
        return Some(format!("{id} = {{ secret = \"…\" }}"));
    }
    let word = TakeWord::parse(meaning.word())?.text();
    let is_list = matches!(meaning, Meaning::Dns | Meaning::Ntp | Meaning::Search | Meaning::Peers);
    let more = match &machine.links[..] {
        [first, _, ..] if meaning.is_of_link() => format!(", link = \"{}\"", first.name.value),
        _ if is_list => match (reading.position, &reading.separator) {
            (Some(position), _) => format!(", nth = {position}"),
            (None, Some(separator)) => format!(", join = \"{}\"", separator.escape_debug()),
            (None, None) => ", join = \",\"".to_owned(),
        },
        _ => String::new(),
    };
    Some(format!("{id} = {{ take = \"{word}\"{more} }}"))
}
