//! From signs to a meaning and how sure it is.
//!
//! Each part of a property's text (key, label, description, and class or category together with key or label) is read as
//! concepts. A sign whose concepts are there speaks for its meaning with its strength, weighed by the part. Parts that
//! agree add up as independent chances do, one that only repeats another counts half. Type, default and neighbors then
//! speak for or against, and two meanings with much to be said for each make both less sure.

use super::about::{NetworkWords, account_of, doubt_repeated, link_of, place_in_order, tell_groups_apart};
use super::file::MeaningsFile;
use super::form::{separator, shows_full_name, wants_length, when_missing};
use super::meaning::Meaning;
use super::signs::Signs;
use super::subject::LinkHint;
use super::texts::{Texts, common_prefix};
use super::weigh::{Weighed, heed_neighbors, heed_strange_words, is_akin, weigh};
use crate::descriptor::{Property, VirtualSystem};

/// What a property wants, as far as can be told.
#[derive(Clone, Debug, PartialEq)]
pub struct Reading {
    /// Its meaning.
    pub meaning: Meaning,
    /// How sure that is, from 0 to 1.
    pub confidence: f64,
    /// The link that it is about.
    pub link: Option<LinkHint>,
    /// The account that it is about.
    pub account: Option<String>,
    /// Which of several it wants, from 1.
    pub position: Option<usize>,
    /// What stands between several values in it, where its text says so.
    pub separator: Option<String>,
    /// What it is to be where there is no value, where its text says so.
    pub when_missing: Option<String>,
    /// What led to the meaning, in the order in which it counted.
    pub signs: Vec<SignSeen>,
    /// Whether a person has written the meaning down.
    pub is_reviewed: bool,
    /// Whether the key of the property mentions a secret.
    pub is_secret_key: bool,
}

/// Something that spoke for or against a meaning.
#[derive(Clone, Debug, PartialEq)]
pub struct SignSeen {
    /// What it was, in words.
    pub text: String,
    /// The meaning that it spoke for or against.
    pub meaning: Meaning,
    /// How sure the meaning was after it, from 0 to 1.
    pub after: f64,
}

impl Reading {
    /// Whether the meaning is sure enough to be acted upon.
    pub fn is_certain(&self) -> bool {
        self.meaning != Meaning::Other && self.confidence >= super::meaning::CERTAIN
    }

    /// Whether the property that it is of wants a password: its package marks it as one, or that is certainly what it means.
    pub fn wants_password(&self, property: &Property) -> bool {
        property.is_password || (self.meaning == Meaning::Password && self.is_certain())
    }
}

/// Reads all properties of a machine, since neighbors explain each other. The readings are in the order of the
/// properties.
pub fn read_properties(system: &VirtualSystem, signs: &Signs) -> Vec<Reading> {
    let prefix = common_prefix(&system.properties);
    let texts: Vec<Texts> =
        system.properties.iter().map(|property| Texts::of(property, prefix.as_deref(), signs)).collect();
    let mut weighed: Vec<Weighed> =
        system.properties.iter().zip(&texts).map(|(property, texts)| weigh(property, texts, signs)).collect();
    heed_strange_words(system, &texts, signs, &mut weighed);
    heed_neighbors(&system.properties, &texts, &mut weighed);
    let networks = NetworkWords::of(system, signs);
    let readings: Vec<Reading> = system
        .properties
        .iter()
        .zip(&texts)
        .zip(weighed)
        .map(|((property, texts), weighed)| conclude(property, texts, weighed, &networks))
        .collect();
    let readings = place_in_order(&system.properties, &texts, readings);
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

fn conclude(property: &Property, texts: &Texts, mut weighed: Weighed, networks: &NetworkWords) -> Reading {
    let mut ranked: Vec<(Meaning, f64)> =
        weighed.chances.iter().map(|(meaning, chance)| (*meaning, *chance)).collect();
    ranked.sort_by(|one, other| other.1.total_cmp(&one.1).then(one.0.cmp(&other.0)));
    let (meaning, mut confidence) = match ranked.first() {
        Some((meaning, chance)) if *chance >= 0.5 => (*meaning, *chance),
        Some((_, chance)) => (Meaning::Other, 1.0 - chance),
        None => (Meaning::Other, 1.0),
    };
    if meaning != Meaning::Other
        && let Some((rival, chance)) =
            ranked.iter().skip(1).find(|(rival, chance)| *chance > 0.3 && !is_akin(meaning, *rival))
    {
        confidence *= 1.0 - 0.6 * (chance - 0.3);
        weighed.signs.push(SignSeen {
            text: format!("it may also be {rival} ({chance:.2})"),
            meaning,
            after: confidence,
        });
    }
    let mut signs = weighed.signs;
    signs.retain(|sign| sign.meaning == meaning || meaning == Meaning::Other);
    let text = format!("{} {}", property.label, property.description).to_lowercase();
    let shows_full_name = meaning == Meaning::Domain && shows_full_name(&text);
    if shows_full_name {
        confidence *= 0.85;
        signs.push(SignSeen {
            text: "the example in its text may be a full name".to_owned(),
            meaning,
            after: confidence,
        });
    }
    let meaning = if meaning == Meaning::Domain && separator(&text).is_some() {
        signs.push(SignSeen {
            text: "its text says that there may be several".to_owned(),
            meaning: Meaning::Search,
            after: confidence,
        });
        Meaning::Search
    } else if meaning == Meaning::Address && wants_length(&text) {
        signs.push(SignSeen {
            text: "its text shows an address with a prefix length".to_owned(),
            meaning: Meaning::AddressWithPrefix,
            after: confidence,
        });
        Meaning::AddressWithPrefix
    } else {
        meaning
    };
    let link = if meaning.is_of_link() { link_of(texts, networks) } else { None };
    let account = if meaning.is_of_account() { account_of(texts) } else { None };
    Reading {
        meaning,
        confidence: (confidence * 100.0).round() / 100.0,
        link,
        account,
        position: None,
        separator: separator(&text),
        when_missing: when_missing(&text, &texts.description),
        signs,
        is_reviewed: false,
        is_secret_key: impostazione_text::confidential::is_secret(&property.key),
    }
}
