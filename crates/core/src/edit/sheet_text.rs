//! The text of a sheet, changed a value or a table at a time. What is not concerned stays byte for byte, with its comments,
//! its order and its layout.

use std::ops::Range;
use std::rc::Rc;

use impostazione_text::visible::harmless;
use toml_edit::{Document, Item, TableLike, Value};

use super::table_path::TablePath;
use crate::sheet::KEYS;

/// How the lines begin that hold a key which is still open.
pub const OPEN_MARK: &str = "#? ";

/// The tables of a sheet by their first names, in the order in which they are written.
const FAMILIES: [&str; 9] =
    ["common", "subnet", "pool", "secret", "time_key", "account", "host", "cluster", "appliance"];

/// The text of a sheet that is TOML.
#[derive(Clone, Debug)]
pub struct SheetText {
    text: String,
    /// The same, read; nothing where that is not possible.
    read: Option<Rc<Document<String>>>,
}

impl PartialEq for SheetText {
    fn eq(&self, other: &Self) -> bool {
        self.text == other.text
    }
}

impl Eq for SheetText {}

/// A header, with the names that lead to its table and which entry of that name it is in.
struct Header {
    span: Range<usize>,
    path: TablePath,
}

impl SheetText {
    /// A text, if it can be read as TOML.
    pub fn new(text: impl Into<String>) -> Option<Self> {
        let text = Self::of(text.into());
        text.read.is_some().then_some(text)
    }

    fn of(text: String) -> Self {
        let read = Document::parse(text.clone()).ok().map(Rc::new);
        Self { text, read }
    }

    /// Puts something in the place of a part of the text.
    fn replace(&mut self, part: Range<usize>, with: &str) {
        let mut text = std::mem::take(&mut self.text);
        text.replace_range(part, with);
        *self = Self::of(text);
    }

    /// The text.
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// What stands in place of a value, as it is written.
    pub fn literal(&self, table: &TablePath, key: &str) -> Option<&str> {
        self.text.get(self.span(table, key)?)
    }

    /// A value that is a text, without its quotes.
    pub fn string(&self, table: &TablePath, key: &str) -> Option<String> {
        let literal = self.literal(table, key)?;
        literal.parse::<Value>().ok()?.as_str().map(str::to_owned)
    }

    /// A value that is a list of texts.
    pub fn strings(&self, table: &TablePath, key: &str) -> Option<Vec<String>> {
        let value = self.literal(table, key)?.parse::<Value>().ok()?;
        value.as_array()?.iter().map(|item| item.as_str().map(str::to_owned)).collect()
    }

    /// Where a value stands.
    pub fn span(&self, table: &TablePath, key: &str) -> Option<Range<usize>> {
        self.with_table(table, |found| found.get(key).and_then(Item::span))?
    }

    /// Whether a table is there, under a header or in another way.
    pub fn has(&self, table: &TablePath) -> bool {
        self.with_table(table, |_| ()).is_some()
    }

    /// The names of the tables of a kind, such as the subnets, in their order.
    pub fn names(&self, kind: &str) -> Vec<String> {
        self.keys_of(&TablePath::top(kind))
    }

    /// The keys of a table, in their order.
    pub fn keys_of(&self, table: &TablePath) -> Vec<String> {
        self.with_table(table, |found| found.iter().map(|(name, _)| name.to_owned()).collect())
            .unwrap_or_default()
    }

    /// How many entries of a kind there are.
    pub fn entries(&self, kind: &str) -> usize {
        let Some(document) = &self.read else { return 0 };
        document.get(kind).and_then(Item::as_array_of_tables).map_or(0, |entries| entries.iter().count())
    }

    /// The part of the text that a table takes up with what is in it, under whatever headers.
    pub fn extent(&self, table: &TablePath) -> Option<Range<usize>> {
        let headers = self.headers();
        let is_in = |header: &&Header| {
            header.path.entry == table.entry && header.path.keys().starts_with(table.keys())
        };
        let of_table: Vec<&Header> = headers.iter().filter(is_in).collect();
        let start = of_table.iter().map(|header| header.span.start).min()?;
        let end = of_table.iter().map(|header| self.body_end(&header.path, &header.span)).max()?;
        Some(start..end)
    }

