//! Rules on language and keyboard.

use impostazione_text::Written;

use crate::finding::{Finding, Nature, Rule, Severity};

/// The rules that are broken while it is read.
pub(crate) const RULES: &[&Rule] = &[&LOCALE_UNKNOWN, &KEYBOARD_UNKNOWN];

/// A locale that there is not.
pub(crate) static LOCALE_UNKNOWN: Rule = Rule {
    name: "locale-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the C library does not have a locale",
    explanation: "A locale is a language, a country and an encoding, such as it_IT.UTF-8; every host has C.UTF-8. \
        With an unknown locale, every program complains and shows plain ASCII.",
    wrong: "[common]\nlocale = \"it_IT\"\n",
    right: "[common]\nlocale = \"it_IT.UTF-8\"\n",
    ..Rule::PLAIN
};

/// A layout that there is not.
pub(crate) static KEYBOARD_UNKNOWN: Rule = Rule {
    name: "keyboard-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the console does not have a keyboard layout",
    explanation: "A console layout is named after the country or language of the keyboard, such as it, gb or de. \
        With an unknown layout the console keeps its old one, and passwords with punctuation cannot be typed.",
    wrong: "[common]\nkeyboard = \"de-latin1\"\n",
    right: "[common]\nkeyboard = \"de\"\n",
    ..Rule::PLAIN
};

fn unknown(
    rule: &'static Rule,
    machine: Option<String>,
    written: &Written<String>,
    message: String,
    meant: Option<&str>,
    example: &str,
) -> Finding {
    match meant {
        Some(meant) => Finding::new(rule, machine, written.place, message, format!("write \"{meant}\"")),
        None => Finding::new(rule, machine, written.place, message, example),
    }
}

pub(crate) fn locale_unknown(
    machine: Option<String>,
    written: &Written<String>,
    meant: Option<&str>,
) -> Finding {
    let message = format!("There is no locale \"{}\".", written.value);
    let example = "write a language, a country and UTF-8, such as \"it_IT.UTF-8\", or \"C.UTF-8\"";
    unknown(&LOCALE_UNKNOWN, machine, written, message, meant, example)
}

pub(crate) fn keyboard_unknown(
    machine: Option<String>,
    written: &Written<String>,
    meant: Option<&str>,
) -> Finding {
    let message = format!("There is no keyboard layout \"{}\".", written.value);
    unknown(
        &KEYBOARD_UNKNOWN,
        machine,
        written,
        message,
        meant,
        "write the layout's short name, such as \"it\" or \"gb\"",
    )
}
