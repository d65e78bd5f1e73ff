//! Prefixes: an address with a mask, and what follows from one.

use std::net::{IpAddr, Ipv4Addr};

use ipnet::IpNet;

use super::address::{AddressFault, parse_address};
use super::family::Family;
use super::mask::{MaskFault, parse_mask};

/// Why a text is not the prefix of a subnet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum PrefixFault {
    /// There is no `/` and nothing after it.
    NoMask,
    /// The mask comes after something else than a slash; the usual spelling is given.
    Spelling(String),
    /// The part before the `/` is no address.
    Address(AddressFault),
    /// The part after the `/` is no mask.
    Mask(MaskFault),
    /// The address has bits set behind the mask; the prefix without them is given.
    HostBits(IpNet),
}

/// Reads `address/mask`, the mask in any of its spellings, and refuses bits behind the mask.
///
/// ```
/// use impostazione_net::{Family, parse_prefix};
///
/// assert!(parse_prefix("10.64.10.0/0xffffff00", Family::V4).is_ok());
/// assert!(parse_prefix("10.64.10.7/24", Family::V4).is_err());
/// ```
pub fn parse_prefix(text: &str, family: Family) -> Result<IpNet, PrefixFault> {
    if let Some(usual) = respelled(text).filter(|usual| parse_prefix(usual, family).is_ok()) {
        return Err(PrefixFault::Spelling(usual));
    }
    let (address, mask) = text.split_once('/').ok_or(PrefixFault::NoMask)?;
    let address = parse_address(address, Some(family)).map_err(PrefixFault::Address)?;
    let length = parse_mask(mask, family).map_err(PrefixFault::Mask)?;
    let prefix = IpNet::new(address, length).map_err(|_| PrefixFault::Mask(MaskFault::Malformed))?;
    if prefix.addr() == prefix.network() { Ok(prefix) } else { Err(PrefixFault::HostBits(prefix.trunc())) }
}

/// An address and a mask as `address/mask`, where they are parted by spaces, or by a word for the mask, or where spaces or
/// zeros stand before the length. Nothing for a text that is spelled so already, or is something else.
pub fn respelled(text: &str) -> Option<String> {
    if !text.contains(char::is_whitespace) && !text.contains("/0") {
        return None;
    }
    let parts: Vec<&str> = text
        .split(|c: char| c.is_whitespace() || c == '/')
        .filter(|part| !part.is_empty() && !["mask", "netmask"].contains(&part.to_ascii_lowercase().as_str()))
        .collect();
    let [address, mask] = parts.as_slice() else { return None };
    let is_length = mask.bytes().all(|byte| byte.is_ascii_digit());
    let mask = match mask.trim_start_matches('0') {
        trimmed if is_length && !trimmed.is_empty() => trimmed,
        _ => mask,
    };
    let usual = format!("{address}/{mask}");
    (usual != text).then_some(usual)
}

/// The address that names the subnet itself and that no machine may have.
///
/// Only IPv4 prefixes of length 30 and shorter have one: a /31 gives both its addresses to machines (RFC 3021), a
/// /32 is one machine, and IPv6 has no such address (RFC 4291; its all-zeros anycast address belongs to routers
/// but is not refused here).
pub fn network_of(prefix: IpNet) -> Option<IpAddr> {
    has_reserved_ends(prefix).then(|| prefix.network())
}

/// The address that reaches all machines of the subnet, under the same conditions as [`network_of`].
pub fn broadcast_of(prefix: IpNet) -> Option<IpAddr> {
    has_reserved_ends(prefix).then(|| prefix.broadcast())
}

/// First and last address that a machine may have in a prefix.
///
/// ```
/// use impostazione_net::host_range;
///
/// let (first, last) = host_range("10.64.10.0/24".parse().unwrap());
/// assert_eq!((first.to_string(), last.to_string()), ("10.64.10.1".into(), "10.64.10.254".into()));
/// ```
pub fn host_range(prefix: IpNet) -> (IpAddr, IpAddr) {
    let (first, last) = (prefix.network(), prefix.broadcast());
    match (first, last) {
        (IpAddr::V4(network), IpAddr::V4(broadcast)) if has_reserved_ends(prefix) => (
            IpAddr::V4(Ipv4Addr::from_bits(network.to_bits() + 1)),
            IpAddr::V4(Ipv4Addr::from_bits(broadcast.to_bits() - 1)),
        ),
        _ => (first, last),
    }
}

fn has_reserved_ends(prefix: IpNet) -> bool {
    matches!(prefix, IpNet::V4(_)) && prefix.prefix_len() <= 30
}

#[cfg(test)]
mod tests {
    use super::*;

    fn v4(text: &str) -> IpNet {
        parse_prefix(text, Family::V4).unwrap()
    }

    #[test]
    fn one_prefix_in_three_spellings() {
        assert_eq!(v4("10.64.10.0/24"), v4("10.64.10.0/255.255.255.0"));
        assert_eq!(v4("10.64.10.0/24"), v4("10.64.10.0/0xffffff00"));
    }

    #[test]
    fn faults_are_told_apart() {
        let fault = |text| parse_prefix(text, Family::V4).unwrap_err();
        assert_eq!(fault("10.64.10.0"), PrefixFault::NoMask);
        assert_eq!(fault("10.64.10.7/24"), PrefixFault::HostBits(v4("10.64.10.0/24")));
        assert_eq!(fault("10.64.10.0/255.0.255.0"), PrefixFault::Mask(MaskFault::NotContiguous));
        assert!(matches!(fault("10.64.10/24"), PrefixFault::Address(_)));
        for text in [
            "10.64.10.0 255.255.255.0",
            "10.64.10.0 / 24",
            "10.64.10.0/024",
            " 10.64.10.0/24",
            "10.64.10.0 netmask 0xffffff00",
        ] {
            assert!(
                matches!(fault(text), PrefixFault::Spelling(usual) if parse_prefix(&usual, Family::V4) == Ok(v4("10.64.10.0/24"))),
                "{text}"
            );
        }
        // What would be wrong in the usual spelling too keeps its own fault.
        assert!(!matches!(fault("10.64.10.7 / 24"), PrefixFault::Spelling(_)));
    }

    #[test]
    fn short_prefixes_have_no_network_or_broadcast_address() {
        let address = |text: &str| text.parse::<IpAddr>().unwrap();
        assert_eq!(network_of(v4("10.64.10.0/30")), Some(address("10.64.10.0")));
        assert_eq!(broadcast_of(v4("10.64.10.0/30")), Some(address("10.64.10.3")));
        assert_eq!(host_range(v4("10.64.10.0/30")), (address("10.64.10.1"), address("10.64.10.2")));
        for text in ["10.64.10.0/31", "10.64.10.1/32"] {
            assert_eq!((network_of(v4(text)), broadcast_of(v4(text))), (None, None));
        }
        assert_eq!(host_range(v4("10.64.10.0/31")), (address("10.64.10.0"), address("10.64.10.1")));
        let v6 = parse_prefix("fd64:10::/64", Family::V6).unwrap();
        assert_eq!((network_of(v6), broadcast_of(v6)), (None, None));
    }
}