    /// Writes a value, in place of the one that is there, of the line that marks it as open, or where it belongs by the order
    /// of keys. The table is made where it is not there. A remark is put behind it, in place of an earlier one.
    pub fn set(&mut self, table: &TablePath, key: &str, literal: &str, remark: Option<&str>) {
        let remark = remark.map(|remark| format!("  # {}", harmless(remark)));
        if let Some(span) = self.span(table, key) {
            let end = span.start + literal.len();
            self.replace(span, literal);
            if let Some(remark) = remark {
                let rest = self.text.get(end..).unwrap_or_default();
                let line = rest.split('\n').next().unwrap_or_default();
                if line.trim().is_empty() || line.trim_start().starts_with('#') {
                    self.replace(end..end + line.len(), &remark);
                }
            }
            return;
        }
        if !self.has(table) {
            self.add_table(table);
        }
        let line = format!("{} = {literal}{}", written_key(key), remark.unwrap_or_default());
        if let Some(mark) = self.mark_of(table, key) {
            self.replace(mark.start..(mark.end + 1).min(self.text.len()), "");
        }
        self.insert(table, key, &line);
    }

    /// Takes a value out, with its line where it has one.
    pub fn remove(&mut self, table: &TablePath, key: &str) {
        let found = self.with_table(table, |found| {
            let (name, item) = found.get_key_value(key)?;
            Some((name.span()?, item.span()?, found.is_dotted()))
        });
        let Some(Some((name, value, _))) = found else { return };
        let line = self.line_around(name.start..value.end);
        let before = self.text.get(line.start..name.start).unwrap_or_default();
        if before.trim().is_empty() {
            self.replace(line.start..(line.end + 1).min(self.text.len()), "");
            return;
        }
        // In braces, with the comma before it or behind it.
        let rest = self.text.get(value.end..).unwrap_or_default();
        let blanks = rest.len() - rest.trim_start().len();
        let (start, end) = if rest.trim_start().starts_with(',') {
            let behind = rest.get(blanks + 1..).unwrap_or_default();
            (name.start, value.end + blanks + 1 + (behind.len() - behind.trim_start().len()))
        } else {
            let before = self.text.get(..name.start).unwrap_or_default().trim_end();
            (before.strip_suffix(',').map_or(name.start, str::len), value.end)
        };
        self.replace(start..end, "");
    }

    /// Adds a table without keys where it belongs: behind the last of its kind, or of the kinds before it.
    pub fn add_table(&mut self, table: &TablePath) {
        let rank =
            |family: &str| FAMILIES.iter().position(|known| *known == family).unwrap_or(FAMILIES.len());
        let headers = self.headers();
        let own = rank(table.family());
        let is_inner = table.keys().len() > 1 && table.entry.is_some();
        let parent =
            |header: &&Header| header.path.entry == table.entry && header.path.family() == table.family();
        let of_kind = |header: &&Header| header.path.family() == table.family();
        let before = if is_inner {
            headers.iter().rfind(parent)
        } else {
            let same = headers.iter().rfind(of_kind);
            same.or_else(|| headers.iter().rfind(|header| rank(header.path.family()) < own))
        };
        let at = before.map_or_else(|| self.top_end(), |header| self.body_end(&header.path, &header.span));
        let space = if is_inner { "" } else { "\n" };
        self.put_line(at, &format!("{space}{table}"));
    }

    /// Adds a table in braces to a table: `link.eth0 = {}`.
    pub fn add_braces(&mut self, table: &TablePath, keys: &[&str]) {
        let names: Vec<String> = keys.iter().map(|key| written_key(key)).collect();
        if let Some(first) = keys.first() {
            self.insert(table, first, &format!("{} = {{}}", names.join(".")));
        }
    }

    /// Where the name of a table stands: its header, or the key in front of its braces.
    pub fn name_span(&self, table: &TablePath) -> Option<Range<usize>> {
        let headers = self.headers();
        if let Some(header) = headers.iter().find(|header| header.path == *table) {
            return Some(header.span.clone());
        }
        let (last, parent) = table.keys().split_last()?;
        let parent = TablePath { keys: parent.to_vec(), entry: table.entry };
        self.with_table(&parent, |found| found.get_key_value(last).and_then(|(key, _)| key.span()))?
    }

