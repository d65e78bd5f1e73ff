//! In which form a property wants its value, as far as its text says so.

use super::examples::Examples;
use super::meaning::Meaning;
use super::reading::WrittenForm;
use super::texts::Texts;
use super::words::spoken_words;
use crate::descriptor::Property;

/// Whether a text asks for something together with something else, or without it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Together {
    With,
    Without,
}

/// Words that put two things together.
const WITH: &[&str] = &[
    "with",
    "and",
    "plus",
    "followed",
    "including",
    "incl",
    "together",
    "after",
    "behind",
    "mit",
    "und",
    "samt",
    "nebst",
    "inkl",
    "inklusive",
    "gefolgt",
    "con",
    "e",
    "ed",
    "seguito",
    "seguita",
    "insieme",
    "incluso",
    "inclusa",
    "avec",
    "et",
    "suivi",
    "suivie",
    "suivis",
    "y",
    "seguido",
    "seguida",
    "junto",
    "incluida",
    "met",
    "en",
    "gevolgd",
    "inclusief",
    "com",
    "incluindo",
    "z",
    "ze",
    "i",
    "wraz",
    "razem",
    "slash",
    "stroke",
];

/// Words that leave something away.
const WITHOUT: &[&str] = &[
    "without", "no", "not", "never", "omit", "minus", "ohne", "kein", "keine", "keinen", "nicht", "senza",
    "no", "non", "sans", "pas", "sin", "zonder", "geen", "niet", "sem", "nao", "bez", "nie", "ni", "nor",
];

/// What is not accepted without something needs it.
const REFUSED: &[&str] = &[
    "refused",
    "rejected",
    "invalid",
    "abgelehnt",
    "rifiutato",
    "refuse",
    "rechaza",
    "geweigerd",
    "recusado",
    "odrzucana",
];

/// What stands for the length of a prefix.
const LENGTH: &[&str] = &[
    "length",
    "lengths",
    "prefix",
    "cidr",
    "bits",
    "slash",
    "stroke",
    "lange",
    "prafix",
    "lunghezza",
    "prefisso",
    "longueur",
    "prefixe",
    "longitud",
    "prefijo",
    "lengte",
    "prefixlengte",
    "comprimento",
    "prefixo",
    "dlugosc",
    "dlugoscia",
    "prefiksu",
    "prefiksem",
    "schragstrich",
    "barra",
    "barre",
    "maskbits",
    "netmask",
    "mask",
    "prefixlange",
    "prafixlange",
    "netzlange",
];

/// What only stands before a length.
const MARKS: &[&str] = &["slash", "stroke", "cidr", "schragstrich"];

/// What stands for the domain behind a name.
const DOMAIN: &[&str] = &[
    "domain",
    "domains",
    "dot",
    "dots",
    "suffix",
    "domane",
    "domanenname",
    "punkt",
    "punkte",
    "dominio",
    "punto",
    "punti",
    "domaine",
    "point",
    "points",
    "puntos",
    "domein",
    "punt",
    "punten",
    "ponto",
    "pontos",
    "domena",
    "domeny",
    "domene",
    "kropek",
    "kropki",
    "qualified",
];

/// Words of a name in full, and of one that is short.
const FULL: &[&str] = &[
    "fqdn",
    "qualified",
    "complete",
    "completo",
    "completa",
    "complet",
    "vollstandig",
    "vollstandige",
    "vollstandiger",
    "voller",
    "volledige",
    "volledig",
    "pelna",
    "full",
    "entire",
    "qualifizierter",
    "qualifie",
    "cualificado",
];
const SHORT: &[&str] = &[
    "short",
    "bare",
    "kurz",
    "kurzer",
    "kurze",
    "court",
    "corto",
    "breve",
    "curto",
    "korte",
    "kort",
    "krotka",
    "unqualified",
];

/// What the first mention of something in a text says about it: asked for together, or left away. Looked for within a
/// sentence, a few words before.
fn mention(text: &str, things: &[&str]) -> Option<Together> {
    text.split_inclusive(['.', ';', '\n', ':', '?']).find_map(|sentence| {
        let words = spoken_words(sentence);
        words.iter().enumerate().filter(|(_, word)| things.contains(&word.as_str())).find_map(|(at, _)| {
            let before = words.get(at.saturating_sub(4)..at).unwrap_or_default();
            let behind = words.get(at + 1..).unwrap_or_default();
            let has =
                |words: &[String], known: &[&str]| words.iter().any(|word| known.contains(&word.as_str()));
            let is_refused = has(behind, REFUSED);
            let near = before.get(before.len().saturating_sub(3)..).unwrap_or_default();
            if has(near, WITHOUT) {
                return Some(if is_refused { Together::With } else { Together::Without });
            }
            let is_mark = words.get(at).is_some_and(|word| MARKS.contains(&word.as_str()));
            let ends_with_all = matches!(behind, [and, all, ..] if and == "and" && all == "all");
            (has(before, WITH) || ends_with_all || is_mark).then_some(Together::With)
        })
    })
}

