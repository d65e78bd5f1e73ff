//! Which link, account or position each property is about, among all of its machine.

use foldhash::{HashMap, HashMapExt, HashSet};

use super::meaning::Meaning;
use super::reading::{Reading, SignSeen};
use super::several::is_list;
use super::signs::Signs;
use super::subject;
use super::subject::LinkHint;
use super::sure::OF_ONE_SIGN;
use super::texts::Texts;
use super::vocabulary::Spoken;
use super::words::words_of;
use crate::descriptor::{Property, VirtualSystem};

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

    /// The link that a text mentions.
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

/// Names the links of properties that the package keeps in groups: where `public.address` and `oob.address` ask for the same,
/// what belongs to `oob` is about a link of that name, though the word says nothing of links by itself.
pub(super) fn tell_groups_apart(texts: &[Texts], mut readings: Vec<Reading>) -> Vec<Reading> {
    let own_words = |texts: &Texts| {
        let parts = [&texts.key, &texts.class, &texts.label];
        parts.into_iter().find(|part| !part.unknown.is_empty()).map(|part| part.unknown.join(" "))
    };
    let groups: Vec<Option<String>> = readings
        .iter()
        .zip(texts)
        .map(|(reading, texts)| match &reading.link {
            Some(link) => Some(link.to_string()),
            None => own_words(texts),
        })
        .collect();
    let is_sure = |reading: &Reading| reading.meaning.is_of_link() && reading.is_certain();
    let mut of_meaning: HashMap<Meaning, HashSet<&Option<String>>> = HashMap::new();
    for (reading, group) in readings.iter().zip(&groups).filter(|(reading, _)| is_sure(reading)) {
        of_meaning.entry(reading.meaning).or_default().insert(group);
    }
    let apart: HashSet<&String> = of_meaning
        .values()
        .filter(|groups| groups.len() > 1)
        .flatten()
        .filter_map(|group| group.as_ref())
        .collect();
    let named: Vec<Option<LinkHint>> = readings
        .iter()
        .zip(&groups)
        .map(|(reading, group)| {
            let group = group.as_ref().filter(|group| apart.contains(group))?;
            (is_sure(reading) && reading.link.is_none()).then(|| LinkHint::Named(group.clone()))
        })
        .collect();
    for (reading, name) in readings.iter_mut().zip(named) {
        reading.link = reading.link.take().or(name);
    }
    readings
}

