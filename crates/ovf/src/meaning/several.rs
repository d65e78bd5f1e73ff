//! How a text asks for several values.

use std::sync::LazyLock;

use regex::RegexSet;

use super::examples::Examples;
use super::missing_value::any_of;
use super::words::spoken_words;

/// What the text says to put between several values, and the words for it.
const SEPARATORS: &[(&str, &[&str])] = &[
    (
        ";",
        &[
            "semicolon",
            "strichpunkt",
            "semikolon",
            "punto e virgola",
            "point-virgule",
            "points-virgules",
            "punto y coma",
            "puntkomma",
            "ponto e virgula",
            "ponto-e-virgula",
            "srednik",
        ],
    ),
    (
        ",",
        &[
            "comma",
            "komma",
            "virgol",
            "virgul",
            "coma-",
            "por coma",
            "una coma",
            "coma.",
            "przecin",
            "kommagetrennt",
        ],
    ),
    (
        " ",
        &[
            "space separated",
            "space-separated",
            "separated by space",
            "separated by a space",
            "separated by one space",
            "separated by blank",
            "separated by a blank",
            "blank separated",
            "blank-separated",
            "by spaces",
            "by blanks",
            "one space between",
            "a space between",
            "leerzeichen",
            "leerschlag",
            "da spazi",
            "da uno spazio",
            "par des espaces",
            "par une espace",
            "par un espace",
            "por espacios",
            "por un espacio",
            "spaces between",
            "blanks between",
            "door spaties",
            "door een spatie",
            "por espacos",
            "por um espaco",
            "spacjami",
            "spacja",
        ],
    ),
    (
        "\n",
        &[
            "one per line",
            "one a line",
            "one on each line",
            "one to a line",
            "each on its own line",
            "each on a line",
            "per line",
            "line each",
            "eine pro zeile",
            "einer pro zeile",
            "pro zeile",
            "je zeile",
            "uno per riga",
            "una per riga",
            "per riga",
            "un par ligne",
            "une par ligne",
            "par ligne",
            "uno por linea",
            "una por linea",
            "por linea",
            "per regel",
            "um por linha",
            "por linha",
            "w osobnej linii",
            "w kazdej linii",
        ],
    ),
];

static SEPARATED: LazyLock<Option<RegexSet>> =
    LazyLock::new(|| RegexSet::new(SEPARATORS.iter().map(|(_, words)| any_of(words))).ok());

/// What the text says to put between several values: by words, or by an example of a list.
pub(super) fn separator(text: &str, shown: &Examples) -> Option<String> {
    let told = SEPARATED.as_ref().and_then(|separated| separated.matches(text).iter().next());
    let told = told.and_then(|at| SEPARATORS.get(at)).map(|(separator, _)| (*separator).to_owned());
    told.or_else(|| shown.separator.clone())
}

/// Whether the text says that there may be several.
pub(super) fn is_list(text: &str) -> bool {
    const SEVERAL: &[&str] = &[
        "list",
        "lists",
        "several",
        "servers",
        "domains",
        "addresses",
        "names",
        "liste",
        "mehrere",
        "elenco",
        "lista",
        "plusieurs",
        "varios",
        "varias",
        "meerdere",
        "lijst",
        "varios",
        "kilka",
        "suffixes",
    ];
    spoken_words(text).iter().any(|word| SEVERAL.contains(&word.as_str()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn separators() {
        let shown = Examples::default();
        for (text, expected) in [
            ("separated by semicolons", ";"),
            ("punto e virgola", ";"),
            ("oddzielone przecinkami", ","),
            ("one per line", "\n"),
            ("door spaties gescheiden", " "),
        ] {
            assert_eq!(separator(text, &shown).as_deref(), Some(expected), "{text}");
        }
        assert_eq!(separator("the first of them", &shown), None);
    }
}
