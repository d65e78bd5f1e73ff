//! On and off, in the words that a property takes.

use impostazione_ovf::PropertyType;

const ON: [&str; 7] = ["true", "yes", "on", "enabled", "1", "enable", "dhcp"];
const OFF: [&str; 9] = ["false", "no", "off", "disabled", "0", "disable", "static", "manual", "fixed"];

/// How a property takes a switch.
#[derive(Clone, Copy, Debug)]
pub(crate) struct SwitchForm<'a> {
    /// Its type.
    pub(crate) kind: &'a PropertyType,
    /// The only values that it takes; empty where any is.
    pub(crate) choices: &'a [String],
    /// Its default, which shows the words.
    pub(crate) default: Option<&'a str>,
}

/// What a text says of a switch.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum SwitchText {
    /// On or off.
    Is(bool),
    /// On or off, in other words than the property's: what those are.
    InOtherWords(String),
    /// One of the choices, which says neither.
    Neither,
    /// Nothing that is known.
    Unknown,
}

fn is_one(text: &str, words: &[&str]) -> bool {
    words.iter().any(|word| text.eq_ignore_ascii_case(word))
}

fn meaning_of(text: &str) -> Option<bool> {
    if is_one(text, &ON) {
        Some(true)
    } else if is_one(text, &OFF) {
        Some(false)
    } else {
        None
    }
}

impl SwitchForm<'_> {
    /// The pair of words that the default is one of.
    fn pair(&self) -> Option<(&'static str, &'static str)> {
        let default = self.default?;
        ON.iter().zip(OFF).find(|(on, off)| is_one(default, &[on, off])).map(|(on, off)| (*on, off))
    }

    /// On or off in the words that the property takes, as far as they can be told.
    pub(crate) fn word(&self, is_on: bool) -> Option<String> {
        if *self.kind == PropertyType::Boolean {
            return Some(is_on.to_string());
        }
        let words: &[&str] = if is_on { &ON } else { &OFF };
        if !self.choices.is_empty() {
            return self.choices.iter().find(|choice| is_one(choice, words)).cloned();
        }
        let (on, off) = self.pair()?;
        let word = if is_on { on } else { off };
        let is_capital = self.default?.chars().next().is_some_and(char::is_uppercase);
        let mut letters = word.chars();
        Some(match letters.next() {
            Some(first) if is_capital => first.to_uppercase().chain(letters).collect(),
            _ => word.to_owned(),
        })
    }

    /// What a text says.
    pub(crate) fn read(&self, text: &str) -> SwitchText {
        let meaning = meaning_of(text);
        if *self.kind == PropertyType::Boolean || !self.choices.is_empty() {
            return meaning.map_or(SwitchText::Neither, SwitchText::Is);
        }
        let Some(is_on) = meaning else { return SwitchText::Unknown };
        match self.pair() {
            Some((on, off)) if !is_one(text, &[on, off]) => {
                self.word(is_on).map_or(SwitchText::Is(is_on), SwitchText::InOtherWords)
            }
            _ => SwitchText::Is(is_on),
        }
    }
}
