//! What neighbors say of each other: an address beside a mask is the machine's own, and what stands beside an IPv6 address
//! is of IPv6.

use foldhash::{HashMap, HashMapExt, HashSet, HashSetExt};
use std::hash::Hash;
use std::net::IpAddr;

use super::form::address_form;
use super::link_names::Row;
use super::meaning::Meaning;
use super::texts::Texts;
use super::weighed::{Mark, Source, Weighed};
use crate::descriptor::Property;

const ADDRESSES: &[Meaning] = &[Meaning::Address, Meaning::Address6, Meaning::AddressWithPrefix];

/// What only a machine's own link has.
const OF_OWN_LINK: &[Meaning] = &[
    Meaning::Netmask,
    Meaning::PrefixLength,
    Meaning::PrefixLength6,
    Meaning::AddressWithPrefix,
    Meaning::Gateway,
    Meaning::Gateway6,
    Meaning::Vlan,
    Meaning::Mtu,
];

/// Whether a property is one that only a machine's own link has.
pub(super) fn is_of_own_link(weighed: &Weighed) -> bool {
    weighed.best_of(OF_OWN_LINK) >= 0.6
}

/// What makes a meaning likelier that is already likely: neighbors of these meanings.
const HELPS: &[(Meaning, &[Meaning], &str)] = &[
    (Meaning::Address, &[Meaning::Netmask, Meaning::PrefixLength], "there is a netmask next to it"),
    (Meaning::Address, &[Meaning::Gateway], "there is a gateway next to it"),
    (
        Meaning::Address6,
        &[Meaning::PrefixLength6, Meaning::Gateway6],
        "there is an IPv6 prefix or gateway next to it",
    ),
    (Meaning::AddressWithPrefix, &[Meaning::Gateway, Meaning::Gateway6], "there is a gateway next to it"),
    (Meaning::PrefixLength, &[Meaning::Address], "there is an address next to it"),
    (Meaning::PrefixLength6, &[Meaning::Address6], "there is an IPv6 address next to it"),
    (Meaning::Netmask, &[Meaning::Address], "there is an address next to it"),
    (Meaning::Gateway, &[Meaning::Address, Meaning::AddressWithPrefix], "there is an address next to it"),
    (
        Meaning::Gateway6,
        &[Meaning::Address6, Meaning::AddressWithPrefix],
        "there is an IPv6 address next to it",
    ),
];

/// Lets neighbors help each other. In a row of one link they say more than in a section that they share with others.
pub(super) fn heed_neighbors(texts: &[Texts], rows: &[Row], weighed: &mut [Weighed]) {
    let mut found = Vec::new();
    for members in grouped(rows.iter().copied()) {
        find_help(&members, texts, weighed, 0.55, &mut found);
    }
    for members in grouped(rows.iter().map(Row::without_names)) {
        // Where a section has several addresses, it cannot be told which one a mask belongs to.
        if members.iter().filter(|at| weighed[**at].best_of(ADDRESSES) >= 0.3).count() <= 1 {
            find_help(&members, texts, weighed, 0.4, &mut found);
        }
    }
    found.sort_by_key(|(at, ..)| *at);
    let mut seen = HashSet::new();
    for (at, meaning, strength, text) in found {
        if seen.insert((at, meaning, text)) {
            weighed[at].add(meaning, Source::Neighbors, strength, text.to_owned());
        }
    }
}

