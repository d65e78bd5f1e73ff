//! From signs to a meaning and how sure it is.
//!
//! Each part of a property's text (key, label, description, and class or category together with key or label) is read as
//! concepts. A sign whose concepts are there speaks for its meaning with its strength, weighed by the part. Parts that
//! agree add up as independent chances do, one that only repeats another counts half. Type, default, the form that is
//! asked for and neighbors then speak for or against, and two meanings with much to be said for each make both less sure.

use super::about::{NetworkWords, account_of, doubt_repeated, link_of, place_in_order, tell_groups_apart};
use super::default_form::looks_like;
use super::file::MeaningsFile;
use super::form::{Together, address_form, asks_for_full_name, name_form, written_form};
use super::key_style::KeyStyle;
use super::link_names::{counted_keys, link_names, rows_of};
use super::meaning::{Meaning, UNDERSTOOD};
use super::missing_value::when_missing;
use super::neighbors::{heed_family, heed_missing_mask, heed_neighbors};
use super::owner::heed_owner;
use super::reading::{Guess, Reading};
use super::several::{is_list, separator};
use super::signs::Signs;
use super::sure::confidence_of;
use super::texts::{Texts, Wording, beginning};
use super::vocabulary::Reader;
use super::weigh::{heed_rival, is_switch, weigh};
use super::weighed::Weighed;
use super::whose::OwnNouns;
use crate::descriptor::{Property, VirtualSystem};

/// Reads all properties of a machine, since neighbors explain each other. The readings are in the order of the
/// properties.
pub fn read_properties(system: &VirtualSystem, signs: &Signs) -> Vec<Reading> {
    let properties = &system.properties;
    let style = KeyStyle::of(properties);
    let names = link_names(system, &style, signs);
    let prose = properties
        .iter()
        .flat_map(|property| [&property.label, &property.description])
        .map(|text| beginning(text));
    let called = [system.product.name.as_str(), system.id.as_str(), system.name.as_str()];
    let own = OwnNouns::of(&called, prose, &signs.vocabulary);
    let of_product = own.names(&signs.vocabulary).cloned();
    let reader = Reader::with_names(&signs.vocabulary, names.iter().cloned().chain(of_product).collect());
    let wording = Wording { signs, reader, own, style, has_sections: has_sections(properties) };
    let texts: Vec<Texts> = properties.iter().map(|property| wording.read(property)).collect();
    let is_counted = counted_keys(properties);
    let rows = rows_of(system, &texts, &names, &is_counted);
    let mut weighed: Vec<Weighed> =
        properties.iter().zip(&texts).map(|(property, texts)| weigh(property, texts, signs)).collect();
    for ((property, texts), weighed) in properties.iter().zip(&texts).zip(&mut weighed) {
        heed_form(property, texts, weighed);
    }
    heed_family(&about(system), properties, &texts, &rows, &mut weighed);
    heed_owner(system, &texts, &rows, &wording, &mut weighed);
    heed_neighbors(&texts, &rows, &mut weighed);
    heed_missing_mask(&texts, &rows, &mut weighed);
    let networks = NetworkWords::of(system, signs);
    let readings: Vec<Reading> = properties
        .iter()
        .zip(&texts)
        .zip(weighed)
        .map(|((property, texts), weighed)| conclude(property, texts, weighed, &networks, signs))
        .collect();
    let readings = place_in_order(properties, &texts, &is_counted, readings);
    tell_groups_apart(&texts, doubt_repeated(readings))
}

/// The same, with what a meanings file is sure of in place of what was found out.
pub fn read_reviewed(system: &VirtualSystem, signs: &Signs, file: Option<&MeaningsFile>) -> Vec<Reading> {
    let mut readings = read_properties(system, signs);
    if let Some(file) = file {
        for (property, reading) in system.properties.iter().zip(&mut readings) {
            file.apply(property, reading);
        }
    }
    readings
}

/// Whether sections are called differently.
fn has_sections(properties: &[Property]) -> bool {
    properties.windows(2).any(|pair| matches!(pair, [one, other] if one.section != other.section))
}

/// What a package says of itself as a whole.
fn about(system: &VirtualSystem) -> String {
    let mut parts = vec![system.product.name.clone(), system.name.clone()];
    for property in &system.properties {
        for text in [&property.section, &property.category] {
            if parts.last() != Some(text) {
                parts.push(text.clone());
            }
        }
    }
    parts.join("\n")
}