    /// Adds a line behind what a table says of itself.
    pub fn add_line(&mut self, table: &TablePath, line: &str) {
        let headers = self.headers();
        if let Some(header) = headers.iter().find(|header| header.path == *table) {
            let at = self.body_end(&header.path, &header.span);
            self.put_line(at, line);
        }
    }

    /// Adds a line at the end.
    pub fn add_last(&mut self, line: &str) {
        let at = self.text.trim_end().len();
        self.put_line(at, line);
    }

    /// Puts a remark at the top, where the text does not begin with one.
    pub fn begin_with(&mut self, remark: &str) {
        if !self.text.starts_with('#') {
            self.replace(0..0, &format!("{}\n", harmless(remark)));
        }
    }

    /// Takes out every line that marks a key or a table as open.
    #[must_use]
    pub fn without_marks(&self) -> Self {
        let is_mark = |line: &&str| line.starts_with(OPEN_MARK.trim_end());
        let text: String = self.text.split_inclusive('\n').filter(|line| !is_mark(line)).collect();
        Self::of(text.trim_end().to_owned() + "\n")
    }

    /// The keys that a table marks as open.
    pub fn marked(&self, table: &TablePath) -> Vec<String> {
        self.marks(table).into_iter().map(|(key, _)| key).collect()
    }

    fn mark_of(&self, table: &TablePath, key: &str) -> Option<Range<usize>> {
        self.marks(table).into_iter().find(|(name, _)| name == key).map(|(_, line)| line)
    }

    /// The lines behind a table's header that mark keys as open.
    fn marks(&self, table: &TablePath) -> Vec<(String, Range<usize>)> {
        let headers = self.headers();
        let Some(index) = headers.iter().position(|header| header.path == *table) else { return Vec::new() };
        let Some(start) = headers.get(index).map(|header| header.span.end) else { return Vec::new() };
        let end = headers.get(index + 1).map_or(self.text.len(), |next| next.span.start);
        let mut at = start;
        let mut found = Vec::new();
        for line in self.text.get(start..end).unwrap_or_default().split_inclusive('\n') {
            let span = at..at + line.trim_end().len();
            at += line.len();
            let Some(rest) = line.strip_prefix(OPEN_MARK) else { continue };
            // A header that is marked is about another table.
            if rest.starts_with('[') {
                break;
            }
            if let Some((key, _)) = rest.split_once('=') {
                found.push((key.trim().to_owned(), span));
            }
        }
        found
    }

    /// Puts a line with a new key where it belongs.
    fn insert(&mut self, table: &TablePath, key: &str, line: &str) {
        let headers = self.headers();
        let Some(header) = headers.iter().find(|header| header.path == *table) else {
            self.insert_without_header(table, key, line);
            return;
        };
        let order = order_of(table);
        let rank = |name: &str| order.iter().position(|known| *known == name);
        let own = rank(key);
        let ends = self.with_table(table, |found| {
            let mut ends: Vec<(Option<usize>, usize)> = Vec::new();
            for (name, item) in found.iter() {
                if let Some(end) = end_without_header(item) {
                    ends.push((rank(name), end));
                }
            }
            ends
        });
        let ends = ends.unwrap_or_default();
        // Behind the last of the keys that come before it, and behind all where its own place is not known.
        let before = ends.iter().filter(|(rank, _)| own.is_none() || rank.is_none() || *rank <= own);
        let at =
            before.map(|(_, end)| *end).max().map_or(header.span.end, |end| self.line_around(end..end).end);
        let at = if ends.is_empty() { self.line_around(header.span.clone()).end } else { at };
        self.put_line(at, line);
    }

