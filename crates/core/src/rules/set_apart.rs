//! Addresses that are set apart: for a purpose that no static address has, for documents, for networks of one's own.

use std::net::IpAddr;

use ipnet::IpNet;

/// What a reserved address is kept for.
pub(super) fn purpose(address: IpAddr) -> Option<&'static str> {
    match address {
        IpAddr::V4(v4) => match v4.octets() {
            [0, ..] => Some("is the unspecified address"),
            [127, ..] => Some("is a loopback address"),
            [169, 254, ..] => Some("is a link-local address"),
            [224..=239, ..] => Some("is a multicast address"),
            [255, 255, 255, 255] => Some("is the broadcast address"),
            [240..=255, ..] => Some("is in the reserved class E"),
            _ => None,
        },
        IpAddr::V6(v6) => {
            if v6.is_unspecified() {
                Some("is the unspecified address")
            } else if v6.is_loopback() {
                Some("is a loopback address")
            } else if v6.is_multicast() {
                Some("is a multicast address")
            } else if v6.is_unicast_link_local() {
                Some("is a link-local address")
            } else if v6.to_ipv4_mapped().is_some() {
                Some("is an IPv4-mapped address")
            } else {
                None
            }
        }
    }
}

/// Whether an address is kept for a purpose that no static address has.
pub(super) fn is_special(address: IpAddr) -> bool {
    purpose(address).is_some()
}

pub(super) fn is_for_documentation(address: IpAddr) -> bool {
    match address {
        IpAddr::V4(v4) => {
            matches!(v4.octets(), [192, 0, 2, _] | [198, 51, 100, _] | [203, 0, 113, _])
        }
        IpAddr::V6(v6) => {
            let [first, second, ..] = v6.segments();
            (first == 0x2001 && second == 0x0db8) || (first == 0x3fff && second < 0x1000)
        }
    }
}

pub(super) fn is_private(address: IpAddr) -> bool {
    match address {
        IpAddr::V4(v4) => v4.is_private() || matches!(v4.octets(), [100, 64..=127, ..]),
        IpAddr::V6(v6) => v6.is_unique_local(),
    }
}

/// Networks that are no machine's elsewhere, and none of one's own, with their names: what the IANA registries of
/// special-purpose addresses do not leave global (RFC 6890), beside what has words of its own here.
const NOT_GLOBAL: [(&str, &str); 12] = [
    ("192.0.0.0/24", "is reserved for IETF protocols"),
    ("192.88.99.0/24", "was reserved for 6to4 relays"),
    ("198.18.0.0/15", "is reserved for benchmarks"),
    ("64:ff9b::/96", "is reserved for NAT64"),
    ("64:ff9b:1::/48", "is reserved for local NAT64"),
    ("100::/64", "is reserved for discarded packets"),
    ("2001::/23", "is reserved for IETF protocols"),
    ("2002::/16", "is reserved for 6to4"),
    ("2620:4f:8000::/48", "is reserved for AS112 servers"),
    ("5f00::/16", "is reserved for segment routing"),
    ("fec0::/10", "is a deprecated site-local address"),
    ("::/8", "is reserved by the IETF"),
];

/// What an address is kept for that is neither global nor private.
pub(super) fn kept_for(address: IpAddr) -> Option<&'static str> {
    let is_in = |network: &str| network.parse::<IpNet>().is_ok_and(|network| network.contains(&address));
    NOT_GLOBAL.iter().find(|(network, _)| is_in(network)).map(|(_, words)| *words)
}

/// Whether an address is one that everybody may reach.
pub(super) fn is_global(address: IpAddr) -> bool {
    !is_private(address)
        && !is_special(address)
        && !is_for_documentation(address)
        && kept_for(address).is_none()
        && match address {
            IpAddr::V4(_) => true,
            // Of the rest of IPv6 nothing is given out yet (RFC 3587).
            IpAddr::V6(v6) => v6.segments()[0] & 0xe000 == 0x2000,
        }
}

/// Whether no part of a prefix is outside what is private.
pub(super) fn prefix_is_private(prefix: IpNet) -> bool {
    is_private(prefix.network()) && is_private(prefix.broadcast())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ends_of_what_is_set_apart() {
        let special = |text: &str| is_special(text.parse().unwrap());
        for text in [
            "0.0.0.0",
            "127.0.0.1",
            "169.254.0.1",
            "224.0.0.1",
            "239.255.255.255",
            "240.0.0.1",
            "255.255.255.255",
            "::",
            "::1",
            "ff02::1",
            "fe80::1",
            "::ffff:10.64.10.1",
        ] {
            assert!(special(text), "{text}");
        }
        for text in [
            "1.0.0.1",
            "126.255.255.255",
            "128.0.0.1",
            "169.253.255.255",
            "169.255.0.0",
            "223.255.255.255",
            "fd64::1",
            "fec0::1",
        ] {
            assert!(!special(text), "{text}");
        }
        let private = |text: &str| prefix_is_private(text.parse().unwrap());
        assert!(private("172.16.0.0/12") && private("100.64.0.0/10") && private("fd64::/16"));
        assert!(!private("172.16.0.0/11") && !private("172.32.0.0/16") && !private("100.128.0.0/16"));
        let global = |text: &str| is_global(text.parse().unwrap());
        for text in ["9.9.9.9", "172.32.0.1", "100.128.0.1", "192.88.98.1", "2a00:64::5", "2620:fe::fe"] {
            assert!(global(text), "{text}");
        }
        for text in [
            "10.64.10.1",
            "100.64.0.1",
            "192.0.0.9",
            "192.0.2.1",
            "192.88.99.1",
            "198.18.0.1",
            "198.19.255.255",
            "240.0.0.1",
            "64:ff9b::1",
            "2001:db8::1",
            "2001:10::1",
            "2002::1",
            "fd64::1",
            "fec0::1",
            "4000::1",
        ] {
            assert!(!global(text), "{text}");
        }
        assert!(is_for_documentation("3fff:fff::1".parse().unwrap()));
        assert!(!is_for_documentation("3fff:1000::1".parse().unwrap()));
        assert!(!is_for_documentation("192.0.3.1".parse().unwrap()));
    }
}
