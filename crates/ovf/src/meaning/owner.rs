//! Whether an address, a name or a gateway is the machine's own, or another machine's.

use foldhash::{HashMap, HashMapExt, HashSet};

use super::link_names::Row;
use super::meaning::Meaning;
use super::neighbors::is_of_own_link;
use super::subject;
use super::texts::{CLEAR, FOREIGN, Texts, Wording};
use super::vocabulary::Spoken;
use super::weighed::{Mark, Source, Weighed};
use super::whose::denies;
use crate::descriptor::VirtualSystem;

/// What may be another machine's.
const OWN: &[Meaning] = &[
    Meaning::Address,
    Meaning::Address6,
    Meaning::AddressWithPrefix,
    Meaning::Hostname,
    Meaning::Fqdn,
    Meaning::Gateway,
    Meaning::Gateway6,
    Meaning::Netmask,
];

const ADDRESSES: &[Meaning] = &[Meaning::Address, Meaning::Address6, Meaning::AddressWithPrefix];
const NAMES: &[Meaning] = &[Meaning::Hostname, Meaning::Fqdn];
const GATEWAYS: &[Meaning] = &[Meaning::Gateway, Meaning::Gateway6];

/// Lowers what its texts say is another machine's, and what stands among another's settings.
pub(super) fn heed_owner(
    system: &VirtualSystem,
    texts: &[Texts],
    rows: &[Row],
    wording: &Wording<'_>,
    weighed: &mut [Weighed],
) {
    for (text, weighed) in texts.iter().zip(weighed.iter_mut()) {
        heed_mention(text, wording, weighed);
    }
    heed_second_gateway(texts, weighed);
    heed_ports(texts, rows, wording, weighed);
    heed_strange_words(system, texts, rows, wording, weighed);
}

/// What the texts say outright.
fn heed_mention(texts: &Texts, wording: &Wording<'_>, weighed: &mut Weighed) {
    if texts.mention.is_of_another {
        weighed.mark(Mark::Understood);
        for meaning in ADDRESSES.iter().chain(NAMES) {
            weighed.lower(*meaning, 0.08, "its text says that it is not about this machine");
        }
    } else if texts.mention.is_of_itself {
        for (meanings, strength) in [(ADDRESSES, 0.35), (NAMES, 0.5)] {
            let likely = meanings.iter().filter(|meaning| weighed.chance(**meaning) >= 0.3);
            for meaning in likely.copied().collect::<Vec<_>>() {
                weighed.add(
                    meaning,
                    Source::Description,
                    strength,
                    "its text mentions this machine".to_owned(),
                );
            }
        }
    }
    if texts.sentence.has("either") || texts.label.has("either") {
        weighed.mark(Mark::Understood);
        for meaning in ADDRESSES.iter().chain(NAMES) {
            weighed.lower(*meaning, 0.15, "it takes a name or an address, which its own machine has both");
        }
    }
    if weighed.best_of(GATEWAYS) > 0.0 && denies(&texts.prose, "gateway", &wording.signs.vocabulary) {
        weighed.mark(Mark::Understood);
        for meaning in GATEWAYS {
            weighed.lower(*meaning, 0.1, "its text says that it is no router");
        }
    }
    let foreign = FOREIGN.iter().find(|concept| texts.sentence.has(concept) && !texts.name.has(concept));
    if let Some(foreign) = foreign.filter(|_| !texts.mention.is_of_itself) {
        weighed.mark(Mark::Foreign);
        let text = format!("the description mentions {foreign}");
        let factor = if texts.loudness < CLEAR { 0.5 } else { 0.7 };
        for meaning in OWN {
            // A router is always another machine.
            let factor = if GATEWAYS.contains(meaning) { 0.85 } else { factor };
            weighed.lower(*meaning, factor, &text);
        }
    }
}