    /// Puts a key into a table that has no header: one in braces, or one of dotted keys.
    fn insert_without_header(&mut self, table: &TablePath, key: &str, line: &str) {
        let Some((last, parent)) = table.keys().split_last() else { return };
        let parent = TablePath { keys: parent.to_vec(), entry: table.entry };
        let braces = self.with_table(&parent, |found| {
            found.get(last).filter(|item| item.is_inline_table()).and_then(Item::span)
        });
        if let Some(Some(span)) = braces {
            let inside = self.text.get(span.start..span.end.saturating_sub(1)).unwrap_or_default();
            let end = span.start + inside.trim_end().len();
            let line = line.split("  # ").next().unwrap_or_default();
            if inside.trim_end().ends_with('{') {
                self.replace(end..span.end.saturating_sub(1), &format!(" {line} "));
            } else if let Some(next) = self.next_in_order(table, key) {
                self.replace(next..next, &format!("{line}, "));
            } else {
                self.replace(end..end, &format!(", {line}"));
            }
            return;
        }
        let end = self
            .with_table(table, |found| found.iter().filter_map(|(_, item)| end_without_header(item)).max());
        if let Some(Some(end)) = end {
            let names: Vec<&str> =
                table.keys().iter().skip(usize::from(table.entry.is_some())).map(String::as_str).collect();
            let at = self.line_around(end..end).end;
            self.put_line(at, &format!("{}.{line}", names.join(".")));
        }
    }

    /// Where the first key of a table stands that comes after another by the order of keys.
    fn next_in_order(&self, table: &TablePath, key: &str) -> Option<usize> {
        let order = order_of(table);
        let own = order.iter().position(|known| *known == key)?;
        self.with_table(table, |found| {
            let later =
                found.iter().filter(|(name, _)| order.iter().skip(own + 1).any(|known| known == name));
            later.filter_map(|(name, _)| found.get_key_value(name)?.0.span()).map(|span| span.start).min()
        })?
    }

    /// Puts a line behind the one that ends at `at`.
    fn put_line(&mut self, at: usize, line: &str) {
        let at = at.min(self.text.len());
        let is_first = self.text.get(..at).is_none_or(str::is_empty);
        let put = if is_first { format!("{}\n", line.trim_start()) } else { format!("\n{line}") };
        self.replace(at..at, &put);
        if !self.text.ends_with('\n') {
            let end = self.text.len();
            self.replace(end..end, "\n");
        }
    }

    /// The line, or lines, that a part of the text is in, without the end of the last.
    fn line_around(&self, span: Range<usize>) -> Range<usize> {
        let before = self.text.get(..span.start).unwrap_or_default();
        let start = before.rfind('\n').map_or(0, |at| at + 1);
        let behind = self.text.get(span.end..).unwrap_or_default();
        let end = span.end + behind.find('\n').unwrap_or(behind.len());
        start..end
    }

    /// Where the keys end that stand above all tables.
    fn top_end(&self) -> usize {
        let Some(document) = &self.read else { return self.text.len() };
        let end = document.iter().filter_map(|(_, item)| end_without_header(item)).max();
        end.map_or(0, |end| self.line_around(end..end).end)
    }

    /// Where what stands below a header ends, marks of open keys included.
    fn body_end(&self, path: &TablePath, header: &Range<usize>) -> usize {
        let end = self
            .with_table(path, |found| found.iter().filter_map(|(_, item)| end_without_header(item)).max());
        let end = end.flatten().unwrap_or(header.end);
        let marks = self.marks(path).into_iter().map(|(_, line)| line.end).max().unwrap_or(0);
        self.line_around(end..end).end.max(marks)
    }

    /// All headers, in the order of the text.
    fn headers(&self) -> Vec<Header> {
        let Some(document) = &self.read else { return Vec::new() };
        let mut found = Vec::new();
        for (name, item) in document.iter() {
            if let Some(entries) = item.as_array_of_tables() {
                for (index, table) in entries.iter().enumerate() {
                    let path = TablePath::entry(name, index);
                    self.gather(path, table.span(), table, &mut found);
                }
            } else if let Some(table) = item.as_table() {
                self.gather(TablePath::top(name), table.span(), table, &mut found);
            }
        }
        found.sort_by_key(|header| header.span.start);
        found
    }

    fn gather(
        &self,
        path: TablePath,
        span: Option<Range<usize>>,
        table: &dyn TableLike,
        found: &mut Vec<Header>,
    ) {
        for (name, item) in table.iter() {
            if let Some(inner) = item.as_table() {
                self.gather(path.inner(&[name]), inner.span(), inner, found);
            }
        }
        if let Some(span) =
            span.filter(|span| self.text.get(span.clone()).is_some_and(|text| text.starts_with('[')))
        {
            found.push(Header { span, path });
        }
    }

