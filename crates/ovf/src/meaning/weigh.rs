//! What speaks for and against each meaning of a property.

use std::collections::{HashMap, HashSet};
use std::net::{IpAddr, Ipv4Addr};

use super::decide::SignSeen;
use super::meaning::Meaning;
use super::signs::Signs;
use super::subject;
use super::texts::{FOREIGN, Texts};
use super::words::{Spoken, words_of};
use crate::descriptor::{Property, PropertyType, VirtualSystem};

/// What speaks for each meaning, before neighbors.
#[derive(Default)]
pub(super) struct Weighed {
    /// Whether a word in its name may be somebody else, which no neighbor can settle.
    pub(super) is_strange: bool,
    pub(super) chances: HashMap<Meaning, f64>,
    pub(super) signs: Vec<SignSeen>,
}

impl Weighed {
    pub(super) fn chance(&self, meaning: Meaning) -> f64 {
        self.chances.get(&meaning).copied().unwrap_or_default()
    }

    /// Something speaks for a meaning, independently of what did before.
    pub(super) fn add(&mut self, meaning: Meaning, strength: f64, text: String) {
        let after = 1.0 - (1.0 - self.chance(meaning)) * (1.0 - strength);
        self.chances.insert(meaning, after);
        self.signs.push(SignSeen { text, meaning, after });
    }

    /// Something speaks against a meaning.
    pub(super) fn lower(&mut self, meaning: Meaning, factor: f64, text: &str) {
        let before = self.chance(meaning);
        if before > 0.0 {
            let after = before * factor;
            self.chances.insert(meaning, after);
            self.signs.push(SignSeen { text: text.to_owned(), meaning, after });
        }
    }
}

pub(super) fn weigh(property: &Property, texts: &Texts, signs: &Signs) -> Weighed {
    let mut weighed = Weighed::default();
    let key_in_class = texts.class.with(&texts.key);
    let label_in_class = texts.class.with(&texts.label);
    let in_category = texts.category.with(&texts.key).with(&texts.label);
    let is_unnamed = texts.all.concepts.len() > texts.name.concepts.len() || texts.name.concepts.is_empty();
    let own_description = if is_unnamed { 0.95 } else { 0.5 };
    for meaning in Meaning::ALL {
        let best = |spoken: &Spoken, with_vetoes: &Spoken| {
            signs
                .of(*meaning)
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
            weighed.add(*meaning, strength, format!("{part} mentions {}", sign.all.join(" and ")));
        }
    }
    heed_contradiction(texts, signs, &mut weighed);
    heed_abbreviation(texts, &mut weighed);
    heed_type(property, texts, &mut weighed);
    heed_default(property, &mut weighed);
    heed_description(texts, &mut weighed);
    weighed
}

/// Where the key by itself says one thing and the label by itself another, neither is as sure.
pub(super) fn heed_contradiction(texts: &Texts, signs: &Signs, weighed: &mut Weighed) {
    let alone = |spoken: &Spoken| {
        let fitting = signs.lines.iter().filter(|sign| sign.strength >= 0.6 && !sign.meaning.is_switch());
        let fitting = fitting.filter(|sign| sign.all.iter().all(|concept| spoken.has(concept)));
        let fitting = fitting.filter(|sign| !sign.none.iter().any(|concept| spoken.has(concept)));
        fitting.max_by(|one, other| one.strength.total_cmp(&other.strength)).map(|sign| sign.meaning)
    };
    let (Some(key), Some(label)) = (alone(&texts.key), alone(&texts.label)) else { return };
    if key != label && !is_akin(key, label) {
        for meaning in [key, label] {
            weighed.lower(meaning, 0.8, &format!("the key mentions {key} and the label {label}"));
        }
    }
}

/// Two letters of the key are a guess where the label is a sentence that says nothing of what they may stand for.
fn heed_abbreviation(texts: &Texts, weighed: &mut Weighed) {
    let is_short = |word: &String| word.len() == 2 && !matches!(word.as_str(), "ip" | "vm" | "db" | "id");
    if !texts.key.words.iter().any(is_short) || texts.label.words.len() < 2 {
        return;
    }
    let spoken: Vec<(Meaning, bool)> =
        weighed.signs.iter().map(|sign| (sign.meaning, sign.text.starts_with("the key "))).collect();
    for meaning in Meaning::ALL.iter().copied() {
        let mut of_meaning = spoken.iter().filter(|(spoken, _)| *spoken == meaning).peekable();
        if of_meaning.peek().is_some() && of_meaning.all(|(_, is_of_key)| *is_of_key) {
            weighed.lower(
                meaning,
                0.8,
                "the key has a two-letter abbreviation, and the label does not mention it",
            );
        }
    }
}

