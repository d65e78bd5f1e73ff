//! Settings that a package asks for.

use std::fmt;

use super::qualifiers::Limits;

/// A `Property` of a `ProductSection` (DSP0243 2.1.1, section 9.5).
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Property {
    /// `ovf:class` of its section.
    pub class: String,
    /// `ovf:key`
    pub key: String,
    /// `ovf:instance` of its section.
    pub instance: String,
    /// `ovf:type`
    pub kind: PropertyType,
    /// `ovf:type` as it is written.
    pub written_kind: String,
    /// `Label`
    pub label: String,
    /// `Description`
    pub description: String,
    /// The last `Category` above it.
    pub category: String,
    /// `Info` of its section.
    pub section: String,
    /// `ovf:userConfigurable`, false when absent.
    pub is_settable: bool,
    /// `ovf:password`, false when absent.
    pub is_password: bool,
    /// `ovf:value`
    pub base_default: Option<String>,
    /// `Value`: a deployment option, and the default with it.
    pub option_defaults: Vec<(String, String)>,
    /// What a value must keep to.
    pub limits: Limits,
    /// Whether it is asked for by the collection that the machine is in, once for all its machines.
    pub of_collection: bool,
}

impl Property {
    /// `class.key.instance`, the parts that are empty left out with their dots.
    pub fn id(&self) -> String {
        let parts = [&self.class, &self.key, &self.instance];
        parts.into_iter().filter(|part| !part.is_empty()).map(String::as_str).collect::<Vec<_>>().join(".")
    }

    /// Whether its type is one of numbers.
    pub fn takes_number(&self) -> bool {
        !matches!(self.kind, PropertyType::Boolean | PropertyType::String)
    }

    /// Whether this is its id.
    pub fn has_id(&self, id: &str) -> bool {
        let parts = [&self.class, &self.key, &self.instance].into_iter().filter(|part| !part.is_empty());
        let rest = parts.enumerate().try_fold(id, |rest, (at, part)| {
            let rest = if at == 0 { rest } else { rest.strip_prefix('.')? };
            rest.strip_prefix(part.as_str())
        });
        rest == Some("")
    }

    /// Its default with a deployment option, or without any.
    pub fn default_with(&self, option: Option<&str>) -> Option<&str> {
        let own = |option| self.option_defaults.iter().find(|(named, _)| named == option);
        option.and_then(own).map(|(_, value)| value.as_str()).or(self.base_default.as_deref())
    }
}

/// `ovf:type` of a property (DSP0243 2.1.1, table 6: the types that a property may have).
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum PropertyType {
    /// `uint8` to `uint64`, with the number of bits.
    Unsigned(u8),
    /// `sint8` to `sint64`, with the number of bits.
    Signed(u8),
    /// `real32`, `real64`
    Real,
    /// `boolean`
    Boolean,
    /// `string`, and whatever the standard does not know.
    #[default]
    String,
}

/// Why a value is not of a type.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct WrongType {
    /// What the type takes, as the end of "takes …".
    pub takes: String,
}

impl PropertyType {
    /// Reads the value of `ovf:type`.
    pub fn parse(text: &str) -> Self {
        match text {
            "uint8" => Self::Unsigned(8),
            "uint16" => Self::Unsigned(16),
            "uint32" => Self::Unsigned(32),
            "uint64" => Self::Unsigned(64),
            "sint8" => Self::Signed(8),
            "sint16" => Self::Signed(16),
            "sint32" | "int" => Self::Signed(32),
            "sint64" => Self::Signed(64),
            "real32" | "real64" => Self::Real,
            "boolean" => Self::Boolean,
            _ => Self::String,
        }
    }

    /// Whether a value can be one of this type. Packages spell truth values in small and in capital letters.
    pub fn accepts(&self, value: &str) -> Result<(), WrongType> {
        let digits = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
        let (fits, takes) = match self {
            Self::Unsigned(bits) => {
                let top = u64::MAX >> (64 - u32::from(*bits));
                let fits = digits(value) && value.parse::<u64>().is_ok_and(|number| number <= top);
                (fits, format!("a whole number from 0 to {top}"))
            }
            Self::Signed(bits) => {
                let top = i64::MAX >> (64 - u32::from(*bits));
                let fits = digits(value.strip_prefix('-').unwrap_or(value))
                    && value.parse::<i64>().is_ok_and(|number| (-top - 1..=top).contains(&number));
                (fits, format!("a whole number from {} to {top}", -top - 1))
            }
            Self::Real => (
                value.parse::<f64>().is_ok_and(f64::is_finite),
                "a number, with a dot before its fraction".to_owned(),
            ),
            Self::Boolean => (
                value.eq_ignore_ascii_case("true") || value.eq_ignore_ascii_case("false"),
                "true or false".to_owned(),
            ),
            Self::String => (
                value.chars().all(is_xml_character),
                "a text without control characters, which XML cannot carry".to_owned(),
            ),
        };
        if fits { Ok(()) } else { Err(WrongType { takes }) }
    }
}

impl fmt::Display for PropertyType {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Unsigned(bits) => write!(f, "uint{bits}"),
            Self::Signed(bits) => write!(f, "sint{bits}"),
            Self::Real => f.write_str("real"),
            Self::Boolean => f.write_str("boolean"),
            Self::String => f.write_str("string"),
        }
    }
}

/// `Char` of XML 1.0, section 2.2.
fn is_xml_character(character: char) -> bool {
    matches!(character, '\t' | '\n' | '\r' | ' '..='\u{D7FF}' | '\u{E000}'..='\u{FFFD}' | '\u{10000}'..)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_id_is_known_again() {
        for (class, key, instance) in
            [("", "a", ""), ("net", "a", ""), ("net", "a", "0"), ("", "a", "0"), ("", "", "")]
        {
            let property = Property {
                class: class.into(),
                key: key.into(),
                instance: instance.into(),
                ..Property::default()
            };
            let id = property.id();
            assert!(property.has_id(&id), "{id}");
            for other in
                [format!("{id}."), format!("{id}0"), format!(".{id}"), id.get(1..).unwrap_or("x").to_owned()]
            {
                assert!(!property.has_id(&other), "{id} {other}");
            }
        }
    }

    #[test]
    fn each_type_takes_its_width_and_sign_and_no_more() {
        let fits = |kind: &str, value: &str| PropertyType::parse(kind).accepts(value).is_ok();
        assert!(
            fits("uint8", "255") && !fits("uint8", "256") && !fits("uint8", "-1") && !fits("uint8", "+1")
        );
        assert!(fits("uint64", "18446744073709551615") && !fits("uint64", "18446744073709551616"));
        assert!(
            fits("sint8", "-128") && fits("sint8", "127") && !fits("sint8", "128") && !fits("sint8", "--1")
        );
        assert!(fits("sint64", "-9223372036854775808"));
        assert!(fits("boolean", "True") && !fits("boolean", "yes"));
        assert!(fits("real32", "1.5") && !fits("real32", "1,5") && !fits("real64", "inf"));
        assert!(fits("string", "two\nlines") && !fits("string", "bell \u{7}"));
    }
}
