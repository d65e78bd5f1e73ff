//! What speaks for and against each meaning of a property, as far as its own texts, type and default tell.

use std::net::IpAddr;

use super::default_form::is_mask;
use super::meaning::Meaning;
use super::reading::SignSeen;
use super::signs::{Sign, Signs};
use super::texts::{CLEAR, OF_ADDRESS, Texts};
use super::vocabulary::Spoken;
use super::weighed::{Mark, Source, Weighed};
use super::words::spoken_words;
use crate::descriptor::{Property, PropertyType};

pub(super) fn weigh(property: &Property, texts: &Texts, signs: &Signs) -> Weighed {
    let mut weighed = Weighed::default();
    heed_words(texts, signs, &mut weighed);
    heed_contradiction(texts, signs, &mut weighed);
    heed_abbreviation(texts, &mut weighed);
    heed_turned_switch(texts, &mut weighed);
    heed_type(property, texts, &mut weighed);
    heed_choices(property, &mut weighed);
    heed_default(property, &mut weighed);
    heed_what_it_says_of_itself(texts, &mut weighed);
    weighed
}

/// What key, label, description and section mention.
fn heed_words(texts: &Texts, signs: &Signs, weighed: &mut Weighed) {
    let key_in_class = texts.class.with(&texts.key);
    let label_in_class = texts.class.with(&texts.label);
    let in_category = texts.category.with(&texts.key).with(&texts.label);
    let with_sentence = texts.all.with(&texts.sentence);
    let (plain_all, plain_sentence) = (texts.all.without(OF_ADDRESS), with_sentence.without(OF_ADDRESS));
    // A label and its description may be one sentence: "Members: how many there are".
    let across = texts.label.with(&texts.sentence);
    let own_description = if texts.is_silent() {
        0.95
    } else if texts.loudness < CLEAR {
        0.85
    } else {
        0.5
    };
    let best = |meaning: Meaning, spoken: &Spoken, vetoes: &Spoken| -> Option<&Sign> {
        signs
            .of(meaning)
            .filter(|sign| sign.all.iter().all(|concept| spoken.has(concept)))
            .filter(|sign| !sign.none.iter().any(|concept| vetoes.has(concept)))
            .max_by(|one, other| one.strength.total_cmp(&other.strength))
    };
    let in_head = texts.name.with(&texts.head);
    let has_head = Meaning::ALL.iter().any(|meaning| {
        best(*meaning, &texts.head, &in_head)
            .is_some_and(|sign| sign.strength >= CLEAR && !meaning.is_switch())
    });
    let anywhere = in_category.with(&texts.class).with(&texts.sentence);
    let is_anywhere =
        |meaning: Meaning| signs.of(meaning).any(|sign| sign.all.iter().all(|concept| anywhere.has(concept)));
    for meaning in
        Meaning::ALL.iter().copied().filter(|meaning| is_anywhere(*meaning) || is_anywhere(plainer(*meaning)))
    {
        let parts = [
            ("the key", Source::Key, &texts.key, 1.0),
            ("the label", Source::Label, &texts.label, 1.0),
            ("class and key", Source::Key, &key_in_class, 0.96),
            ("class and label", Source::Label, &label_in_class, 0.92),
            ("category, key and label", Source::Section, &in_category, 0.9),
            ("the description", Source::Description, &texts.sentence, own_description),
            ("label and description", Source::Description, &across, 0.8),
        ];
        let mut seen: Vec<&Vec<String>> = Vec::new();
        let mut has_named = false;
        let mut agreeing: Vec<Source> = Vec::new();
        for (part, source, spoken, weight) in parts {
            let is_combined = part.contains("and");
            if is_combined && (has_named || (part.starts_with("label") && !seen.is_empty())) {
                continue;
            }
            let vetoes = if source == Source::Description { &with_sentence } else { &texts.all };
            let sign = best(meaning, spoken, vetoes).or_else(|| {
                // What a clause says of the thing that the sentence is about makes it no other thing.
                let is_description = source == Source::Description;
                let of_head = is_description.then(|| best(meaning, &texts.head, &in_head)).flatten();
                of_head.filter(|sign| sign.strength >= CLEAR && texts.loudness < CLEAR)
            });
            let Some(sign) = sign else {
                // "address" says less than "IP address", and says the same.
                let plain = if source == Source::Description { &plain_sentence } else { &plain_all };
                let says_same = |meaning| best(meaning, spoken, plain).is_some();
                if !is_combined && (says_same(meaning) || says_same(plainer(meaning))) {
                    agreeing.push(source);
                }
                continue;
            };
            has_named |= source != Source::Description;
            // What a clause adds to the thing that the sentence is about is not what it asks for.
            let is_of_clause = has_head
                && source == Source::Description
                && !sign.all.iter().all(|concept| texts.head.has(concept));
            let of_clause = if is_of_clause { 0.45 } else { 1.0 };
            let repeats = seen.contains(&&sign.all);
            // What the section says by itself is about all of it, and of one property only where that says nothing else.
            let section = if part.starts_with("class") { &texts.class } else { &texts.category };
            let is_of_section = source != Source::Description
                && is_combined
                && sign.all.iter().all(|concept| section.has(concept));
            let of_section = if is_of_section && !is_plain(texts, signs) { 0.45 } else { 1.0 };
            let strength = sign.strength * weight * of_section * of_clause * if repeats { 0.5 } else { 1.0 };
            seen.push(&sign.all);
            weighed.add(meaning, source, strength, format!("{part} mentions {}", sign.all.join(" and ")));
        }
        for source in agreeing {
            weighed.agree(meaning, source);
        }
    }
}

