//! YAML as a tree of texts with their places, as netplan gets to see it.
//!
//! netplan reads its files with libyaml and takes every scalar as the text that it is: `yes`, `10` and `null` are three
//! texts. A mapping may have a key twice, and of several documents in a file only the first is read. The library here is
//! libyaml itself, put into Rust, so that what the one refuses the other does.

use std::collections::HashMap;

use impostazione_text::{Place, Source, SourceId, Span, Written};
use libyaml_safer::{Event, EventData, Mark, Parser};

/// A value and where it stands.
pub(super) type Node = Written<Value>;

/// How deep mappings and lists may lie in each other; netplan's own keys go down to eight.
const DEPTH_LIMIT: usize = 64;

/// How many values a file may come to, once what its aliases point at is written out.
const VALUES_LIMIT: usize = 60_000;

/// What a value is.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Value {
    /// A text, quoted or not: a number, a flag and nothing at all are texts too.
    Scalar(String),
    List(Vec<Node>),
    Map(Map),
}

/// Keys and values in the order of the text. A key may be there twice.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct Map {
    pub(super) entries: Vec<(Written<String>, Node)>,
}

impl Map {
    /// The last value of a key, which is the one that counts.
    pub(super) fn get(&self, key: &str) -> Option<&Node> {
        self.entries.iter().rev().find(|(known, _)| known.value == key).map(|(_, value)| value)
    }

    /// The text of a key.
    pub(super) fn text(&self, key: &str) -> Option<Written<String>> {
        let node = self.get(key)?;
        Some(Written::new(node.value.text()?.to_owned(), node.place))
    }

    /// The mapping of a key.
    pub(super) fn map(&self, key: &str) -> Option<&Self> {
        self.get(key)?.value.map()
    }

    /// The items of a key.
    pub(super) fn list(&self, key: &str) -> &[Node] {
        self.get(key).and_then(|node| node.value.list()).unwrap_or_default()
    }

    /// The texts among the items of a key.
    pub(super) fn texts(&self, key: &str) -> Vec<Written<String>> {
        let items = self.list(key).iter();
        items.filter_map(|item| Some(Written::new(item.value.text()?.to_owned(), item.place))).collect()
    }

