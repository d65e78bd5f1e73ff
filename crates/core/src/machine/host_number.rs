//! Host numbers: addresses that are counted from the start of their subnet (RFC 950, section 2.1).

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};

use ipnet::IpNet;

use super::rules::host_number::most;

/// Why a host number makes no address.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum HostNumberFault {
    /// It is neither decimal nor hexadecimal.
    NotANumber,
    /// The prefix has fewer addresses.
    TooLarge {
        /// The prefix.
        prefix: IpNet,
        /// The largest number in it.
        most: String,
    },
    /// The subnet of this name has no prefix of the family.
    NoPrefix(String),
    /// The address is written too.
    BesideAddress,
}

/// The address with a number in a prefix. Whether a machine may have it is not looked at.
pub(super) fn address_of(prefix: IpNet, text: &str) -> Result<IpAddr, HostNumberFault> {
    let number = match text.strip_prefix("0x") {
        Some(digits) if digits.bytes().all(|byte| byte.is_ascii_hexdigit()) => {
            u128::from_str_radix(digits, 16)
        }
        None if text.bytes().all(|byte| byte.is_ascii_digit()) => text.parse(),
        _ => return Err(HostNumberFault::NotANumber),
    };
    let is_empty = text.is_empty() || text == "0x";
    if is_empty {
        return Err(HostNumberFault::NotANumber);
    }
    // Digits alone that are no number are too many.
    let address = number.ok().and_then(|number| match prefix.network() {
        IpAddr::V4(network) => {
            let sum = u32::from(network).checked_add(u32::try_from(number).ok()?)?;
            Some(IpAddr::from(Ipv4Addr::from(sum)))
        }
        IpAddr::V6(network) => Some(IpAddr::from(Ipv6Addr::from(u128::from(network).checked_add(number)?))),
    });
    address
        .filter(|address| prefix.contains(address))
        .ok_or_else(|| HostNumberFault::TooLarge { prefix, most: most(prefix) })
}

#[cfg(test)]
mod tests {
    use super::{HostNumberFault, address_of};

    fn in_prefix(prefix: &str, text: &str) -> Result<String, HostNumberFault> {
        address_of(prefix.parse().unwrap(), text).map(|address| address.to_string())
    }

    #[test]
    fn numbers_count_from_the_start_of_the_prefix() {
        for (prefix, text, address) in [
            ("10.64.10.0/24", "11", "10.64.10.11"),
            ("10.64.10.0/24", "0x0b", "10.64.10.11"),
            ("10.64.10.0/24", "011", "10.64.10.11"),
            ("10.64.8.0/22", "300", "10.64.9.44"),
            ("10.64.10.16/28", "15", "10.64.10.31"),
            ("10.64.200.7/32", "0", "10.64.200.7"),
            ("fd64:10::/64", "0x1f", "fd64:10::1f"),
            ("fd64:10::/64", "0xffffffffffffffff", "fd64:10::ffff:ffff:ffff:ffff"),
            ("::/0", "0xffffffffffffffffffffffffffffffff", "ffff:ffff:ffff:ffff:ffff:ffff:ffff:ffff"),
        ] {
            assert_eq!(in_prefix(prefix, text).as_deref(), Ok(address), "{text} in {prefix}");
        }
    }

    #[test]
    fn what_is_no_number_and_what_is_beyond_the_prefix_makes_none() {
        for text in ["", "0x", "-1", "+1", "1.5", "11 ", "0x1g", "eleven", "0X1"] {
            assert_eq!(in_prefix("10.64.10.0/24", text), Err(HostNumberFault::NotANumber), "{text}");
        }
        for (prefix, text, most) in [
            ("10.64.10.0/24", "256", "255"),
            ("10.64.10.16/28", "16", "15"),
            ("10.64.10.0/24", "340282366920938463463374607431768211456", "255"),
            ("255.255.255.0/24", "4294967295", "255"),
            ("fd64:10::/64", "0x10000000000000000", "0xffffffffffffffff"),
        ] {
            let fault = in_prefix(prefix, text).unwrap_err();
            let prefix = prefix.parse().unwrap();
            assert_eq!(
                fault,
                HostNumberFault::TooLarge { prefix, most: most.to_owned() },
                "{text} in {prefix}"
            );
        }
    }
}
