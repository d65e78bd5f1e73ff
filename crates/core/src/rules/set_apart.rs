//! Addresses that are set apart: for a purpose that no static address has, for documents, for networks of one's own.

use std::net::IpAddr;

use ipnet::IpNet;

/// What a reserved address is kept for.
pub(super) fn purpose(address: IpAddr) -> Option<&'static str> {
    match address {
        IpAddr::V4(v4) => match v4.octets() {
            [0, ..] => Some("stands for no address"),
            [127, ..] => Some("is a machine's own loopback"),
            [169, 254, ..] => Some("is a link-local address"),
            [224..=239, ..] => Some("is a multicast address"),
            [255, 255, 255, 255] => Some("reaches everybody at once"),
            [240..=255, ..] => Some("is of the reserved class E"),
            _ => None,
        },
        IpAddr::V6(v6) => {
            if v6.is_unspecified() {
                Some("stands for no address")
            } else if v6.is_loopback() {
                Some("is a machine's own loopback")
            } else if v6.is_multicast() {
                Some("is a multicast address")
            } else if v6.is_unicast_link_local() {
                Some("is a link-local address")
            } else if v6.to_ipv4_mapped().is_some() {
                Some("stands for an IPv4 address")
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
        assert!(is_for_documentation("3fff:fff::1".parse().unwrap()));
        assert!(!is_for_documentation("3fff:1000::1".parse().unwrap()));
        assert!(!is_for_documentation("192.0.3.1".parse().unwrap()));
    }
}
