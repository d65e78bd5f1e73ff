//! Amounts of data.

use std::fmt;

/// An amount of data in bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct ByteSize(pub u64);

/// Units by their factor: those of the International Electrotechnical Commission (IEC 80000-13), and those of the metric
/// system.
const UNITS: [(&str, u64); 9] = [
    ("B", 1),
    ("KiB", 1 << 10),
    ("MiB", 1 << 20),
    ("GiB", 1 << 30),
    ("TiB", 1 << 40),
    ("KB", 1_000),
    ("MB", 1_000_000),
    ("GB", 1_000_000_000),
    ("TB", 1_000_000_000_000),
];

impl ByteSize {
    /// Reads a whole number and a unit: `200 GiB`, `500GB`. Nothing where a text is none, or is more than 64 bits hold.
    ///
    /// ```
    /// use impostazione_text::ByteSize;
    ///
    /// assert_eq!(ByteSize::parse("200 GiB"), Some(ByteSize(214_748_364_800)));
    /// assert_eq!(ByteSize::parse("many"), None);
    /// ```
    pub fn parse(text: &str) -> Option<Self> {
        let text = text.trim();
        let digits = text.find(|c: char| !c.is_ascii_digit())?;
        let (number, unit) = text.split_at(digits);
        let unit = unit.trim();
        let (_, factor) = UNITS.iter().find(|(name, _)| name.eq_ignore_ascii_case(unit))?;
        number.parse::<u64>().ok()?.checked_mul(*factor).map(Self)
    }
}

impl fmt::Display for ByteSize {
    /// The largest binary unit in which it is one or more, with at most one digit behind the dot.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let binary = UNITS.get(..5).unwrap_or_default();
        let (unit, factor) =
            binary.iter().rev().find(|(_, factor)| self.0 >= *factor).copied().unwrap_or(("B", 1));
        let tenths = u128::from(self.0) * 10 / u128::from(factor);
        match tenths % 10 {
            0 => write!(f, "{} {unit}", tenths / 10),
            tenth => write!(f, "{}.{tenth} {unit}", tenths / 10),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn read_and_shown() {
        assert_eq!(ByteSize::parse("200 GiB"), Some(ByteSize(200 << 30)));
        assert_eq!(ByteSize::parse("500gb"), Some(ByteSize(500_000_000_000)));
        assert_eq!(
            (ByteSize::parse("many"), ByteSize::parse("5"), ByteSize::parse("5 furlongs")),
            (None, None, None)
        );
        assert_eq!(ByteSize::parse("99999999999 TiB"), None);
        assert_eq!(ByteSize(8 << 30).to_string(), "8 GiB");
        assert_eq!(ByteSize(1_536).to_string(), "1.5 KiB");
        assert_eq!(ByteSize(0).to_string(), "0 B");
        assert_eq!(ByteSize(u64::MAX).to_string(), "16777215.9 TiB");
    }
}
