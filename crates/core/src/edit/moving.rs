//! An address moved from one prefix to another by its host number, and the texts that hold it, each in its own spelling.

use std::net::{IpAddr, Ipv6Addr};

use impostazione_net::{Family, dotted_mask, parse_address, parse_mask};
use ipnet::IpNet;

/// A subnet's move from one prefix to another.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Move {
    pub(super) old: IpNet,
    pub(super) new: IpNet,
}

/// Why a text that has to be moved cannot be, as the end of a sentence that begins with the text.
pub(super) type Reason = String;

impl Move {
    /// Where an address is after the move; the same for one outside the old prefix.
    pub(super) fn address(self, address: IpAddr) -> Result<IpAddr, Reason> {
        if !self.old.contains(&address) {
            return Ok(address);
        }
        let number = number_of(address) - number_of(self.old.network());
        let room = u32::from(self.new.max_prefix_len() - self.new.prefix_len());
        if room < 128 && number >> room != 0 {
            return Err(format!("has host number {number}, which is not in {}", self.new));
        }
        Ok(address_of(Family::of(address), number_of(self.new.network()) + number))
    }

    /// Where a network is after the move; the same for one that is not a part of the old prefix.
    pub(super) fn network(self, network: IpNet) -> Result<IpNet, Reason> {
        if network == self.old {
            return Ok(self.new);
        }
        if !self.old.contains(&network) {
            return Ok(network);
        }
        let moved = IpNet::new(self.address(network.network())?, network.prefix_len())
            .map_err(|error| error.to_string())?;
        self.address(network.broadcast())?;
        if self.new.contains(&moved) && moved.trunc() == moved {
            Ok(moved)
        } else {
            Err(format!("is a part of {} that has no like in {}", self.old, self.new))
        }
    }

    /// A text that is an address, or an address and a mask, perhaps with a pattern in braces. Nothing for anything else.
    pub(super) fn address_text(self, text: &str) -> Option<Result<String, Reason>> {
        let (address, mask) = match text.split_once('/') {
            Some((address, mask)) => (address, Some(mask)),
            None => (text, None),
        };
        let is_moved = self.is_of_old(address)?;
        let moved = if is_moved { self.spelled(address) } else { Ok(address.to_owned()) };
        let Some(mask) = mask else { return Some(moved) };
        let length = parse_mask(mask, Family::of(self.old.addr())).ok();
        let is_whole = is_moved && length == Some(self.old.prefix_len());
        let mask = if is_whole { self.mask(mask) } else { Ok(mask.to_owned()) };
        Some(moved.and_then(|moved| Ok(format!("{moved}/{}", mask?))))
    }

    /// A text that is a range of addresses, or one.
    pub(super) fn range_text(self, text: &str) -> Option<Result<String, Reason>> {
        let Some(hyphen) = text.find('-') else { return self.address_text(text) };
        let (first, last) = (text.get(..hyphen)?, text.get(hyphen + 1..)?);
        let (start, end) = (first.trim_end(), last.trim_start());
        let blanks = text.get(start.len()..text.len() - end.len())?;
        let (start, end) = (self.address_text(start)?, self.address_text(end)?);
        Some(start.and_then(|start| Ok(format!("{start}{blanks}{}", end?))))
    }

    /// A text that is a network, or a single address.
    pub(super) fn network_text(self, text: &str) -> Option<Result<String, Reason>> {
        let Some((address, mask)) = text.split_once('/') else { return self.address_text(text) };
        let family = Family::of(self.old.addr());
        let parsed = parse_address(address, Some(family)).ok()?;
        let network = IpNet::new(parsed, parse_mask(mask, family).ok()?).ok()?;
        Some(self.network(network).and_then(|moved| {
            if moved == network {
                return Ok(text.to_owned());
            }
            let mask = if network == self.old { self.mask(mask)? } else { mask.to_owned() };
            Ok(format!("{}/{mask}", respelled(address, parsed, moved.network())?))
        }))
    }

    /// A mask of the new prefix in the spelling of one of the old.
    fn mask(self, mask: &str) -> Result<String, Reason> {
        let (old, new) = (self.old.prefix_len(), self.new.prefix_len());
        if old == new {
            return Ok(mask.to_owned());
        }
        let spellings = |length: u8| {
            let dotted = dotted_mask(length);
            [length.to_string(), dotted.to_string(), format!("{:#010x}", dotted.to_bits())]
        };
        let is_of_v4 = self.old.addr().is_ipv4();
        let at =
            spellings(old).iter().position(|spelling| spelling == mask).filter(|at| *at == 0 || is_of_v4);
        match at.and_then(|at| spellings(new).into_iter().nth(at)) {
            Some(spelled) => Ok(spelled),
            None => Err(format!("has the mask {mask} in a spelling that cannot be kept: write it as /{old}")),
        }
    }

