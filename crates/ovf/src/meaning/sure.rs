//! How sure a meaning is: a promise of how often it is right.

use super::decide::SignSeen;
use super::meaning::Meaning;
use super::texts::{FOREIGN, Texts};
use super::weighed::Weighed;

/// The most that a single sign is worth, where a mistake costs a first boot.
const OF_ONE_SIGN: f64 = 0.79;

/// The most that is said of a property in which nothing was understood.
const OF_NOTHING: f64 = 0.4;

/// What is acted upon only where two signs agree that do not depend on each other.
const NEEDS_TWO: &[Meaning] = &[
    Meaning::Address,
    Meaning::Address6,
    Meaning::AddressWithPrefix,
    Meaning::Netmask,
    Meaning::PrefixLength,
    Meaning::PrefixLength6,
    Meaning::Gateway,
    Meaning::Gateway6,
    Meaning::Password,
];

/// How sure a meaning is, from its chance and from what it rests on.
pub(super) fn confidence_of(meaning: Meaning, chance: f64, texts: &Texts, weighed: &mut Weighed) -> f64 {
    if meaning == Meaning::Other {
        let is_understood = weighed.is_understood || !weighed.signs.is_empty() || is_of_another_kind(texts);
        return if is_understood { (1.0 - chance).max(0.5) } else { OF_NOTHING };
    }
    if NEEDS_TWO.contains(&meaning) && weighed.sources(meaning) < 2 && chance > OF_ONE_SIGN {
        weighed.signs.push(SignSeen {
            text: "a single sign is not enough for it".to_owned(),
            meaning,
            after: OF_ONE_SIGN,
        });
        return OF_ONE_SIGN;
    }
    chance
}

/// Whether the name mentions something that is known and has no meaning here.
fn is_of_another_kind(texts: &Texts) -> bool {
    const KNOWN: &[&str] = &[
        "minimum",
        "maximum",
        "policy",
        "age",
        "attempts",
        "hint",
        "file",
        "url",
        "port",
        "interval",
        "confirm",
        "token",
        "description",
        "certificate",
        "count",
        "bgp",
        "obsolete",
        "hidden",
        "telephony",
    ];
    let spoken = texts.name.with(&texts.sentence);
    KNOWN.iter().chain(FOREIGN).any(|concept| spoken.has(concept))
}
