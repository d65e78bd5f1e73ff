//! From signs to a meaning and how sure it is.
//!
//! Each part of a property's text (key, label, description, and class or category together with key or label) is read as
//! concepts. A sign whose concepts are there speaks for its meaning with its strength, weighed by the part. Parts that
//! agree add up as independent chances do, one that only repeats another counts half. Type, default and neighbors then
//! speak for or against, and two meanings with much to be said for each make both less sure.

use std::collections::HashMap;
use std::net::{IpAddr, Ipv4Addr};

use super::subject::{self, LinkHint};
use super::words::{Spoken, first_sentence};
use super::{Meaning, MeaningsFile, Signs};
use crate::ovf::{Property, PropertyType, VirtualSystem};

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
        self.meaning != Meaning::Other && self.confidence >= super::CERTAIN
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
    doubt_repeated(readings)
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

/// What the parts of a property's text speak of.
struct Texts {
    key: Spoken,
    label: Spoken,
    class: Spoken,
    category: Spoken,
    sentence: Spoken,
    description: Spoken,
    /// Key, label, class, and the category where it says something of one thing only.
    name: Spoken,
    /// Name, and the first sentence of the description where the name is silent.
    all: Spoken,
    /// Whether key, label and class speak of nothing that there is a sign for.
    is_silent: bool,
}

/// Concepts of things that are not the machine itself.
const FOREIGN: &[&str] =
    &["syslog", "directory-service", "snmp", "other-host", "license", "mail", "mailrelay", "proxy", "range"];

/// Concepts of a network's own settings, several of which a category may announce.
const OF_NETWORK: &[&str] = &["ip", "address", "netmask", "gateway", "dns", "ntp", "hostname", "domain"];

impl Texts {
    fn of(property: &Property, prefix: Option<&str>, signs: &Signs) -> Self {
        let read = |text: &str| signs.vocabulary.read(text);
        let key = prefix.and_then(|prefix| property.key.strip_prefix(prefix)).unwrap_or(&property.key);
        let (key, mut label) = (read(key), read(&property.label));
        if let Some(product) = prefix.map(read) {
            label.forget(&product);
        }
        let (class, category) = (read(class_words(&property.class)), read(&property.category));
        let sentence = read(first_sentence(&property.description));
        let own = key.with(&label).with(&class);
        let announces = OF_NETWORK.iter().filter(|concept| category.has(concept)).count();
        let name = if announces <= 1 { own.with(&category) } else { own };
        let is_silent = !signs.lines.iter().any(|sign| sign.all.iter().all(|concept| name.has(concept)));
        let all = if is_silent { name.with(&sentence) } else { name.clone() };
        Self {
            is_silent,
            description: read(&property.description),
            key,
            label,
            class,
            category,
            sentence,
            name,
            all,
        }
    }
}

impl Texts {
    /// The words of the key before its last: where it stands in a path.
    fn stem(&self) -> &[String] {
        self.key.words.split_last().map(|(_, before)| before).unwrap_or_default()
    }
}

/// What nearly all keys begin with, which is the product's name and says nothing of a single one: `gw_` of a gateway.
fn common_prefix(properties: &[Property]) -> Option<String> {
    let first = super::words::words_of(&properties.first()?.key).into_iter().next()?;
    let written = properties.first()?.key.get(..first.len())?;
    // These are no names of products.
    if matches!(first.as_str(), "ip" | "net" | "network" | "ipv4" | "ipv6" | "mgmt" | "management" | "system")
    {
        return None;
    }
    let sharing = properties.iter().filter(|property| {
        let rest = property.key.strip_prefix(written);
        rest.is_some_and(|rest| rest.chars().next().is_some_and(|next| !next.is_lowercase()))
    });
    let is_shared = properties.len() >= 5 && sharing.count() * 10 >= properties.len() * 8;
    is_shared.then(|| written.to_owned())
}