    /// Whether a text is an address of the old prefix, or a pattern that makes some; nothing where it is no address at all.
    fn is_of_old(self, text: &str) -> Option<bool> {
        if let Ok(address) = parse_address(text, None) {
            return Some(self.old.contains(&address));
        }
        match Shape::of(text)? {
            Shape::Whole { first, last } => Some(self.old.contains(&first) || self.old.contains(&last)),
            // Every address of a pattern begins alike.
            Shape::Tail { base, .. } => Some(self.old.contains(&base) || is_within_tail(base, self.old)),
        }
    }

    /// An address of the old prefix, or a pattern that makes some, after the move.
    fn spelled(self, text: &str) -> Result<String, Reason> {
        if let Ok(address) = parse_address(text, None) {
            return respelled(text, address, self.address(address)?);
        }
        let cannot = || "is a pattern that cannot be moved: write each address, or host numbers".to_owned();
        match Shape::of(text).ok_or_else(cannot)? {
            Shape::Whole { first, last } => {
                let (start, end) = (self.address(first)?, self.address(last)?);
                let inside = text.trim_matches(['{', '}']);
                let (from, to) = inside.split_once("..").ok_or_else(cannot)?;
                Ok(format!("{{{}..{}}}", respelled(from, first, start)?, respelled(to, last, end)?))
            }
            Shape::Tail { head, base, tail } if !self.old.contains(&base) => {
                self.counted(head, base, tail).ok_or_else(cannot)?
            }
            Shape::Tail { head, base, tail } => {
                let moved = self.address(base)?;
                let is_kept = match (base, moved) {
                    (IpAddr::V4(_), IpAddr::V4(moved)) => {
                        let octets = 4 - head.matches('.').count();
                        moved.to_bits().trailing_zeros() >= u32::try_from(octets * 8).unwrap_or(32)
                    }
                    (_, IpAddr::V6(moved)) => moved.segments()[7] == 0,
                    _ => false,
                };
                if is_kept {
                    return Ok(format!("{}{tail}", head_of(head, base, moved).ok_or_else(cannot)?));
                }
                self.counted(head, base, tail).ok_or_else(cannot)?
            }
        }
    }

    /// A pattern of one range as the last part of an IPv4 address, whose numbers are others after the move.
    fn counted(self, head: &str, base: IpAddr, tail: &str) -> Option<Result<String, Reason>> {
        let IpAddr::V4(base) = base else { return None };
        if head.matches('.').count() != 3 {
            return None;
        }
        let (first, last) = tail.strip_prefix('{')?.strip_suffix('}')?.split_once("..")?;
        let number = |text: &str| text.parse::<u8>().ok().filter(|number| number.to_string() == text);
        let (first, last) = (number(first)?, number(last)?);
        let at = |number: u8| self.address(IpAddr::V4((base.to_bits() + u32::from(number)).into()));
        let (first, last) = match (at(first), at(last)) {
            (Ok(IpAddr::V4(first)), Ok(IpAddr::V4(last))) => (first.octets(), last.octets()),
            (Err(reason), _) | (_, Err(reason)) => return Some(Err(reason)),
            _ => return None,
        };
        if first[..3] != last[..3] || first[3] > last[3] {
            return None;
        }
        let [a, b, c, from] = first;
        Some(Ok(format!("{a}.{b}.{c}.{{{from}..{}}}", last[3])))
    }
}

/// How a pattern makes addresses.
enum Shape<'a> {
    /// `{10.64.32.11..10.64.35.250}`
    Whole { first: IpAddr, last: IpAddr },
    /// The part before the first brace, up to the last sign between parts, the address that it makes with zeros behind it,
    /// and the rest, which is the end of the address.
    Tail { head: &'a str, base: IpAddr, tail: &'a str },
}

impl<'a> Shape<'a> {
    fn of(text: &'a str) -> Option<Self> {
        if text.contains("{{") || text.contains("}}") {
            return None;
        }
        if let Some((first, last)) = text
            .strip_prefix('{')
            .and_then(|inner| inner.strip_suffix('}'))
            .and_then(|inner| inner.split_once(".."))
            && let (Ok(first), Ok(last)) = (parse_address(first, None), parse_address(last, None))
        {
            return Some(Self::Whole { first, last });
        }
        let before = text.get(..text.find('{')?)?;
        let cut = before.rfind(['.', ':'])? + 1;
        let (head, tail) = text.split_at(cut);
        let base = if head.ends_with('.') {
            let missing = 4_usize.checked_sub(head.matches('.').count())?;
            format!("{head}{}", vec!["0"; missing].join("."))
        } else if tail.contains(':') {
            return None;
        } else {
            format!("{head}0")
        };
        let base = parse_address(&base, None).ok()?;
        Some(Self::Tail { head, base, tail })
    }
}