/// Type, choices and the mark of a password.
pub(super) fn heed_type(property: &Property, texts: &Texts, weighed: &mut Weighed) {
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
        weighed.lower(Meaning::Netmask, 0.1, "a dotted netmask is not a number");
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
pub(super) fn heed_default(property: &Property, weighed: &mut Weighed) {
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
            weighed.lower(meaning, 0.5, "its default is not an address");
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

/// A description that mentions another machine makes an address less sure.
pub(super) fn heed_description(texts: &Texts, weighed: &mut Weighed) {
    use Meaning as M;
    let own = [M::Address, M::Address6, M::Hostname, M::Fqdn, M::AddressWithPrefix, M::Netmask, M::Gateway];
    if let Some(other) =
        FOREIGN.iter().find(|concept| texts.sentence.has(concept) && !texts.name.has(concept))
    {
        let text = format!("the description mentions {other}");
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
pub(super) fn heed_strange_words(
    system: &VirtualSystem,
    texts: &[Texts],
    signs: &Signs,
    weighed: &mut [Weighed],
) {
    use Meaning as M;
    let of_product =
        signs.vocabulary.read(&format!("{} {} {}", system.product.name, system.product.vendor, system.name));
    let mut counts: HashMap<&str, usize> = HashMap::new();
    for text in texts {
        let words: HashSet<&str> =
            text.label.unknown.iter().chain(&text.key.unknown).map(String::as_str).collect();
        for word in words {
            *counts.entry(word).or_default() += 1;
        }
    }
    let networks: HashSet<String> = system.hardware.adapters.iter().flat_map(|name| words_of(name)).collect();
    let is_link = |word: &str| subject::words().any(|known| known == word) || networks.contains(word);
    for (text, weighed) in texts.iter().zip(weighed) {
        let part = if text.is_silent { &text.sentence } else { &text.label };
        let strange = part.unknown.iter().find(|word| {
            let is_common = counts.get(word.as_str()).is_some_and(|count| *count >= 3);
            !signs.own_words.contains(*word) && !of_product.has(word) && !is_common && !is_link(word)
        });
        if let Some(word) = strange {
            weighed.is_strange = true;
            let says = format!("\"{word}\" may be another machine");
            for meaning in [M::Address, M::Address6, M::AddressWithPrefix, M::Hostname, M::Fqdn, M::Gateway] {
                weighed.lower(meaning, if text.is_silent { 0.9 } else { 0.8 }, &says);
            }
        }
    }
}

/// An address beside which a mask or a gateway stands is the machine's own; a bare `ip` among such is too.
pub(super) fn heed_neighbors(properties: &[Property], texts: &[Texts], weighed: &mut [Weighed]) {
    let rows = rows(properties, texts);
    let boosts: [(Meaning, &[Meaning], &str); 4] = [
        (Meaning::Address, &[Meaning::Netmask, Meaning::PrefixLength], "there is a netmask next to it"),
        (Meaning::Address, &[Meaning::Gateway], "there is a gateway next to it"),
        (
            Meaning::Address6,
            &[Meaning::PrefixLength6, Meaning::Gateway6],
            "there is an IPv6 prefix or gateway next to it",
        ),
        (Meaning::PrefixLength, &[Meaning::Address], "there is an address next to it"),
    ];
    let mut found = Vec::new();
    for row in &rows {
        for (meaning, neighbors, text) in boosts {
            let best = Best::of(row, |at| (weighed[at].chance(meaning), texts[at].stem()));
            let is_strong = |at: usize| neighbors.iter().any(|other| weighed[at].chance(*other) >= 0.75);
            let strong = row.iter().filter(|at| is_strong(**at)).count();
            for at in row.iter().copied() {
                let chance = weighed[at].chance(meaning);
                // Of several addresses the mask belongs to the likelier.
                let has_better = best.beside(texts[at].stem()) > chance;
                let has_strong = strong > usize::from(is_strong(at));
                if (0.3..0.95).contains(&chance) && !weighed[at].is_strange && !has_better && has_strong {
                    found.push((at, meaning, text));
                }
            }
        }
    }
    found.sort_by_key(|(at, ..)| *at);
    for (at, meaning, text) in found {
        weighed[at].add(meaning, 0.55, text.to_owned());
    }
}

/// The properties that stand beside each other: of one section, and of one link as far as their keys tell.
fn rows(properties: &[Property], texts: &[Texts]) -> Vec<Vec<usize>> {
    type Row<'a> = (&'a [usize], Option<subject::LinkHint>, &'a str, &'a str, &'a str);
    let mut rows: HashMap<Row<'_>, Vec<usize>> = HashMap::new();
    for (at, (property, text)) in properties.iter().zip(texts).enumerate() {
        let link = subject::link_word(&text.name);
        let row =
            (text.key.numbers.as_slice(), link, &*property.class, &*property.instance, &*property.category);
        rows.entry(row).or_default().push(at);
    }
    rows.into_values().collect()
}

/// The largest chance in a row, and the largest of those with another stem than that one.
struct Best<'a> {
    chance: f64,
    stem: &'a [String],
    of_others: f64,
}

impl<'a> Best<'a> {
    fn of(row: &[usize], of: impl Fn(usize) -> (f64, &'a [String])) -> Self {
        let mut best = Self { chance: f64::MIN, stem: &[], of_others: f64::MIN };
        for (chance, stem) in row.iter().map(|at| of(*at)) {
            if chance > best.chance {
                best = Self { chance, stem, ..best };
            }
        }
        for (chance, stem) in row.iter().map(|at| of(*at)) {
            if stem != best.stem {
                best.of_others = best.of_others.max(chance);
            }
        }
        best
    }

    /// The largest chance of one with another stem.
    fn beside(&self, stem: &[String]) -> f64 {
        if stem == self.stem { self.of_others } else { self.chance }
    }
}

/// Which meanings are the same question in another form, so that one does not make the other less sure.
pub(super) fn is_akin(one: Meaning, other: Meaning) -> bool {
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
