//! In which form a property wants its value, as far as its text says so.

use std::net::IpAddr;

use super::words::Spoken;

/// Whether the text says to write an address with the length of its prefix: by the name of that notation, or by an example of
/// a machine's address with one.
pub(super) fn wants_length(text: &str) -> bool {
    let is_example = |word: &str| {
        let word = word.trim_matches(|edge: char| !edge.is_ascii_alphanumeric());
        let Some((address, length)) = word.split_once('/') else { return false };
        let (Ok(address), Ok(length)) = (address.parse::<IpAddr>(), length.parse::<u32>()) else {
            return false;
        };
        match address {
            // A network has no bits behind its mask.
            IpAddr::V4(v4) => length < 32 && v4.to_bits().checked_shl(length).unwrap_or(0) != 0,
            IpAddr::V6(v6) => length < 128 && v6.to_bits().checked_shl(length).unwrap_or(0) != 0,
        }
    };
    text.split_whitespace().any(is_example)
}

/// Whether the text shows a name of three labels or more: a machine's, as a rule, and not a domain.
pub(super) fn shows_full_name(text: &str) -> bool {
    text.split_whitespace().any(|word| {
        let word = word.trim_matches(|edge: char| !edge.is_ascii_alphanumeric());
        let labels: Vec<&str> = word.split('.').collect();
        labels.len() >= 3
            && labels.iter().all(|label| {
                !label.is_empty()
                    && label.chars().all(|letter| letter.is_ascii_alphanumeric() || letter == '-')
            })
            && labels.last().is_some_and(|last| last.chars().all(|letter| letter.is_ascii_alphabetic()))
    })
}

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