/// Whether a prefix lies among the addresses that a pattern with this base can make in its last part.
fn is_within_tail(base: IpAddr, prefix: IpNet) -> bool {
    let length = if base.is_ipv4() { 24 } else { 112 };
    IpNet::new(base, length).is_ok_and(|around| around.trunc().contains(&prefix))
}

/// The beginning of a pattern after the move, where everything behind it stays as it is.
fn head_of(head: &str, base: IpAddr, moved: IpAddr) -> Option<String> {
    let usual = |address: IpAddr, dots: usize| match address {
        IpAddr::V4(v4) => {
            let octets = v4.octets().map(|octet| octet.to_string());
            format!("{}.", octets.get(..dots).unwrap_or_default().join("."))
        }
        IpAddr::V6(v6) => {
            let text = v6.to_string();
            if text.ends_with("::") { text } else { text.strip_suffix('0').unwrap_or(&text).to_owned() }
        }
    };
    let dots = head.matches('.').count();
    (usual(base, dots) == head).then(|| usual(moved, dots))
}

/// An address in the spelling of another: the usual one (RFC 5952), or else with as many groups, digits and capitals.
fn respelled(text: &str, old: IpAddr, new: IpAddr) -> Result<String, Reason> {
    if old == new {
        return Ok(text.to_owned());
    }
    if text == old.to_string() {
        return Ok(new.to_string());
    }
    let (IpAddr::V6(_), IpAddr::V6(new)) = (old, new) else { return Ok(new.to_string()) };
    let spelled = in_groups(text, new).filter(|spelled| spelled.parse() == Ok(new));
    spelled.ok_or_else(|| format!("is in a spelling that cannot be kept: write it as {old}"))
}

fn in_groups(text: &str, new: Ipv6Addr) -> Option<String> {
    if text.contains('.') {
        return None;
    }
    let segments = new.segments();
    let is_large = text.contains(|c: char| c.is_ascii_uppercase());
    let write = |group: &str, segment: u16| {
        let width = if group.starts_with('0') && group.len() > 1 { group.len() } else { 1 };
        if is_large { format!("{segment:0width$X}") } else { format!("{segment:0width$x}") }
    };
    let groups = |part: &str| -> Vec<String> {
        if part.is_empty() { Vec::new() } else { part.split(':').map(str::to_owned).collect() }
    };
    let (front, back) = text.split_once("::").unwrap_or((text, ""));
    let (front, back) = (groups(front), groups(back));
    let first_of_back = 8_usize.checked_sub(back.len())?;
    let write_all = |groups: &[String], from: usize| -> String {
        let written = groups.iter().zip(segments.get(from..).unwrap_or_default());
        written.map(|(group, segment)| write(group, *segment)).collect::<Vec<_>>().join(":")
    };
    let between = if text.contains("::") { "::" } else { "" };
    Some(format!("{}{between}{}", write_all(&front, 0), write_all(&back, first_of_back)))
}

fn number_of(address: IpAddr) -> u128 {
    match address {
        IpAddr::V4(v4) => u128::from(v4.to_bits()),
        IpAddr::V6(v6) => v6.to_bits(),
    }
}

