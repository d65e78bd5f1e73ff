//! What a text asks for where there is no value.

use std::sync::LazyLock;

use regex::RegexSet;

/// What asks for the word none where there is no value.
const NONE: &[&str] =
    &["'none'", "\"none\"", "the word none", "enter none", "write none", "type none", "none if", "or none"];

/// What says that there may be no value.
const OPTIONAL: &[&str] = &[
    "leave empty",
    "leave blank",
    "leave it empty",
    "leave it blank",
    "leave this empty",
    "leave this blank",
    "left empty",
    "left blank",
    "may be empty",
    "may stay empty",
    "may be left",
    "can be empty",
    "can stay empty",
    "empty if",
    "blank if",
    "empty for",
    "blank for",
    "empty =",
    "blank:",
    "empty:",
    "optional",
    "leer lassen",
    "leer bleiben",
    "frei lassen",
    "freilassen",
    "bleibt leer",
    "bleibt frei",
    "lasciare vuoto",
    "lasciato vuoto",
    "lasciarlo vuoto",
    "restare vuoto",
    "in bianco",
    "facoltativ",
    "opzional",
    "laisser vide",
    "laissez vide",
    "peut rester vide",
    "facultatif",
    "optionnel",
    "dejar vacio",
    "dejelo vacio",
    "dejar en blanco",
    "en blanco",
    "opcional",
    "leeg laten",
    "leeg blijven",
    "mag leeg",
    "optioneel",
    "deixar vazio",
    "em branco",
    "pode ficar vazio",
    "pozostaw puste",
    "puste",
    "opcjonal",
    "nieobowiazkow",
    "empty when",
    "blank when",
];

static MISSING: LazyLock<Option<RegexSet>> =
    LazyLock::new(|| RegexSet::new([any_of(NONE), any_of(OPTIONAL)]).ok());

/// What the text says to put where there is no value: nothing, or the word none.
pub(super) fn when_missing(text: &str) -> Option<String> {
    let told = MISSING.as_ref()?.matches(text).iter().next()?;
    Some(if told == 0 { "none".to_owned() } else { String::new() })
}

/// A pattern for texts that have one of these in them.
pub(super) fn any_of(words: &[&str]) -> String {
    words.iter().map(|word| regex::escape(word)).collect::<Vec<_>>().join("|")
}
