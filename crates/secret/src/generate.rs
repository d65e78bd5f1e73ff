//! Making secrets up.

use impostazione_text::Hidden;

use super::class::CharacterClass;
use super::keyboard::{KeyLayout, safe_characters, trouble};
use super::random::{NoRandomness, random_below};

/// Characters that are taken for each other when they are read off a page or a screen.
const LOOK_ALIKES: &str = "0Oo1Il|5S8B2Z";

/// Symbols that need no quoting in shells, XML or files of settings, as far as there are any.
const PLAIN_SYMBOLS: &str = "-_.,:+=@%/";

/// As many bits as are wanted of a made-up secret.
const WANTED_BITS: f64 = 96.0;

/// What a secret that is to be made up must keep to.
#[derive(Clone, Debug, Default)]
pub struct Recipe {
    /// The fewest characters.
    pub min_length: usize,
    /// The most characters.
    pub max_length: Option<usize>,
    /// Kinds of characters of which there must be one.
    pub require: Vec<CharacterClass>,
    /// Characters that are not taken.
    pub forbid: String,
    /// The layouts of keyboards that it may be typed on; any, where nobody types it.
    pub typed_on: Vec<KeyLayout>,
}

/// A secret that was made up.
#[derive(Debug)]
pub struct Generated {
    /// The secret.
    pub value: Hidden,
    /// How many equally likely secrets there were, as a power of two.
    pub bits: f64,
    /// From how many characters each was drawn.
    pub alphabet: usize,
}

/// Why none could be made up.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum GenerateFault {
    /// No character that is left is of this kind.
    #[error("it must have {}, and no character of that kind is allowed", .0.one())]
    NoneOfClass(CharacterClass),
    /// More kinds are required than there may be characters.
    #[error("it must have {kinds} kinds of characters but at most {most} characters")]
    TooShort {
        /// How many kinds.
        kinds: usize,
        /// How many characters.
        most: usize,
    },
    /// It must be longer than it may be.
    #[error("it must have {least} characters or more, and {most} or fewer")]
    LengthsCross {
        /// The fewest.
        least: usize,
        /// The most.
        most: usize,
    },
    /// The system gave no random bytes.
    #[error(transparent)]
    NoRandomness(#[from] NoRandomness),
}

impl Recipe {
    /// The characters that it may hold: those on the same key in all its layouts, without look-alikes as far as the required
    /// kinds allow, and few symbols where nobody types it.
    fn alphabet(&self) -> Vec<char> {
        let symbols = |c: &char| {
            !CharacterClass::Symbol.has(*c)
                || (self.require.contains(&CharacterClass::Symbol)
                    && (PLAIN_SYMBOLS.contains(*c) || !self.has_plain_symbol()))
        };
        let allowed: Vec<char> =
            safe_characters(&self.typed_on).into_iter().filter(|c| !self.forbid.contains(*c)).collect();
        let clear: Vec<char> =
            allowed.iter().copied().filter(symbols).filter(|c| !LOOK_ALIKES.contains(*c)).collect();
        let mut alphabet = clear;
        for class in &self.require {
            if !alphabet.iter().any(|c| class.has(*c)) {
                alphabet.extend(allowed.iter().filter(|c| class.has(**c)));
            }
        }
        alphabet
    }

    fn has_plain_symbol(&self) -> bool {
        PLAIN_SYMBOLS.chars().any(|c| trouble(c, &self.typed_on).is_none() && !self.forbid.contains(c))
    }

    /// The kinds of characters that it must hold, each once.
    fn kinds(&self) -> Vec<CharacterClass> {
        let mut kinds = self.require.clone();
        kinds.sort_unstable();
        kinds.dedup();
        kinds
    }

    /// Whether it can be kept to, and if not, why.
    pub fn contradiction(&self) -> Option<GenerateFault> {
        let kinds = self.kinds();
        if let Some(most) = self.max_length {
            if most < self.min_length {
                return Some(GenerateFault::LengthsCross { least: self.min_length, most });
            }
            if most < kinds.len() {
                return Some(GenerateFault::TooShort { kinds: kinds.len(), most });
            }
        }
        let alphabet = self.alphabet();
        let missing = kinds.into_iter().find(|class| !alphabet.iter().any(|c| class.has(*c)));
        missing.map(GenerateFault::NoneOfClass)
    }

    /// Makes a secret up: every text that keeps to the recipe is equally likely.
    pub fn generate(&self) -> Result<Generated, GenerateFault> {
        if let Some(fault) = self.contradiction() {
            return Err(fault);
        }
        let alphabet = self.alphabet();
        let mut length = self.min_length.max(self.kinds().len()).max(1);
        while self.bits(&alphabet, length) < WANTED_BITS && self.max_length.is_none_or(|most| length < most) {
            length += 1;
        }
        loop {
            let mut text = String::with_capacity(length);
            for _ in 0..length {
                text.extend(alphabet.get(random_below(alphabet.len())?));
            }
            let value = Hidden::new(text);
            if self.require.iter().all(|class| value.reveal().chars().any(|c| class.has(c))) {
                let bits = self.bits(&alphabet, length);
                return Ok(Generated { value, bits, alphabet: alphabet.len() });
            }
        }
    }

