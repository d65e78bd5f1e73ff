//! Patterns: texts with ranges in braces, which make several machines of one entry.

use std::net::IpAddr;

use impostazione_net::Family;

/// The most values that a range has.
const MOST: u64 = 100_000;

/// A text of an entry, taken apart.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Pattern {
    pieces: Vec<Piece>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum Piece {
    Text(String),
    Range(Counting),
    /// `{address}`: a field of the entry's rows.
    Field(String),
}

/// What fills the braces of an entry.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Filling {
    /// Ranges.
    Ranges,
    /// Fields of rows.
    Fields,
}

/// A range in braces.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Counting {
    /// `{11..22}` and `{0x0a..0x1f}`
    Number { first: u64, last: u64, digits: usize, style: Digits },
    /// `{10.64.32.11..10.64.35.250}`
    Address { first: IpAddr, last: IpAddr },
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Digits {
    Decimal,
    SmallHexadecimal,
    LargeHexadecimal,
}

/// Why a text is no pattern: what is wrong, and the fix.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct PatternFault {
    pub(super) message: String,
    pub(super) fix: String,
}

impl Pattern {
    /// Takes a text apart. A text without braces is a pattern of itself; `{{` and `}}` are braces.
    pub(super) fn parse(text: &str, filling: Filling) -> Result<Self, PatternFault> {
        let mut pieces = Vec::new();
        let mut plain = String::new();
        let mut rest = text;
        while let Some(at) = rest.find(['{', '}']) {
            let (before, from_brace) = rest.split_at(at);
            plain.push_str(before);
            if let Some(after) = from_brace.strip_prefix("{{").or_else(|| from_brace.strip_prefix("}}")) {
                plain.push_str(&from_brace[..1]);
                rest = after;
                continue;
            }
            let inside = from_brace.strip_prefix('{').and_then(|inner| inner.split_once('}'));
            let Some((range, after)) = inside else {
                return Err(PatternFault {
                    message: format!("\"{text}\" has an unmatched brace."),
                    fix: "write a range such as {01..12}, or double the brace for a literal brace".to_owned(),
                });
            };
            if !plain.is_empty() {
                pieces.push(Piece::Text(std::mem::take(&mut plain)));
            }
            pieces.push(match filling {
                Filling::Ranges => Piece::Range(Counting::parse(range)?),
                Filling::Fields => Piece::Field(field_name(range)?),
            });
            rest = after;
        }
        plain.push_str(rest);
        if !plain.is_empty() || pieces.is_empty() {
            pieces.push(Piece::Text(plain));
        }
        Ok(Self { pieces })
    }

    /// How many values each of its ranges has, with the range as it is written.
    pub(super) fn counts(&self) -> impl Iterator<Item = (u64, String)> {
        self.pieces.iter().filter_map(|piece| match piece {
            Piece::Text(_) | Piece::Field(_) => None,
            Piece::Range(range) => Some((range.count(), range.written())),
        })
    }

    /// The fields that it names, in its order.
    pub(super) fn fields(&self) -> impl Iterator<Item = &str> {
        self.pieces.iter().filter_map(|piece| match piece {
            Piece::Field(name) => Some(name.as_str()),
            Piece::Text(_) | Piece::Range(_) => None,
        })
    }

    /// Whether it is a field and nothing else.
    pub(super) fn is_one_field(&self) -> bool {
        matches!(self.pieces.as_slice(), [Piece::Field(_)])
    }

    /// The text with the values that its ranges have at an index, from 0, and those that its fields have in a row.
    pub(super) fn text(&self, index: u64, value_of: impl Fn(&str) -> Option<String>) -> String {
        self.pieces.iter().fold(String::new(), |mut text, piece| {
            match piece {
                Piece::Text(plain) => text.push_str(plain),
                Piece::Range(range) => text.push_str(&range.value(index)),
                Piece::Field(name) => text.push_str(&value_of(name).unwrap_or_default()),
            }
            text
        })
    }
}

/// The name of a field in braces. Ranges do not mix with fields.
fn field_name(text: &str) -> Result<String, PatternFault> {
    if text.contains("..") {
        return Err(PatternFault {
            message: format!("{{{text}}} is a range, but this entry takes its machines from rows."),
            fix: "add a field to the rows, or remove `rows`".to_owned(),
        });
    }
    Ok(text.to_owned())
}

/// Digits of the largest number that is counted to (2⁶⁴).
const MOST_DIGITS: usize = 20;

/// The beginning of a text that may be long.
fn short(text: &str) -> String {
    const MOST: usize = 60;
    let mut shown: String = text.chars().take(MOST).collect();
    if shown.len() < text.len() {
        shown.push('…');
    }
    shown
}

