//! Rows of a CSV file, each of which makes a machine of an entry.

use std::collections::HashSet;

use csv_core::{ReadFieldResult, Reader};
use impostazione_text::{Place, Source, SourceId, Span, Written};

/// A CSV file with a header (RFC 4180; UTF-8, fields parted by commas, lines ended in either way).
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Rows {
    /// The names of the fields.
    pub(super) fields: Vec<Written<String>>,
    /// The rows, each with as many values as there are fields.
    pub(super) rows: Vec<Vec<Written<String>>>,
}

/// What is wrong with a CSV file: where, what, and the fix.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct RowsFault {
    pub(super) place: Place,
    pub(super) message: String,
    pub(super) fix: &'static str,
}

impl Rows {
    /// Reads a file. Every row that does not have the header's number of fields is a fault of its own; blank lines are
    /// none.
    pub(super) fn parse(id: SourceId, source: &Source) -> Result<Self, Vec<RowsFault>> {
        let mut records = records(id, source.text()).into_iter();
        let Some(fields) = records.next() else {
            let message = format!("{} is empty: it has no header.", source.name());
            let fix = "write the names of the fields in the first line, such as name,address";
            return Err(vec![RowsFault { place: Place { source: id, span: Span::new(0, 0) }, message, fix }]);
        };
        if let [only] = fields.as_slice()
            && let Some(sign) = [';', '\t', '|'].into_iter().find(|sign| only.value.contains(*sign))
        {
            let sign = if sign == '\t' { "tabs".to_owned() } else { format!("'{sign}'") };
            let message = format!("The fields of {} are parted by {sign} and not by commas.", source.name());
            return Err(vec![RowsFault {
                place: only.place,
                message,
                fix: "save it with commas between the fields",
            }]);
        }
        let mut faults = Vec::new();
        let mut seen = HashSet::new();
        for field in &fields {
            if field.value.trim().is_empty() {
                let message = "A field of the header has no name.".to_owned();
                faults.push(RowsFault {
                    place: field.place,
                    message,
                    fix: "name it, or take the column out",
                });
            } else if !seen.insert(&field.value) {
                let message = format!("The header has two fields \"{}\".", field.value);
                faults.push(RowsFault { place: field.place, message, fix: "give one of them another name" });
            }
        }
        let mut rows = Vec::new();
        for row in records {
            if row.len() == fields.len() {
                rows.push(row);
                continue;
            }
            // The place runs from the first value to the last.
            let (first, last) = (row.first().map(|value| value.place), row.last().map(|value| value.place));
            let span = first
                .zip(last)
                .map_or(Span::new(0, 0), |(first, last)| Span::new(first.span.start(), last.span.end()));
            faults.push(RowsFault {
                place: Place { source: id, span },
                message: format!("This row has {}, and the header has {}.", counted(row.len()), fields.len()),
                fix: "give it as many values as the header has fields; a value with a comma in it stands in quotes",
            });
        }
        if faults.is_empty() { Ok(Self { fields, rows }) } else { Err(faults) }
    }
}

fn counted(fields: usize) -> String {
    if fields == 1 { "1 field".to_owned() } else { format!("{fields} fields") }
}

/// The records of a text, each value with the place of its field, quotes included.
fn records(id: SourceId, text: &str) -> Vec<Vec<Written<String>>> {
    let mut reader = Reader::new();
    let mut records = Vec::new();
    let mut record = Vec::new();
    let mut value = Vec::new();
    let mut buffer = [0; 1024];
    let (mut at, mut start) = (0, 0);
    loop {
        let input = text.as_bytes().get(at..).unwrap_or_default();
        let (result, read, written) = reader.read_field(input, &mut buffer);
        at += read;
        value.extend_from_slice(buffer.get(..written).unwrap_or_default());
        match result {
            // At the end of the text the reader is asked once more, with nothing, and gives the last field.
            ReadFieldResult::InputEmpty | ReadFieldResult::OutputFull => {}
            ReadFieldResult::Field { record_end } => {
                let text_of_value = String::from_utf8_lossy(&std::mem::take(&mut value)).into_owned();
                record.push(Written::new(
                    text_of_value,
                    Place { source: id, span: field_span(text, start, at) },
                ));
                start = at;
                if record_end {
                    records.push(std::mem::take(&mut record));
                }
            }
            ReadFieldResult::End => return records,
        }
    }
}