/// An IPv4 address with a gateway beside it and no mask may be wanted with its length.
pub(super) fn heed_missing_mask(texts: &[Texts], rows: &[Row], weighed: &mut [Weighed]) {
    const MASKS: &[Meaning] = &[Meaning::Netmask, Meaning::PrefixLength, Meaning::PrefixLength6];
    for at in (0..rows.len()).filter(|at| weighed[*at].chance(Meaning::Address) >= 0.5).collect::<Vec<_>>() {
        let is_beside = |other: &usize| {
            *other != at
                && rows[*other].without_names() == rows[at].without_names()
                && (rows[*other].names == rows[at].names || !rows[*other].has_names())
        };
        let beside: Vec<usize> = (0..rows.len()).filter(is_beside).collect();
        let has = |meanings: &[Meaning]| beside.iter().any(|other| weighed[*other].best_of(meanings) >= 0.4);
        let is_said = address_form(&texts[at].prose, &texts[at].shown).is_some();
        if !is_said && has(&[Meaning::Gateway]) && !has(MASKS) {
            weighed[at].mark(Mark::FormOpen);
            weighed[at]
                .note(Meaning::Address, "nothing asks for its mask, so it may be wanted with its length");
        }
    }
}

type Help = (usize, Meaning, f64, &'static str);

fn find_help(members: &[usize], texts: &[Texts], weighed: &[Weighed], strength: f64, found: &mut Vec<Help>) {
    for (meaning, neighbors, text) in HELPS {
        let chances: Vec<f64> = members.iter().map(|at| weighed[*at].chance(*meaning)).collect();
        if !chances.iter().any(|chance| (0.3..0.97).contains(chance)) {
            continue;
        }
        let helps: Vec<bool> = members.iter().map(|at| weighed[*at].best_of(neighbors) >= 0.6).collect();
        let helpers = helps.iter().filter(|helps| **helps).count();
        let best = Best::of(members.iter().zip(&chances).map(|(at, chance)| (*chance, texts[*at].stem())));
        for (place, (at, chance)) in members.iter().copied().zip(&chances).enumerate() {
            if !(0.3..0.97).contains(chance) || helpers == usize::from(helps[place]) {
                continue;
            }
            // Of several addresses the mask belongs to the likelier, those of one path apart.
            let has_better = best.beside(texts[at].stem()) > *chance;
            let is_another = texts[at].mention.is_of_another || weighed[at].is(Mark::Strange);
            let is_doubtful = weighed[at].is(Mark::Foreign)
                && members.iter().zip(&chances).any(|(other, likely)| *other != at && likely >= chance);
            if !has_better && !is_another && !is_doubtful {
                found.push((at, *meaning, strength, text));
            }
        }
    }
}

/// The largest chance in a row, and the largest of those with another stem than that one.
struct Best<'a> {
    chance: f64,
    stem: &'a [String],
    of_others: f64,
}

