//! Which of an appliance's links a property is about.

use impostazione_ovf::{LinkHint, VirtualSystem};

use crate::machine::{Link, Machine};

/// The link of a machine that a hint is about, or why that cannot be told. Without a hint it is left open.
pub(crate) fn link_for<'m>(
    machine: &'m Machine,
    system: Option<&VirtualSystem>,
    hint: Option<&LinkHint>,
    hints: usize,
) -> Result<Option<&'m Link>, String> {
    let Some(hint) = hint else { return Ok(None) };
    if let ([only], 0..=1) = (machine.links.as_slice(), hints) {
        // One link, and the package speaks of one: whatever it calls it.
        return Ok(Some(only));
    }
    let found: Vec<&Link> = match hint {
        LinkHint::Named(word) => named(machine, word),
        LinkHint::Adapter(number) => adapter(machine, system, *number).into_iter().collect(),
    };
    match found.as_slice() {
        [link] => Ok(Some(link)),
        [] => Err(format!(
            "it is about the {hint} link, and no link of {} is called so or on such a network",
            machine.called()
        )),
        several => {
            let names: Vec<&str> = several.iter().map(|link| link.name.value.as_str()).collect();
            Err(format!("it is about the {hint} link, which may be {}", names.join(" or ")))
        }
    }
}

/// Links with this name, or else with the word in it, or else on a network with the word in its name.
fn named<'m>(machine: &'m Machine, word: &str) -> Vec<&'m Link> {
    let word = word.to_lowercase();
    let tests: [&dyn Fn(&Link) -> bool; 3] = [
        &|link| link.name.value.as_str().to_lowercase() == word,
        &|link| link.name.value.as_str().to_lowercase().contains(&word),
        &|link| link.network.as_ref().is_some_and(|network| network.value.to_lowercase().contains(&word)),
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