/// A class without what all classes of a package begin with: `org.capovetro.net` is about `net`.
fn class_words(class: &str) -> &str {
    class.rsplit('.').next().unwrap_or_default()
}

/// What speaks for each meaning, before neighbors.
#[derive(Default)]
struct Weighed {
    /// Whether a word in its name may be somebody else, which no neighbor can settle.
    is_strange: bool,
    chances: HashMap<Meaning, f64>,
    signs: Vec<SignSeen>,
}

impl Weighed {
    fn chance(&self, meaning: Meaning) -> f64 {
        self.chances.get(&meaning).copied().unwrap_or_default()
    }

    /// Something speaks for a meaning, independently of what did before.
    fn add(&mut self, meaning: Meaning, strength: f64, text: String) {
        let after = 1.0 - (1.0 - self.chance(meaning)) * (1.0 - strength);
        self.chances.insert(meaning, after);
        self.signs.push(SignSeen { text, meaning, after });
    }

    /// Something speaks against a meaning.
    fn lower(&mut self, meaning: Meaning, factor: f64, text: &str) {
        let before = self.chance(meaning);
        if before > 0.0 {
            let after = before * factor;
            self.chances.insert(meaning, after);
            self.signs.push(SignSeen { text: text.to_owned(), meaning, after });
        }
    }
}

fn weigh(property: &Property, texts: &Texts, signs: &Signs) -> Weighed {
    let mut weighed = Weighed::default();
    let key_in_class = texts.class.with(&texts.key);
    let label_in_class = texts.class.with(&texts.label);
    let in_category = texts.category.with(&texts.key).with(&texts.label);
    let is_unnamed = texts.all.concepts.len() > texts.name.concepts.len() || texts.name.concepts.is_empty();
    let own_description = if is_unnamed { 0.95 } else { 0.5 };
    for meaning in Meaning::ALL {
        let best = |spoken: &Spoken, with_vetoes: &Spoken| {
            signs
                .lines
                .iter()
                .filter(|sign| sign.meaning == *meaning)
                .filter(|sign| sign.all.iter().all(|concept| spoken.has(concept)))
                .filter(|sign| !sign.none.iter().any(|concept| with_vetoes.has(concept)))
                .max_by(|one, other| one.strength.total_cmp(&other.strength))
        };
        let parts = [
            ("the key", &texts.key, 1.0),
            ("the label", &texts.label, 1.0),
            ("class and key", &key_in_class, 0.96),
            ("class and label", &label_in_class, 0.92),
            ("category, key and label", &in_category, 0.9),
            ("the description", &texts.sentence, own_description),
        ];
        let mut seen: Vec<&Vec<String>> = Vec::new();
        let mut has_named = false;
        for (part, spoken, weight) in parts {
            let is_combined = part.contains("and");
            if is_combined && has_named {
                continue;
            }
            let Some(sign) = best(spoken, &texts.all) else { continue };
            has_named |= part != "the description";
            let repeats = seen.contains(&&sign.all);
            let strength = sign.strength * weight * if repeats { 0.5 } else { 1.0 };
            seen.push(&sign.all);
            weighed.add(*meaning, strength, format!("{part} speaks of {}", sign.all.join(" and ")));
        }
    }
    heed_contradiction(texts, signs, &mut weighed);
    heed_type(property, texts, &mut weighed);
    heed_default(property, &mut weighed);
    heed_description(texts, &mut weighed);
    weighed
}

/// Where the key by itself says one thing and the label by itself another, neither is as sure.
fn heed_contradiction(texts: &Texts, signs: &Signs, weighed: &mut Weighed) {
    let alone = |spoken: &Spoken| {
        let fitting = signs.lines.iter().filter(|sign| sign.strength >= 0.6 && !sign.meaning.is_switch());
        let fitting = fitting.filter(|sign| sign.all.iter().all(|concept| spoken.has(concept)));
        let fitting = fitting.filter(|sign| !sign.none.iter().any(|concept| spoken.has(concept)));
        fitting.max_by(|one, other| one.strength.total_cmp(&other.strength)).map(|sign| sign.meaning)
    };
    let (Some(key), Some(label)) = (alone(&texts.key), alone(&texts.label)) else { return };
    if key != label && !is_akin(key, label) {
        for meaning in [key, label] {
            weighed.lower(meaning, 0.8, &format!("the key speaks of {key} and the label of {label}"));
        }
    }
}

