//! Reading one address, and saying what was probably meant when it is not one.

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};

use impostazione_text::shown;

use super::family::Family;

/// Why a text is not an address.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AddressFault {
    /// The reason, as the end of a sentence that begins with the text: "has three parts, an IPv4 address has
    /// four".
    pub reason: String,
    /// What was probably meant, where only one thing can have been.
    pub meant: Option<IpAddr>,
}

impl AddressFault {
    fn new(reason: impl Into<String>, meant: Option<IpAddr>) -> Self {
        Self { reason: reason.into(), meant }
    }
}

/// Reads one address without a mask, in the given family or, with `None`, in either.
///
/// IPv4 is four decimal parts without leading zeros (RFC 6943, section 3.1.1, on why the older spellings are not
/// safe to guess); IPv6 is any spelling of RFC 4291, section 2.2, without a zone.
///
/// ```
/// use impostazione_net::{Family, parse_address};
///
/// assert!(parse_address("10.64.10.11", Some(Family::V4)).is_ok());
/// assert!(parse_address("10.64.010.11", None).is_err());
/// assert!(parse_address("fe80::1%eth0", None).is_err());
/// ```
pub fn parse_address(text: &str, family: Option<Family>) -> Result<IpAddr, AddressFault> {
    if let Ok(address) = text.parse::<IpAddr>() {
        return match family {
            Some(wanted) if wanted != Family::of(address) => Err(AddressFault::new(
                format!(
                    "is an {} address, and an {} address is expected",
                    Family::of(address).name(),
                    wanted.name()
                ),
                None,
            )),
            _ => Ok(address),
        };
    }
    Err(explain(text, family))
}

fn explain(text: &str, family: Option<Family>) -> AddressFault {
    let trimmed = text.trim();
    if trimmed.is_empty() {
        return AddressFault::new("is empty", None);
    }
    if trimmed != text {
        return AddressFault::new("has spaces around it", trimmed.parse().ok());
    }
    if let Some((address, _mask)) = text.split_once('/') {
        return AddressFault::new(
            "has a mask, and a plain address is expected",
            address.parse().ok().filter(|found| family.is_none_or(|wanted| Family::of(*found) == wanted)),
        );
    }
    let looks_v6 = text.matches(':').count() > 1 || text.starts_with('[');
    if looks_v6 { explain_v6(text) } else { explain_v4(text) }
}

fn explain_v4(text: &str) -> AddressFault {
    if let Some((address, port)) = text.split_once(':')
        && !port.is_empty()
        && port.bytes().all(|byte| byte.is_ascii_digit())
    {
        return AddressFault::new("has a port, and a plain address is expected", v4(address));
    }
    if text.contains(',') {
        return AddressFault::new("has a comma instead of a dot", v4(&text.replace(',', ".")));
    }
    if text.contains("..") {
        return AddressFault::new("has two dots in a row", v4(&text.replace("..", ".")));
    }
    if let Some(letter) = text.chars().find(|character| !character.is_ascii_digit() && *character != '.') {
        let digits: String = text
            .chars()
            .map(|character| match character {
                'O' | 'o' => '0',
                'l' | 'I' => '1',
                other => other,
            })
            .collect();
        return AddressFault::new(format!("has the character {} in it", shown(letter)), v4(&digits));
    }
    let parts: Vec<&str> = text.split('.').collect();
    if parts.len() == 4 {
        if let Some(part) = parts.iter().find(|part| part.len() > 1 && part.starts_with('0')) {
            let without: Vec<&str> = parts.iter().map(|part| strip_zeros(part)).collect();
            return AddressFault::new(
                format!("has a leading zero in '{part}', which some programs read as an octal number"),
                v4(&without.join(".")),
            );
        }
        if let Some(part) = parts.iter().find(|part| part.parse::<u8>().is_err()) {
            let reason = if part.is_empty() {
                "starts or ends with a dot".to_owned()
            } else {
                format!("has the part {part}, and the maximum is 255")
            };
            return AddressFault::new(reason, None);
        }
    }
    let reason = format!(
        "has {}, and an IPv4 address has four",
        match parts.len() {
            1 => "one part".to_owned(),
            2 => "two parts".to_owned(),
            3 => "three parts".to_owned(),
            5 => "five parts".to_owned(),
            more => format!("{more} parts"),
        }
    );
    AddressFault::new(reason, if parts.len() == 3 { with_one_more_dot(text) } else { None })
}

