//! YAML as a tree of values with their places.

use std::fmt;

use impostazione_text::{Place, Source, SourceId, Span, Written};
use serde::de::{Deserialize, Deserializer, MapAccess, SeqAccess, Visitor};
use serde_saphyr::{Location, Spanned};

/// A value and where it stands.
pub(super) type Node = Written<Value>;

/// What a value is.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Value {
    Null,
    Flag(bool),
    /// A text, or a number as it is written.
    Scalar(String),
    List(Vec<Node>),
    Map(Map),
}

/// Keys and values in the order of the text.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct Map {
    pub(super) entries: Vec<(Written<String>, Node)>,
}

impl Map {
    pub(super) fn get(&self, key: &str) -> Option<&Node> {
        self.entries.iter().find(|(known, _)| known.value == key).map(|(_, value)| value)
    }
}

impl Value {
    /// Whether two values say the same, wherever they stand.
    pub(super) fn says_the_same(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::List(one), Self::List(two)) => {
                one.len() == two.len()
                    && one.iter().zip(two).all(|(one, two)| one.value.says_the_same(&two.value))
            }
            (Self::Map(one), Self::Map(two)) => {
                one.entries.len() == two.entries.len()
                    && one.entries.iter().all(|(key, value)| {
                        two.get(&key.value).is_some_and(|other| value.value.says_the_same(&other.value))
                    })
            }
            (one, two) if one.flag().is_some() => one.flag() == two.flag(),
            (Self::Scalar(one), Self::Scalar(two)) => one == two,
            (Self::Null, Self::Null) => true,
            _ => false,
        }
    }

    pub(super) fn text(&self) -> Option<&str> {
        match self {
            Self::Scalar(text) => Some(text),
            _ => None,
        }
    }

    /// True or false, in the words that netplan takes for it.
    pub(super) fn flag(&self) -> Option<bool> {
        match self {
            Self::Flag(flag) => Some(*flag),
            Self::Scalar(text) => match text.to_ascii_lowercase().as_str() {
                "true" | "yes" | "y" | "on" => Some(true),
                "false" | "no" | "n" | "off" => Some(false),
                _ => None,
            },
            _ => None,
        }
    }

    pub(super) fn map(&self) -> Option<&Map> {
        match self {
            Self::Map(map) => Some(map),
            _ => None,
        }
    }

    pub(super) fn list(&self) -> Option<&[Node]> {
        match self {
            Self::List(items) => Some(items),
            _ => None,
        }
    }
}

/// Why a text is no YAML, or none of netplan's kind.
pub(super) struct Fault {
    pub(super) place: Place,
    pub(super) reason: String,
}

/// A raw tree, whose places are not looked up yet.
struct Raw(Tree);

enum Tree {
    Null,
    Flag(bool),
    Scalar(String),
    List(Vec<Spanned<Raw>>),
    Map(Vec<(Spanned<String>, Spanned<Raw>)>),
}

impl<'de> Deserialize<'de> for Raw {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct TreeVisitor;
        impl<'de> Visitor<'de> for TreeVisitor {
            type Value = Raw;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a value")
            }
            fn visit_unit<E>(self) -> Result<Raw, E> {
                Ok(Raw(Tree::Null))
            }
            fn visit_none<E>(self) -> Result<Raw, E> {
                Ok(Raw(Tree::Null))
            }
            fn visit_some<D: Deserializer<'de>>(self, deserializer: D) -> Result<Raw, D::Error> {
                Raw::deserialize(deserializer)
            }
            fn visit_bool<E>(self, flag: bool) -> Result<Raw, E> {
                Ok(Raw(Tree::Flag(flag)))
            }
            fn visit_i64<E>(self, number: i64) -> Result<Raw, E> {
                Ok(Raw(Tree::Scalar(number.to_string())))
            }
            fn visit_u64<E>(self, number: u64) -> Result<Raw, E> {
                Ok(Raw(Tree::Scalar(number.to_string())))
            }
            fn visit_f64<E>(self, number: f64) -> Result<Raw, E> {
                Ok(Raw(Tree::Scalar(number.to_string())))
            }
            fn visit_str<E>(self, text: &str) -> Result<Raw, E> {
                Ok(Raw(Tree::Scalar(text.to_owned())))
            }
            fn visit_seq<A: SeqAccess<'de>>(self, mut items: A) -> Result<Raw, A::Error> {
                let mut list = Vec::new();
                while let Some(item) = items.next_element()? {
                    list.push(item);
                }
                Ok(Raw(Tree::List(list)))
            }
            fn visit_map<A: MapAccess<'de>>(self, mut entries: A) -> Result<Raw, A::Error> {
                let mut map = Vec::new();
                while let Some(entry) = entries.next_entry()? {
                    map.push(entry);
                }
                Ok(Raw(Tree::Map(map)))
            }
        }
        deserializer.deserialize_any(TreeVisitor)
    }
}

/// The mapping that a file holds; nothing for an empty one.
pub(super) fn parse(id: SourceId, source: &Source) -> Result<Option<Map>, Fault> {
    let text = source.text();
    let start = Place { source: id, span: Span::new(0, 0) };
    let is_blank = text.lines().all(|line| {
        let line = line.trim();
        line.is_empty() || line.starts_with('#') || line == "---"
    });
    if is_blank {
        return Ok(None);
    }
    let root: Spanned<Raw> = serde_saphyr::from_str(text).map_err(|error| Fault {
        place: error.location().map_or(start, |location| place(id, text, location)),
        reason: plain(&error.to_string()),
    })?;
    let node = node(id, text, root);
    match node.value {
        Value::Null => Ok(None),
        Value::Map(map) => Ok(Some(map)),
        _ => Err(Fault { place: start, reason: "it is no mapping, and a netplan file is one".to_owned() }),
    }
}