/// Type, choices and the mark of a password.
fn heed_type(property: &Property, texts: &Texts, weighed: &mut Weighed) {
    let default = property.base_default.as_deref().unwrap_or_default();
    let is_truth = |text: &str| {
        matches!(
            text.to_ascii_lowercase().as_str(),
            "true" | "false" | "yes" | "no" | "on" | "off" | "enabled" | "disabled"
        )
    };
    let chooses_address_source =
        property.limits.choices.iter().any(|choice| choice.to_ascii_lowercase().contains("dhcp"));
    let is_switch = property.kind == PropertyType::Boolean
        || is_truth(default)
        || (!property.limits.choices.is_empty()
            && property.limits.choices.iter().all(|choice| is_truth(choice)));
    let is_number = matches!(property.kind, PropertyType::Unsigned(_) | PropertyType::Signed(_));
    for meaning in Meaning::ALL.iter().copied() {
        if is_switch && !meaning.is_switch() {
            weighed.lower(meaning, 0.05, "it takes true or false");
        } else if meaning.is_switch()
            && !is_switch
            && !(meaning == Meaning::DhcpEnabled && (chooses_address_source || texts.name.has("enable")))
        {
            weighed.lower(
                meaning,
                if is_number || !texts.all.has("enable") { 0.1 } else { 0.6 },
                "its type is not that of a switch",
            );
        } else if is_number && !meaning.is_number() && !is_switch {
            weighed.lower(meaning, 0.1, "it takes a number");
        } else if property.kind == PropertyType::Real {
            weighed.lower(meaning, 0.05, "it takes a fraction");
        }
        if property.is_password
            && !matches!(meaning, Meaning::Password | Meaning::LicenseKey | Meaning::SshKey)
        {
            weighed.lower(meaning, 0.1, "it is marked as a password");
        }
    }
    if is_number && weighed.chance(Meaning::Netmask) > 0.5 {
        weighed.lower(Meaning::Netmask, 0.1, "a netmask in dotted form is no number");
        weighed.add(Meaning::PrefixLength, 0.85, "a mask that is a number is a length".to_owned());
    }
    if chooses_address_source && property.kind == PropertyType::String {
        weighed.add(Meaning::DhcpEnabled, 0.9, "dhcp is one of its choices".to_owned());
    } else if !property.limits.choices.is_empty() && !is_switch {
        let limits = &property.limits.choices;
        for meaning in Meaning::ALL.iter().copied().filter(|meaning| {
            !matches!(
                meaning,
                Meaning::Role
                    | Meaning::Timezone
                    | Meaning::Locale
                    | Meaning::Keyboard
                    | Meaning::NodeNumber
                    | Meaning::NodeCount
                    | Meaning::PrefixLength
                    | Meaning::Netmask
            )
        }) {
            weighed.lower(meaning, 0.3, &format!("it takes one of {} choices", limits.len()));
        }
    }
    if property.is_password
        && !texts.name.has("token")
        && !texts.name.has("snmp")
        && weighed.chance(Meaning::LicenseKey) < 0.5
    {
        weighed.add(Meaning::Password, 0.85, "it is marked as a password".to_owned());
    }
    if property.kind == PropertyType::String
        && !property.is_password
        && weighed.chance(Meaning::Password) > 0.5
    {
        weighed.lower(Meaning::Password, 0.95, "it is not marked as a password");
    }
}