    /// The binary logarithm of the number of texts of a length that hold every required kind, by inclusion and exclusion.
    #[allow(clippy::cast_precision_loss, reason = "the numbers are small")]
    fn bits(&self, alphabet: &[char], length: usize) -> f64 {
        let all = alphabet.len() as f64;
        let kinds = self.kinds();
        let share: f64 = (0..1_u32 << kinds.len())
            .map(|left_out| {
                let is_out = |c: &&char| {
                    kinds
                        .iter()
                        .enumerate()
                        .any(|(index, class)| left_out & (1 << index) != 0 && class.has(**c))
                };
                let kept = all - alphabet.iter().filter(is_out).count() as f64;
                let sign = if left_out.count_ones() % 2 == 0 { 1.0 } else { -1.0 };
                sign * (kept / all).powf(length as f64)
            })
            .sum();
        // Fewer texts than one there are not; the sum may fall a little below it by rounding.
        (length as f64 * all.log2() + share.max(f64::MIN_POSITIVE).log2()).max(0.0)
    }
}

/// A text in groups of four, for reading aloud.
pub fn in_groups(text: &str) -> String {
    let characters: Vec<char> = text.chars().collect();
    characters.chunks(4).map(|group| group.iter().collect::<String>()).collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn layouts(names: &[&str]) -> Vec<KeyLayout> {
        names.iter().map(|name| KeyLayout::parse(name).unwrap()).collect()
    }

    #[test]
    fn it_keeps_to_its_recipe_and_says_how_many_there_were() {
        let recipe = Recipe {
            min_length: 14,
            require: vec![CharacterClass::Upper, CharacterClass::Lower, CharacterClass::Digit],
            typed_on: layouts(&["it", "gb"]),
            ..Recipe::default()
        };
        let made = recipe.generate().unwrap();
        let text = made.value.reveal();
        assert!(text.chars().count() >= 14 && made.bits >= WANTED_BITS, "{} {}", made.bits, text.len());
        for class in &recipe.require {
            assert!(text.chars().any(|c| class.has(c)));
        }
        assert!(text.chars().all(|c| trouble(c, &recipe.typed_on).is_none() && !LOOK_ALIKES.contains(c)));
        assert_ne!(recipe.generate().unwrap().value, made.value);
    }

    #[test]
    fn the_bits_count_every_text_once() {
        // Two characters with one of each of two kinds, from two letters and two digits: 8 of 16 texts.
        let recipe =
            Recipe { require: vec![CharacterClass::Lower, CharacterClass::Digit], ..Recipe::default() };
        assert!((recipe.bits(&['a', 'b', '3', '4'], 2) - 3.0).abs() < 1e-9);
        assert!((Recipe::default().bits(&['a', 'b'], 7) - 7.0).abs() < 1e-9);
    }

    #[test]
    fn what_contradicts_itself_is_said() {
        let with = |recipe: Recipe| recipe.contradiction();
        assert_eq!(
            with(Recipe { min_length: 12, max_length: Some(8), ..Recipe::default() }),
            Some(GenerateFault::LengthsCross { least: 12, most: 8 })
        );
        assert_eq!(
            with(Recipe {
                require: vec![CharacterClass::Digit],
                typed_on: layouts(&["it", "fr"]),
                ..Recipe::default()
            }),
            Some(GenerateFault::NoneOfClass(CharacterClass::Digit))
        );
        assert_eq!(
            with(Recipe {
                max_length: Some(1),
                require: vec![CharacterClass::Digit, CharacterClass::Upper],
                ..Recipe::default()
            }),
            Some(GenerateFault::TooShort { kinds: 2, most: 1 })
        );
        assert_eq!(
            with(Recipe {
                require: vec![CharacterClass::Symbol],
                typed_on: layouts(&["it", "gb"]),
                forbid: "-_.".to_owned(),
                ..Recipe::default()
            }),
            None
        );
    }

    proptest! {
        #[test]
        fn whatever_is_asked_is_kept_to_or_contradicts_itself(
            min_length in 0_usize..40,
            max_length in proptest::option::of(1_usize..40),
            kinds in proptest::collection::vec(0_usize..4, 0..4),
            forbid in "[a-zA-Z0-9 -/]{0,30}",
            boards in proptest::collection::vec(0_usize..13, 0..4),
        ) {
            let recipe = Recipe {
                min_length,
                max_length,
                require: kinds.into_iter().map(|index| CharacterClass::ALL[index].1).collect(),
                forbid,
                typed_on: boards.into_iter().filter_map(|index| KeyLayout::all().nth(index)).collect(),
            };
            match recipe.generate() {
                Err(fault) => prop_assert_eq!(Some(fault), recipe.contradiction()),
                Ok(made) => {
                    let text = made.value.reveal();
                    prop_assert!(text.len() >= min_length && max_length.is_none_or(|most| text.len() <= most));
                    prop_assert!(recipe.require.iter().all(|class| text.chars().any(|c| class.has(c))));
                    prop_assert!(!text.contains(|c| recipe.forbid.contains(c)));
                    prop_assert!(super::super::keyboard::troubled_positions(text, &recipe.typed_on).is_empty());
                    prop_assert!(made.bits <= 6.6 * 40.0 && (made.bits >= WANTED_BITS || text.len() < 40));
                }
            }
        }
    }

    #[test]
    fn a_kind_that_is_asked_for_twice_needs_one_character() {
        let recipe = Recipe {
            max_length: Some(1),
            require: vec![CharacterClass::Digit, CharacterClass::Digit],
            ..Recipe::default()
        };
        assert_eq!(recipe.generate().unwrap().value.length(), 1);
    }

    #[test]
    fn groups_of_four() {
        assert_eq!(in_groups("abcdefghij"), "abcd efgh ij");
        assert_eq!(in_groups(""), "");
    }
}