fn address_of(family: Family, number: u128) -> IpAddr {
    match family {
        Family::V4 => IpAddr::V4(u32::try_from(number).unwrap_or(u32::MAX).into()),
        Family::V6 => IpAddr::V6(number.into()),
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn of(old: &str, new: &str) -> Move {
        Move { old: old.parse().unwrap(), new: new.parse().unwrap() }
    }

    fn moved(step: Move, text: &str) -> String {
        match step.range_text(text) {
            Some(Ok(text)) => text,
            Some(Err(reason)) => format!("! {reason}"),
            None => "?".to_owned(),
        }
    }

    #[test]
    fn addresses_keep_their_host_number_and_their_spelling() {
        let quay = of("10.64.10.0/24", "10.99.4.0/24");
        let wide = of("10.64.10.0/24", "10.99.0.0/16");
        let part = of("10.64.10.0/24", "10.99.4.64/26");
        let quay6 = of("fd64:10::/64", "fd99:4:0:7::/64");
        for (step, text, expected) in [
            (quay, "10.64.10.11", "10.99.4.11"),
            (quay, "10.64.11.11", "10.64.11.11"),
            (quay, "10.64.10.31/255.255.255.0", "10.99.4.31/255.255.255.0"),
            (wide, "10.64.10.31/255.255.255.0", "10.99.0.31/255.255.0.0"),
            (wide, "10.64.10.31/0xffffff00", "10.99.0.31/0xffff0000"),
            (
                wide,
                "10.64.10.31/0xFFFFFF00",
                "! has the mask 0xFFFFFF00 in a spelling that cannot be kept: write it as /24",
            ),
            (quay, "10.64.10.200 - 10.64.10.239", "10.99.4.200 - 10.99.4.239"),
            (quay, "10.64.10.{11..16}", "10.99.4.{11..16}"),
            (quay, "10.64.10.1{1..6}", "10.99.4.1{1..6}"),
            (quay, "10.64.{10..12}.1", "10.64.{10..12}.1"),
            (quay, "10.64.10.{number}/24", "10.99.4.{number}/24"),
            (quay, "{10.64.10.11..10.64.10.250}", "{10.99.4.11..10.99.4.250}"),
            (part, "10.64.10.{11..16}", "10.99.4.{75..80}"),
            (
                part,
                "10.64.10.1{1..6}",
                "! is a pattern that cannot be moved: write each address, or host numbers",
            ),
            (part, "10.64.10.64", "! has host number 64, which is not in 10.99.4.64/26"),
            (of("10.64.10.64/26", "10.64.10.0/26"), "10.64.10.{70..80}", "10.64.10.{6..16}"),
            (quay6, "fd64:10::11", "fd99:4:0:7::11"),
            (quay6, "fd64:10::{0x11..0x16}", "fd99:4:0:7::{0x11..0x16}"),
            (quay6, "FD64:0010::0011", "! is in a spelling that cannot be kept: write it as fd64:10::11"),
            (quay6, "fd64:0010:0:0000::11", "fd99:0004:0:0007::11"),
            (quay6, "fd64:10:0:0:0:0:0:11", "fd99:4:0:7:0:0:0:11"),
            (quay, "clock.capovetro.example", "?"),
            (quay, "none", "?"),
            (quay, "", "?"),
        ] {
            assert_eq!(moved(step, text), expected, "{text}");
        }
    }

    #[test]
    fn networks_move_with_the_prefix_that_they_are_a_part_of() {
        let step = of("10.64.96.0/20", "10.99.16.0/20");
        let other = |text: &str| step.network_text(text).unwrap().unwrap();
        for (text, expected) in [
            ("10.64.96.0/20", "10.99.16.0/20"),
            ("10.64.96.0/255.255.240.0", "10.99.16.0/255.255.240.0"),
            ("10.64.98.0/24", "10.99.18.0/24"),
            ("10.64.0.0/16", "10.64.0.0/16"),
            ("10.65.0.0/24", "10.65.0.0/24"),
            ("10.64.97.5", "10.99.17.5"),
        ] {
            assert_eq!(other(text), expected, "{text}");
        }
        assert!(step.network_text("breakwater").is_none());
        let narrow = of("10.64.96.0/20", "10.99.16.0/24");
        assert!(narrow.network_text("10.64.98.0/24").unwrap().is_err());
    }

    proptest! {
        #[test]
        fn there_and_back_is_the_same(
            host in 1_u32..254,
            old in 0_u32..0x00ff_ffff,
            new in 0_u32..0x00ff_ffff,
            shape in 0_usize..5,
        ) {
            let net = |number: u32| IpNet::new(IpAddr::V4((number << 8).into()), 24).unwrap();
            let there = Move { old: net(old), new: net(new) };
            let address = IpAddr::V4(((old << 8) + host).into()).to_string();
            let (head, _) = address.rsplit_once('.').unwrap();
            let text = match shape {
                0 => address.clone(),
                1 => format!("{address}/24"),
                2 => format!("{head}.{{1..{host}}}"),
                3 => format!("{address}-{address}"),
                _ => format!("{{{head}.1..{address}}}"),
            };
            let moved = there.range_text(&text).unwrap().unwrap();
            let back = Move { old: there.new, new: there.old };
            prop_assert_eq!(back.range_text(&moved).unwrap().unwrap(), text);
        }

        #[test]
        fn no_text_makes_it_panic(text in "[{}.0-9a-f:/ -]{0,24}|\\PC{0,12}") {
            for step in [of("10.64.10.0/24", "10.99.0.64/26"), of("fd64:10::/64", "fd64::/16"), of("::/0", "fd64::/16")] {
                let _ = (step.range_text(&text), step.network_text(&text));
            }
        }
    }
}