/// The only address that one more dot makes of a three-part text, if there is just one.
fn with_one_more_dot(text: &str) -> Option<IpAddr> {
    let mut found = (1..text.len()).filter_map(|at| v4(&format!("{}.{}", text.get(..at)?, text.get(at..)?)));
    let first = found.next()?;
    found.next().is_none().then_some(first)
}

fn explain_v6(text: &str) -> AddressFault {
    let bare = text.trim_start_matches('[').trim_end_matches(']');
    if bare != text {
        return AddressFault::new("is in brackets, which are for URLs", v6(bare));
    }
    if let Some((address, _zone)) = text.split_once('%') {
        return AddressFault::new("has a zone after '%', which is not allowed in a sheet", v6(address));
    }
    if text.matches("::").count() > 1 || text.contains(":::") {
        return AddressFault::new("has '::' twice, and only one is allowed", None);
    }
    if let Some(wrong) =
        text.chars().find(|character| !character.is_ascii_hexdigit() && !":.".contains(*character))
    {
        return AddressFault::new(format!("has the character {} in it", shown(wrong)), None);
    }
    if let Some(group) = text.split(':').find(|group| group.len() > 4 && !group.contains('.')) {
        return AddressFault::new(
            format!("has the group '{group}', and a group has at most four digits"),
            None,
        );
    }
    let groups = text.split(':').filter(|group| !group.is_empty()).count();
    AddressFault::new(format!("has {groups} groups, and an IPv6 address without '::' has eight"), None)
}

fn strip_zeros(part: &str) -> &str {
    let stripped = part.trim_start_matches('0');
    if stripped.is_empty() { "0" } else { stripped }
}

fn v4(text: &str) -> Option<IpAddr> {
    text.parse::<Ipv4Addr>().ok().map(IpAddr::from)
}

fn v6(text: &str) -> Option<IpAddr> {
    text.parse::<Ipv6Addr>().ok().map(IpAddr::from)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn fault(text: &str) -> (String, Option<String>) {
        let fault = parse_address(text, None).unwrap_err();
        (fault.reason, fault.meant.map(|address| address.to_string()))
    }

    #[test]
    fn each_slip_has_its_reason_and_what_was_meant() {
        let meant = |text: &str| fault(text).1;
        assert_eq!(fault("10.64.1011").0, "has three parts, and an IPv4 address has four");
        assert_eq!(meant("10.64.25511"), Some("10.64.255.11".into()));
        assert_eq!(meant("10.64.1011"), None, "10.64.10.11, 10.64.1.011 and others: no single reading");
        assert_eq!(fault("10.64.10.11.5").0, "has five parts, and an IPv4 address has four");
        assert_eq!(meant("10.64,10.11"), Some("10.64.10.11".into()));
        assert_eq!(meant("1O.64.l0.11"), Some("10.64.10.11".into()));
        assert_eq!(meant("10.64.010.11"), Some("10.64.10.11".into()));
        assert_eq!(meant("10.64..10.11"), Some("10.64.10.11".into()));
        assert_eq!(meant(" 10.64.10.11"), Some("10.64.10.11".into()));
        assert_eq!(meant("10.64.10.11/24"), Some("10.64.10.11".into()));
        assert_eq!(meant("10.64.10.11:53"), Some("10.64.10.11".into()));
        assert_eq!(fault("10.64.300.11").0, "has the part 300, and the maximum is 255");
        assert_eq!(fault("10.64.10.").0, "starts or ends with a dot");
        assert_eq!(meant("[fd64::1]"), Some("fd64::1".into()));
        assert_eq!(meant("fe80::1%eth0"), Some("fe80::1".into()));
        assert_eq!(fault("fd64::1::2").0, "has '::' twice, and only one is allowed");
        assert_eq!(fault("fd64:10:1:2:3").0, "has 5 groups, and an IPv6 address without '::' has eight");
        assert_eq!(fault("fd64::12345").0, "has the group '12345', and a group has at most four digits");
        assert_eq!(fault("").0, "is empty");
    }

    #[test]
    fn a_whole_address_of_the_other_family_is_refused() {
        assert_eq!(
            parse_address("fd64::1", Some(Family::V4)).unwrap_err().reason,
            "is an IPv6 address, and an IPv4 address is expected"
        );
    }

    proptest! {
        #[test]
        fn reading_never_panics_and_agrees_with_itself(text in "\\PC{0,40}|[0-9a-fA-F:./, %\\[\\]]{0,45}") {
            match parse_address(&text, None) {
                Ok(address) => prop_assert_eq!(parse_address(&address.to_string(), None), Ok(address)),
                Err(fault) => prop_assert!(!fault.reason.is_empty()),
            }
        }
    }
}