/// What the default looks like.
fn heed_default(property: &Property, weighed: &mut Weighed) {
    use Meaning as M;
    let Some(default) = property.base_default.as_deref().map(str::trim).filter(|text| !text.is_empty())
    else {
        return;
    };
    let address: Option<IpAddr> = default.parse().ok();
    let is_mask = default.parse::<Ipv4Addr>().is_ok_and(|mask| {
        let bits = u32::from(mask);
        bits.leading_ones() >= 8 && bits.leading_ones() + bits.trailing_zeros() == 32
    });
    if is_mask {
        weighed.add(M::Netmask, 0.5, format!("its default {default} looks like a netmask"));
        for meaning in [M::Address, M::Gateway, M::Dns, M::Ntp] {
            weighed.lower(meaning, 0.3, "its default looks like a netmask");
        }
        return;
    }
    if default.contains('/') && jiff::tz::TimeZone::get(default).is_ok() {
        weighed.add(M::Timezone, 0.7, format!("its default {default} is a time zone"));
    }
    let takes_address = [M::Address, M::Address6, M::Gateway, M::Gateway6, M::Netmask, M::VirtualAddress];
    if address.is_none() && default.parse::<u8>().is_ok() {
        for meaning in takes_address {
            weighed.lower(meaning, 0.15, "its default is a number");
        }
    } else if address.is_none()
        && !default.contains(['<', '{', '.', ':'])
        && !matches!(default, "none" | "dhcp" | "DHCP")
    {
        for meaning in takes_address {
            weighed.lower(meaning, 0.5, "its default is no address");
        }
    }
    if default.starts_with('/') || default.contains("://") {
        for meaning in
            [M::Address, M::Hostname, M::Password, M::Username, M::SshKey, M::Dns, M::Domain, M::LicenseKey]
        {
            weighed.lower(meaning, 0.2, "its default is a path");
        }
    }
}

/// A description that speaks of another machine makes an address less sure.
fn heed_description(texts: &Texts, weighed: &mut Weighed) {
    use Meaning as M;
    let own = [M::Address, M::Address6, M::Hostname, M::Fqdn, M::AddressWithPrefix, M::Netmask, M::Gateway];
    if let Some(other) =
        FOREIGN.iter().find(|concept| texts.sentence.has(concept) && !texts.name.has(concept))
    {
        let text = format!("the description speaks of {other}");
        for meaning in own {
            weighed.lower(meaning, 0.7, &text);
        }
    }
    let is_internal = texts.sentence.has("hidden") || texts.name.has("hidden");
    if is_internal {
        for meaning in Meaning::ALL.iter().copied() {
            weighed.lower(meaning, 0.6, "it says that it is internal");
        }
    }
}

/// A word in the label that is not known may be somebody else: "IP address of the wharf office". Words of the product's own
/// name, and words that many properties share, say nothing.
fn heed_strange_words(system: &VirtualSystem, texts: &[Texts], signs: &Signs, weighed: &mut [Weighed]) {
    use Meaning as M;
    let of_product =
        signs.vocabulary.read(&format!("{} {} {}", system.product.name, system.product.vendor, system.name));
    let mut counts: HashMap<&str, usize> = HashMap::new();
    for text in texts {
        let words: std::collections::HashSet<&str> =
            text.label.unknown.iter().chain(&text.key.unknown).map(String::as_str).collect();
        for word in words {
            *counts.entry(word).or_default() += 1;
        }
    }
    let is_link = |word: &str| subject::words().any(|known| known == word);
    for (text, weighed) in texts.iter().zip(weighed) {
        let part = if text.is_silent { &text.sentence } else { &text.label };
        let strange = part.unknown.iter().find(|word| {
            let is_common = counts.get(word.as_str()).is_some_and(|count| *count >= 3);
            !signs.own_words.contains(*word) && !of_product.has(word) && !is_common && !is_link(word)
        });
        if let Some(word) = strange {
            weighed.is_strange = true;
            let says = format!("\"{word}\" may be somebody else");
            for meaning in [M::Address, M::Address6, M::AddressWithPrefix, M::Hostname, M::Fqdn, M::Gateway] {
                weighed.lower(meaning, if text.is_silent { 0.9 } else { 0.8 }, &says);
            }
        }
    }
}

