//! Names of logins on hosts.

use std::fmt;

use impostazione_text::shown;

use super::label::NameFault;

/// A login name that every Linux distribution takes: a small letter or `_` first, then small letters, digits,
/// `_` and `-`, 32 bytes at most (the portable part of what `useradd(8)` allows).
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct AccountName(Box<str>);

impl AccountName {
    /// Reads an account name.
    pub fn parse(text: &str) -> Result<Self, NameFault> {
        let lower = text.to_ascii_lowercase();
        let meant = (lower != text && Self::parse(&lower).is_ok()).then_some(lower);
        let inner = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '_' || c == '-';
        let reason = match text.chars().next() {
            None => "is empty".to_owned(),
            Some(first) if first.is_ascii_digit() || first == '-' => {
                format!("starts with '{first}', and a login starts with a small letter")
            }
            Some(_) => match text.chars().find(|c| !inner(*c)) {
                Some(wrong) => format!("has the character {} in it", shown(wrong)),
                None if text.len() > 32 => format!("has {} characters; the maximum is 32", text.len()),
                None => return Ok(Self(text.into())),
            },
        };
        Err(NameFault { reason, meant })
    }

    /// The name.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for AccountName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn logins() {
        assert!(AccountName::parse("keeper").is_ok() && AccountName::parse("_night-watch2").is_ok());
        assert_eq!(AccountName::parse("Keeper").unwrap_err().meant, Some("keeper".into()));
        for text in ["", "2nd", "-x", "a b", "a:b", "a/b", &"a".repeat(33)] {
            assert!(AccountName::parse(text).is_err(), "{text}");
        }
    }
}
