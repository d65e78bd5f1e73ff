//! From what an author wrote to small words without accents: camel case, digits and punctuation apart.

use std::sync::LazyLock;

use deunicode::deunicode_with_tofu;
use foldhash::HashSet;

/// Articles and prepositions, which say nothing here.
const SILENT: &[&str] = &[
    "the", "a", "an", "of", "for", "to", "in", "on", "at", "by", "with", "this", "that", "its", "your",
    "der", "die", "das", "des", "den", "dem", "ein", "eine", "einer", "eines", "fur", "von", "vom", "zum",
    "zur", "im", "dieser", "dieses", "il", "lo", "la", "le", "gli", "i", "di", "del", "dello", "della",
    "dei", "delle", "per", "questa", "questo", "un", "una", "uno", "du", "de", "d", "l", "les", "au", "aux",
    "pour", "cette", "ce", "el", "los", "las", "al", "para", "este", "esta", "enter", "please", "specify",
    "will", "and", "und", "et", "y", "e", "o", "or", "het", "een", "van", "voor", "dit", "deze", "en", "met",
    "os", "as", "do", "da", "dos", "das", "um", "uma", "na", "com", "dla", "z", "ze", "w", "we", "tego",
    "tej", "ten",
];

static SILENT_WORDS: LazyLock<HashSet<&str>> = LazyLock::new(|| SILENT.iter().copied().collect());

/// A text without accents, in letters that every keyboard has.
pub(super) fn plain(text: &str) -> String {
    deunicode_with_tofu(text, " ")
}

/// A text as a list of small words without accents. Letters and digits are taken apart, and so are the humps of camel
/// case; `IPv4` and its like stay whole.
pub(super) fn words_of(text: &str) -> Vec<String> {
    let mut words: Vec<String> = Vec::new();
    let mut current = String::new();
    let characters: Vec<char> = plain(text).chars().collect();
    for (at, &character) in characters.iter().enumerate() {
        if !character.is_alphanumeric() {
            push(&mut words, &mut current);
            continue;
        }
        let previous = at.checked_sub(1).and_then(|before| characters.get(before)).copied().unwrap_or(' ');
        let next = characters.get(at + 1).copied().unwrap_or(' ');
        // The s of "DNSs" or "PCs" is a plural, and no word of its own.
        let behind = characters.get(at + 2).copied().unwrap_or(' ');
        let before_plural = next == 's' && !behind.is_alphanumeric();
        let is_hump = character.is_uppercase()
            && (previous.is_lowercase()
                || (previous.is_uppercase() && next.is_lowercase() && !before_plural));
        // The v of IPv4 is small between capitals: no hump.
        let is_version = |c: char| matches!(c, 'v' | 'V');
        let keeps_ip = is_version(character) && current.eq_ignore_ascii_case("ip") && next.is_ascii_digit();
        let ends_version = character.is_ascii_digit()
            && (current.eq_ignore_ascii_case("ipv") || current.eq_ignore_ascii_case("v"))
            && matches!(character, '4' | '6');
        let changes_kind =
            character.is_ascii_digit() != previous.is_ascii_digit() && previous.is_alphanumeric();
        let starts_ipv = is_hump && current == "I" && character == 'P';
        if !starts_ipv && !keeps_ip && !ends_version && (is_hump || changes_kind) {
            push(&mut words, &mut current);
        }
        current.push(character);
    }
    push(&mut words, &mut current);
    words
}

fn push(words: &mut Vec<String>, current: &mut String) {
    if !current.is_empty() {
        let word = current.to_lowercase();
        current.clear();
        if !SILENT_WORDS.contains(word.as_str()) {
            words.push(word);
        }
    }
}

/// All words of a text, articles too: small, without accents, at blanks and punctuation only.
pub(super) fn spoken_words(text: &str) -> Vec<String> {
    plain(text)
        .split(|letter: char| !letter.is_alphanumeric())
        .filter(|word| !word.is_empty())
        .map(str::to_lowercase)
        .collect()
}

/// Short forms behind whose dot a sentence goes on.
const SHORTENED: &[&str] = &[
    "e", "g", "i", "eg", "ie", "z", "b", "ca", "bzw", "min", "max", "np", "ex", "ej", "es", "p", "bv", "nr",
    "no", "num", "def", "lic", "incl", "inkl", "approx", "usw", "etc", "resp", "addr", "tel",
];

/// The first sentence of a text.
pub(super) fn first_sentence(text: &str) -> &str {
    let text = text.trim();
    let is_shortened = |before: &str| {
        let last = before.rsplit(|letter: char| !letter.is_alphanumeric()).next().unwrap_or_default();
        SHORTENED.contains(&last.to_lowercase().as_str())
    };
    let end = text
        .match_indices(['.', ';', '?', '\n'])
        .find(|(at, found)| {
            let (before, rest) = text.split_at(*at);
            let rest = rest.get(1..).unwrap_or_default();
            *found == "\n"
                || ((rest.starts_with([' ', '\n']) || rest.is_empty())
                    && !(*found == "." && is_shortened(before)))
        })
        .map_or(text.len(), |(at, _)| at);
    text.get(..end).unwrap_or(text)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn spellings_come_apart() {
        let words = |text: &str| words_of(text).join(" ");
        assert_eq!(words("managementIPv4Address0"), "management ipv4 address 0");
        assert_eq!(words("DNSServer2"), "dns server 2");
        assert_eq!(words("net.ip_addr-1"), "net ip addr 1");
        assert_eq!(words("Adresse IP de la passerelle"), "adresse ip passerelle");
        assert_eq!(words("Präfixlänge"), "prafixlange");
        assert_eq!(words("Długość hasła"), "dlugosc hasla");
        assert_eq!(words("IPAddress"), "ip address");
        assert_eq!(words("ipv6Prefix"), "ipv6 prefix");
        assert_eq!(words("NTP1"), "ntp 1");
        assert_eq!(words("Whose DNSs"), "whose dnss");
    }

    #[test]
    fn the_first_sentence_ends_at_its_full_stop() {
        assert_eq!(first_sentence("Address of the node. Not 10.64.0.1."), "Address of the node");
        assert_eq!(first_sentence("For example 10.64.10.61"), "For example 10.64.10.61");
        assert_eq!(first_sentence("z. B. 10.64.10.61"), "z. B. 10.64.10.61");
        assert_eq!(first_sentence("One\ntwo"), "One");
        assert_eq!(first_sentence("Who? Me."), "Who");
    }
}
