//! Which link, account or position each property is about, among all of its machine.

use super::decide::{Reading, SignSeen};
use super::texts::Texts;
use super::words::{Spoken, words_of};
use super::{LinkHint, Meaning, Signs, subject};
use crate::ovf::{Property, VirtualSystem};

/// Words of the package's own networks, and words that say nothing of a link, since they are the product's.
pub(super) struct NetworkWords {
    pub(super) networks: Vec<String>,
    pub(super) of_product: Spoken,
}

impl NetworkWords {
    pub(super) fn of(system: &VirtualSystem, signs: &Signs) -> Self {
        let is_own = |word: &String| {
            word.len() > 2 && !matches!(word.as_str(), "network" | "net" | "netz" | "rete" | "adapter")
        };
        let mut networks: Vec<String> =
            system.hardware.adapters.iter().flat_map(|name| words_of(name)).filter(is_own).collect();
        networks.dedup();
        // A word of all networks tells none from another.
        let count = |word: &String| {
            system.hardware.adapters.iter().filter(|name| words_of(name).contains(word)).count()
        };
        networks.retain(|word| count(word) == 1);
        let mut classes: Vec<&str> =
            system.properties.iter().map(|property| property.class.as_str()).collect();
        classes.dedup();
        let only_class = if let [only] = classes.as_slice() { *only } else { "" };
        let of_product = format!("{} {only_class}", system.product.name);
        Self { networks, of_product: signs.vocabulary.read(&of_product) }
    }

    /// The link that a text speaks of.
    pub(super) fn find(&self, spoken: &Spoken) -> Option<LinkHint> {
        let plain = |word: &str| word.trim_end_matches('s').to_owned();
        let is_of_product =
            |word: &str| self.of_product.words.iter().any(|known| plain(known) == plain(word));
        let named =
            spoken.words.iter().find(|word| self.networks.iter().any(|known| plain(known) == plain(word)));
        named.map(|word| LinkHint::Named(plain(word))).or_else(|| {
            let rest = Spoken {
                words: spoken.words.iter().filter(|word| !is_of_product(word)).cloned().collect(),
                ..Spoken::default()
            };
            subject::link_word(&rest)
        })
    }
}

/// The link that a property is about: by its label before its key, which may hold the name of the product.
pub(super) fn link_of(texts: &Texts, networks: &NetworkWords) -> Option<LinkHint> {
    let find = |spoken: &Spoken| networks.find(spoken);
    find(&texts.label)
        .or_else(|| find(&texts.key))
        .or_else(|| find(&texts.category))
        .or_else(|| find(&texts.class))
        .or_else(|| find(&texts.all))
}

/// Of two addresses that nothing tells apart neither can be filled in: one of them is another link's, or another machine's.
pub(super) fn doubt_repeated(mut readings: Vec<Reading>) -> Vec<Reading> {
    let alike = |one: &Reading, other: &Reading| {
        one.meaning == other.meaning && one.link == other.link && one.position == other.position
    };
    let is_sure = |reading: &Reading| reading.meaning.is_of_link() && reading.is_certain();
    let doubtful: Vec<bool> = readings
        .iter()
        .map(|reading| {
            let others = readings.iter().filter(|other| is_sure(other) && alike(reading, other));
            is_sure(reading) && others.count() > 1
        })
        .collect();
    for (reading, _) in readings.iter_mut().zip(doubtful).filter(|(_, is_doubtful)| *is_doubtful) {
        let after = (reading.confidence * 75.0).round() / 100.0;
        reading.confidence = after;
        let text =
            "another property asks for the same, and nothing tells which link each is about".to_owned();
        reading.signs.push(SignSeen { text, meaning: reading.meaning, after });
    }
    readings
}

/// The account that a property is about, by its label before its key.
pub(super) fn account_of(texts: &Texts) -> Option<String> {
    subject::account(&texts.label)
        .or_else(|| subject::account(&texts.class.with(&texts.key)))
        .or_else(|| subject::account(&texts.all))
}