impl Counting {
    fn parse(written: &str) -> Result<Self, PatternFault> {
        let text = short(written);
        let Some((first, last)) = written.split_once("..") else {
            let is_number = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
            let meant = written.split_once('-').filter(|(first, last)| is_number(first) && is_number(last));
            return Err(PatternFault {
                message: format!("{{{text}}} is not a range: it has no two dots."),
                fix: if let Some((first, last)) = meant {
                    format!("write {{{first}..{last}}}")
                } else {
                    "write a range such as {01..12}, or add rows = \"buoys.csv\" for a field of a CSV file; double \
                    the brace for a literal brace".to_owned()
                },
            });
        };
        let range = Self::number(first, last).or_else(|| Self::address(first, last)).ok_or_else(|| PatternFault {
            message: format!("{{{text}}} is not a range: its ends are not two numbers or two addresses of one \
                family."),
            fix: "write {01..12}, {0x0a..0x1f} or {10.64.32.11..10.64.35.250}, with the same width at both ends".to_owned(),
        })?;
        let (is_reversed, count) = match range {
            Self::Number { first, last, .. } => (first > last, last.checked_sub(first)),
            Self::Address { first, last } => (first > last, distance(first, last)),
        };
        if is_reversed {
            return Err(PatternFault {
                message: format!("{{{text}}} ends before it starts."),
                fix: format!("write {{{last}..{first}}}, or correct one of the two"),
            });
        }
        if count.is_none_or(|steps| steps >= MOST) {
            return Err(PatternFault {
                message: format!("{{{text}}} has more than {MOST} values."),
                fix: "write a shorter range".to_owned(),
            });
        }
        Ok(range)
    }

    fn number(first: &str, last: &str) -> Option<Self> {
        let hexadecimal = first.strip_prefix("0x").zip(last.strip_prefix("0x"));
        let (first, last, radix) = match hexadecimal {
            Some((first, last)) => (first, last, 16),
            None => (first, last, 10),
        };
        let is_number = |text: &str| !text.is_empty() && text.chars().all(|c| c.is_digit(radix));
        if !is_number(first) || !is_number(last) {
            return None;
        }
        // No number that counts has more, and no name has room for more.
        if first.len().max(last.len()) > MOST_DIGITS {
            return None;
        }
        let has_zeros = |text: &str| text.len() > 1 && text.starts_with('0');
        let is_fixed = has_zeros(first) || has_zeros(last);
        if is_fixed && first.len() != last.len() {
            return None;
        }
        let style = match radix {
            10 => Digits::Decimal,
            _ if first.chars().chain(last.chars()).any(|c| c.is_ascii_uppercase()) => {
                Digits::LargeHexadecimal
            }
            _ => Digits::SmallHexadecimal,
        };
        Some(Self::Number {
            first: u64::from_str_radix(first, radix).ok()?,
            last: u64::from_str_radix(last, radix).ok()?,
            digits: if is_fixed { first.len() } else { 0 },
            style,
        })
    }

    fn address(first: &str, last: &str) -> Option<Self> {
        let (first, last): (IpAddr, IpAddr) = (first.parse().ok()?, last.parse().ok()?);
        (Family::of(first) == Family::of(last)).then_some(Self::Address { first, last })
    }

    fn count(self) -> u64 {
        1 + match self {
            Self::Number { first, last, .. } => last.saturating_sub(first),
            Self::Address { first, last } => distance(first, last).unwrap_or(MOST),
        }
    }

    fn value(self, index: u64) -> String {
        match self {
            Self::Number { first, digits, style, .. } => {
                let number = first + index;
                match style {
                    Digits::Decimal => format!("{number:0digits$}"),
                    Digits::SmallHexadecimal => format!("{number:0digits$x}"),
                    Digits::LargeHexadecimal => format!("{number:0digits$X}"),
                }
            }
            Self::Address { first: IpAddr::V4(first), .. } => {
                let steps = u32::try_from(index).unwrap_or(u32::MAX);
                std::net::Ipv4Addr::from_bits(first.to_bits().saturating_add(steps)).to_string()
            }
            Self::Address { first: IpAddr::V6(first), .. } => {
                std::net::Ipv6Addr::from_bits(first.to_bits().saturating_add(u128::from(index))).to_string()
            }
        }
    }

    fn written(self) -> String {
        let last = self.count() - 1;
        match self {
            Self::Number { style: Digits::Decimal, .. } | Self::Address { .. } => {
                format!("{{{}..{}}}", self.value(0), self.value(last))
            }
            Self::Number { .. } => format!("{{0x{}..0x{}}}", self.value(0), self.value(last)),
        }
    }
}

