//! Hosts that run in step, which a sheet has as one entry with a pattern.

use std::net::IpAddr;

use ipnet::IpNet;

use super::found_host::{FoundHost, FoundLink};

/// The hosts in groups, each of which runs in step: names and addresses count up by one, and everything else is the same.
pub(crate) fn groups(hosts: &[FoundHost]) -> Vec<&[FoundHost]> {
    hosts.chunk_by(follows).collect()
}

/// The name of a group: that of its only host, or a pattern.
pub(crate) fn name_of(group: &[FoundHost]) -> Option<String> {
    let (first, last) = (group.first()?, group.last()?);
    if group.len() == 1 {
        return first.name.clone();
    }
    let (stem, from, width) = numbered(first.name.as_deref()?)?;
    let (_, to, _) = numbered(last.name.as_deref()?)?;
    Some(format!("{stem}{{{from:0width$}..{to:0width$}}}"))
}

/// A name as its stem, its number, and how many digits that has.
fn numbered(name: &str) -> Option<(&str, u64, usize)> {
    let digits = name.bytes().rev().take_while(u8::is_ascii_digit).count();
    let (stem, number) = name.split_at_checked(name.len() - digits)?;
    Some((stem, number.parse().ok()?, digits))
}

/// Whether a host is the next one after another.
fn follows(one: &FoundHost, next: &FoundHost) -> bool {
    let (Some(name), Some(next_name)) = (&one.name, &next.name) else { return false };
    let (Some((stem, number, width)), Some((next_stem, next_number, next_width))) =
        (numbered(name), numbered(next_name))
    else {
        return false;
    };
    // A number that grows by a digit has no leading zeros.
    let has_width =
        width == next_width || (!name.ends_with(&format!("0{number}")) && next_width == width + 1);
    let is_next = stem == next_stem && next_number == number + 1 && has_width;
    let without_links = |host: &FoundHost| FoundHost {
        name: None,
        from: String::new(),
        links: Vec::new(),
        left_out: Vec::new(),
        ..host.clone()
    };
    is_next
        && without_links(one) == without_links(next)
        && one.links.len() == next.links.len()
        && one.links.iter().zip(&next.links).all(|(link, next)| link_follows(link, next))
}

fn link_follows(one: &FoundLink, next: &FoundLink) -> bool {
    let without_addresses = |link: &FoundLink| FoundLink { addresses: Vec::new(), ..link.clone() };
    one.mac.is_none()
        && one.routes.is_empty()
        && one.addresses.len() <= 2
        && without_addresses(one) == without_addresses(next)
        && one.addresses.len() == next.addresses.len()
        && one.addresses.iter().zip(&next.addresses).all(|(one, next)| is_successor(*one, *next))
}

fn is_successor(one: IpNet, next: IpNet) -> bool {
    let is_one_more = match (one.addr(), next.addr()) {
        (IpAddr::V4(one), IpAddr::V4(next)) => u32::from(one).checked_add(1) == Some(u32::from(next)),
        (IpAddr::V6(one), IpAddr::V6(next)) => u128::from(one).checked_add(1) == Some(u128::from(next)),
        _ => false,
    };
    is_one_more && one.trunc() == next.trunc()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn host(name: &str, address: &str) -> FoundHost {
        let link = FoundLink {
            name: "eth0".to_owned(),
            addresses: vec![address.parse().unwrap()],
            ..FoundLink::default()
        };
        FoundHost { name: Some(name.to_owned()), links: vec![link], ..FoundHost::default() }
    }

    #[test]
    fn hosts_that_count_up_together_are_one_group() {
        let hosts = [
            host("gauge-09", "10.64.10.19/24"),
            host("gauge-10", "10.64.10.20/24"),
            host("gauge-11", "10.64.10.21/24"),
            host("gauge-12", "10.64.10.40/24"),
            host("tower", "10.64.10.41/24"),
        ];
        let groups = groups(&hosts);
        let names: Vec<Option<String>> = groups.iter().map(|group| name_of(group)).collect();
        let expected = ["gauge-{09..11}", "gauge-12", "tower"].map(|name| Some(name.to_owned()));
        assert_eq!(names, expected);
    }

    #[test]
    fn one_that_differs_is_apart() {
        let mut other = host("gauge-2", "10.64.10.12/24");
        other.timezone = Some("Etc/UTC".to_owned());
        assert_eq!(groups(&[host("gauge-1", "10.64.10.11/24"), other]).len(), 2);
    }
}
