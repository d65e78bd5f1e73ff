//! Hardware addresses of network interfaces.

use std::fmt;

use impostazione_text::shown;

/// An address of six bytes (EUI-48, IEEE 802), written in lower case with colons.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct MacAddress([u8; 6]);

/// Why a text is not a MAC address.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MacFault {
    /// The reason, as the end of a sentence that begins with the text.
    pub reason: String,
    /// What was probably meant.
    pub meant: Option<MacAddress>,
}

impl MacAddress {
    /// Reads six pairs of hexadecimal digits with a colon between them, or all with a hyphen, in either case.
    ///
    /// ```
    /// use impostazione_net::MacAddress;
    ///
    /// let mac = MacAddress::parse("02-64-10-00-00-0B").unwrap();
    /// assert_eq!(mac.to_string(), "02:64:10:00:00:0b");
    /// assert!(mac.is_of_one_interface());
    /// ```
    pub fn parse(text: &str) -> Result<Self, MacFault> {
        let parts: Vec<&str> = text.split(if text.contains('-') { '-' } else { ':' }).collect();
        if parts.len() == 6
            && parts.iter().all(|part| is_pair(part))
            && let Some(address) = Self::from_digits(&parts.concat())
        {
            return Ok(address);
        }
        let fault = |reason: String, meant| Err(MacFault { reason, meant });
        let bare: String = text.chars().filter(|c| !":-. ".contains(*c)).collect();
        let meant = Self::from_digits(&bare);
        if let Some(wrong) = text.chars().find(|c| !c.is_ascii_hexdigit() && !":-. ".contains(*c)) {
            return fault(format!("has the character {} in it", shown(wrong)), None);
        }
        if meant.is_some() {
            return fault("is not six pairs with colons between them".to_owned(), meant);
        }
        fault(format!("has {} hexadecimal digits, and a MAC address has twelve", bare.len()), None)
    }

    /// The address of six bytes, in the order of the wire.
    pub fn from_bytes(bytes: [u8; 6]) -> Self {
        Self(bytes)
    }

    fn from_digits(digits: &str) -> Option<Self> {
        if digits.len() != 12 {
            return None;
        }
        let mut bytes = [0; 6];
        for (index, byte) in bytes.iter_mut().enumerate() {
            *byte = u8::from_str_radix(digits.get(index * 2..index * 2 + 2)?, 16).ok()?;
        }
        Some(Self(bytes))
    }

    /// Whether it may belong to one interface: its group bit is clear, and it is not all zeros (IEEE 802, section 8.2).
    pub fn is_of_one_interface(self) -> bool {
        self.0[0] & 1 == 0 && self.0 != [0; 6]
    }
}

fn is_pair(part: &str) -> bool {
    part.len() == 2 && part.bytes().all(|byte| byte.is_ascii_hexdigit())
}

impl fmt::Display for MacAddress {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (index, byte) in self.0.iter().enumerate() {
            let between = if index == 0 { "" } else { ":" };
            write!(f, "{between}{byte:02x}")?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_address_in_its_spellings() {
        let address = MacAddress::parse("02:64:10:00:00:0A").unwrap();
        assert_eq!(address.to_string(), "02:64:10:00:00:0a");
        assert_eq!(MacAddress::parse("02-64-10-00-00-0a"), Ok(address));
        for text in ["026410.00000a", "0264.1000.000a", "02641000000a", "02:64:10:00:000a"] {
            assert_eq!(MacAddress::parse(text).unwrap_err().meant, Some(address), "{text}");
        }
        for text in ["", "02:64:10:00:00", "02:64:10:00:00:0g", "02:64:10:00:00:0a:0b", "2:64:10:0:0:a"] {
            assert_eq!(MacAddress::parse(text).unwrap_err().meant, None, "{text}");
        }
    }

    #[test]
    fn groups_and_zeros_are_no_interface() {
        let is_one = |text| MacAddress::parse(text).unwrap().is_of_one_interface();
        assert!(is_one("02:64:10:00:00:0a") && is_one("00:00:00:00:00:01"));
        assert!(!is_one("03:64:10:00:00:0a") && !is_one("ff:ff:ff:ff:ff:ff") && !is_one("00:00:00:00:00:00"));
    }
}