/// Of two addresses that nothing tells apart neither can be filled in: one of them is another link's, or another machine's.
pub(super) fn doubt_repeated(mut readings: Vec<Reading>) -> Vec<Reading> {
    let is_sure = |reading: &Reading| reading.meaning.is_of_link() && reading.is_certain();
    let question = |reading: &Reading| (reading.meaning, reading.link.clone(), reading.position);
    let mut counts: HashMap<_, usize> = HashMap::new();
    for reading in readings.iter().filter(|reading| is_sure(reading)) {
        *counts.entry(question(reading)).or_default() += 1;
    }
    let doubtful: Vec<bool> = readings
        .iter()
        .map(|reading| is_sure(reading) && counts.get(&question(reading)).is_some_and(|count| *count > 1))
        .collect();
    for (reading, _) in readings.iter_mut().zip(doubtful).filter(|(_, is_doubtful)| *is_doubtful) {
        let after = (reading.confidence * 75.0).round() / 100.0;
        reading.confidence = after;
        let text =
            "another property asks for the same, and it is not clear which link each is about".to_owned();
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
    is_counted: &[bool],
    mut readings: Vec<Reading>,
) -> Vec<Reading> {
    let stems: Vec<String> = properties.iter().map(stem).collect();
    let positions: Vec<Option<usize>> = (0..properties.len())
        .map(|at| {
            let own = if is_counted[at] || is_opaque(&texts[at]) {
                texts[at].label.clone()
            } else {
                texts[at].key.with(&texts[at].label)
            };
            let own = if texts[at].is_silent() { texts[at].sentence.clone() } else { own };
            let of_instance =
                || instance_number(&properties[at]).filter(|_| readings[at].meaning.is_of_link());
            subject::position(&own).or_else(of_instance)
        })
        .collect();
    // Properties of one meaning are of one row where their keys are the same, numbers apart, or they are of one section.
    let mut rows: HashMap<(Meaning, &str, Row<'_>), Counted> = HashMap::new();
    for (at, reading) in readings.iter().enumerate() {
        for row in [Row::Section(&properties[at].instance), Row::Stem(&stems[at])] {
            rows.entry((reading.meaning, &properties[at].class, row)).or_default().add(positions[at]);
        }
    }
    let of_links: HashSet<usize> = readings
        .iter()
        .zip(&positions)
        .filter(|(reading, _)| reading.meaning.is_of_link())
        .filter_map(|(_, position)| *position)
        .collect();
    for at in 0..readings.len() {
        let meaning = readings[at].meaning;
        let row = |row| rows.get(&(meaning, properties[at].class.as_str(), row)).copied().unwrap_or_default();
        let family = [row(Row::Section(&properties[at].instance)), row(Row::Stem(&stems[at]))];
        // Where one of them has the number 0, they are counted from there.
        let counts_from_zero = family.iter().any(|row| row.zeros > 0);
        let position = positions[at].map(|position| position + usize::from(counts_from_zero));
        let own_second = usize::from(positions[at] == Some(2));
        let has_second = family.iter().any(|row| row.seconds > own_second);
        let has_first = family.iter().any(|row| row.firsts > 0);
        match meaning {
            Meaning::Dns | Meaning::Ntp => {
                let position = position.or((has_second && !has_first).then_some(1));
                // Of two, one of which is the first, the other is the second.
                let is_pair = family.iter().any(|row| row.all == 2);
                let position = position.or((is_pair && has_first && !has_second).then_some(2));
                let alone = family.iter().all(|row| row.all == 1);
                // A lone "dns1" wants the first; a lone "dns" that mentions a list wants all.
                readings[at].position = position.filter(|_| !(alone && readings[at].separator.is_some()));
            }
            _ if meaning.is_of_link() && readings[at].link.is_none() => {
                // One of a kind is no row of adapters, whatever number stands in its name.
                let is_row = subject::adapter(&texts[at].key).is_some()
                    || of_links.iter().any(|other| Some(*other) != positions[at]);
                readings[at].link =
                    position.filter(|position| is_row && *position > 0).map(LinkHint::Adapter);
            }
            Meaning::Search | Meaning::Peers | Meaning::SshKey => readings[at].position = position,
            _ => {}
        }
    }
    place_unnumbered(properties, texts, &mut readings);
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

/// Whether a key says nothing by itself, so that its number is no position either: `q1`.
fn is_opaque(texts: &Texts) -> bool {
    !texts.label.words.is_empty()
        && texts.key.concepts.iter().all(|concept| texts.key.unknown.contains(concept))
}

/// Of two or three properties that ask for the same server each, and say no more, the first asks for the first. That is
/// not certain.
fn place_unnumbered(properties: &[Property], texts: &[Texts], readings: &mut [Reading]) {
    let mut rows: HashMap<(Meaning, &str, &str), Vec<usize>> = HashMap::new();
    for (at, (property, reading)) in properties.iter().zip(readings.iter()).enumerate() {
        if matches!(reading.meaning, Meaning::Dns | Meaning::Ntp) {
            rows.entry((reading.meaning, &property.class, &property.instance)).or_default().push(at);
        }
    }
    for row in rows.into_values().filter(|row| (2..=3).contains(&row.len())) {
        let takes_several = |at: &usize| readings[*at].separator.is_some() || is_list(&texts[*at].prose);
        if row.iter().any(|at| readings[*at].position.is_some() || takes_several(at)) {
            continue;
        }
        for (position, at) in (1..).zip(row) {
            let reading = &mut readings[at];
            reading.position = Some(position);
            reading.confidence = reading.confidence.min(OF_ONE_SIGN);
            let nth = ["first", "second", "third"].get(position - 1).copied().unwrap_or_default();
            let text = format!("it is the {nth} of its kind in the package");
            reading.signs.push(SignSeen { text, meaning: reading.meaning, after: reading.confidence });
        }
    }
}

/// The number that a property's instance is, where each adapter has a section of its own.
pub(super) fn instance_number(property: &Property) -> Option<usize> {
    property.instance.parse().ok().filter(|number| *number < 32)
}

/// A key without its numbers.
pub(super) fn stem(property: &Property) -> String {
    property.key.chars().filter(char::is_ascii_alphabetic).collect()
}

/// What properties of one meaning have in common where they are of one row.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
enum Row<'a> {
    Section(&'a str),
    Stem(&'a str),
}

/// How many of a row there are, and with which numbers.
#[derive(Clone, Copy, Default)]
struct Counted {
    all: usize,
    zeros: usize,
    firsts: usize,
    seconds: usize,
}

impl Counted {
    fn add(&mut self, position: Option<usize>) {
        self.all += 1;
        match position {
            Some(0) => self.zeros += 1,
            Some(1) => self.firsts += 1,
            Some(2) => self.seconds += 1,
            _ => {}
        }
    }
}