    /// What a table says, where it is there.
    fn with_table<T>(&self, path: &TablePath, ask: impl FnOnce(&dyn TableLike) -> T) -> Option<T> {
        let document = self.read.as_ref()?;
        let (first, rest) = path.keys().split_first()?;
        let item = document.get(first)?;
        let mut table: &dyn TableLike = match path.entry {
            Some(index) => item.as_array_of_tables()?.get(index)?,
            None => item.as_table_like()?,
        };
        for key in rest {
            table = table.get(key)?.as_table_like()?;
        }
        Some(ask(table))
    }
}

/// Where an item ends that does not stand under a header of its own.
fn end_without_header(item: &Item) -> Option<usize> {
    match item {
        Item::Value(_) => item.span().map(|span| span.end),
        Item::Table(table) if table.is_dotted() || table.is_implicit() => {
            table.iter().filter_map(|(_, inner)| end_without_header(inner)).max()
        }
        _ => None,
    }
}

/// The keys of a table, in the order in which they are written.
fn order_of(table: &TablePath) -> Vec<&'static str> {
    let family = table.family();
    let names = table.keys();
    let is_of = |header: &str| match (family, names.len()) {
        ("common", 1) => header == "[common]",
        ("host" | "appliance", 1) => header == format!("[[{family}]]"),
        ("host", 3) => header.starts_with("link.NAME of a host"),
        ("appliance", 3) => header.starts_with("link.NAME of an appliance"),
        (_, 2) => header == format!("[{family}.NAME]"),
        _ => false,
    };
    let spec = KEYS.iter().find(|spec| is_of(spec.header));
    spec.map(|spec| spec.keys.iter().map(|key| key.name).collect()).unwrap_or_default()
}

/// A key as it is written, in quotes where it has to be.
fn written_key(key: &str) -> String {
    toml_edit::Key::new(key).display_repr().into_owned()
}

/// A text as it is written, in quotes.
pub fn quoted(text: &str) -> String {
    Value::from(text).to_string()
}

/// A list of texts as it is written.
pub fn quoted_list<'a>(items: impl IntoIterator<Item = &'a str>) -> String {
    let items: Vec<String> = items.into_iter().map(quoted).collect();
    format!("[{}]", items.join(", "))
}

#[cfg(test)]
mod tests {
    use super::*;

    const SHEET: &str = r#"# The harbor.
format = 1

[common] # of all
site = "Capo Vetro"   # its name

# Along the water.
[subnet.quay]
prefix = "10.64.10.0/24"
#? gateway = "10.64.10.1"   # the router

[[host]]
name = "gauge"
link.eth0 = { subnet = "quay" }  # one
[[host]]
name = "tower"
[host.link.lan0]
mac = "02:64:10:00:00:21"

# The end.
"#;

    fn sheet() -> SheetText {
        SheetText::new(SHEET).unwrap()
    }

    /// The lines that a change adds, `+`, and takes out, `-`.
    fn changed(change: impl FnOnce(&mut SheetText)) -> Vec<String> {
        let mut text = sheet();
        change(&mut text);
        assert!(SheetText::new(text.as_str()).is_some(), "{}", text.as_str());
        let difference = similar::TextDiff::from_lines(SHEET, text.as_str());
        let lines = difference.iter_all_changes().filter(|one| one.tag() != similar::ChangeTag::Equal);
        lines.map(|one| format!("{}{}", one.tag(), one.value().trim_end())).collect()
    }

    #[test]
    fn a_value_is_put_in_place_and_nothing_else_moves() {
        let common = TablePath::top("common");
        assert_eq!(
            changed(|text| text.set(&common, "site", "\"Lido\"", None)),
            ["-site = \"Capo Vetro\"   # its name", "+site = \"Lido\"   # its name"]
        );
        assert_eq!(
            changed(|text| text.set(&common, "site", "\"Lido\"", Some("as asked"))),
            ["-site = \"Capo Vetro\"   # its name", "+site = \"Lido\"  # as asked"]
        );
        assert_eq!(
            changed(|text| text.set(&common, "dns", "\"none\"", Some("no servers"))),
            ["+dns = \"none\"  # no servers"]
        );
    }

