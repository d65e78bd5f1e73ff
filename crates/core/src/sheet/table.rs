//! Reading one TOML table by its specification.

use impostazione_text::{Place, SourceId, Span, Stated, Written, nearest};
use toml::Spanned;
use toml::de::{DeArray, DeTable, DeValue};

use super::familiar::{Familiar, familiar};
use super::keys::{KEYS, KeySpec, TableSpec};
use super::rules::form;
use crate::finding::Finding;

/// What reading a sheet shares between its tables.
pub(super) struct Reader<'s> {
    pub(super) source: SourceId,
    pub(super) findings: Vec<Finding>,
    /// Where the TOML itself is broken, in order and apart. What meets such a place has its finding already.
    pub(super) broken: &'s [Span],
    /// Keys of an outer table that were found in an inner one.
    pub(super) misplaced: Vec<&'static str>,
    /// Where values stand that must not be shown.
    pub(super) hidden: Vec<Place>,
}

/// The tables in which an unknown key may be meant for a password.
const TABLES_OF_SECRETS: [&str; 5] = [
    super::keys::SECRET.header,
    super::keys::ACCOUNT.header,
    super::keys::SECRET_VALUE.header,
    super::keys::TIME_KEY.header,
    super::keys::WIFI.header,
];

impl Reader<'_> {
    pub(super) fn place(&self, span: std::ops::Range<usize>) -> Place {
        Place { source: self.source, span: span.into() }
    }

    pub(super) fn is_broken(&self, place: Place) -> bool {
        let first = self.broken.partition_point(|span| span.end() < place.span.start());
        self.broken.get(first).is_some_and(|span| span.meets(place.span))
    }
}

/// A table on its way into the sheet.
pub(super) struct TableReader<'r, 's, 't> {
    pub(super) reader: &'r mut Reader<'s>,
    table: &'t DeTable<'t>,
    spec: &'static TableSpec,
    /// Where the table begins: its header, or its braces.
    pub(super) place: Place,
    /// The machine that findings name.
    pub(super) machine: Option<String>,
    /// Keys that seem to be missing because they were mistyped, or written in another table, which has its finding.
    mistyped: Vec<&'static str>,
    /// Whether a key is unknown or has a value of the wrong type.
    pub(super) has_faults: bool,
}

impl<'r, 's, 't> TableReader<'r, 's, 't> {
    pub(super) fn new(
        reader: &'r mut Reader<'s>,
        table: &'t DeTable<'t>,
        spec: &'static TableSpec,
        place: Place,
        machine: Option<String>,
    ) -> Self {
        Self { reader, table, spec, place, machine, mistyped: Vec::new(), has_faults: false }
    }

    /// Reports every key that the table does not have. A key of one of the `outer` tables, or else of any other table
    /// of a sheet, is misplaced; one that is close to a key of this table is taken for a mistyped one.
    pub(super) fn refuse_unknown_keys(&mut self, outer: &[&'static TableSpec]) {
        for (key, value) in self.table {
            let name = key.get_ref().as_ref();
            if self.spec.free_keys || self.spec.key(name).is_some() {
                continue;
            }
            self.has_faults = true;
            let place = self.reader.place(key.span());
            if TABLES_OF_SECRETS.contains(&self.spec.header) {
                // Whatever it is called, it may be meant for a password.
                self.reader.hidden.push(self.reader.place(value.span()));
            }
            if self.reader.is_broken(place) {
                continue;
            }
            let machine = self.machine.clone();
            // Where there is one key, no other can be meant.
            let only = match self.spec.keys {
                [only] => Some(only.name),
                _ => None,
            };
            let close = || nearest(name, self.spec.keys.iter().map(|known| known.name), 1).first().copied();
            let meant = only.or_else(close);
            let outer = outer.iter().find(|table| table.key(name).is_some());
            let home = || KEYS.iter().find(|table| table.key(name).is_some());
            let finding = match (familiar(self.spec, name, self.table), outer) {
                (Some(Familiar { stands_for: Some(key), fix }), _) => {
                    self.mistyped.push(key);
                    form::key_not_there(machine, place, self.spec, name, fix)
                }
                (_, Some(outer)) => {
                    self.reader.misplaced.extend(outer.key(name).map(|key| key.name));
                    form::key_misplaced(machine, place, self.spec, name, outer, true)
                }
                (Some(Familiar { stands_for: None, fix }), None) => match home() {
                    Some(home) => form::key_misplaced_from(machine, place, self.spec, name, home, fix),
                    None => form::key_not_there(machine, place, self.spec, name, fix),
                },
                (None, None) => match (meant, home()) {
                    (Some(meant), _) => {
                        self.mistyped.push(meant);
                        form::key_unknown(machine, place, self.spec, name, Some(meant))
                    }
                    (None, Some(home)) => form::key_misplaced(machine, place, self.spec, name, home, false),
                    (None, None) => form::key_unknown(machine, place, self.spec, name, None),
                },
            };
            self.reader.findings.push(finding);
        }
    }

    /// Takes keys of this table that were found in tables below it for given, if wrongly.
    pub(super) fn claim_misplaced_keys(&mut self) {
        self.mistyped.append(&mut self.reader.misplaced);
    }

    /// A table inside this one.
    pub(super) fn inner<'i, 'u>(
        &'i mut self,
        table: &'u DeTable<'u>,
        spec: &'static TableSpec,
        place: Place,
    ) -> TableReader<'i, 's, 'u> {
        TableReader::new(self.reader, table, spec, place, self.machine.clone())
    }