/// The meaning without its family or its form: an address agrees with an IPv6 address.
fn plainer(meaning: Meaning) -> Meaning {
    match meaning {
        Meaning::Address6 | Meaning::AddressWithPrefix => Meaning::Address,
        Meaning::Gateway6 => Meaning::Gateway,
        Meaning::PrefixLength6 => Meaning::PrefixLength,
        other => other,
    }
}

/// Whether key and label say nothing but which of several they are, or that they are an address or a name.
fn is_plain(texts: &Texts, signs: &Signs) -> bool {
    const PLAIN: &[&str] = &[
        "primary",
        "secondary",
        "tertiary",
        "address",
        "name",
        "server",
        "number",
        "host",
        "machine",
        "ip",
        "time",
    ];
    let own = if texts.label.words.is_empty() { &texts.key } else { &texts.label };
    own.unknown.iter().all(|word| signs.own_words.contains(word))
        && own.concepts.iter().all(|concept| {
            PLAIN.contains(&concept.as_str())
                || signs.own_words.contains(concept)
                || texts.category.has(concept)
        })
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

/// A switch that turns something off means the opposite of one that turns it on.
fn heed_turned_switch(texts: &Texts, weighed: &mut Weighed) {
    let is_left_out = |words: &[String]| words.iter().any(|word| LEFT_OUT.contains(&word.as_str()));
    let turns_off = texts.name.has("disable")
        || is_left_out(&texts.key.words)
        || is_left_out(texts.label.words.get(..1).unwrap_or_default())
        || (texts.sentence.has("disable") && !texts.name.has("enable"));
    if !turns_off || offers_both(&texts.prose) {
        return;
    }
    for meaning in Meaning::ALL.iter().copied().filter(|meaning| meaning.is_switch()) {
        weighed.lower(meaning, 0.1, "it turns it off");
    }
    weighed.mark(Mark::Understood);
}

/// Words in a key that turn its switch round: `noSsh`, `sin_ssh`.
const LEFT_OUT: &[&str] = &[
    "no", "not", "without", "sin", "sans", "senza", "ohne", "kein", "keine", "aus", "zonder", "geen", "sem",
    "bez", "nie", "never",
];

/// Whether a text offers to turn something on and off: "enable or disable", "on/off".
fn offers_both(prose: &str) -> bool {
    const ON: &[&str] = &[
        "on", "enable", "enabled", "ein", "an", "aan", "abilita", "activer", "activar", "ativar", "wlacz",
        "true",
    ];
    const OFF: &[&str] = &[
        "off",
        "disable",
        "disabled",
        "aus",
        "uit",
        "disabilita",
        "desactiver",
        "desactivar",
        "desativar",
        "wylacz",
        "false",
    ];
    const OR: &[&str] = &["or", "oder", "o", "ou", "of", "lub", "and", "und"];
    let words = spoken_words(prose);
    let words: Vec<&str> = words.iter().map(String::as_str).filter(|word| !OR.contains(word)).collect();
    words.windows(2).any(|pair| {
        let [one, other] = pair else { return false };
        *one != "true"
            && *other != "true"
            && ((ON.contains(one) && OFF.contains(other)) || (OFF.contains(one) && ON.contains(other)))
    })
}

fn is_truth(text: &str) -> bool {
    matches!(
        text.to_ascii_lowercase().as_str(),
        "true" | "false" | "yes" | "no" | "on" | "off" | "enabled" | "disabled"
    )
}

/// Whether a property takes yes or no.
pub(super) fn is_switch(property: &Property) -> bool {
    let choices = &property.limits.choices;
    property.kind == PropertyType::Boolean
        || is_truth(property.base_default.as_deref().unwrap_or_default())
        || (!choices.is_empty() && choices.iter().all(|choice| is_truth(choice)))
}

/// Whether an address is chosen to be asked for, among the choices of a property.
fn chooses_address_source(property: &Property) -> bool {
    property.limits.choices.iter().any(|choice| {
        let choice = choice.to_ascii_lowercase();
        choice.contains("dhcp") || matches!(choice.as_str(), "automatic" | "auto" | "dynamic")
    })
}

/// Whether a property takes a number: its type is one, or its default.
pub(super) fn is_number(property: &Property) -> bool {
    let is_typed = matches!(property.kind, PropertyType::Unsigned(_) | PropertyType::Signed(_));
    let is_default =
        property.base_default.as_deref().is_some_and(|default| default.trim().parse::<u32>().is_ok());
    is_typed || is_default
}

/// Type and the mark of a password.
fn heed_type(property: &Property, texts: &Texts, weighed: &mut Weighed) {
    let chooses_source = chooses_address_source(property);
    let is_switch = is_switch(property);
    let is_number = is_number(property);
    for meaning in Meaning::ALL.iter().copied() {
        if is_switch && !meaning.is_switch() {
            weighed.lower(meaning, 0.05, "it takes true or false");
        } else if meaning.is_switch()
            && !is_switch
            && !(meaning == Meaning::DhcpEnabled && (chooses_source || texts.name.has("enable")))
        {
            weighed.lower(
                meaning,
                if is_number || !texts.all.has("enable") { 0.1 } else { 0.6 },
                "its type is not that of a switch",
            );
        } else if is_number && !meaning.is_number() && !is_switch {
            let is_code = meaning == Meaning::Password && property.kind == PropertyType::String;
            weighed.lower(meaning, if is_code { 0.5 } else { 0.1 }, "it takes a number");
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
        weighed.turn(Meaning::Netmask, Meaning::PrefixLength, "a mask that is a number is a length");
    } else if is_number && weighed.chance(Meaning::Netmask) > 0.05 {
        weighed.lower(Meaning::Netmask, 0.1, "a dotted netmask is not a number");
        weighed.add(
            Meaning::PrefixLength,
            Source::Value,
            0.85,
            "a mask that is a number is a length".to_owned(),
        );
    }
    let is_typed_number = property.takes_number();
    let length = property.base_default.as_deref().and_then(|default| default.trim().parse::<u32>().ok());
    for (meaning, range) in [(Meaning::PrefixLength, 8..=32), (Meaning::PrefixLength6, 32..=128)] {
        if weighed.chance(meaning) < 0.3 {
            continue;
        }
        match length {
            Some(length) if range.contains(&length) => {
                weighed.add(meaning, Source::Value, 0.3, format!("its default {length} may be a length"));
            }
            // Which family it is of may be told by its neighbors only.
            Some(length) if (8..=128).contains(&length) => {}
            Some(_) => weighed.lower(meaning, 0.3, "its default is not the length of a prefix"),
            None if is_typed_number => {
                weighed.add(meaning, Source::Value, 0.15, "it takes a number".to_owned());
            }
            None => {}
        }
    }
    heed_mark(property, texts, weighed);
}

/// The mark of a password.
fn heed_mark(property: &Property, texts: &Texts, weighed: &mut Weighed) {
    if property.is_password
        && !texts.name.has("token")
        && !texts.name.has("snmp")
        && weighed.chance(Meaning::LicenseKey) < 0.5
    {
        weighed.add(Meaning::Password, Source::Value, 0.85, "it is marked as a password".to_owned());
    }
    // What must be long and is no name is something to be kept secret.
    if let Some(least) = property.limits.min_length.filter(|least| (6..=64).contains(least))
        && !property.is_password
        && weighed.chance(Meaning::Password) > 0.3
    {
        weighed.add(Meaning::Password, Source::Value, 0.2, format!("it wants {least} characters or more"));
    }
    if property.kind == PropertyType::String
        && !property.is_password
        && weighed.chance(Meaning::Password) > 0.5
    {
        weighed.lower(Meaning::Password, 0.95, "it is not marked as a password");
    }
}

/// What there is to choose from.
fn heed_choices(property: &Property, weighed: &mut Weighed) {
    use Meaning as M;
    let choices = &property.limits.choices;
    if chooses_address_source(property) && property.kind == PropertyType::String {
        let is_named = choices.iter().any(|choice| choice.to_ascii_lowercase().contains("dhcp"));
        if is_named || weighed.chance(M::DhcpEnabled) > 0.3 {
            weighed.add(M::DhcpEnabled, Source::Value, 0.9, "dhcp is one of its choices".to_owned());
        }
        return;
    }
    if choices.is_empty() || is_switch(property) {
        return;
    }
    let may_choose = [
        M::Role,
        M::Timezone,
        M::Locale,
        M::Keyboard,
        M::NodeNumber,
        M::NodeCount,
        M::PrefixLength,
        M::Netmask,
    ];
    for meaning in Meaning::ALL.iter().copied().filter(|meaning| !may_choose.contains(meaning)) {
        weighed.lower(meaning, 0.3, &format!("it takes one of {} choices", choices.len()));
    }
    // Languages are written small; what is chosen in capitals is a country.
    if choices.iter().all(|choice| choice.len() == 2 && choice.bytes().all(|byte| byte.is_ascii_uppercase()))
    {
        weighed.lower(M::Locale, 0.2, "its choices are countries");
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
    if address.is_some_and(is_mask) {
        weighed.add(M::Netmask, Source::Value, 0.5, format!("its default {default} looks like a netmask"));
        for meaning in [M::Address, M::Gateway, M::Dns, M::Ntp] {
            weighed.lower(meaning, 0.3, "its default looks like a netmask");
        }
        return;
    }
    let is_zone = default.contains('/') || matches!(default, "UTC" | "GMT");
    if is_zone && jiff::tz::TimeZone::get(default).is_ok() {
        weighed.add(M::Timezone, Source::Value, 0.7, format!("its default {default} is a time zone"));
    }
    if is_locale(default) {
        weighed.add(M::Locale, Source::Value, 0.6, format!("its default {default} is a locale"));
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

/// Whether a text is a locale by its form: `it_IT.UTF-8`.
fn is_locale(text: &str) -> bool {
    let name = text.split_once('.').map_or(text, |(name, _)| name);
    name.split_once('_').is_some_and(|(language, country)| {
        language.len() == 2
            && language.bytes().all(|byte| byte.is_ascii_lowercase())
            && country.len() == 2
            && country.bytes().all(|byte| byte.is_ascii_uppercase())
    })
}

/// What says that it is internal, or kept from an older version, wants no value of a site.
fn heed_what_it_says_of_itself(texts: &Texts, weighed: &mut Weighed) {
    let is_internal = texts.sentence.has("hidden") || texts.name.has("hidden");
    let is_obsolete = texts.sentence.has("obsolete") || texts.name.has("obsolete");
    for (is_so, factor, text) in [
        (is_internal, 0.6, "it says that it is internal"),
        (is_obsolete, 0.2, "it says that it is of an older version"),
    ] {
        if is_so {
            weighed.mark(Mark::Understood);
            for meaning in Meaning::ALL.iter().copied() {
                weighed.lower(meaning, factor, text);
            }
        }
    }
}

/// A second meaning with much to be said for it makes the first less sure.
pub(super) fn heed_rival(
    weighed: &mut Weighed,
    meaning: Meaning,
    ranked: &[(Meaning, f64)],
    confidence: f64,
) -> f64 {
    let rival = ranked.iter().skip(1).find(|(rival, chance)| *chance > 0.3 && !is_akin(meaning, *rival));
    let Some((rival, chance)) = rival else { return confidence };
    let after = confidence * (1.0 - 0.6 * (chance - 0.3));
    weighed.signs.push(SignSeen { text: format!("it may also be {rival} ({chance:.2})"), meaning, after });
    after
}

/// Which meanings are the same question in another form, so that one does not make the other less sure.
pub(super) fn is_akin(one: Meaning, other: Meaning) -> bool {
    use Meaning as M;
    let families: [&[Meaning]; 10] = [
        &[M::Hostname, M::Fqdn],
        &[M::Address, M::AddressWithPrefix, M::Address6],
        &[M::Gateway, M::Gateway6],
        &[M::PrefixLength, M::PrefixLength6, M::Netmask],
        &[M::Dns, M::Dns1, M::Dns2],
        &[M::Ntp, M::Ntp1, M::Ntp2, M::NtpEnabled],
        &[M::Search, M::Domain, M::Dns],
        &[M::MailRelay, M::MailAddress],
        &[M::Password, M::Username],
        &[M::LicenseKey, M::LicenseServer],
    ];
    families.iter().any(|family| family.contains(&one) && family.contains(&other))
}
