//! What netplan takes as one value.

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};

use crate::machine::NetplanVersion;

/// What a value has to be. netplan takes every value as a text and reads it by itself.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Kind {
    /// Anything.
    Text,
    /// Anything, which nobody may be shown.
    Secret,
    Flag,
    /// A whole number up to this.
    Number(u32),
    /// One of some words.
    Word(&'static [Word]),
    /// One of some words from some netplan on, and anything before.
    WordSince(NetplanVersion, &'static [Word]),
    /// One of some words, in small letters or capitals.
    WordInAnyCase(&'static [&'static str]),
    /// `true`, `false`, or this.
    FlagOr(&'static str),
    /// A name of letters, digits and signs: what comes after a section, and what names a port.
    Name,
    /// A hardware address: 6 bytes, or the 20 of InfiniBand (RFC 4391, section 9.1.1).
    Mac,
    /// A hardware address to set: as above, or since 1.0 a word for how it is made.
    SetMac,
    /// The drivers of a port: no blanks.
    Driver,
    Address4,
    Address6,
    Address,
    /// An address, behind which a slash and anything may stand.
    Network,
    /// As `Network`, or `default`.
    Destination,
    /// `HOST:PORT`, `[IPv6]:PORT`.
    Endpoint,
    /// `tcp:HOST`, `unix:PATH` and so on.
    Controller,
    /// The version of the format, of which 2 is the only one.
    FormatVersion,
    /// How long an address stays preferred: `0` or `forever`.
    Lifetime,
}

/// A word, and the netplan from which on it is one.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Word {
    pub(crate) word: &'static str,
    pub(crate) since: NetplanVersion,
}

/// The words for a hardware address that is made.
const MAC_POLICIES: [&str; 5] = ["permanent", "random", "stable", "preserve", "stable-ssid"];

/// The first netplan that takes them.
const MAC_POLICIES_SINCE: NetplanVersion = NetplanVersion::new(1, 0);

impl Kind {
    /// Whether netplan of that version takes a text for it.
    pub(crate) fn takes(self, text: &str, version: NetplanVersion) -> bool {
        match self {
            Self::Text | Self::Secret => true,
            Self::Flag => is_flag(text),
            Self::FlagOr(word) => is_flag(text) || text.eq_ignore_ascii_case(word),
            Self::Number(largest) => number(text).is_some_and(|number| number <= u64::from(largest)),
            Self::Word(words) => words.iter().any(|word| word.word == text && word.since <= version),
            Self::WordSince(since, words) => version < since || Self::Word(words).takes(text, version),
            Self::WordInAnyCase(words) => words.iter().any(|word| word.eq_ignore_ascii_case(text)),
            Self::Name => {
                !text.is_empty()
                    && text.chars().all(|character| character.is_alphanumeric() || is_sign(character))
            }
            Self::Mac => is_mac(text),
            Self::SetMac => is_mac(text) || (version >= MAC_POLICIES_SINCE && MAC_POLICIES.contains(&text)),
            Self::Driver => !text.contains(' '),
            Self::Address4 => text.parse::<Ipv4Addr>().is_ok(),
            Self::Address6 => text.parse::<Ipv6Addr>().is_ok(),
            Self::Address => text.parse::<IpAddr>().is_ok(),
            Self::Network => without_length(text).parse::<IpAddr>().is_ok(),
            Self::Destination => text == "default" || Self::Network.takes(text, version),
            Self::Endpoint => (text.is_empty() && version >= NetplanVersion::new(1, 0)) || is_endpoint(text),
            Self::Controller => is_controller(text),
            Self::FormatVersion => leading_number(text) == Some(2),
            Self::Lifetime => text == "0" || text.eq_ignore_ascii_case("forever"),
        }
    }

