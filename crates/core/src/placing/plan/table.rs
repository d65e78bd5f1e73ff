//! Files of lines with fields between colons: `passwd(5)`, `shadow(5)`, `group(5)`, `gshadow(5)`.

use std::collections::HashMap;

use impostazione_text::FileBytes;
use zeroize::Zeroizing;

/// Such a file. Lines that are not asked to change stay as they are, to the byte.
pub(super) struct Table {
    lines: Vec<Zeroizing<String>>,
    /// Lines by their first field: an image may have tens of thousands of users.
    by_name: HashMap<String, Vec<usize>>,
    is_changed: bool,
}

impl Table {
    /// Reads a file; nothing where it is no UTF-8 text.
    pub(super) fn parse(bytes: &[u8]) -> Option<Self> {
        let text = std::str::from_utf8(bytes).ok()?;
        let lines = text.lines_keeping_returns();
        Some(Self { by_name: by_name(&lines), lines, is_changed: false })
    }

    /// Lines, from 0, whose first field this is.
    pub(super) fn find(&self, name: &str) -> Vec<usize> {
        self.by_name.get(name).cloned().unwrap_or_default()
    }

    /// The first line, from 0, that ends as on other systems, with a carriage return.
    pub(super) fn foreign_line(&self) -> Option<usize> {
        self.lines.iter().position(|line| line.ends_with('\r'))
    }

    /// A field of a line.
    pub(super) fn field(&self, line: usize, field: usize) -> &str {
        self.lines.get(line).and_then(|line| line.split(':').nth(field)).unwrap_or_default()
    }

    /// Puts a value into a field of a line, if it is not there already. Fields that the line lacks are added.
    pub(super) fn set(&mut self, line: usize, field: usize, value: &str) {
        let Some(text) = self.lines.get_mut(line) else { return };
        let mut fields: Vec<&str> = text.split(':').collect();
        while fields.len() <= field {
            fields.push("");
        }
        if fields.get(field).is_some_and(|there| *there == value) {
            return;
        }
        if let Some(there) = fields.get_mut(field) {
            *there = value;
        }
        *text = Zeroizing::new(fields.join(":"));
        self.is_changed = true;
        if field == 0 {
            self.by_name = by_name(&self.lines);
        }
    }

    /// Adds a line.
    pub(super) fn push(&mut self, fields: &[&str]) {
        if let Some(name) = fields.first() {
            self.by_name.entry((*name).to_owned()).or_default().push(self.lines.len());
        }
        self.lines.push(Zeroizing::new(fields.join(":")));
        self.is_changed = true;
    }

    /// Takes out the lines that this is true of.
    pub(super) fn remove_if(&mut self, is_unwanted: impl Fn(&str) -> bool) {
        let count = self.lines.len();
        self.lines.retain(|line| !is_unwanted(line));
        if self.lines.len() != count {
            self.is_changed = true;
            self.by_name = by_name(&self.lines);
        }
    }

    /// The values of a field that are numbers.
    pub(super) fn numbers(&self, field: usize) -> impl Iterator<Item = u32> {
        self.lines.iter().filter_map(move |line| line.split(':').nth(field)?.parse().ok())
    }

    /// First fields and another one that is a number.
    pub(super) fn named_numbers(&self, field: usize) -> Vec<(String, u32)> {
        let named = |line: &Zeroizing<String>| {
            let number = line.split(':').nth(field)?.parse().ok()?;
            Some((line.split(':').next()?.to_owned(), number))
        };
        self.lines.iter().filter_map(named).collect()
    }

    /// The text, if anything in it was changed.
    pub(super) fn changed(&self) -> Option<FileBytes> {
        if !self.is_changed {
            return None;
        }
        let mut text =
            Zeroizing::new(String::with_capacity(self.lines.iter().map(|line| line.len() + 1).sum()));
        for line in &self.lines {
            text.push_str(line);
            text.push('\n');
        }
        Some(FileBytes::new(text.as_bytes()))
    }
}

fn by_name(lines: &[Zeroizing<String>]) -> HashMap<String, Vec<usize>> {
    let mut by_name: HashMap<String, Vec<usize>> = HashMap::new();
    for (index, line) in lines.iter().enumerate() {
        let name = line.split(':').next().unwrap_or_default();
        by_name.entry(name.to_owned()).or_default().push(index);
    }
    by_name
}

trait LinesKeepingReturns {
    fn lines_keeping_returns(&self) -> Vec<Zeroizing<String>>;
}

impl LinesKeepingReturns for str {
    /// Lines without their line feeds; a carriage return before one stays.
    fn lines_keeping_returns(&self) -> Vec<Zeroizing<String>> {
        let whole = self.strip_suffix('\n').unwrap_or(self);
        if self.is_empty() {
            return Vec::new();
        }
        whole.split('\n').map(|line| Zeroizing::new(line.to_owned())).collect()
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn one_field_is_changed_and_nothing_else(
            text in r"([a-z:*!$0-9\r ]{0,20}\n){1,6}",
            line in 0_usize..6,
            field in 0_usize..9,
            value in "[a-z0-9$]{1,6}",
        ) {
            let mut table = Table::parse(text.as_bytes()).unwrap();
            table.set(line, field, &value);
            let count = text.lines().count();
            if line < count {
                prop_assert_eq!(table.field(line, field), value.as_str());
            }
            if let Some(bytes) = table.changed() {
                let new = String::from_utf8(bytes.to_vec()).unwrap();
                prop_assert_eq!(new.split('\n').count(), text.split('\n').count());
                let others = |text: &str| {
                    text.split('\n').enumerate().filter(|(index, _)| *index != line).map(|(_, line)| line.to_owned()).collect::<Vec<_>>()
                };
                prop_assert_eq!(others(&new), others(&text));
            }
        }
    }

    #[test]
    fn lines_that_nobody_asks_for_stay_as_they_are() {
        let mut table = Table::parse(b"root:x:0\n\nodd line\ngull:x:7").unwrap();
        assert!(table.changed().is_none());
        table.set(3, 1, "x");
        assert!(table.changed().is_none(), "nothing new was said");
        table.set(3, 4, "y");
        table.push(&["tern", "x"]);
        let text = table.changed().unwrap();
        assert_eq!(&text[..], b"root:x:0\n\nodd line\ngull:x:7::y\ntern:x\n");
        assert_eq!(table.find("gull"), [3]);
        assert!(Table::parse(b"\xff").is_none());
        assert_eq!(Table::parse(b"root:x:0\r\n").unwrap().foreign_line(), Some(0));
    }
}