    /// Whether a key is set to true.
    pub(super) fn flag(&self, key: &str) -> Option<bool> {
        self.get(key)?.value.flag()
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
        let text = self.text()?;
        let is = |words: [&str; 4]| words.iter().any(|word| text.eq_ignore_ascii_case(word));
        match () {
            () if is(["true", "on", "yes", "y"]) => Some(true),
            () if is(["false", "off", "no", "n"]) => Some(false),
            () => None,
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

/// What a file holds.
pub(super) struct Document {
    /// The first document; nothing where there is none.
    pub(super) root: Option<Node>,
    /// Where a second one begins, which netplan does not read.
    pub(super) second: Option<Place>,
}

/// Why a text is no YAML.
pub(super) struct Fault {
    pub(super) place: Place,
    pub(super) reason: String,
}

/// Reads the first document of a file.
pub(super) fn parse(id: SourceId, source: &Source) -> Result<Document, Fault> {
    let mut bytes = source.text().as_bytes();
    let mut parser = Parser::new();
    parser.set_input_string(&mut bytes);
    let skipped = if source.text().starts_with('\u{feff}') { '\u{feff}'.len_utf8() } else { 0 };
    let mut reader = Reader { id, text: source.text(), skipped, values: 0 };
    let mut composer = Composer { parser, anchors: HashMap::new() };
    loop {
        match reader.next(&mut composer)?.data {
            EventData::StreamEnd => return Ok(Document { root: None, second: None }),
            EventData::DocumentStart { .. } => break,
            _ => {}
        }
    }
    let event = reader.next(&mut composer)?;
    let root = Some(reader.node(&mut composer, event, 0)?);
    let _end_of_document = reader.next(&mut composer)?;
    // Nothing behind the first document can make netplan refuse the file.
    let second = match composer.parser.parse() {
        Ok(Event { data: EventData::StreamEnd, .. }) => None,
        Ok(event) => Some(reader.place(event.start_mark, event.end_mark)),
        Err(error) => Some(reader.place_of(&error)),
    };
    Ok(Document { root, second })
}

struct Composer<'b, 'r> {
    parser: Parser<&'b mut &'r [u8]>,
    /// Values with names, and how many values each comes to.
    anchors: HashMap<String, Anchored>,
}

enum Anchored {
    /// The value that is being read: it cannot hold itself.
    Open,
    Read(Node, usize),
}

struct Reader<'t> {
    id: SourceId,
    text: &'t str,
    /// The bytes of the mark that a file may begin with, which the library does not count.
    skipped: usize,
    values: usize,
}

impl Reader<'_> {
    fn next(&self, composer: &mut Composer<'_, '_>) -> Result<Event, Fault> {
        composer.parser.parse().map_err(|error| {
            let place = self.place_of(&error);
            Fault { place, reason: self.plain(error.problem(), error.context(), place) }
        })
    }

    fn fault<T>(&self, at: &Event, reason: &str) -> Result<T, Fault> {
        Err(Fault { place: self.place(at.start_mark, at.end_mark), reason: reason.to_owned() })
    }

    fn node(
        &mut self,
        composer: &mut Composer<'_, '_>,
        mut event: Event,
        depth: usize,
    ) -> Result<Node, Fault> {
        let place = self.place(event.start_mark, event.end_mark);
        if depth > DEPTH_LIMIT {
            return self.fault(&event, "lists and mappings are nested too deeply");
        }
        let anchor = match &mut event.data {
            EventData::Alias { anchor } => {
                let (node, values) = match composer.anchors.get(anchor.as_str()) {
                    Some(Anchored::Read(node, values)) => (node.value.clone(), *values),
                    Some(Anchored::Open) => {
                        let reason = format!("`*{anchor}` is inside of what it points to");
                        return self.fault(&event, &reason);
                    }
                    None => {
                        let reason = format!("`*{anchor}` points to `&{anchor}`, which is not defined above");
                        return self.fault(&event, &reason);
                    }
                };
                self.count(&event, values)?;
                return Ok(Written::new(node, place));
            }
            EventData::Scalar { anchor, .. }
            | EventData::SequenceStart { anchor, .. }
            | EventData::MappingStart { anchor, .. } => anchor.take(),
            _ => None,
        };
        if let Some(anchor) = &anchor
            && composer.anchors.insert(anchor.clone(), Anchored::Open).is_some()
        {
            return self.fault(&event, &format!("`&{anchor}` is defined twice"));
        }
        self.count(&event, 1)?;
        let before = self.values;
        let value = match event.data {
            EventData::Scalar { value, .. } => Value::Scalar(value),
            EventData::SequenceStart { .. } => {
                let mut items = Vec::new();
                loop {
                    let event = self.next(composer)?;
                    if event.data == EventData::SequenceEnd {
                        break Value::List(items);
                    }
                    items.push(self.node(composer, event, depth + 1)?);
                }
            }
            _ => {
                let mut entries = Vec::new();
                loop {
                    let event = self.next(composer)?;
                    if event.data == EventData::MappingEnd {
                        break Value::Map(Map { entries });
                    }
                    let key = self.node(composer, event, depth + 1)?;
                    let event = self.next(composer)?;
                    let value = self.node(composer, event, depth + 1)?;
                    match key.value {
                        Value::Scalar(text) => entries.push((Written::new(text, key.place), value)),
                        _ => {
                            let reason = "a key cannot be a list or a mapping".to_owned();
                            return Err(Fault { place: key.place, reason });
                        }
                    }
                }
            }
        };
        let node = Written::new(value, place);
        if let Some(anchor) = anchor {
            let values = self.values - before + 1;
            composer.anchors.insert(anchor, Anchored::Read(node.clone(), values));
        }
        Ok(node)
    }

    fn count(&mut self, at: &Event, values: usize) -> Result<(), Fault> {
        self.values += values;
        if self.values > VALUES_LIMIT {
            return self.fault(at, "it expands to more values than any netplan file has");
        }
        Ok(())
    }

    fn byte(&self, mark: Mark) -> usize {
        let index = usize::try_from(mark.index).unwrap_or(usize::MAX);
        let start = index.saturating_add(self.skipped).min(self.text.len());
        // A place lies on a boundary, wherever the library says that something is wrong.
        (0..=start).rev().find(|start| self.text.is_char_boundary(*start)).unwrap_or(0)
    }

    /// From one mark to the other, or to the end of its first line.
    fn place(&self, start: Mark, end: Mark) -> Place {
        let (start, end) = (self.byte(start), self.byte(end));
        let whole = self.text.get(start..end.max(start)).unwrap_or_default();
        let line = whole.lines().next().unwrap_or_default().trim_end();
        Place { source: self.id, span: Span::new(start, start + line.len()) }
    }

    fn place_of(&self, error: &libyaml_safer::Error) -> Place {
        let mark = error.problem_mark().unwrap_or_default();
        self.place(mark, mark)
    }

    /// What libyaml finds wrong, for somebody who looks at the file.
    fn plain(&self, problem: &str, context: Option<&str>, place: Place) -> String {
        let here = self.text.get(place.span.start()..).and_then(|rest| rest.chars().next());
        let context = context.unwrap_or_default();
        match problem {
            "found character that cannot start any token" => match here {
                Some('\t') => "there is a tab where only spaces are allowed".to_owned(),
                Some(character) => {
                    format!("a value cannot start with {character} unless it is in quotes")
                }
                None => "it ends too early".to_owned(),
            },
            "found a tab character that violates indentation"
            | "found a tab character where an indentation space is expected" => {
                "there is a tab where only spaces are allowed".to_owned()
            }
            "mapping values are not allowed in this context" => {
                "there is a colon where no key can start: the line is indented too far, or the value needs quotes"
                    .to_owned()
            }
            "block sequence entries are not allowed in this context" => {
                "a list item starts after a key: put it on its own line".to_owned()
            }
            "could not find expected ':'" => "a line has neither a colon after its key nor a dash".to_owned(),
            "did not find expected key" | "did not find expected '-' indicator" => {
                "the indentation of this line does not match the lines around it".to_owned()
            }
            "did not find expected ',' or ']'" => {
                "a list that starts with [ lacks a comma or its ]".to_owned()
            }
            "did not find expected ',' or '}'" => {
                "a mapping that starts with { lacks a comma or its }".to_owned()
            }
            "found unexpected end of stream" | "found unexpected document indicator"
                if context.contains("quoted") =>
            {
                "a quote is opened and not closed".to_owned()
            }
            "found unknown escape character" => {
                "a backslash in double quotes starts an unknown escape".to_owned()
            }
            _ if problem.starts_with("did not find expected hex") => {
                "a backslash in double quotes starts an unknown escape".to_owned()
            }
            "control characters are not allowed" => "it holds a control character".to_owned(),
            _ => "it is not YAML from here on".to_owned(),
        }
    }
}

#[cfg(test)]
mod tests {
    use std::fmt::Write as _;

