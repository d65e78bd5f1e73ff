//! Keyboard layouts: which key gives which character, and which characters come out the same whatever layout the console
//! assumes.

use std::collections::HashSet;
use std::sync::LazyLock;

use serde::Deserialize;

use super::class::CharacterClass;

/// A layout that a secret may be typed on.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
pub struct KeyLayout(usize);

/// What each key gives; see `keyboards.toml`.
#[derive(Debug, Deserialize)]
struct Keys {
    alone: String,
    shift: String,
    altgr: String,
    both: String,
}

/// A layout with its keys in one order, which is that of all layouts.
#[derive(Debug)]
struct Board {
    name: String,
    alone: Vec<char>,
    shift: Vec<char>,
    altgr: Vec<char>,
    both: Vec<char>,
}

/// A key that gives nothing that can be part of a password.
const NOTHING: char = '□';
/// A dead key, which gives nothing before the next one.
const DEAD: char = '◌';

static BOARDS: LazyLock<Vec<Board>> = LazyLock::new(|| {
    let tables: toml::Table = toml::from_str(include_str!("keyboards.toml")).unwrap_or_default();
    let characters = |text: &str| text.chars().collect::<Vec<char>>();
    tables
        .into_iter()
        .filter_map(|(name, table)| {
            let Keys { alone, shift, altgr, both } = table.try_into().ok()?;
            Some(Board {
                name,
                alone: characters(&alone),
                shift: characters(&shift),
                altgr: characters(&altgr),
                both: characters(&both),
            })
        })
        .collect()
});

/// What is to be known of a character on several layouts.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Trouble {
    /// The key that gives it on one layout gives another on the other.
    ComesOutDifferently,
    /// It needs the key `AltGr`.
    NeedsAltGr,
    /// It needs a dead key, or cannot be typed at all.
    NeedsDeadKey,
}

impl KeyLayout {
    /// The layout of this name, which is the console's: `it`, `gb`.
    pub fn parse(name: &str) -> Option<Self> {
        BOARDS.iter().position(|board| board.name == name).map(Self)
    }

    /// All layouts that are known.
    pub fn all() -> impl Iterator<Item = Self> {
        (0..BOARDS.len()).map(Self)
    }

    /// Its name.
    pub fn name(self) -> &'static str {
        BOARDS.get(self.0).map_or("", |board| board.name.as_str())
    }

    fn board(self) -> Option<&'static Board> {
        BOARDS.get(self.0)
    }

    /// The keys, with and without Shift, that give a character.
    fn keys_of(self, c: char) -> HashSet<(usize, bool)> {
        let Some(board) = self.board() else { return HashSet::new() };
        let on = |level: &[char], shift: bool| {
            level
                .iter()
                .enumerate()
                .filter(|(_, given)| **given == c)
                .map(|(key, _)| (key, shift))
                .collect::<Vec<_>>()
        };
        on(&board.alone, false).into_iter().chain(on(&board.shift, true)).collect()
    }

    fn gives_with_altgr(self, c: char) -> bool {
        self.board().is_some_and(|board| board.altgr.contains(&c) || board.both.contains(&c))
    }
}

impl std::fmt::Debug for KeyLayout {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}

/// What goes wrong with a character where any of these layouts may be assumed for any of them; nothing where it sits on the
/// same key in all.
pub fn trouble(c: char, layouts: &[KeyLayout]) -> Option<Trouble> {
    if matches!(c, NOTHING | DEAD) {
        return (!layouts.is_empty()).then_some(Trouble::NeedsDeadKey);
    }
    let keys: Vec<HashSet<(usize, bool)>> = layouts.iter().map(|layout| layout.keys_of(c)).collect();
    for (layout, keys) in layouts.iter().zip(&keys) {
        if keys.is_empty() {
            let by_altgr = layout.gives_with_altgr(c);
            return Some(if by_altgr { Trouble::NeedsAltGr } else { Trouble::NeedsDeadKey });
        }
    }
    // Whichever key is pressed for it on one layout must give it on the others.
    let differs = keys.windows(2).any(|pair| matches!(pair, [one, other] if one != other));
    differs.then_some(Trouble::ComesOutDifferently)
}

/// The positions in a text, from 1, of characters that go wrong on these layouts.
pub fn troubled_positions(text: &str, layouts: &[KeyLayout]) -> Vec<(usize, Trouble)> {
    text.chars()
        .enumerate()
        .filter_map(|(index, c)| trouble(c, layouts).map(|trouble| (index + 1, trouble)))
        .collect()
}

/// The letters, digits and symbols of ASCII that sit on the same key in all these layouts.
pub fn safe_characters(layouts: &[KeyLayout]) -> Vec<char> {
    CharacterClass::ALL
        .iter()
        .flat_map(|(_, class)| class.ascii())
        .filter(|c| trouble(*c, layouts).is_none())
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn layouts(names: &[&str]) -> Vec<KeyLayout> {
        names.iter().map(|name| KeyLayout::parse(name).unwrap()).collect()
    }

    #[test]
    fn every_table_is_as_long_as_the_others() {
        for name in ["us", "gb", "de", "fr", "it", "es", "pt", "ch", "se"] {
            assert!(KeyLayout::parse(name).is_some(), "{name}");
        }
        for board in BOARDS.iter() {
            for level in [&board.alone, &board.shift, &board.altgr, &board.both] {
                assert_eq!(level.len(), 49, "{}", board.name);
            }
        }
        assert_eq!(BOARDS.len(), 13);
    }

    #[test]
    fn what_goes_wrong_between_two_layouts() {
        let us_de = layouts(&["us", "de"]);
        assert_eq!(trouble('y', &us_de), Some(Trouble::ComesOutDifferently));
        assert_eq!(trouble('@', &us_de), Some(Trouble::NeedsAltGr));
        assert_eq!(trouble('^', &us_de), Some(Trouble::NeedsDeadKey));
        assert_eq!(trouble('ö', &us_de), Some(Trouble::NeedsDeadKey));
        assert_eq!(trouble('h', &us_de), None);
        assert_eq!(trouble('7', &us_de), None);
        assert_eq!(trouble('7', &layouts(&["us", "fr"])), Some(Trouble::ComesOutDifferently));
        assert_eq!(trouble('@', &layouts(&["us"])), None);
        assert_eq!(trouble('@', &layouts(&["it"])), Some(Trouble::NeedsAltGr));
        assert_eq!(trouble('@', &[]), None);
        assert_eq!(
            troubled_positions("ab-yZ", &us_de),
            [
                (3, Trouble::ComesOutDifferently),
                (4, Trouble::ComesOutDifferently),
                (5, Trouble::ComesOutDifferently)
            ]
        );
    }

    #[test]
    fn the_same_on_every_keyboard() {
        let all: Vec<KeyLayout> = KeyLayout::all().collect();
        let text: String = safe_characters(&all).into_iter().collect();
        assert_eq!(text, "BCDEFGHIJKLNOPRSTUVXbcdefghijklnoprstuvx");
    }
}
