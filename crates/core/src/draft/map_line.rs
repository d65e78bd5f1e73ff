//! A subnet's addresses in a few words: who has which, and the next that are free.

use std::net::IpAddr;

use impostazione_net::Family;
use ipnet::IpNet;

use crate::machine::Site;
use crate::views::subnet_map::{AddressMap, AddressPurpose};

/// The most addresses that are looked at.
const MOST: usize = 4096;

/// Whether a prefix has more addresses than are looked at.
fn is_large(prefix: IpNet) -> bool {
    prefix.max_prefix_len() - prefix.prefix_len() > 12
}

/// What the addresses of a prefix are used for, and the next free one. Runs of equal use are one.
pub(super) fn map_line(site: &Site, prefix: IpNet) -> String {
    let map = AddressMap::new(site, prefix);
    let mut runs: Vec<(IpAddr, IpAddr, String)> = Vec::new();
    let mut add = |address: IpAddr, word: String| match runs.last_mut() {
        Some((_, last, known)) if *known == word => *last = address,
        _ => runs.push((address, address, word)),
    };
    if is_large(prefix) {
        for (address, purpose) in map.taken() {
            if let Some(word) = word_of(&purpose) {
                add(address, word);
            }
        }
    } else {
        for address in prefix.hosts().take(MOST) {
            add(address, word_of(&map.purpose(address)).unwrap_or_default());
        }
    }
    let shown: Vec<String> = runs
        .iter()
        .filter(|(_, _, word)| !word.is_empty())
        .map(|(first, last, word)| {
            if first == last {
                format!("{} {word}", short(*first))
            } else {
                format!("{}-{} {word}", short(*first), last_part(*last))
            }
        })
        .collect();
    let taken = if shown.is_empty() { "nothing is taken".to_owned() } else { shown.join(", ") };
    format!("{prefix}: {taken}")
}

fn word_of(purpose: &AddressPurpose) -> Option<String> {
    Some(match purpose {
        AddressPurpose::Free | AddressPurpose::Reserved => return None,
        AddressPurpose::Gateway { .. } => "gateway".to_owned(),
        // Machines in step are one run.
        AddressPurpose::Static { machine, .. } => {
            machine.trim_end_matches(|c: char| c.is_ascii_digit()).trim_end_matches('-').to_owned()
        }
        AddressPurpose::Shared { cluster } => format!("shared by {cluster}"),
        AddressPurpose::InUse { user } => user.clone(),
        AddressPurpose::Server { role } => (*role).to_owned(),
        AddressPurpose::Leased => "leased".to_owned(),
        AddressPurpose::KeptFree => "kept free".to_owned(),
    })
}

/// The end of an address, as people say it.
fn short(address: IpAddr) -> String {
    match address {
        IpAddr::V4(v4) => format!(".{}", v4.octets()[3]),
        IpAddr::V6(_) => address.to_string(),
    }
}

fn last_part(address: IpAddr) -> String {
    short(address)
}

/// The first of so many free addresses in a row, or the first free one.
pub(super) fn free_run(site: &Site, prefix: IpNet, count: usize) -> Option<IpAddr> {
    let map = AddressMap::new(site, prefix);
    let family = Family::of(prefix.addr());
    let (mut start, mut length) = (None, 0);
    for address in prefix.hosts().take(MOST) {
        let is_free = map.purpose(address) == AddressPurpose::Free
            && (family == Family::V4 || address != prefix.network());
        if !is_free {
            (start, length) = (None, 0);
            continue;
        }
        start = start.or(Some(address));
        length += 1;
        if length >= count {
            return start;
        }
    }
    None
}

/// Addresses in a row as a pattern: `10.64.10.{11..16}`.
pub(super) fn pattern_from(first: IpAddr, count: usize) -> String {
    if count < 2 {
        return first.to_string();
    }
    let more = u32::try_from(count - 1).unwrap_or(u32::MAX);
    match first {
        IpAddr::V4(v4) => {
            let number = u32::from(v4);
            let last = std::net::Ipv4Addr::from(number.saturating_add(more));
            let [a, b, c, d] = v4.octets();
            if last.octets()[..3] == [a, b, c] {
                format!("{a}.{b}.{c}.{{{d}..{}}}", last.octets()[3])
            } else {
                format!("{{{first}..{last}}}")
            }
        }
        IpAddr::V6(v6) => {
            let last = std::net::Ipv6Addr::from(u128::from(v6).saturating_add(u128::from(more)));
            let text = v6.to_string();
            let group = |address: std::net::Ipv6Addr| address.segments()[7];
            match text.rsplit_once(':') {
                Some((head, tail)) if !tail.is_empty() && last.segments()[..7] == v6.segments()[..7] => {
                    format!("{head}:{{0x{:x}..0x{:x}}}", group(v6), group(last))
                }
                _ => format!("{{{first}..{last}}}"),
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_in_a_row_are_one_pattern() {
        let of = |first: &str, count| pattern_from(first.parse().unwrap(), count);
        assert_eq!(of("10.64.10.11", 1), "10.64.10.11");
        assert_eq!(of("10.64.10.11", 6), "10.64.10.{11..16}");
        assert_eq!(of("10.64.10.250", 12), "{10.64.10.250..10.64.11.5}");
        assert_eq!(of("fd64:10::11", 3), "fd64:10::{0x11..0x13}");
    }
}
