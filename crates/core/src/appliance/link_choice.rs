//! Which of an appliance's links a property is about.

use std::collections::HashSet;
use std::hash::Hash;

use impostazione_ovf::{LinkHint, VirtualSystem};

use crate::machine::{Link, Machine};

/// The groups in which a package, or a console, asks for the settings of links: one for each hint, and one without a hint where
/// something is asked for with a hint and without.
pub(crate) struct LinkGroups<W> {
    hints: Vec<LinkHint>,
    /// What is asked for with a hint and without.
    twice: HashSet<W>,
}

impl<W: Hash + Eq + Copy> LinkGroups<W> {
    /// The groups of everything that is asked of links: what is wanted, and of which link.
    pub(crate) fn of(asked: impl Iterator<Item = (W, Option<LinkHint>)>) -> Self {
        let mut hints: Vec<LinkHint> = Vec::new();
        let (mut hinted, mut plain) = (HashSet::new(), HashSet::new());
        for (wanted, hint) in asked {
            match hint {
                Some(hint) => {
                    hinted.insert(wanted);
                    if !hints.contains(&hint) {
                        hints.push(hint);
                    }
                }
                None => {
                    plain.insert(wanted);
                }
            }
        }
        Self { hints, twice: hinted.intersection(&plain).copied().collect() }
    }

    /// The link that something is about, or why that cannot be told. `None`: it is left open, as nothing else asks for the same.
    pub(crate) fn link_for<'m>(
        &self,
        machine: &'m Machine,
        system: Option<&VirtualSystem>,
        wanted: W,
        hint: Option<&LinkHint>,
    ) -> Result<Option<&'m Link>, String> {
        let count = self.hints.len() + usize::from(!self.twice.is_empty());
        match hint {
            Some(hint) => hinted(machine, system, hint, count).map(Some),
            None if self.twice.contains(&wanted) => self.remaining(machine, system).map(Some),
            None => Ok(None),
        }
    }

    /// The link that no hint is about.
    fn remaining<'m>(
        &self,
        machine: &'m Machine,
        system: Option<&VirtualSystem>,
    ) -> Result<&'m Link, String> {
        let taken: Vec<&Link> =
            self.hints.iter().filter_map(|hint| hinted(machine, system, hint, usize::MAX).ok()).collect();
        let free: Vec<&Link> = machine
            .links
            .iter()
            .filter(|link| !taken.iter().any(|taken| std::ptr::eq(*taken, *link)))
            .collect();
        let others = || self.hints.iter().map(LinkHint::to_string).collect::<Vec<_>>().join(", ");
        match free.as_slice() {
            [link] => Ok(link),
            [] => Err(format!(
                "it is about a link other than {}, and {} has no other link in the sheet",
                others(),
                machine.called()
            )),
            several => {
                let names: Vec<&str> = several.iter().map(|link| link.name.value.as_str()).collect();
                Err(format!("it is about a link other than {}: perhaps {}", others(), names.join(" or ")))
            }
        }
    }
}

/// The link of a machine that a hint is about, or why that cannot be told.
fn hinted<'m>(
    machine: &'m Machine,
    system: Option<&VirtualSystem>,
    hint: &LinkHint,
    groups: usize,
) -> Result<&'m Link, String> {
    if let ([only], 0..=1) = (machine.links.as_slice(), groups) {
        // One link, and the package mentions one: whatever it calls it.
        return Ok(only);
    }
    let found: Vec<&Link> = match hint {
        LinkHint::Named(word) => named(machine, word),
        LinkHint::Adapter(number) => adapter(machine, system, *number).into_iter().collect(),
    };
    match found.as_slice() {
        [link] => Ok(link),
        [] => Err(format!(
            "it is about the {hint} link, and {} has no link with that name or network",
            machine.called()
        )),
        several => {
            let names: Vec<&str> = several.iter().map(|link| link.name.value.as_str()).collect();
            Err(format!("it is about the {hint} link: perhaps {}", names.join(" or ")))
        }
    }
}

/// Links with this name, or else with another word for the same in theirs, or with the word in it, or else on a network with
/// the word, or another for the same, in its name.
fn named<'m>(machine: &'m Machine, word: &str) -> Vec<&'m Link> {
    let plain = |text: &str| -> String {
        text.chars().filter(|letter| letter.is_alphanumeric()).flat_map(char::to_lowercase).collect()
    };
    let word = plain(word);
    let speaks_of_it = |name: &str| match LinkHint::in_name(name) {
        Some(LinkHint::Named(spoken)) => plain(&spoken) == word,
        _ => false,
    };
    let tests: [&dyn Fn(&Link) -> bool; 5] = [
        &|link| plain(link.name.value.as_str()) == word,
        &|link| speaks_of_it(link.name.value.as_str()),
        &|link| plain(link.name.value.as_str()).contains(&word),
        &|link| link.network.as_ref().is_some_and(|network| plain(&network.value).contains(&word)),
        &|link| link.network.as_ref().is_some_and(|network| speaks_of_it(&network.value)),
    ];
    tests
        .into_iter()
        .map(|test| machine.links.iter().filter(|link| test(link)).collect::<Vec<_>>())
        .find(|found| !found.is_empty())
        .unwrap_or_default()
}

/// The link on the network of the package's adapter of this number; where the sheet names no networks, the link of this
/// number.
fn adapter<'m>(machine: &'m Machine, system: Option<&VirtualSystem>, number: usize) -> Option<&'m Link> {
    let index = number.checked_sub(1)?;
    let network = system.and_then(|system| system.hardware.adapters.get(index));
    let on_network = network.and_then(|network| {
        machine.links.iter().find(|link| link.network.as_ref().is_some_and(|own| own.value == *network))
    });
    let names_networks = machine.links.iter().any(|link| link.network.is_some());
    on_network.or_else(|| if names_networks && network.is_some() { None } else { machine.links.get(index) })
}