    /// What to write, for messages.
    pub(crate) fn wanted(self, version: NetplanVersion) -> String {
        match self {
            Self::Text | Self::Secret => "a text".to_owned(),
            Self::Flag => "true or false".to_owned(),
            Self::FlagOr(word) => format!("true, false or {word}"),
            Self::Number(u32::MAX) => "a whole number".to_owned(),
            Self::Number(largest) => format!("a whole number up to {largest}"),
            Self::Word(words) | Self::WordSince(_, words) => {
                let words = words.iter().filter(|word| word.since <= version).map(|word| word.word);
                one_of(&words.collect::<Vec<_>>())
            }
            Self::WordInAnyCase(words) => one_of(words),
            Self::Name => "a name of letters, digits and punctuation, without spaces".to_owned(),
            Self::Mac => "six pairs of hexadecimal digits with colons, as in 02:64:10:00:00:21".to_owned(),
            Self::SetMac if version >= MAC_POLICIES_SINCE => {
                "six pairs of hexadecimal digits with colons, or permanent or random".to_owned()
            }
            Self::SetMac => Self::Mac.wanted(version),
            Self::Driver => "a name without spaces".to_owned(),
            Self::Address4 => "an IPv4 address without a prefix length, as in 10.64.10.1".to_owned(),
            Self::Address6 => "an IPv6 address without a prefix length, as in fd64:10::1".to_owned(),
            Self::Address => "an address without a prefix length, as in 10.64.10.1".to_owned(),
            Self::Network => "an address or a network, as in 10.64.10.1 or 10.64.96.0/20".to_owned(),
            Self::Destination => "a network, as in 10.64.96.0/20, or default".to_owned(),
            Self::Endpoint => "a host and a port, as in 10.64.10.1:51820".to_owned(),
            Self::Controller => "a target, as in tcp:10.64.10.1:6653 or unix:/run/controller".to_owned(),
            Self::FormatVersion => "2".to_owned(),
            Self::Lifetime => "0 or forever".to_owned(),
        }
    }

    /// Whether the value may be shown.
    pub(crate) fn is_confidential(self) -> bool {
        matches!(self, Self::Secret)
    }
}

fn one_of(words: &[&str]) -> String {
    match words {
        [only] => (*only).to_owned(),
        [first, second] => format!("{first} or {second}"),
        _ => format!("one of {}", words.join(", ")),
    }
}

fn is_flag(text: &str) -> bool {
    ["true", "on", "yes", "y", "false", "off", "no", "n"].iter().any(|word| text.eq_ignore_ascii_case(word))
}

fn is_sign(character: char) -> bool {
    character.is_ascii_punctuation() || (!character.is_ascii() && !character.is_whitespace())
}

/// A number as netplan reads it, which takes nothing at all for 0.
pub(crate) fn number(text: &str) -> Option<u64> {
    let text = text.trim_start_matches([' ', '\t', '\n', '\u{b}', '\u{c}', '\r']);
    if text.is_empty() {
        return Some(0);
    }
    let digits = text.strip_prefix('+').unwrap_or(text);
    let is_digits = !digits.is_empty() && digits.bytes().all(|byte| byte.is_ascii_digit());
    // One that is too large for the reader is too large for every key.
    is_digits.then(|| digits.parse().unwrap_or(u64::MAX))
}

/// The number that a text begins with.
pub(crate) fn leading_number(text: &str) -> Option<u64> {
    let text = text.trim_start();
    let text = text.strip_prefix('+').unwrap_or(text);
    let digits = text.bytes().take_while(u8::is_ascii_digit).count();
    text.get(..digits)?.parse().ok()
}

/// A text up to its last slash.
pub(crate) fn without_length(text: &str) -> &str {
    text.rsplit_once('/').map_or(text, |(address, _)| address)
}

fn is_mac(text: &str) -> bool {
    let pairs = text.split(':');
    let are_pairs =
        pairs.clone().all(|pair| pair.len() == 2 && pair.bytes().all(|byte| byte.is_ascii_hexdigit()));
    are_pairs && matches!(pairs.count(), 6 | 20)
}

fn is_hostname(text: &str) -> bool {
    let is_label = |label: &str| {
        !label.is_empty()
            && !label.starts_with('-')
            && !label.ends_with('-')
            && label.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-')
    };
    text.split('.').all(is_label)
}

