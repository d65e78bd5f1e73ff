//! A CSV file as a table, for who wants to know what is in it before a sheet names it.

use impostazione_text::{Source, Sources};

use super::rows::{Rows, RowsFault};
use super::rows_text::decode;

/// The fields and the rows of a CSV file.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct RowsTable {
    /// The names of the fields.
    pub fields: Vec<String>,
    /// The values of each row, as many as there are fields.
    pub rows: Vec<Vec<String>>,
}

impl RowsTable {
    /// Reads a file in the way in which a sheet's rows are read: in any of the usual encodings, with whatever stands between
    /// the fields. The error says what is wrong with it.
    pub fn read(name: &str, bytes: Vec<u8>) -> Result<Self, String> {
        let (text, _) = decode(bytes).map_err(|reason| format!("{name} cannot be used: {reason}"))?;
        let mut sources = Sources::default();
        let id = sources.add(Source::new(name, text));
        let rows = Rows::parse(id, sources.get(id)).map_err(|faults| {
            faults
                .first()
                .map_or_else(|| format!("{name} cannot be read"), |fault| in_words(name, &sources, fault))
        })?;
        if let Some(fault) = rows.faults.first() {
            return Err(in_words(name, &sources, fault));
        }
        let plain = |record: Vec<impostazione_text::Written<String>>| {
            record.into_iter().map(|value| value.value).collect::<Vec<_>>()
        };
        Ok(Self { fields: plain(rows.fields), rows: rows.records.into_iter().map(plain).collect() })
    }

    /// The values of a field, in the order of the rows.
    pub fn values(&self, field: usize) -> impl Iterator<Item = &str> {
        self.rows.iter().filter_map(move |row| row.get(field)).map(String::as_str)
    }
}

/// What is wrong with a row, as a sentence without its dot.
fn in_words(name: &str, sources: &Sources, fault: &RowsFault) -> String {
    format!("{name}, {}: {}", sources.in_words(fault.place), fault.message.trim_end_matches('.'))
}