/// A second gateway without a second address may be a backup that a sheet does not have.
fn heed_second_gateway(texts: &[Texts], weighed: &mut [Weighed]) {
    let is_second = |at: usize, meanings: &[Meaning]| {
        texts[at].label.has("secondary") && weighed[at].best_of(meanings) >= 0.5
    };
    if (0..texts.len()).any(|at| is_second(at, ADDRESSES)) {
        return;
    }
    let gateways: Vec<usize> = (0..texts.len()).filter(|at| is_second(*at, GATEWAYS)).collect();
    for at in gateways {
        for meaning in GATEWAYS {
            weighed[at].lower(*meaning, 0.7, "it is a second gateway, and there is no second address");
        }
    }
}

/// An address beside which a port stands, and no mask, is that of a service elsewhere.
fn heed_ports(texts: &[Texts], rows: &[Row], wording: &Wording<'_>, weighed: &mut [Weighed]) {
    const OF_SERVICES: &[&str] = &["port", "interval", "attempts"];
    let is_port = |at: usize| {
        OF_SERVICES.iter().any(|concept| texts[at].name.has(concept)) && texts[at].name.concepts.len() < 12
    };
    let is_link: Vec<bool> = (0..texts.len()).map(|at| is_of_own_link(&weighed[at])).collect();
    // The words that one property's name has beside what it means.
    let words = |at: usize| -> HashSet<&String> {
        let unknown = texts[at].key.unknown.iter().chain(&texts[at].label.unknown);
        unknown.filter(|word| word.len() >= 2 && !wording.signs.own_words.contains(*word)).collect()
    };
    let own_words: Vec<HashSet<&String>> = (0..texts.len()).map(words).collect();
    // How many ports and how many settings of links have a word.
    let mut of_word: HashMap<&String, (usize, usize)> = HashMap::new();
    for at in 0..texts.len() {
        for word in &own_words[at] {
            let (ports, links) = of_word.entry(word).or_default();
            *ports += usize::from(is_port(at));
            *links += usize::from(is_link[at]);
        }
    }
    let mut sections: HashMap<Row, (bool, bool)> = HashMap::new();
    for at in 0..texts.len() {
        let (has_port, has_link) = sections.entry(rows[at].without_names()).or_default();
        *has_port |= is_port(at);
        *has_link |= is_link[at];
    }
    let has_link_elsewhere = sections.values().filter(|(_, has_link)| *has_link).count() > 0;
    for at in 0..texts.len() {
        if weighed[at].best_of(ADDRESSES).max(weighed[at].best_of(NAMES)) < 0.3
            || texts[at].mention.is_of_itself
        {
            continue;
        }
        let of_words = || own_words[at].iter().filter_map(|word| of_word.get(word));
        let by_word = of_words().any(|(ports, _)| *ports > usize::from(is_port(at)))
            && !of_words().any(|(_, links)| *links > usize::from(is_link[at]));
        let section = sections.get(&rows[at].without_names()).copied().unwrap_or_default();
        let by_section = sections.len() > 1 && section == (true, false) && has_link_elsewhere;
        if by_word {
            lower_own(&mut weighed[at], 0.25, "a port of the same name stands beside it");
        } else if by_section {
            for meaning in ADDRESSES {
                weighed[at].lower(*meaning, 0.3, "a port stands beside it, and no mask");
            }
        }
    }
}

fn lower_own(weighed: &mut Weighed, factor: f64, text: &str) {
    for meaning in OWN {
        weighed.lower(*meaning, factor, text);
    }
}