fn node(id: SourceId, text: &str, raw: Spanned<Raw>) -> Node {
    let place_here = place(id, text, raw.referenced);
    let value = match raw.value.0 {
        Tree::Null => Value::Null,
        Tree::Flag(flag) => Value::Flag(flag),
        Tree::Scalar(scalar) => Value::Scalar(scalar),
        Tree::List(items) => Value::List(items.into_iter().map(|item| node(id, text, item)).collect()),
        Tree::Map(entries) => Value::Map(Map {
            entries: entries
                .into_iter()
                .map(|(key, value)| {
                    let key_place = place(id, text, key.referenced);
                    (Written::new(key.value, key_place), node(id, text, value))
                })
                .collect(),
        }),
    };
    Written::new(value, place_here)
}

/// A location as a place: bytes where the parser knows them, else the line's part from the column on. Always on character
/// boundaries of the text.
fn place(id: SourceId, text: &str, location: Location) -> Place {
    let span = location.span();
    let bytes = span.byte_offset().and_then(|offset| {
        let start = usize::try_from(offset).ok()?;
        let length = span.byte_len().and_then(|length| usize::try_from(length).ok()).unwrap_or(0);
        let whole = text.get(start..start.checked_add(length)?)?;
        // A block ends at the next token: its first line is what is pointed at.
        let line = whole.lines().next().unwrap_or_default();
        Some(Span::new(start, start + line.trim_end().len()))
    });
    let span = bytes.unwrap_or_else(|| {
        let line = usize::try_from(location.line()).unwrap_or(1).saturating_sub(1);
        let start: usize = text.split_inclusive('\n').take(line).map(str::len).sum();
        let rest = text.get(start..).unwrap_or_default();
        let column = usize::try_from(location.column()).unwrap_or(1).saturating_sub(1);
        let within: usize =
            rest.lines().next().unwrap_or_default().chars().take(column).map(char::len_utf8).sum();
        Span::new(start + within, start + within)
    });
    Place { source: id, span }
}

/// The first line of what the parser says, which is the reason; a picture of the text follows.
fn plain(message: &str) -> String {
    let first = message.lines().next().unwrap_or_default().trim();
    let first = first.strip_prefix("error: ").unwrap_or(first);
    let reason = first.split(" at line ").next().unwrap_or(first);
    let reason = reason
        .rsplit_once(": ")
        .map_or(reason, |(start, end)| if start.starts_with("line ") { end } else { reason });
    reason.trim_end_matches('.').to_owned()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn parsed(text: &str) -> Map {
        match parse(SourceId::default(), &Source::new("n.yaml", text)) {
            Ok(Some(map)) => map,
            Ok(None) => panic!("empty"),
            Err(fault) => panic!("{}", fault.reason),
        }
    }

    #[test]
    fn values_and_where_they_stand() {
        let text = "network:\n  version: 2\n  # à\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      dhcp4: no\n      macaddress: 02:64:10:00:00:21\n";
        let map = parsed(text);
        let network = map.get("network").unwrap().value.map().unwrap();
        assert_eq!(network.get("version").unwrap().value.text(), Some("2"));
        let eth0 = network.get("ethernets").unwrap().value.map().unwrap().get("eth0").unwrap();
        let eth0 = eth0.value.map().unwrap();
        let address = &eth0.get("addresses").unwrap().value.list().unwrap()[0];
        assert_eq!(&text[address.place.span.range()], "10.64.10.11/24");
        assert_eq!(eth0.get("dhcp4").unwrap().value.flag(), Some(false));
        assert_eq!(eth0.get("macaddress").unwrap().value.text(), Some("02:64:10:00:00:21"));
        assert_eq!(&text[eth0.entries[0].0.place.span.range()], "addresses");
    }

    #[test]
    fn what_is_no_yaml_says_why_and_where() {
        let text = "network:\n  ethernets:\n\teth0: {}\n";
        let fault = parse(SourceId::default(), &Source::new("n.yaml", text)).err().unwrap();
        assert!(!fault.reason.is_empty());
        assert!(fault.place.span.start() > 10, "{:?}", fault.place);
        assert!(parse(SourceId::default(), &Source::new("n.yaml", "- a\n")).is_err());
        assert!(
            parse(SourceId::default(), &Source::new("n.yaml", "# nothing\n---\n"))
                .is_ok_and(|map| map.is_none())
        );
    }

    proptest! {
        #[test]
        fn reading_never_panics_and_places_lie_in_the_text(text in "([ \\n:#\\-{}\\[\\],'\"&*|>a-z0-9é]|network|addresses){0,60}") {
            let source = Source::new("n.yaml", text.clone());
            match parse(SourceId::default(), &source) {
                Ok(Some(map)) => for (key, value) in &map.entries {
                    prop_assert!(text.get(key.place.span.range()).is_some());
                    prop_assert!(text.get(value.place.span.range()).is_some());
                },
                Ok(None) => {}
                Err(fault) => prop_assert!(text.get(fault.place.span.range()).is_some()),
            }
        }
    }
}
