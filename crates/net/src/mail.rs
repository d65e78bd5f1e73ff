//! Addresses of mail.

use email_address::{EmailAddress, Options};

use super::names::DomainName;

/// Where mail goes to: `harbor@capovetro.example`, without a name before it (RFC 5321, section 4.1.2).
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct MailAddress(Box<str>);

impl MailAddress {
    /// Reads an address of mail. Fails with the reason, as the end of a sentence that begins with the text.
    ///
    /// ```
    /// use impostazione_net::MailAddress;
    ///
    /// assert!(MailAddress::parse("harbor@capovetro.example").is_ok());
    /// assert_eq!(MailAddress::parse("harbor.capovetro.example").unwrap_err(), "has no @ in it");
    /// ```
    pub fn parse(text: &str) -> Result<Self, String> {
        let options = Options::default().without_display_text().without_domain_literal();
        let Some((_, domain)) = text.rsplit_once('@') else {
            return Err(if text.is_empty() { "is empty" } else { "has no @ in it" }.to_owned());
        };
        DomainName::parse(domain).map_err(|fault| {
            if domain.is_empty() {
                "has no domain after the @".to_owned()
            } else {
                format!("has a domain that {}", fault.reason)
            }
        })?;
        match EmailAddress::parse_with_options(text, options) {
            Ok(_) => Ok(Self(text.into())),
            Err(_) => Err("has an invalid mailbox before the @".to_owned()),
        }
    }

    /// The address.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn right_and_wrong_ones() {
        for text in ["harbor@capovetro.example", "night.watch+quay@capovetro.example", "root@localhost"] {
            assert_eq!(MailAddress::parse(text).unwrap().as_str(), text);
        }
        for text in [
            "",
            "harbor",
            "harbor@",
            "@capovetro.example",
            "a@b@capovetro.example",
            "har bor@capovetro.example",
            "harbor@capo_vetro.example",
            "harbor@capovetro.example ",
            "Harbor <harbor@capovetro.example>",
        ] {
            assert!(MailAddress::parse(text).is_err(), "{text}");
        }
    }

    proptest::proptest! {
        #[test]
        fn reading_never_panics(text in "\\PC{0,40}|[a-z@.<>\" ]{0,40}") {
            let _ = MailAddress::parse(&text);
        }
    }
}