    #[test]
    fn keys_come_in_the_order_of_the_documentation() {
        let quay = TablePath::named("subnet", "quay");
        let mut text = sheet();
        text.set(&quay, "dhcp_ranges", "[]", None);
        text.set(&quay, "vlan", "110", None);
        text.set(&quay, "gateway", "\"10.64.10.1\"", None);
        let table = text.as_str().get(text.extent(&quay).unwrap()).unwrap();
        assert_eq!(
            table,
            "[subnet.quay]\nprefix = \"10.64.10.0/24\"\ngateway = \"10.64.10.1\"\nvlan = 110\ndhcp_ranges = []"
        );
    }

    #[test]
    fn tables_come_behind_those_of_their_kind() {
        let added = |table: TablePath| {
            let mut text = sheet();
            text.set(&table, "name", "\"new\"", None);
            let at = text.as_str().find(&format!("{table}\nname = \"new\"")).unwrap();
            let before = text.as_str().get(..at).unwrap().trim_end().lines().last().unwrap().to_owned();
            assert!(SheetText::new(text.as_str()).is_some());
            before
        };
        assert_eq!(added(TablePath::named("subnet", "mole")), "#? gateway = \"10.64.10.1\"   # the router");
        assert_eq!(
            added(TablePath::named("account", "keeper")),
            "#? gateway = \"10.64.10.1\"   # the router"
        );
        assert_eq!(added(TablePath::named("cluster", "log")), "mac = \"02:64:10:00:00:21\"");
        let link = TablePath::entry("host", 1).inner(&["link", "lan1"]);
        assert_eq!(added(link), "mac = \"02:64:10:00:00:21\"");
    }

    #[test]
    fn keys_in_braces_are_added_and_taken_out() {
        let link = TablePath::entry("host", 0).inner(&["link", "eth0"]);
        assert_eq!(
            changed(|text| text.set(&link, "address", "\"10.64.10.11\"", None)),
            [
                "-link.eth0 = { subnet = \"quay\" }  # one",
                "+link.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }  # one"
            ]
        );
        assert_eq!(
            changed(|text| text.set(&link, "kind", "\"wifi\"", None)),
            [
                "-link.eth0 = { subnet = \"quay\" }  # one",
                "+link.eth0 = { kind = \"wifi\", subnet = \"quay\" }  # one"
            ]
        );
        let mut text = sheet();
        text.set(&link, "address", "\"none\"", None);
        text.remove(&link, "subnet");
        assert!(text.as_str().contains("link.eth0 = { address = \"none\" }  # one"), "{}", text.as_str());
        text.remove(&link, "address");
        text.set(&link, "subnet", "\"quay\"", None);
        assert!(text.as_str().contains("link.eth0 = { subnet = \"quay\" }  # one"), "{}", text.as_str());
    }

    #[test]
    fn a_marked_key_is_open_until_it_has_a_value() {
        let quay = TablePath::named("subnet", "quay");
        assert_eq!(sheet().marked(&quay), ["gateway"]);
        let mut text = sheet();
        text.set(&quay, "gateway", "\"none\"", None);
        assert!(text.marked(&quay).is_empty());
        assert!(!text.as_str().contains(OPEN_MARK));
        assert!(!sheet().without_marks().as_str().contains("gateway"));
    }

    #[test]
    fn an_empty_text_becomes_a_sheet() {
        let mut text = SheetText::new("").unwrap();
        text.add_last("format = 1");
        text.set(&TablePath::top("common"), "site", "\"Capo Vetro\"", None);
        text.set(&TablePath::entry("host", 0), "name", "\"gauge\"", None);
        text.set(&TablePath::named("subnet", "odd name"), "prefix", "\"10.64.10.0/24\"", None);
        assert_eq!(
            text.as_str(),
            "format = 1\n\n[common]\nsite = \"Capo Vetro\"\n\n[subnet.\"odd name\"]\nprefix = \"10.64.10.0/24\"\n\n[[host]]\nname = \"gauge\"\n"
        );
    }
}
