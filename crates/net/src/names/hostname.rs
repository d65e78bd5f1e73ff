//! The short name of a machine.

use std::fmt;

use super::label::{NameFault, as_label, check_label};

/// A host name of one label: letters, digits and inner hyphens (RFC 1123, section 2.1). Case is kept.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct Hostname(Box<str>);

impl Hostname {
    /// Longest host name in bytes: one label (RFC 1034, section 3.1).
    pub const LONGEST: usize = 63;

    /// Reads a host name. Length is looked at last, so that [`Hostname::is_only_too_long`] can tell.
    pub fn parse(text: &str) -> Result<Self, NameFault> {
        if text.is_empty() {
            return Err(NameFault::new("is empty"));
        }
        if text.trim_end_matches('.').contains('.') {
            let first = text.split('.').next().unwrap_or_default();
            return Err(NameFault {
                reason: "has a dot in it, and a host name is a single label".to_owned(),
                meant: as_label(first),
            });
        }
        if text.eq_ignore_ascii_case("localhost") {
            return Err(NameFault::new("is the name that every machine has for itself"));
        }
        check_label(text).map_err(|reason| NameFault { reason, meant: as_label(text) })?;
        Ok(Self(text.into()))
    }

    /// Whether nothing but its length keeps a text from being a host name.
    pub fn is_only_too_long(text: &str) -> bool {
        text.len() > Self::LONGEST
            && text.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-')
            && !text.starts_with('-')
            && !text.ends_with('-')
    }

    /// The name.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for Hostname {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn right_names() {
        for text in ["gauge-01", "a", "3com", "Signal-Tower", &"a".repeat(63)] {
            assert_eq!(Hostname::parse(text).unwrap().as_str(), text);
        }
    }

    #[test]
    fn wrong_names_say_why_and_what_was_meant() {
        let meant = |text: &str| Hostname::parse(text).unwrap_err().meant;
        assert_eq!(meant("gauge_01"), Some("gauge-01".into()));
        assert_eq!(meant("Gauge 01"), Some("gauge-01".into()));
        assert_eq!(meant("gauge-01."), Some("gauge-01".into()));
        assert_eq!(meant("gauge-01.capovetro.example"), Some("gauge-01".into()));
        assert_eq!(meant("-"), None);
        assert!(Hostname::parse("localhost").is_err());
        assert_eq!(Hostname::parse("bö").unwrap_err().reason, "has the character 'ö' in it");
        assert!(Hostname::parse(&"a".repeat(64)).is_err() && Hostname::is_only_too_long(&"a".repeat(64)));
        assert!(!Hostname::is_only_too_long(&"_".repeat(64)));
    }
}