/// An address beside which a mask or a gateway stands is the machine's own; a bare `ip` among such is too.
fn heed_neighbors(properties: &[Property], texts: &[Texts], weighed: &mut [Weighed]) {
    let is_neighbor = |one: usize, other: usize| {
        let (a, b) = (&properties[one], &properties[other]);
        let same_stem = texts[one].key.numbers == texts[other].key.numbers
            && subject::link_word(&texts[one].name) == subject::link_word(&texts[other].name);
        one != other
            && a.class == b.class
            && a.instance == b.instance
            && a.category == b.category
            && same_stem
    };
    let has_strong = |weighed: &[Weighed], at: usize, meanings: &[Meaning]| {
        (0..properties.len()).any(|other| {
            is_neighbor(at, other) && meanings.iter().any(|meaning| weighed[other].chance(*meaning) >= 0.75)
        })
    };
    let boosts: [(Meaning, &[Meaning], &str); 4] = [
        (Meaning::Address, &[Meaning::Netmask, Meaning::PrefixLength], "a netmask stands beside it"),
        (Meaning::Address, &[Meaning::Gateway], "a gateway stands beside it"),
        (
            Meaning::Address6,
            &[Meaning::PrefixLength6, Meaning::Gateway6],
            "an IPv6 prefix or gateway stands beside it",
        ),
        (Meaning::PrefixLength, &[Meaning::Address], "an address stands beside it"),
    ];
    let mut found = Vec::new();
    for at in 0..properties.len() {
        for (meaning, neighbors, text) in boosts {
            let chance = weighed[at].chance(meaning);
            // Of several addresses the mask belongs to the likelier.
            let has_better = (0..properties.len()).any(|other| {
                is_neighbor(at, other)
                    && texts[at].stem() != texts[other].stem()
                    && weighed[other].chance(meaning) > chance
            });
            if (0.3..0.95).contains(&chance)
                && !weighed[at].is_strange
                && !has_better
                && has_strong(weighed, at, neighbors)
            {
                found.push((at, meaning, text));
            }
        }
    }
    for (at, meaning, text) in found {
        weighed[at].add(meaning, 0.55, text.to_owned());
    }
}

/// Which meanings are the same question in another form, so that one does not make the other less sure.
fn is_akin(one: Meaning, other: Meaning) -> bool {
    use Meaning as M;
    let families: [&[Meaning]; 10] = [
        &[M::Hostname, M::Fqdn],
        &[M::Address, M::AddressWithPrefix],
        &[M::Gateway, M::Gateway6],
        &[M::Address, M::Address6],
        &[M::PrefixLength, M::PrefixLength6, M::Netmask],
        &[M::Dns, M::Dns1, M::Dns2],
        &[M::Ntp, M::Ntp1, M::Ntp2, M::NtpEnabled],
        &[M::Search, M::Domain, M::Dns],
        &[M::MailRelay, M::MailAddress],
        &[M::Password, M::Username],
    ];
    families.iter().any(|family| family.contains(&one) && family.contains(&other))
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
    let link = if meaning.is_of_link() { link_of(texts, networks) } else { None };
    let account = if meaning.is_of_account() { account_of(texts) } else { None };
    let text = format!("{} {}", property.label, property.description).to_lowercase();
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
    }
}

/// Words of the package's own networks, and words that say nothing of a link, since they are the product's.
struct NetworkWords {
    networks: Vec<String>,
    of_product: Spoken,
}