impl<'a> Best<'a> {
    fn of(row: impl Iterator<Item = (f64, &'a [String])> + Clone) -> Self {
        let none: (f64, &[String]) = (f64::MIN, &[]);
        let (chance, stem) = row.clone().fold(none, |best, next| if next.0 > best.0 { next } else { best });
        let of_others =
            row.filter(|(_, other)| *other != stem).map(|(chance, _)| chance).fold(f64::MIN, f64::max);
        Self { chance, stem, of_others }
    }

    /// The largest chance of one with another stem.
    fn beside(&self, stem: &[String]) -> f64 {
        if stem == self.stem { self.of_others } else { self.chance }
    }
}

/// The places of equal rows.
fn grouped<R: Hash + Eq>(rows: impl Iterator<Item = R>) -> Vec<Vec<usize>> {
    let mut groups: HashMap<R, Vec<usize>> = HashMap::new();
    for (at, row) in rows.enumerate() {
        groups.entry(row).or_default().push(at);
    }
    let mut groups: Vec<Vec<usize>> = groups.into_values().collect();
    groups.sort();
    groups
}

/// Where a row or the whole package mentions IPv6 alone, its address, length and gateway are of IPv6.
pub(super) fn heed_family(
    about: &str,
    properties: &[Property],
    texts: &[Texts],
    rows: &[Row],
    weighed: &mut [Weighed],
) {
    let speaks_v6 = |at: usize| {
        let text = &texts[at];
        text.name.has("ipv6") || text.sentence.has("ipv6") || text.shown.shows_family(IpAddr::is_ipv6)
    };
    let speaks_v4 = |at: usize| {
        let text = &texts[at];
        text.name.has("ipv4")
            || text.sentence.has("ipv4")
            || text.shown.shows_family(IpAddr::is_ipv4)
            || weighed[at].chance(Meaning::Netmask) >= 0.6
            || has_short_length(&properties[at])
    };
    let is_of_link =
        |at: &usize| weighed[*at].best_of(OF_OWN_LINK).max(weighed[*at].best_of(ADDRESSES)) >= 0.3;
    let all: Vec<usize> = (0..texts.len()).filter(is_of_link).collect();
    let says_so = says_ipv6_alone(about);
    // Whoever calls one property IPv6 means IPv4 by those that are not called so.
    let is_named_v6 = |at: usize| texts[at].key.has("ipv6") || texts[at].label.has("ipv6");
    let is_v6_alone = |members: &[usize]| {
        members.iter().any(|at| speaks_v6(*at))
            && !members.iter().any(|at| speaks_v4(*at) || is_named_v6(*at))
    };
    let mut of_v6: Vec<(usize, &str)> = Vec::new();
    if says_so || is_v6_alone(&all) {
        of_v6.extend(all.iter().map(|at| (*at, "the package mentions IPv6 alone")));
    }
    for members in grouped(rows.iter().copied()) {
        let of_link: Vec<usize> = members.into_iter().filter(is_of_link).collect();
        let has_address = of_link.iter().any(|at| speaks_v6(*at) && weighed[*at].best_of(ADDRESSES) >= 0.3);
        if has_address && is_v6_alone(&of_link) {
            of_v6.extend(of_link.iter().map(|at| (*at, "its neighbors are of IPv6")));
        }
    }
    for (at, text) in of_v6 {
        for (from, into) in [
            (Meaning::Address, Meaning::Address6),
            (Meaning::PrefixLength, Meaning::PrefixLength6),
            (Meaning::Gateway, Meaning::Gateway6),
        ] {
            if weighed[at].chance(from) > 0.0 {
                weighed[at].turn(from, into, text);
            }
        }
    }
    for (text, weighed) in texts.iter().zip(weighed.iter_mut()) {
        let is_v6 = text.shown.shows_family(IpAddr::is_ipv6) && !text.shown.shows_family(IpAddr::is_ipv4);
        if is_v6 && !text.name.has("ipv4") {
            for (from, into) in [(Meaning::Address, Meaning::Address6), (Meaning::Gateway, Meaning::Gateway6)]
            {
                if weighed.chance(from) > weighed.chance(into) {
                    weighed.turn(from, into, "its text shows an IPv6 address");
                }
            }
        }
    }
}

/// Whether a default is the length of an IPv4 prefix: one of IPv6 is longer.
fn has_short_length(property: &Property) -> bool {
    let default = property.base_default.as_deref().unwrap_or_default();
    default.trim().parse::<u8>().is_ok_and(|length| (8..=31).contains(&length))
}

/// Whether what a package says of itself leaves no room for IPv4.
fn says_ipv6_alone(about: &str) -> bool {
    let about = super::words::plain(about).to_lowercase();
    [
        "ipv6 only",
        "ipv6-only",
        "only ipv6",
        "ipv6 alone",
        "no ipv4",
        "not speak ipv4",
        "not use ipv4",
        "without ipv4",
        "not support ipv4",
        "nur ipv6",
        "kein ipv4",
        "ohne ipv4",
        "solo ipv6",
        "soltanto ipv6",
        "senza ipv4",
        "uniquement ipv6",
        "seulement ipv6",
        "sans ipv4",
        "sin ipv4",
        "alleen ipv6",
        "geen ipv4",
        "zonder ipv4",
        "apenas ipv6",
        "sem ipv4",
        "tylko ipv6",
        "bez ipv4",
    ]
    .into_iter()
    .any(|words| about.contains(words))
}