    use proptest::prelude::*;

    use super::*;

    fn parsed(text: &str) -> Map {
        match parse(SourceId::default(), &Source::new("n.yaml", text)) {
            Ok(Document { root: Some(root), .. }) => root.value.map().unwrap().clone(),
            Ok(_) => panic!("empty"),
            Err(fault) => panic!("{}", fault.reason),
        }
    }

    fn refused(text: &str) -> Fault {
        parse(SourceId::default(), &Source::new("n.yaml", text)).err().unwrap()
    }

    #[test]
    fn values_and_where_they_stand() {
        let text = "network:\n  version: 2\n  # à\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      dhcp4: no\n      macaddress: 02:64:10:00:00:21\n";
        let map = parsed(text);
        let network = map.map("network").unwrap();
        assert_eq!(network.text("version").unwrap().value, "2");
        let eth0 = network.map("ethernets").unwrap().map("eth0").unwrap();
        assert_eq!(&text[eth0.list("addresses")[0].place.span.range()], "10.64.10.11/24");
        assert_eq!(eth0.flag("dhcp4"), Some(false));
        assert_eq!(eth0.text("macaddress").unwrap().value, "02:64:10:00:00:21");
        assert_eq!(&text[eth0.entries[0].0.place.span.range()], "addresses");
    }