impl NetworkWords {
    fn of(system: &VirtualSystem, signs: &Signs) -> Self {
        let is_own = |word: &String| {
            word.len() > 2 && !matches!(word.as_str(), "network" | "net" | "netz" | "rete" | "adapter")
        };
        let mut networks: Vec<String> = system
            .hardware
            .adapters
            .iter()
            .flat_map(|name| super::words::words_of(name))
            .filter(is_own)
            .collect();
        networks.dedup();
        // A word of all networks tells none from another.
        let count = |word: &String| {
            system.hardware.adapters.iter().filter(|name| super::words::words_of(name).contains(word)).count()
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
    fn find(&self, spoken: &Spoken) -> Option<LinkHint> {
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
fn link_of(texts: &Texts, networks: &NetworkWords) -> Option<LinkHint> {
    let find = |spoken: &Spoken| networks.find(spoken);
    find(&texts.label)
        .or_else(|| find(&texts.key))
        .or_else(|| find(&texts.category))
        .or_else(|| find(&texts.class))
        .or_else(|| find(&texts.all))
}

/// Of two addresses that nothing tells apart neither can be filled in: one of them is another link's, or another machine's.
fn doubt_repeated(mut readings: Vec<Reading>) -> Vec<Reading> {
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
fn account_of(texts: &Texts) -> Option<String> {
    subject::account(&texts.label)
        .or_else(|| subject::account(&texts.class.with(&texts.key)))
        .or_else(|| subject::account(&texts.all))
}

/// What the text says to put between several values.
fn separator(text: &str) -> Option<String> {
    let has = |words: &[&str]| words.iter().any(|word| text.contains(word));
    if has(&["comma", "komma", "virgol", "virgul", "coma-", "por comas", "coma."]) {
        Some(",".to_owned())
    } else if has(&[
        "semicolon",
        "strichpunkt",
        "semikolon",
        "punto e virgola",
        "point-virgule",
        "punto y coma",
    ]) {
        Some(";".to_owned())
    } else if has(&[
        "space separated",
        "space-separated",
        "separated by space",
        "separated by blank",
        "blank separated",
        "by spaces",
        "leerzeichen",
        "da spazi",
        "par des espaces",
        "por espacios",
        "spaces between",
        "blanks between",
    ]) {
        Some(" ".to_owned())
    } else {
        None
    }
}

/// What the text says to put where there is no value: nothing, or the word none.
fn when_missing(text: &str, description: &Spoken) -> Option<String> {
    let has = |words: &[&str]| words.iter().any(|word| text.contains(word));
    if has(&[
        "'none'",
        "\"none\"",
        "the word none",
        "enter none",
        "write none",
        "type none",
        "none if",
        "or none",
    ]) {
        return Some("none".to_owned());
    }
    let is_optional = has(&[
        "leave empty",
        "leave blank",
        "leave it empty",
        "leave it blank",
        "left empty",
        "left blank",
        "may be empty",
        "can be empty",
        "empty if",
        "blank if",
        "empty for",
        "blank for",
        "optional",
        "leer lassen",
        "frei lassen",
        "freilassen",
        "bleibt leer",
        "lasciare vuoto",
        "facoltativ",
        "opzional",
        "laisser vide",
        "facultatif",
        "optionnel",
        "dejar vacio",
        "dejar vacío",
        "dejar en blanco",
        "opcional",
        "empty when",
        "blank when",
    ]) || description.has("optional");
    is_optional.then(String::new)
}

/// Tells the first from the second where numbers and words say so, and names the adapters of numbered addresses.
fn place_in_order(properties: &[Property], texts: &[Texts], mut readings: Vec<Reading>) -> Vec<Reading> {
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
fn instance_number(property: &Property) -> Option<usize> {
    property.instance.parse().ok().filter(|number| *number < 32)
}

/// A key without its numbers.
fn stem(property: &Property) -> String {
    property.key.chars().filter(char::is_ascii_alphabetic).collect()
}

/// Whether two properties of the same meaning are of one row: numbers apart, their keys are the same, or they are of the
/// same class.
fn is_same_question(properties: &[Property], one: usize, other: usize) -> bool {
    let stem =
        |property: &Property| property.key.chars().filter(char::is_ascii_alphabetic).collect::<String>();
    let (a, b) = (&properties[one], &properties[other]);
    a.class == b.class && (a.instance == b.instance || stem(a) == stem(b))
}
