//! How sure a meaning is: a promise of how often it is right.

use super::meaning::{Meaning, UNDERSTOOD};
use super::reading::SignSeen;
use super::texts::{FOREIGN, Texts};
use super::vocabulary::Spoken;
use super::weighed::{Mark, Weighed};

/// The most that a single sign is worth, where a mistake costs a first boot.
pub(super) const OF_ONE_SIGN: f64 = 0.79;

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
        return confidence_of_other(chance, texts, weighed);
    }
    if weighed.is(Mark::FormOpen) && meaning == Meaning::Address {
        return chance.min(OF_ONE_SIGN);
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

/// How sure it is that a property wants none of the meanings: by where something else was understood. Where nothing was,
/// it is not known what the property wants.
fn confidence_of_other(chance: f64, texts: &Texts, weighed: &Weighed) -> f64 {
    let most = if is_of_another_kind(&texts.label) {
        0.97
    } else if weighed.is(Mark::Understood) || is_of_another_kind(&texts.name) {
        0.9
    } else if is_of_another_kind(&texts.sentence) || !weighed.signs.is_empty() {
        0.75
    } else {
        return OF_NOTHING;
    };
    (1.0 - chance).clamp(UNDERSTOOD, most)
}

/// Whether a text mentions something that is known and has no meaning here.
fn is_of_another_kind(spoken: &Spoken) -> bool {
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
        "hash",
    ];
    KNOWN.iter().chain(FOREIGN).any(|concept| spoken.has(concept))
}