    #[test]
    fn what_is_no_yaml_says_why_and_where() {
        for (text, reason, at) in [
            ("network:\n  ethernets:\n\teth0: {}\n", "a tab", "\teth0"),
            ("a: b: c\n", "a colon where", ": c"),
            ("a: [1, 2\nb: 3\n", "starts with [", ": 3"),
            ("a: \"b\n", "a quote", ""),
            ("a: *b\n", "`*b` points to `&b`", "*b"),
            ("a: &b [*b]\n", "inside of what it points to", "*b"),
            ("a: &b 1\nc: &b 2\n", "`&b` is defined twice", "&b 2"),
            ("? [a]\n: 1\n", "cannot be a list or a mapping", "[a]"),
        ] {
            let fault = refused(text);
            assert!(fault.reason.contains(reason), "{text}{}", fault.reason);
            assert!(text[fault.place.span.start()..].starts_with(at), "{text}{:?}", fault.place);
        }
    }

    #[test]
    fn a_file_is_its_first_document_with_what_its_aliases_point_at() {
        let text = "a: &x [1, 2]\nb: *x\nb: 3\n---\nc: [\n";
        let document = parse(SourceId::default(), &Source::new("n.yaml", text)).ok().unwrap();
        let map = document.root.unwrap().value.map().unwrap().clone();
        assert_eq!(map.entries.len(), 3);
        assert!(map.entries[0].1.value.says_the_same(&map.entries[1].1.value));
        assert_eq!(map.get("b").unwrap().value.text(), Some("3"));
        assert_eq!(document.second.unwrap().span.start(), text.find("---").unwrap());
        for text in ["", "# nothing\n"] {
            let document = parse(SourceId::default(), &Source::new("n.yaml", text)).ok().unwrap();
            assert!(document.root.is_none() && document.second.is_none());
        }
    }

    /// Each line doubles what the one before it comes to.
    #[test]
    fn aliases_of_aliases_end() {
        let mut text = "a0: &a0 [1, 1]\n".to_owned();
        for index in 1..64 {
            let _ = writeln!(text, "a{index}: &a{index} [*a{0}, *a{0}]", index - 1);
        }
        assert!(refused(&text).reason.contains("more values than any"));
        assert!(refused(&"[".repeat(5000)).reason.contains("too deep"));
    }

    proptest! {
        #[test]
        fn reading_never_panics_and_places_lie_in_the_text(text in "(\u{feff})?([ \\n\\r\u{85}:#\\-{}\\[\\],'\"&*|>a-z0-9é]|network|addresses){0,60}") {
            let source = Source::new("n.yaml", text.clone());
            match parse(SourceId::default(), &source) {
                Ok(document) => {
                    if let Some(second) = document.second {
                        prop_assert!(text.get(second.span.range()).is_some());
                    }
                    let root = document.root.map(|root| root.value);
                    for (key, value) in root.iter().filter_map(Value::map).flat_map(|map| &map.entries) {
                        prop_assert!(text.get(key.place.span.range()).is_some());
                        prop_assert!(text.get(value.place.span.range()).is_some());
                    }
                }
                Err(fault) => prop_assert!(text.get(fault.place.span.range()).is_some()),
            }
        }
    }
}
