//! Names of network interfaces.

use std::fmt;

use impostazione_text::shown;

use super::label::NameFault;

/// A name that the Linux kernel takes for an interface: 1 to 15 bytes (`IFNAMSIZ` less the final zero), neither
/// `.` nor `..`, no space, `/` or `:` (`dev_valid_name`), and here nothing but letters, digits, `-`, `_` and `.`,
/// since netplan and systemd read other characters as patterns. Netplan itself lets longer names pass.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct LinkName(Box<str>);

impl LinkName {
    /// Reads a link name.
    pub fn parse(text: &str) -> Result<Self, NameFault> {
        if text.is_empty() {
            return Err(NameFault::new("is empty"));
        }
        if let Some(wrong) = text.chars().find(|c| !c.is_ascii_alphanumeric() && !"-_.".contains(*c)) {
            return Err(NameFault::new(format!("has the character {} in it", shown(wrong))));
        }
        if text.len() > 15 {
            return Err(NameFault::new(format!("has {} characters; the maximum is 15", text.len())));
        }
        if matches!(text, "." | "..") {
            return Err(NameFault::new("is reserved by the filesystem"));
        }
        if matches!(text, "all" | "default" | "lo") {
            return Err(NameFault::new("is reserved by the kernel"));
        }
        if text.bytes().all(|byte| byte.is_ascii_digit()) {
            return Err(NameFault::new("is a number, which systemd mistakes for an interface index"));
        }
        Ok(Self(text.into()))
    }

    /// What somebody else's files call a link that they find by something else than its name, which may be any text.
    pub fn standing_for(text: &str) -> Self {
        Self(text.into())
    }

    /// The name.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for LinkName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn fifteen_bytes_and_no_more() {
        assert!(LinkName::parse("eth0").is_ok() && LinkName::parse("management-lan0").is_ok());
        for text in ["management-lan00", "a/b", "a b", "a*", "..", "12", "all", "lo", ""] {
            assert!(LinkName::parse(text).is_err(), "{text}");
        }
    }
}
