//! In which form a property wants its value, as far as its text says so.

use super::words::Spoken;

/// What the text says to put between several values.
pub(super) fn separator(text: &str) -> Option<String> {
    let has = |words: &[&str]| words.iter().any(|word| text.contains(word));
    if has(&["comma", "komma", "virgol", "virgul", "coma-", "por comas", "coma."]) {
        Some(",".to_owned())
    } else if has(&[
        "semicolon",
        "strichpunkt",
        "semikolon",
        "punto e virgola",
        "point-virgule",
        "punto y coma",
    ]) {
        Some(";".to_owned())
    } else if has(&[
        "space separated",
        "space-separated",
        "separated by space",
        "separated by blank",
        "blank separated",
        "by spaces",
        "leerzeichen",
        "da spazi",
        "par des espaces",
        "por espacios",
        "spaces between",
        "blanks between",
    ]) {
        Some(" ".to_owned())
    } else {
        None
    }
}

/// What the text says to put where there is no value: nothing, or the word none.
pub(super) fn when_missing(text: &str, description: &Spoken) -> Option<String> {
    let has = |words: &[&str]| words.iter().any(|word| text.contains(word));
    if has(&[
        "'none'",
        "\"none\"",
        "the word none",
        "enter none",
        "write none",
        "type none",
        "none if",
        "or none",
    ]) {
        return Some("none".to_owned());
    }
    let is_optional = has(&[
        "leave empty",
        "leave blank",
        "leave it empty",
        "leave it blank",
        "left empty",
        "left blank",
        "may be empty",
        "can be empty",
        "empty if",
        "blank if",
        "empty for",
        "blank for",
        "optional",
        "leer lassen",
        "frei lassen",
        "freilassen",
        "bleibt leer",
        "lasciare vuoto",
        "facoltativ",
        "opzional",
        "laisser vide",
        "facultatif",
        "optionnel",
        "dejar vacio",
        "dejar vacío",
        "dejar en blanco",
        "opcional",
        "empty when",
        "blank when",
    ]) || description.has("optional");
    is_optional.then(String::new)
}