/// Turns a meaning into the one that asks for the same in the form that the text asks for.
fn heed_form(property: &Property, texts: &Texts, weighed: &mut Weighed) {
    use Meaning as M;
    for address in [M::Address, M::Address6] {
        if weighed.chance(address) < 0.3 {
            continue;
        }
        if let Some((Together::With, says)) = address_form(&texts.prose, &texts.shown) {
            weighed.turn(address, M::AddressWithPrefix, says);
        }
    }
    if weighed.chance(M::AddressWithPrefix) > 0.0
        && let Some((Together::Without, says)) = address_form(&texts.prose, &texts.shown)
        && weighed.chance(M::Address).max(weighed.chance(M::Address6)) > 0.0
    {
        weighed.lower(M::AddressWithPrefix, 0.2, says);
    }
    let is_name = weighed.chance(M::Hostname).max(weighed.chance(M::Fqdn)) >= 0.3;
    if is_name && let Some((form, says)) = name_form(property, &texts.prose, &texts.shown) {
        let (from, into) = match form {
            Together::With => (M::Hostname, M::Fqdn),
            Together::Without => (M::Fqdn, M::Hostname),
        };
        if weighed.chance(from) > 0.0 {
            weighed.turn(from, into, says);
        }
        if form == Together::With && weighed.chance(M::Domain) < weighed.chance(M::Fqdn) {
            weighed.lower(M::Domain, 0.3, says);
        }
    }
    if weighed.chance(M::Domain) >= 0.3 && asks_for_full_name(&texts.prose) {
        weighed.turn(M::Domain, M::Fqdn, "its text asks for the full name");
    }
    let list = separator(&texts.prose, &texts.shown).is_some();
    if weighed.chance(M::Domain) >= 0.3 && list {
        weighed.turn(M::Domain, M::Search, "its text says that there may be several");
    }
}

/// What a property may want. Where nothing decided, a sign that others speak against is a guess, and so is what its default
/// looks like.
fn guesses(
    property: &Property,
    texts: &Texts,
    signs: &Signs,
    ranked: &[(Meaning, f64)],
    confidence: f64,
) -> Vec<Guess> {
    const LEAST: f64 = 0.05;
    let told = ranked.iter().filter(|(meaning, chance)| *chance >= LEAST && *meaning != Meaning::Other);
    let told: Vec<Guess> =
        told.map(|(meaning, chance)| Guess { meaning: *meaning, chance: *chance }).collect();
    if !told.is_empty() || confidence >= UNDERSTOOD {
        return told;
    }
    let spoken = texts.name.with(&texts.sentence);
    let mentioned =
        signs.mentioned_in(&spoken).into_iter().filter(|meaning| meaning.is_switch() == is_switch(property));
    let default = looks_like(property.base_default.as_deref().unwrap_or_default());
    let mut guesses: Vec<Guess> = Vec::new();
    for meaning in mentioned.chain(default.iter().copied()) {
        if !guesses.iter().any(|guess| guess.meaning == meaning) {
            guesses.push(Guess { meaning, chance: LEAST });
        }
    }
    guesses
}

fn conclude(
    property: &Property,
    texts: &Texts,
    mut weighed: Weighed,
    networks: &NetworkWords,
    table: &Signs,
) -> Reading {
    let mut ranked: Vec<(Meaning, f64)> =
        weighed.chances.iter().map(|(meaning, chance)| (*meaning, *chance)).collect();
    ranked.sort_by(|one, other| other.1.total_cmp(&one.1).then(one.0.cmp(&other.0)));
    let meaning = match ranked.first() {
        Some((meaning, chance)) if *chance >= 0.5 => *meaning,
        _ => Meaning::Other,
    };
    let best = ranked.first().map_or(0.0, |(_, chance)| *chance);
    let best =
        if meaning == Meaning::Other { best } else { heed_rival(&mut weighed, meaning, &ranked, best) };
    let confidence = confidence_of(meaning, best, texts, &mut weighed);
    let mut signs = weighed.signs;
    signs.retain(|sign| sign.meaning == meaning || meaning == Meaning::Other);
    let guesses = guesses(property, texts, table, &ranked, confidence);
    let link = if meaning.is_of_link() { link_of(texts, networks) } else { None };
    let account = if meaning.is_of_account() { account_of(texts) } else { None };
    let separator = separator(&texts.prose, &texts.shown);
    let separator = separator.filter(|_| !texts.shown.has_mailbox || is_list(&texts.prose));
    Reading {
        meaning,
        confidence: (confidence * 100.0).round() / 100.0,
        link,
        account,
        position: None,
        separator,
        when_missing: when_missing(&texts.prose),
        written: written_form(meaning, texts),
        guesses,
        signs,
        is_reviewed: false,
        is_secret_key: impostazione_text::confidential::is_secret(&property.key),
    }
}
