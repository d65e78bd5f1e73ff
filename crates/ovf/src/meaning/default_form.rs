//! What a default looks like by itself.

use std::net::{IpAddr, Ipv4Addr};

use super::meaning::Meaning;

/// What a value may be by its form, the likeliest first: an address, a mask, a zone, a mailbox, a name with dots. Nothing
/// for what any setting may look like.
pub fn looks_like(value: &str) -> &'static [Meaning] {
    let value = value.trim();
    if let Ok(address) = value.parse::<IpAddr>() {
        return if address.is_unspecified() || address.is_loopback() {
            &[]
        } else if is_mask(address) {
            &[Meaning::Netmask]
        } else if address.is_ipv6() {
            &[Meaning::Address6, Meaning::Gateway6]
        } else {
            &[Meaning::Address, Meaning::Gateway]
        };
    }
    if let Some((address, length)) = value.split_once('/')
        && address.parse::<IpAddr>().is_ok()
        && length.parse::<u8>().is_ok()
    {
        return &[Meaning::AddressWithPrefix];
    }
    if value.contains('/') && jiff::tz::TimeZone::get(value).is_ok() {
        return &[Meaning::Timezone];
    }
    if let Some((user, domain)) = value.split_once('@')
        && !user.is_empty()
        && is_name(domain)
    {
        return &[Meaning::MailAddress];
    }
    if is_name(value) { &[Meaning::Fqdn, Meaning::Domain] } else { &[] }
}

/// Whether an address is a mask of at least eight bits.
pub(super) fn is_mask(address: IpAddr) -> bool {
    let IpAddr::V4(mask) = address else { return false };
    let bits = Ipv4Addr::to_bits(mask);
    bits.leading_ones() >= 8 && bits.leading_ones() + bits.trailing_zeros() == 32
}

/// Whether a text is a name of two labels or more, the last of letters alone: no version, no file.
fn is_name(text: &str) -> bool {
    let labels: Vec<&str> = text.split('.').collect();
    let is_label = |label: &&str| {
        !label.is_empty() && label.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-')
    };
    let is_ending = |last: &&str| {
        last.len() >= 2 && last.bytes().all(|byte| byte.is_ascii_lowercase()) && !is_file_ending(last)
    };
    labels.len() >= 2 && labels.iter().all(is_label) && labels.last().is_some_and(is_ending)
}

/// Endings of files, which no domain has here.
pub(super) fn is_file_ending(text: &str) -> bool {
    matches!(
        text,
        "pem"
            | "crt"
            | "key"
            | "conf"
            | "txt"
            | "json"
            | "xml"
            | "yaml"
            | "yml"
            | "cfg"
            | "log"
            | "sh"
            | "db"
            | "csv"
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_are_told_by_their_form() {
        for (value, expected) in [
            ("10.64.10.61", Some(Meaning::Address)),
            ("255.255.255.0", Some(Meaning::Netmask)),
            ("10.64.10.61/24", Some(Meaning::AddressWithPrefix)),
            ("fd64::61", Some(Meaning::Address6)),
            ("Europe/Rome", Some(Meaning::Timezone)),
            ("ops@capovetro.example", Some(Meaning::MailAddress)),
            ("quay3.capovetro.example", Some(Meaning::Fqdn)),
            ("0.0.0.0", None),
            ("2.4.1", None),
            ("server.pem", None),
            ("on", None),
            ("", None),
        ] {
            assert_eq!(looks_like(value).first().copied(), expected, "{value}");
        }
    }
}