/// Steps from one address to another of its family, if they are no more than a u64 holds.
fn distance(first: IpAddr, last: IpAddr) -> Option<u64> {
    match (first, last) {
        (IpAddr::V4(first), IpAddr::V4(last)) => last.to_bits().checked_sub(first.to_bits()).map(u64::from),
        (IpAddr::V6(first), IpAddr::V6(last)) => {
            last.to_bits().checked_sub(first.to_bits()).and_then(|steps| u64::try_from(steps).ok())
        }
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn all(text: &str) -> Vec<String> {
        let pattern = Pattern::parse(text, Filling::Ranges).unwrap();
        let count = pattern.counts().next().map_or(1, |(count, _)| count);
        (0..count).map(|index| pattern.text(index, |_| None)).collect()
    }

    #[test]
    fn more_digits_than_any_number_has_are_no_range() {
        let zeros = "0".repeat(65_536);
        for text in [
            format!("{{{zeros}1..{zeros}2}}"),
            format!("{{0x{zeros}1..0x{zeros}2}}"),
            format!("{{1..{zeros}2}}"),
        ] {
            let Err(fault) = Pattern::parse(&text, Filling::Ranges) else { panic!("a range") };
            assert!(
                fault.message.contains("is not a range") && fault.message.len() < 200,
                "{}",
                fault.message
            );
        }
    }

    #[test]
    fn ranges_count_as_they_are_written() {
        assert_eq!(all("gauge-{8..11}"), ["gauge-8", "gauge-9", "gauge-10", "gauge-11"]);
        assert_eq!(all("gauge-{08..11}"), ["gauge-08", "gauge-09", "gauge-10", "gauge-11"]);
        assert_eq!(
            all("02:64:10:00:00:{0x0e..0x11}"),
            ["0e", "0f", "10", "11"].map(|end| format!("02:64:10:00:00:{end}"))
        );
        assert_eq!(all("{0xE..0x10}"), ["E", "F", "10"]);
        assert_eq!(
            all("{10.64.32.254..10.64.33.1}"),
            ["10.64.32.254", "10.64.32.255", "10.64.33.0", "10.64.33.1"]
        );
        assert_eq!(all("{fd64::ffff..fd64::1:0}"), ["fd64::ffff", "fd64::1:0"]);
        assert_eq!(all("{1..2}-{05..06}"), ["1-05", "2-06"]);
        assert_eq!(all("{5..5}"), ["5"]);
        assert_eq!(all("a{{b}}c"), ["a{b}c"]);
        assert_eq!(all("{{{1..2}}}"), ["{1}", "{2}"]);
        assert_eq!(all(""), [""]);
    }

    #[test]
    fn what_is_no_range_says_why() {
        let fault = |text: &str| Pattern::parse(text, Filling::Ranges).unwrap_err().message;
        assert_eq!(fault("gauge-{01..12"), "\"gauge-{01..12\" has an unmatched brace.");
        assert_eq!(fault("gauge-}"), "\"gauge-}\" has an unmatched brace.");
        assert_eq!(fault("{name}"), "{name} is not a range: it has no two dots.");
        assert_eq!(fault("{12..1}"), "{12..1} ends before it starts.");
        assert_eq!(fault("{0..100000}"), "{0..100000} has more than 100000 values.");
        assert_eq!(fault("{fd64::..fd65::}"), "{fd64::..fd65::} has more than 100000 values.");
        for text in [
            "{1..b}",
            "{01..123}",
            "{-1..3}",
            "{1..0x3}",
            "{10.64.10.1..fd64::1}",
            "{..}",
            "{1..99999999999999999999}",
        ] {
            assert!(
                fault(text).contains("its ends are not two numbers or two addresses of one family"),
                "{text}"
            );
        }
    }

    proptest! {
        #[test]
        fn parsing_never_panics(text in "([{}.0-9a-fx:]|\\PC){0,30}") {
            if let Ok(pattern) = Pattern::parse(&text, Filling::Ranges) {
                let count = pattern.counts().map(|(count, _)| count).min().unwrap_or(1);
                let _ = (pattern.text(0, |_| None), pattern.text(count - 1, |_| None));
            }
        }

        #[test]
        fn a_text_with_its_braces_doubled_is_itself(text in "[{}a-z0-9.]{0,12}") {
            let doubled = text.replace('{', "{{").replace('}', "}}");
            prop_assert_eq!(all(&doubled), [text]);
        }
    }
}