fn is_endpoint(text: &str) -> bool {
    if text.len() < 3 {
        return false;
    }
    let (host, port) = match text.strip_prefix('[') {
        Some(rest) => {
            let Some((host, behind)) = rest.rsplit_once(']') else { return false };
            (host, behind.rsplit_once(':').map(|(_, port)| port))
        }
        None => match text.rsplit_once(':') {
            Some((host, port)) => (host, Some(port)),
            None => return false,
        },
    };
    let Some(port) = port else { return false };
    leading_number(port).unwrap_or(0) <= 65535 && (host.parse::<IpAddr>().is_ok() || is_hostname(host))
}

fn is_controller(text: &str) -> bool {
    let Some((scheme, rest)) = text.split_once(':') else { return false };
    let is_port = |port: &str| leading_number(port).is_some_and(|port| (1..=65535).contains(&port));
    let is_address = |host: &str| {
        let host = host.split_once('%').map_or(host, |(host, _)| host);
        host.parse::<IpAddr>().is_ok()
    };
    match scheme {
        "unix" | "punix" => true,
        "tcp" | "ssl" => match rest.strip_prefix('[') {
            Some(rest) => match rest.split_once("]:") {
                Some((host, port)) => is_address(host) && is_port(port),
                None => is_address(rest.trim_end_matches(']')),
            },
            None => match rest.split_once(':') {
                Some((host, port)) => is_address(host) && is_port(port),
                None => is_address(rest),
            },
        },
        "ptcp" | "pssl" => match rest.split_once(':') {
            None => rest.is_empty() || is_port(rest),
            Some((port, host)) => is_port(port) && is_address(host.trim_matches(['[', ']'])),
        },
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const BOOKWORM: NetplanVersion = NetplanVersion::new(0, 106);
    const TRIXIE: NetplanVersion = NetplanVersion::new(1, 1);

    #[test]
    fn values_are_taken_as_netplan_takes_them() {
        let cases: &[(Kind, &[&str], &[&str])] = &[
            (Kind::Flag, &["true", "On", "YES", "n"], &["1", "enabled", "", "tru", "~"]),
            (
                Kind::Number(u32::MAX),
                &["0", "", " 7", "4294967295"],
                &["-1", "4294967296", "0x10", "1.5", "7 ", "99999999999999999999"],
            ),
            (Kind::Number(255), &["255"], &["256"]),
            (Kind::Name, &["eth0", "a:b", "*"], &["", "two words", "tab\there"]),
            (Kind::Mac, &["02:64:10:00:00:2A"], &["02-64-10-00-00-2a", "02:64:10:00:00", "", "permanent"]),
            (Kind::Address4, &["10.64.10.1"], &["10.64.10", "10.64.10.1/24", "010.64.10.1", "fd64::1"]),
            (Kind::Network, &["10.64.10.1", "10.64.10.1/24", "fd64::/99999"], &["default", "", "/24"]),
            (Kind::Destination, &["default", "10.64.0.0/12"], &["Default", "anywhere"]),
            (
                Kind::Endpoint,
                &["10.64.10.1:51820", "[fd64::1]:5", "clock.capovetro.example:1"],
                &["h:", "10.64.10.1", "10.64.10.1:65536", "a_b:1"],
            ),
            (
                Kind::Controller,
                &["tcp:10.64.10.1", "ssl:[fd64::1]:6653", "ptcp:", "ptcp:6653:10.64.10.1", "unix:/run/x"],
                &["10.64.10.1", "tcp:host", "udp:10.64.10.1", "ptcp:0"],
            ),
            (Kind::FormatVersion, &["2", "2.0"], &["1", "3", "", "two"]),
            (Kind::Lifetime, &["0", "Forever"], &["1", "never"]),
        ];
        for (kind, taken, refused) in cases {
            for text in *taken {
                assert!(kind.takes(text, BOOKWORM), "{kind:?} {text}");
            }
            for text in *refused {
                assert!(!kind.takes(text, BOOKWORM), "{kind:?} {text}");
            }
        }
        assert!(Kind::SetMac.takes("random", TRIXIE) && !Kind::SetMac.takes("random", BOOKWORM));
        assert!(Kind::FlagOr("route").takes("Route", TRIXIE) && !Kind::FlagOr("route").takes("ways", TRIXIE));
    }
}