    /// Whether the table has a key of this kind.
    pub(super) fn has_any(&self, is_meant: impl Fn(&str) -> bool) -> bool {
        self.table.keys().any(|key| is_meant(key.get_ref()))
    }

    /// Whether a key of this kind was mistyped here.
    pub(super) fn has_mistyped(&self, is_meant: impl Fn(&str) -> bool) -> bool {
        self.mistyped.iter().any(|key| is_meant(key))
    }

    /// What a key that is not there stands for.
    pub(super) fn absent<T>(&self, key: &str) -> Stated<T> {
        if self.mistyped.contains(&key) { Stated::Faulty } else { Stated::Absent }
    }

    /// Keys and values as they are, for tables whose keys are free.
    pub(super) fn entries(
        &self,
    ) -> impl Iterator<Item = (Written<String>, &'t Spanned<DeValue<'t>>)> + use<'t> {
        let source = self.reader.source;
        self.table.iter().map(move |(key, value)| {
            let place = Place { source, span: key.span().into() };
            (Written::new(key.get_ref().to_string(), place), value)
        })
    }

    pub(super) fn get(&self, key: &str) -> Option<&'t Spanned<DeValue<'t>>> {
        debug_assert!(
            self.spec.key(key).is_some() || self.spec.free_keys,
            "{key} is not in the specification"
        );
        self.table.get(key)
    }

    /// A text.
    pub(super) fn text(&mut self, key: &str) -> Stated<Written<String>> {
        self.scalar(key, |value| match value {
            DeValue::String(text) => Some(text.to_string()),
            _ => None,
        })
    }

    /// A text, or a whole number as a text.
    pub(super) fn text_or_number(&mut self, key: &str) -> Stated<Written<String>> {
        self.scalar(key, |value| match value {
            DeValue::String(text) => Some(text.to_string()),
            DeValue::Integer(number) => Some(match number.radix() {
                16 => format!("0x{}", number.as_str()),
                _ => number.as_str().to_owned(),
            }),
            _ => None,
        })
    }

    /// A text that must be there.
    pub(super) fn required_text(&mut self, key: &str) -> Stated<Written<String>> {
        let text = self.text(key);
        if text.is_absent() {
            self.missing(key);
        }
        text
    }

    /// A day.
    pub(super) fn date(&mut self, key: &str) -> Stated<Written<toml::value::Date>> {
        self.scalar(key, |value| match value {
            DeValue::Datetime(moment) if moment.time.is_none() => moment.date,
            _ => None,
        })
    }

    /// A truth value.
    pub(super) fn flag(&mut self, key: &str) -> Stated<Written<bool>> {
        self.scalar(key, DeValue::as_bool)
    }

    /// A whole number.
    pub(super) fn integer(&mut self, key: &str) -> Stated<Written<i64>> {
        self.scalar(key, |value| match value {
            DeValue::Integer(number) => i64::from_str_radix(number.as_str(), number.radix()).ok(),
            _ => None,
        })
    }

    fn scalar<T>(&mut self, key: &str, read: impl FnOnce(&DeValue<'t>) -> Option<T>) -> Stated<Written<T>> {
        let Some(value) = self.get(key) else { return self.absent(key) };
        let place = self.reader.place(value.span());
        match read(value.get_ref()) {
            Some(_) if self.reader.is_broken(place) => Stated::Faulty,
            Some(read) => Stated::Value(Written::new(read, place)),
            None => {
                self.wrong_type(key, value);
                Stated::Faulty
            }
        }
    }

    /// A list of texts.
    pub(super) fn texts(&mut self, key: &str) -> Stated<Vec<Written<String>>> {
        let Some(value) = self.get(key) else { return self.absent(key) };
        let DeValue::Array(items) = value.get_ref() else {
            self.wrong_type(key, value);
            return Stated::Faulty;
        };
        let (texts, all_read) = self.items(key, items);
        if all_read || !texts.is_empty() { Stated::Value(texts) } else { Stated::Faulty }
    }

    fn items(&mut self, key: &str, items: &'t DeArray<'t>) -> (Vec<Written<String>>, bool) {
        let mut texts = Vec::with_capacity(items.len());
        let mut all_read = true;
        for item in items {
            let place = self.reader.place(item.span());
            match item.get_ref() {
                DeValue::String(text) if !self.reader.is_broken(place) => {
                    texts.push(Written::new(text.to_string(), place));
                }
                DeValue::String(_) => all_read = false,
                _ => {
                    self.wrong_type(key, item);
                    all_read = false;
                }
            }
        }
        (texts, all_read)
    }

    /// A table inside this one.
    pub(super) fn table(&mut self, key: &str) -> Stated<(&'t DeTable<'t>, Place)> {
        let Some(value) = self.get(key) else { return self.absent(key) };
        match value.get_ref() {
            DeValue::Table(table) => Stated::Value((table, self.reader.place(value.span()))),
            _ => {
                self.wrong_type(key, value);
                Stated::Faulty
            }
        }
    }

    /// The tables inside a table of this one, by name: `[subnet.quay]`, `link.eth0 = { … }`.
    pub(super) fn named_tables(&mut self, key: &str) -> Vec<(Written<String>, &'t DeTable<'t>, Place)> {
        let Stated::Value((outer, _)) = self.table(key) else { return Vec::new() };
        let mut tables = Vec::with_capacity(outer.len());
        for (name, value) in outer {
            let name = Written::new(name.get_ref().to_string(), self.reader.place(name.span()));
            match value.get_ref() {
                DeValue::Table(table) => tables.push((name, table, self.reader.place(value.span()))),
                _ => self.wrong_type(key, value),
            }
        }
        tables
    }

    /// The tables of an array of tables: `[[host]]`.
    pub(super) fn table_list(&mut self, key: &str) -> Vec<(&'t DeTable<'t>, Place)> {
        let Some(value) = self.get(key) else { return Vec::new() };
        let DeValue::Array(items) = value.get_ref() else {
            self.wrong_type(key, value);
            return Vec::new();
        };
        let mut tables = Vec::with_capacity(items.len());
        for item in items {
            match item.get_ref() {
                DeValue::Table(table) => tables.push((table, self.reader.place(item.span()))),
                _ => self.wrong_type(key, item),
            }
        }
        tables
    }

    /// Reports that a required key is not there, unless it was mistyped.
    pub(super) fn missing(&mut self, key: &str) {
        if self.mistyped.contains(&key) {
            return;
        }
        if let Some(spec) = self.spec.key(key) {
            let finding = form::key_missing(self.machine.clone(), self.place, self.spec, spec);
            self.reader.findings.push(finding);
        }
    }

    /// Reports that a value is of the wrong type, unless its TOML is broken anyway.
    pub(super) fn wrong_type(&mut self, key: &str, value: &Spanned<DeValue<'_>>) {
        self.wrong_value(key, value, describe(value.get_ref()));
    }

    /// Reports that a value is not what its key takes, and what it is.
    pub(super) fn wrong_value(&mut self, key: &str, value: &Spanned<DeValue<'_>>, found: &str) {
        static FREE: KeySpec = KeySpec {
            name: "answer",
            takes: "a text, a number, true or false, or { take = … }",
            example: r#""node.role" = "archive""#,
            about: "",
            shape: super::keys::Shape::Answers,
            is_required: false,
        };
        self.has_faults = true;
        let place = self.reader.place(value.span());
        if !self.reader.is_broken(place) {
            let spec = self.spec.key(key).unwrap_or(&FREE);
            let finding = form::value_wrong_type(self.machine.clone(), place, spec, found);
            self.reader.findings.push(finding);
        }
    }
}

fn describe(value: &DeValue<'_>) -> &'static str {
    match value {
        DeValue::String(_) => "a text",
        DeValue::Integer(_) => "a whole number",
        DeValue::Float(_) => "a fraction",
        DeValue::Boolean(_) => "true or false",
        DeValue::Datetime(_) => "a date",
        DeValue::Array(_) => "a list",
        DeValue::Table(_) => "a table",
    }
}
