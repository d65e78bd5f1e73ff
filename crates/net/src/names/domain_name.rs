//! Domain names: of the site, of search lists and of servers.

use std::fmt;

use super::label::{NameFault, check_label};

/// A domain name without a trailing dot, at most 253 bytes (RFC 1035, section 2.3.4, less the two bytes that the
/// wire form adds). A single label is one too.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct DomainName(Box<str>);

impl DomainName {
    /// Reads a domain name.
    pub fn parse(text: &str) -> Result<Self, NameFault> {
        if text.is_empty() {
            return Err(NameFault::new("is empty"));
        }
        let corrected = text.trim().trim_matches('.');
        let meant = (corrected != text && Self::parse(corrected).is_ok()).then(|| corrected.to_owned());
        if text.ends_with('.') {
            return Err(NameFault {
                reason: "ends with a dot, which is not allowed in a sheet".to_owned(),
                meant,
            });
        }
        for label in text.split('.') {
            check_label(label).map_err(|reason| NameFault { reason, meant: meant.clone() })?;
        }
        if text.len() > 253 {
            return Err(NameFault::new(format!("has {} characters; the maximum is 253", text.len())));
        }
        Ok(Self(text.into()))
    }

    /// The name.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for DomainName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_with_and_without_faults() {
        assert_eq!(DomainName::parse("capovetro.example").unwrap().to_string(), "capovetro.example");
        assert_eq!(
            DomainName::parse("capovetro.example.").unwrap_err().meant,
            Some("capovetro.example".into())
        );
        assert_eq!(
            DomainName::parse(" capovetro.example").unwrap_err().meant,
            Some("capovetro.example".into())
        );
        assert_eq!(DomainName::parse("capovetro..example").unwrap_err().reason, "has an empty part");
        let long = vec!["a".repeat(63); 4].join(".");
        assert!(DomainName::parse(&long).unwrap_err().reason.contains("253"));
    }
}