/// Tells the first from the second where numbers and words say so, and names the adapters of numbered addresses.
pub(super) fn place_in_order(
    properties: &[Property],
    texts: &[Texts],
    mut readings: Vec<Reading>,
) -> Vec<Reading> {
    // Keys that are nothing but counted through say nothing by their numbers.
    let stems: Vec<String> = properties.iter().map(stem).collect();
    let is_counted = |at: usize| {
        let alike = stems.iter().filter(|other| **other == stems[at]).count();
        alike >= 4 && alike * 2 >= properties.len()
    };
    let positions: Vec<Option<usize>> = (0..properties.len())
        .map(|at| {
            let own =
                if is_counted(at) { texts[at].label.clone() } else { texts[at].key.with(&texts[at].label) };
            let own = if texts[at].is_silent { texts[at].sentence.clone() } else { own };
            let of_instance =
                || instance_number(&properties[at]).filter(|_| readings[at].meaning.is_of_link());
            subject::position(&own).or_else(of_instance)
        })
        .collect();
    for at in 0..readings.len() {
        let meaning = readings[at].meaning;
        let family =
            |other: usize| readings[other].meaning == meaning && is_same_question(properties, at, other);
        // Where one of them has the number 0, they are counted from there.
        let counts_from_zero = (0..readings.len()).any(|other| family(other) && positions[other] == Some(0));
        let position = positions[at].map(|position| position + usize::from(counts_from_zero));
        let has_second =
            (0..readings.len()).any(|other| other != at && family(other) && positions[other] == Some(2));
        let has_first = (0..readings.len()).any(|other| family(other) && positions[other] == Some(1));
        match meaning {
            Meaning::Dns | Meaning::Ntp => {
                let position = position.or((has_second && !has_first).then_some(1));
                let alone = (0..readings.len()).filter(|other| family(*other)).count() == 1;
                // A lone "dns1" wants the first; a lone "dns" that speaks of a list wants all.
                readings[at].position = position.filter(|_| !(alone && readings[at].separator.is_some()));
            }
            _ if meaning.is_of_link() && readings[at].link.is_none() => {
                // One of a kind is no row of adapters, whatever number stands in its name.
                let others =
                    (0..readings.len()).filter(|other| *other != at && readings[*other].meaning.is_of_link());
                let is_row = subject::adapter(&texts[at].key).is_some()
                    || others
                        .into_iter()
                        .any(|other| positions[other].is_some_and(|own| Some(own) != positions[at]));
                readings[at].link =
                    position.filter(|position| is_row && *position > 0).map(LinkHint::Adapter);
            }
            Meaning::Search | Meaning::Peers | Meaning::SshKey => readings[at].position = position,
            _ => {}
        }
    }
    for reading in &mut readings {
        reading.meaning = match (reading.meaning, reading.position) {
            (Meaning::Dns, Some(1)) => Meaning::Dns1,
            (Meaning::Dns, Some(2)) => Meaning::Dns2,
            (Meaning::Ntp, Some(1)) => Meaning::Ntp1,
            (Meaning::Ntp, Some(2)) => Meaning::Ntp2,
            (other, _) => other,
        };
    }
    readings
}

/// The number that a property's instance is, where each adapter has a section of its own.
pub(super) fn instance_number(property: &Property) -> Option<usize> {
    property.instance.parse().ok().filter(|number| *number < 32)
}

/// A key without its numbers.
pub(super) fn stem(property: &Property) -> String {
    property.key.chars().filter(char::is_ascii_alphabetic).collect()
}

/// Whether two properties of the same meaning are of one row: numbers apart, their keys are the same, or they are of the
/// same class.
pub(super) fn is_same_question(properties: &[Property], one: usize, other: usize) -> bool {
    let stem =
        |property: &Property| property.key.chars().filter(char::is_ascii_alphabetic).collect::<String>();
    let (a, b) = (&properties[one], &properties[other]);
    a.class == b.class && (a.instance == b.instance || stem(a) == stem(b))
}
