//! Which words name links in a package, and which properties are about the same link.

use std::collections::BTreeSet;
use std::hash::Hash;

use foldhash::{HashMap, HashMapExt, HashSet, HashSetExt};

use super::key_style::KeyStyle;
use super::signs::Signs;
use super::subject;
use super::texts::{Texts, beginning, class_words};
use super::vocabulary::{Reader, Spoken};
use super::words::words_of;
use crate::descriptor::{Property, VirtualSystem};

/// Concepts that a link's other settings have, beside its address.
const BESIDE_ADDRESS: &[&str] = &["netmask", "prefixlen", "gateway", "vlan", "mtu"];

/// Concepts of other things that may as well be the name of a link: `client`, `storage`.
const MAY_NAME_LINK: &[&str] = &["other-host", "range"];

/// Words that keys of any link may have.
const OF_ANY_LINK: &[&str] = &[
    "net",
    "network",
    "netz",
    "netzwerk",
    "rete",
    "reseau",
    "red",
    "rede",
    "netwerk",
    "siec",
    "adapter",
    "interface",
    "nic",
    "eth",
    "link",
    "config",
    "settings",
    "setup",
    "system",
    "host",
];

/// The words that name links: those of the package's networks, and those that stand beside an address and beside a mask
/// or another setting of a link.
pub(super) fn link_names(system: &VirtualSystem, style: &KeyStyle, signs: &Signs) -> HashSet<String> {
    let reader = Reader::new(&signs.vocabulary);
    let is_free = |word: &str| {
        let concepts = reader.read_words(vec![word.to_owned()]);
        let is_other = |concept: &String| MAY_NAME_LINK.contains(&concept.as_str());
        let is_unknown = |concept: &String| concepts.unknown.contains(concept);
        word.len() >= 2
            && !OF_ANY_LINK.contains(&word)
            && word.parse::<usize>().is_err()
            && concepts.concepts.iter().all(|concept| is_other(concept) || is_unknown(concept))
    };
    let mut names: HashSet<String> = HashSet::new();
    for word in system.hardware.adapters.iter().flat_map(|name| words_of(name)).filter(|word| is_free(word)) {
        names.extend(word.strip_suffix('s').map(str::to_owned));
        names.insert(format!("{word}s"));
        names.insert(word);
    }
    let mut beside: HashMap<String, (usize, usize)> = HashMap::new();
    for property in &system.properties {
        let parts = [style.name(&property.key), &property.label, &property.category, &property.instance];
        let words: HashSet<String> = parts.into_iter().map(beginning).flat_map(words_of).collect();
        let (key, label) = (beginning(style.name(&property.key)), beginning(&property.label));
        let spoken = reader.read(key).with(&reader.read(label));
        let is_address =
            ["ip", "ipv4", "ipv6", "address", "withprefix"].iter().any(|concept| spoken.has(concept));
        let is_beside = BESIDE_ADDRESS.iter().any(|concept| spoken.has(concept));
        for word in words {
            let (addresses, others) = beside.entry(word).or_default();
            *others += usize::from(is_beside);
            *addresses += usize::from(is_address && !is_beside && !spoken.has("port"));
        }
    }
    let common = system.properties.len() * 8 / 10;
    names.extend(
        beside
            .into_iter()
            .filter(|(_, (addresses, others))| {
                *addresses > 0 && *others > 0 && addresses + others <= common.max(2)
            })
            .map(|(word, _)| word)
            .filter(|word| is_free(word)),
    );
    names
}

/// What tells the properties of one link from those of another: equal rows are of one link.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) struct Row {
    section: usize,
    numbers: usize,
    /// The links that its name mentions; zero for none.
    pub(super) names: usize,
}

/// Gives equal things the same number. The first, which stands for nothing, has zero.
struct Numbered<T>(HashMap<T, usize>);

impl<T: Default + Eq + Hash> Numbered<T> {
    fn new() -> Self {
        Self(HashMap::from_iter([(T::default(), 0)]))
    }

    fn number(&mut self, thing: T) -> usize {
        let next = self.0.len();
        *self.0.entry(thing).or_insert(next)
    }
}

/// The row of each property.
pub(super) fn rows_of(
    system: &VirtualSystem,
    texts: &[Texts],
    names: &HashSet<String>,
    is_counted: &[bool],
) -> Vec<Row> {
    let named = |spoken: &Spoken| -> BTreeSet<String> {
        let known = |word: &&String| names.contains(*word) || subject::is_link_word(word);
        let single = |word: &String| word.strip_suffix('s').unwrap_or(word).to_owned();
        spoken.words.iter().filter(known).map(single).collect()
    };
    let (mut sections, mut all_numbers, mut all_names) = (Numbered::new(), Numbered::new(), Numbered::new());
    let row = |(at, (property, text)): (usize, (&Property, &Texts))| Row {
        section: sections.number([
            class_words(&property.class).to_owned(),
            property.instance.clone(),
            property.category.clone(),
            property.section.clone(),
        ]),
        numbers: all_numbers.number(if is_counted.get(at) == Some(&true) {
            Vec::new()
        } else {
            text.key.numbers.clone()
        }),
        names: all_names.number(named(&text.key.with(&text.label))),
    };
    system.properties.iter().zip(texts).enumerate().map(row).collect()
}

impl Row {
    /// The same row whatever it is called: what stands in the same section.
    pub(super) fn without_names(&self) -> Self {
        Self { section: self.section, names: 0, numbers: 0 }
    }

    /// Whether its name mentions a link.
    pub(super) fn has_names(&self) -> bool {
        self.names > 0
    }
}

/// Which keys are nothing but counted through, so that their numbers say nothing.
pub(super) fn counted_keys(properties: &[Property]) -> Vec<bool> {
    let stem = |property: &Property| -> String {
        property.key.chars().filter(|letter| letter.is_alphabetic()).collect()
    };
    let stems: Vec<String> = properties.iter().map(stem).collect();
    let mut alike: HashMap<&str, usize> = HashMap::new();
    for stem in &stems {
        *alike.entry(stem).or_default() += 1;
    }
    stems
        .iter()
        .map(|stem| {
            alike.get(stem.as_str()).is_some_and(|alike| *alike >= 4 && alike * 2 >= properties.len())
        })
        .collect()
}