/// Whether an address is asked for with the length of its prefix, and how that is known. `text` is without its examples.
pub(super) fn address_form(text: &str, shown: &Examples) -> Option<(Together, &'static str)> {
    if !shown.with_length.is_empty() {
        return Some((Together::With, "its text shows an address with a prefix length"));
    }
    if !shown.addresses.is_empty() || shown.has_brackets {
        return Some((Together::Without, "its text shows an address without a length"));
    }
    match mention(text, LENGTH)? {
        Together::With => Some((Together::With, "its text asks for the length with it")),
        Together::Without => Some((Together::Without, "its text asks for no length")),
    }
}

/// Whether a name is asked for with its domain, and how that is known.
pub(super) fn name_form(
    property: &Property,
    text: &str,
    shown: &Examples,
) -> Option<(Together, &'static str)> {
    // A label of a domain name has 63 letters, an old Windows name 15: such a limit has no room for a domain.
    let most = property.limits.max_length.unwrap_or(u64::MAX);
    if most <= 24 {
        return Some((Together::Without, "a full name does not fit into its length"));
    }
    let words = spoken_words(text);
    let has = |known: &[&str]| words.iter().any(|word| known.contains(&word.as_str()));
    let mentioned = mention(text, DOMAIN);
    if mentioned == Some(Together::Without) {
        return Some((Together::Without, "its text asks for the name without a domain"));
    }
    if mentioned == Some(Together::With) {
        return Some((Together::With, "its text asks for the name with its domain"));
    }
    if has(FULL) {
        return Some((Together::With, "its text asks for the full name"));
    }
    if has(SHORT) {
        return Some((Together::Without, "its text asks for the short name"));
    }
    if shown.names.iter().any(|labels| *labels >= 3) {
        return Some((Together::With, "its text shows a full name"));
    }
    let default = property.base_default.as_deref().unwrap_or_default();
    if !default.is_empty() && default.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-') {
        return Some((Together::Without, "its default has no domain"));
    }
    None
}

/// Whether the text asks for a name in full.
pub(super) fn asks_for_full_name(text: &str) -> bool {
    spoken_words(text).iter().any(|word| FULL.contains(&word.as_str()))
}

/// How a value is written beside what it is.
pub(super) fn written_form(meaning: Meaning, texts: &Texts) -> WrittenForm {
    let shown = &texts.shown;
    // Elsewhere a URL is an example of where the value is used.
    let is_url = meaning == Meaning::Fqdn && spoken_words(&texts.prose).iter().any(|word| word == "url");
    WrittenForm { has_brackets: shown.has_brackets, scheme: shown.scheme.clone().filter(|_| is_url) }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn address(text: &str) -> Option<Together> {
        let (shown, rest) = Examples::taken_from(text);
        address_form(&rest, &shown).map(|(form, _)| form)
    }

    #[test]
    fn an_address_is_asked_for_with_its_length_or_without() {
        for text in [
            "Write the address, a stroke and the number of network bits",
            "Adresse mit Präfixlänge",
            "For example 192.0.2.7/24",
            "Indirizzo seguito dalla lunghezza del prefisso",
            "Adres met de prefixlengte erachter",
            "Wraz z długością prefiksu",
        ] {
            assert_eq!(address(text), Some(Together::With), "{text}");
        }
        for text in [
            "Sans la longueur du préfixe",
            "IPv4, without the mask",
            "Such as 192.0.2.7",
            "Zonder prefixlengte",
        ] {
            assert_eq!(address(text), Some(Together::Without), "{text}");
        }
        assert_eq!(address("Where the machine is reached. The length is asked for below."), None);
    }

    #[test]
    fn a_name_is_asked_for_with_its_domain_or_without() {
        let name = |text: &str| {
            let (shown, rest) = Examples::taken_from(text);
            name_form(&Property::default(), &rest, &shown).map(|(form, _)| form)
        };
        for text in ["With its domain", "Volledige naam", "Such as quay.capovetro.example", "Mit Domäne"] {
            assert_eq!(name(text), Some(Together::With), "{text}");
        }
        for text in ["Without its domain", "No dots", "Nom court", "Bez domeny", "Ohne Punkt"] {
            assert_eq!(name(text), Some(Together::Without), "{text}");
        }
    }
}