/// The field between two offsets, without the line ends before it and what ends it.
fn field_span(text: &str, start: usize, end: usize) -> Span {
    let slice = text.get(start..end).unwrap_or_default();
    let lead = slice.len() - slice.trim_start_matches(['\r', '\n']).len();
    let body = slice.get(lead..).unwrap_or_default();
    let body = body.strip_suffix(',').unwrap_or_else(|| body.trim_end_matches(['\r', '\n']));
    Span::new(start + lead, start + lead + body.len())
}

#[cfg(test)]
mod tests {
    use impostazione_text::Sources;
    use proptest::prelude::*;

    use super::*;

    /// The header and the rows, or the messages.
    type Read = Result<(Vec<String>, Vec<Vec<String>>), Vec<String>>;

    fn parse(text: &str) -> Read {
        let mut sources = Sources::default();
        let id = sources.add(Source::new("buoys.csv", text));
        let values = |row: Vec<Written<String>>| row.into_iter().map(|value| value.value).collect::<Vec<_>>();
        match Rows::parse(id, sources.get(id)) {
            Ok(rows) => Ok((values(rows.fields), rows.rows.into_iter().map(values).collect())),
            Err(faults) => Err(faults.into_iter().map(|fault| fault.message).collect()),
        }
    }

    #[test]
    fn quotes_commas_and_either_line_end() {
        let expected = Ok((
            vec!["name".to_owned(), "note".to_owned()],
            vec![
                vec!["buoy-1".to_owned(), "red, \"old\"".to_owned()],
                vec!["buoy-2".to_owned(), String::new()],
            ],
        ));
        assert_eq!(parse("name,note\nbuoy-1,\"red, \"\"old\"\"\"\n\nbuoy-2,"), expected);
        assert_eq!(parse("name,note\r\nbuoy-1,\"red, \"\"old\"\"\"\r\n\r\nbuoy-2,\r\n"), expected);
    }

    #[test]
    fn places_are_those_of_the_fields() {
        let text = "name,address\r\nbuoy-1,\"10.64\"\r\nbuoy-22,10.65\r\n";
        let mut sources = Sources::default();
        let id = sources.add(Source::new("buoys.csv", text));
        let rows = Rows::parse(id, sources.get(id)).unwrap().rows;
        let shown = |value: &Written<String>| &text[value.place.span.range()];
        assert_eq!(rows[0].iter().map(shown).collect::<Vec<_>>(), ["buoy-1", "\"10.64\""]);
        assert_eq!(rows[1].iter().map(shown).collect::<Vec<_>>(), ["buoy-22", "10.65"]);
    }

    #[test]
    fn what_is_wrong_is_said_row_by_row() {
        assert_eq!(parse("").unwrap_err(), ["buoys.csv is empty: it has no header."]);
        assert_eq!(
            parse("a;b\n1;2\n").unwrap_err(),
            ["The fields of buoys.csv are parted by ';' and not by commas."]
        );
        assert_eq!(parse("a,a\n1,2\n").unwrap_err(), ["The header has two fields \"a\"."]);
        assert_eq!(parse("a,\n1,2\n").unwrap_err(), ["A field of the header has no name."]);
        assert_eq!(
            parse("a,b\n1\n1,2\n1,2,3\n").unwrap_err(),
            ["This row has 1 field, and the header has 2.", "This row has 3 fields, and the header has 2."]
        );
    }

    proptest! {
        #[test]
        fn reading_never_panics_and_places_lie_in_the_text(text in "([a-z,\"\r\n]|\\PC){0,60}") {
            let mut sources = Sources::default();
            let id = sources.add(Source::new("rows.csv", text.as_str()));
            if let Ok(rows) = Rows::parse(id, sources.get(id)) {
                for value in rows.fields.iter().chain(rows.rows.iter().flatten()) {
                    prop_assert!(text.get(value.place.span.range()).is_some());
                }
            }
        }
    }
}