/// A word in the name that is not known may be somebody else: "IP address of the wharf office". Words of the product's own
/// name, of its links, and words that many properties share, say nothing. Where another property asks for the same without
/// a strange word, the one with it is another machine's.
fn heed_strange_words(
    system: &VirtualSystem,
    texts: &[Texts],
    rows: &[Row],
    wording: &Wording<'_>,
    weighed: &mut [Weighed],
) {
    let of_product = wording
        .signs
        .vocabulary
        .read(&format!("{} {} {}", system.product.name, system.product.vendor, system.name));
    let mut counts: HashMap<&str, usize> = HashMap::new();
    for text in texts {
        let words: HashSet<&str> =
            text.label.unknown.iter().chain(&text.key.unknown).map(String::as_str).collect();
        for word in words {
            *counts.entry(word).or_default() += 1;
        }
    }
    let is_strange = |word: &&String| {
        let is_common =
            counts.get(word.as_str()).is_some_and(|count| *count >= 3 && *count * 4 >= texts.len());
        !wording.signs.own_words.contains(*word)
            && !of_product.has(word)
            && !wording.own.has(word)
            && !is_common
            && !subject::words().any(|known| known == word.as_str())
            && !wording.reader.is_name(word)
            && word.len() >= 2
    };
    let strange = |spoken: &Spoken| spoken.unknown.iter().find(is_strange).cloned();
    let is_own_link: Vec<bool> = weighed.iter().map(is_of_own_link).collect();
    let link_of = |at: usize| (rows[at].without_names(), rows[at].names);
    let mut own_links: HashMap<(Row, usize), usize> = HashMap::new();
    for at in (0..rows.len()).filter(|at| is_own_link[*at]) {
        *own_links.entry(link_of(at)).or_default() += 1;
    }
    let own_link =
        |at: usize| own_links.get(&link_of(at)).is_some_and(|links| *links > usize::from(is_own_link[at]));
    // How strange each is: by its label, or where it has none by its description; and by its key.
    let levels: Vec<(u8, Option<String>)> = (0..texts.len())
        .map(|at| {
            let text = &texts[at];
            let said = if text.label.words.is_empty() { &text.sentence } else { &text.label };
            let (said, key) = (strange(said), strange(&text.key));
            let level = 2 * u8::from(said.is_some()) + u8::from(key.is_some());
            let is_told_own = text.mention.is_of_itself && !text.mention.is_of_another;
            (if is_told_own { 0 } else { level }, said)
        })
        .collect();
    let families: Vec<Family> = [ADDRESSES, NAMES, GATEWAYS]
        .into_iter()
        .map(|meanings| {
            let likely = (0..texts.len()).filter(|at| weighed[*at].best_of(meanings) >= 0.5);
            Family {
                meanings,
                plainest: likely.clone().map(|at| levels[at].0).min(),
                has_second: likely.clone().any(|at| texts[at].label.has("secondary")),
            }
        })
        .collect();
    let found: Vec<Option<(f64, String)>> = (0..texts.len())
        .map(|at| {
            let (level, word) = &levels[at];
            let chance = |family: &Family| weighed[at].best_of(family.meanings);
            let family = families.iter().max_by(|one, other| chance(one).total_cmp(&chance(other)))?;
            // "First sensor", and no second one that asks for the same.
            let is_first = texts[at].label.has("primary")
                && family.meanings != GATEWAYS
                && rows[at].has_names()
                && !family.has_second;
            let of_first = || texts[at].label.words.last().filter(|_| is_first);
            let word = word.as_ref().filter(|_| *level >= 2).or_else(of_first)?;
            let has_plainer = family.plainest.is_some_and(|plainest| plainest < *level);
            let with_length =
                weighed[at].chance(Meaning::AddressWithPrefix) > weighed[at].chance(Meaning::Address);
            let is_named = rows[at].has_names() || !has_plainer;
            let is_link = (own_link(at) && is_named && family.meanings != NAMES) || with_length;
            let factor = match (has_plainer, is_link, texts[at].label.words.is_empty()) {
                (true, false, _) => 0.4,
                (_, true, _) => 0.95,
                (false, false, true) => 0.9,
                (false, false, false) => 0.8,
            };
            Some((factor, format!("\"{word}\" may be another machine")))
        })
        .collect();
    for (weighed, found) in weighed.iter_mut().zip(found) {
        if let Some((factor, says)) = found {
            for meaning in OWN.iter().filter(|meaning| **meaning != Meaning::Netmask) {
                weighed.lower(*meaning, factor, &says);
            }
            let is_settled = factor < 0.5 && weighed.best_of(OWN) > 0.0;
            if is_settled {
                weighed.mark(Mark::Understood);
                weighed.mark(Mark::Strange);
            }
        }
    }
}

/// Meanings that ask for the same, and what is known of all properties that may have them.
struct Family {
    meanings: &'static [Meaning],
    /// The least strange of them.
    plainest: Option<u8>,
    /// Whether one of them is the second.
    has_second: bool,
}
