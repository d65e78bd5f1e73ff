//! Names that stand in a list of a system: locales, keyboard layouts, countries.

use impostazione_text::nearest;

/// The locales with UTF-8 that glibc has, without that ending.
const LOCALES: &str = include_str!("data/locales.txt");
/// The keyboard layouts of the X keyboard database, which Debian's console takes too.
const KEYBOARDS: &str = include_str!("data/keyboards.txt");
/// The country codes of ISO 3166-1.
const COUNTRIES: &str = include_str!("data/countries.txt");

/// A locale in UTF-8, such as `it_IT.UTF-8`.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct LocaleName(Box<str>);

/// A keyboard layout, such as `it`.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct KeyboardLayout(Box<str>);

/// A country, such as `IT`.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct Country(Box<str>);

impl LocaleName {
    /// Reads the name of a locale; another one may have been meant.
    pub fn parse(text: &str) -> Result<Self, Option<String>> {
        if matches!(text, "C.UTF-8" | "POSIX" | "C") {
            return Ok(Self(text.into()));
        }
        let (name, modifier) = text.split_once('@').map_or((text, ""), |(name, modifier)| (name, modifier));
        let bare = name.strip_suffix(".UTF-8");
        let with =
            |bare: &str| if modifier.is_empty() { bare.to_owned() } else { format!("{bare}@{modifier}") };
        if bare.is_some_and(|bare| LOCALES.lines().any(|known| known == with(bare))) {
            return Ok(Self(text.into()));
        }
        let plain = name.split('.').next().unwrap_or_default();
        // What is behind the @ says which spelling or money is meant, and is kept where there is such a locale.
        let whole = with(plain);
        let of_modifier = LOCALES.lines().filter(|known| {
            !modifier.is_empty() && known.split_once('@').is_some_and(|(_, known)| known == modifier)
        });
        let meant = nearest(&whole, of_modifier, 1);
        let meant = if meant.is_empty() { nearest(plain, LOCALES.lines(), 1) } else { meant };
        Err(meant.first().map(|known| match known.split_once('@') {
            Some((known, modifier)) => format!("{known}.UTF-8@{modifier}"),
            None => format!("{known}.UTF-8"),
        }))
    }

    /// Whether there is a locale of this language, such as `it`, in some country.
    pub fn is_language(text: &str) -> bool {
        LOCALES.lines().any(|known| known.split('_').next() == Some(text))
    }

    /// The name.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl KeyboardLayout {
    /// Reads the name of a layout; another one may have been meant.
    pub fn parse(text: &str) -> Result<Self, Option<String>> {
        if KEYBOARDS.lines().any(|known| known == text) {
            return Ok(Self(text.into()));
        }
        let first = text.split(['_', '-', '.']).next().unwrap_or_default().to_ascii_lowercase();
        Err(KEYBOARDS
            .lines()
            .find(|known| *known == first)
            .or_else(|| nearest(text, KEYBOARDS.lines(), 1).first().copied())
            .map(str::to_owned))
    }

    /// The name.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl Country {
    /// Reads a country code; another one may have been meant.
    pub fn parse(text: &str) -> Result<Self, Option<String>> {
        if COUNTRIES.lines().any(|known| known == text) {
            return Ok(Self(text.into()));
        }
        let upper = text.to_ascii_uppercase();
        Err(COUNTRIES.lines().find(|known| *known == upper).map(str::to_owned))
    }

    /// The code.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn known_names_and_what_was_meant_by_others() {
        for text in ["it_IT.UTF-8", "C.UTF-8", "ca_ES.UTF-8@valencia", "en_US.UTF-8"] {
            assert!(LocaleName::parse(text).is_ok(), "{text}");
        }
        assert_eq!(LocaleName::parse("it_IT"), Err(Some("it_IT.UTF-8".into())));
        assert_eq!(LocaleName::parse("it_it.utf8"), Err(Some("it_IT.UTF-8".into())));
        // What comes after the @ is kept.
        assert_eq!(LocaleName::parse("ca_ES@valencia"), Err(Some("ca_ES.UTF-8@valencia".into())));
        assert_eq!(LocaleName::parse("ca_es.utf8@valencia"), Err(Some("ca_ES.UTF-8@valencia".into())));
        assert_eq!(LocaleName::parse("it_IT@euro"), Err(Some("it_IT.UTF-8".into())));
        assert_eq!(LocaleName::parse("it_IT.ISO-8859-1"), Err(Some("it_IT.UTF-8".into())));
        assert!(KeyboardLayout::parse("it").is_ok() && KeyboardLayout::parse("ch").is_ok());
        assert_eq!(KeyboardLayout::parse("IT"), Err(Some("it".into())));
        assert_eq!(KeyboardLayout::parse("de-latin1"), Err(Some("de".into())));
        assert!(Country::parse("IT").is_ok());
        assert_eq!(Country::parse("it"), Err(Some("IT".into())));
        assert_eq!(Country::parse("UK"), Err(None));
    }
}
