//! Words that whoever tries passwords at a site tries first: its own, and the time of year.

use aho_corasick::{AhoCorasick, MatchKind};
use impostazione_text::Hidden;

/// Seasons and months in five languages.
const TIMES_OF_YEAR: &str = include_str!("times_of_year.txt");

/// The fewest letters of a word that is looked for: a shorter one is part of too many others.
const LEAST: usize = 4;

/// The words of a site, which count for nothing in a password of it.
#[derive(Clone, Debug)]
pub struct FamiliarWords {
    own: Option<AhoCorasick>,
    times: Option<AhoCorasick>,
}

impl FamiliarWords {
    /// The words in names of a site: its own, those of its domain, its subnets and its machines.
    pub fn of_names<'a>(names: impl IntoIterator<Item = &'a str>) -> Self {
        let mut words: Vec<String> = names.into_iter().flat_map(words_of).collect();
        words.sort_unstable();
        words.dedup();
        let searcher = |words: &[String]| {
            AhoCorasick::builder().match_kind(MatchKind::LeftmostLongest).build(words).ok()
        };
        let times = TIMES_OF_YEAR.lines().filter(|line| !line.starts_with('#')).map(str::to_owned);
        Self {
            own: (!words.is_empty()).then(|| searcher(&words)).flatten(),
            times: searcher(&times.collect::<Vec<String>>()),
        }
    }

    /// The parts of a value that somebody has to guess who knows these words: what is left without them, without seasons and
    /// months beside a year, and without a mark that is repeated at the end.
    pub(super) fn unknown_parts(&self, value: &Hidden) -> Vec<Hidden> {
        let characters: Vec<char> = value.reveal().chars().collect();
        let plain: String = characters.iter().map(|c| plain(*c)).collect();
        let mut is_known = vec![false; characters.len()];
        // The plain text is ASCII, so that its offsets are positions.
        for found in self.own.iter().flat_map(|own| own.find_iter(&plain)) {
            mark(&mut is_known, found.start(), found.end());
        }
        for found in self.times.iter().flat_map(|times| times.find_iter(&plain)) {
            let after = year_after(&characters, found.end());
            let before = year_before(&characters, found.start());
            if after.or(before).is_some() {
                mark(&mut is_known, before.unwrap_or(found.start()), after.unwrap_or(found.end()));
            }
        }
        if let [.., a, b] = characters.as_slice()
            && a == b
            && !a.is_alphanumeric()
        {
            let repeated = characters.iter().rev().take_while(|c| *c == a).count();
            mark(&mut is_known, characters.len() - repeated, characters.len());
        }
        let mut parts: Vec<String> = Vec::new();
        let mut was_known = true;
        for (character, is_known) in characters.iter().zip(is_known) {
            if !is_known {
                if was_known {
                    parts.push(String::new());
                }
                if let Some(part) = parts.last_mut() {
                    part.push(*character);
                }
            }
            was_known = is_known;
        }
        parts.into_iter().map(Hidden::new).collect()
    }
}

fn mark(is_known: &mut [bool], from: usize, to: usize) {
    is_known.get_mut(from..to).into_iter().flatten().for_each(|known| *known = true);
}

/// The words of a name: letters without a break, or, as in `CapoVetro`, up to the next capital letter.
fn words_of(name: &str) -> Vec<String> {
    let whole = name.split(|c: char| !c.is_alphabetic()).map(str::to_owned);
    let mut pieces = vec![String::new()];
    let mut was_small = false;
    for character in name.chars() {
        if !character.is_alphabetic() || (character.is_uppercase() && was_small) {
            pieces.push(String::new());
        }
        if character.is_alphabetic()
            && let Some(piece) = pieces.last_mut()
        {
            piece.push(character);
        }
        was_small = character.is_lowercase();
    }
    let plainly = |word: String| word.chars().map(plain).collect::<String>();
    whole.chain(pieces).filter(|word| word.chars().count() >= LEAST).map(plainly).collect()
}

/// A character as it is compared: small, without its accent, and the letter for which a digit or a mark is commonly written.
fn plain(character: char) -> char {
    match character.to_lowercase().next().unwrap_or(character) {
        'à' | 'á' | 'â' | 'ä' | '@' | '4' => 'a',
        'è' | 'é' | 'ê' | 'ë' | '3' => 'e',
        'ì' | 'í' | 'î' | 'ï' | '1' | '!' => 'i',
        'ò' | 'ó' | 'ô' | 'ö' | '0' => 'o',
        'ù' | 'ú' | 'û' | 'ü' => 'u',
        'ñ' => 'n',
        'ç' => 'c',
        '$' | '5' => 's',
        '7' => 't',
        other if other.is_ascii() => other,
        _ => '?',
    }
}

/// The end of a year of two or four digits that begins at a position, or behind one mark.
fn year_after(characters: &[char], from: usize) -> Option<usize> {
    [from, from + 1].into_iter().find_map(|start| {
        let is_apart = characters.get(from..start)?.iter().all(|c| !c.is_alphanumeric());
        let digits = characters.get(start..)?.iter().take_while(|c| c.is_ascii_digit()).count();
        (is_apart && is_year(characters, start, digits)).then_some(start + digits)
    })
}

/// The beginning of a year that ends at a position, or before one mark.
fn year_before(characters: &[char], to: usize) -> Option<usize> {
    [Some(to), to.checked_sub(1)].into_iter().flatten().find_map(|end| {
        let is_apart = characters.get(end..to)?.iter().all(|c| !c.is_alphanumeric());
        let digits = characters.get(..end)?.iter().rev().take_while(|c| c.is_ascii_digit()).count();
        (is_apart && is_year(characters, end - digits, digits)).then_some(end - digits)
    })
}

fn is_year(characters: &[char], start: usize, digits: usize) -> bool {
    match digits {
        2 => true,
        4 => matches!(characters.get(start..start + 2), Some(['1', '9'] | ['2', '0'])),
        _ => false,
    }
}
