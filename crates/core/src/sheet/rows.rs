//! Rows of a CSV file, each of which makes a machine of an entry.

use std::collections::HashSet;

use csv_core::{ReadFieldResult, ReaderBuilder};
use impostazione_text::{Place, Source, SourceId, Span, Written};

/// What stands between the fields of a file, in the order in which they are taken where a header has as many of each.
const SEPARATORS: [u8; 4] = *b",;\t|";

/// A CSV file with a header (RFC 4180; UTF-8, lines ended in either way, and between the fields whatever a spreadsheet puts
/// there).
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Rows {
    /// The names of the fields, without blanks around them. Columns at the end that have no name are none.
    pub(super) fields: Vec<Written<String>>,
    /// The rows, each with as many values as there are fields. Those with nothing in them are left out.
    pub(super) records: Vec<Vec<Written<String>>>,
    /// What stands between the fields.
    pub(super) separator: char,
    /// Values that run over several lines, and may have taken in rows.
    pub(super) over_lines: Vec<Place>,
    /// What is wrong with rows that are left out.
    pub(super) faults: Vec<RowsFault>,
}

/// What is wrong with a CSV file: where, what, and the fix.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct RowsFault {
    pub(super) place: Place,
    pub(super) message: String,
    pub(super) fix: &'static str,
}

/// A record of a file.
type Record = Vec<Written<String>>;

impl Rows {
    /// Reads a file. What is wrong with one row is a fault of its own, and the others are read all the same; without a header
    /// none are.
    pub(super) fn parse(id: SourceId, source: &Source) -> Result<Self, Vec<RowsFault>> {
        let text = source.text();
        let (separator, start) = separator_of(text);
        let reading = Reading { id, text, separator };
        let Found { records, mut faults, over_lines } = reading.records(start);
        let mut records = records.into_iter();
        let Some(header) = records.next() else {
            if faults.is_empty() {
                let message = format!("{} is empty: it has no header.", source.name());
                let fix = "write the names of the fields in the first line, such as name,address";
                faults.push(reading.fault(0..0, message, fix));
            }
            return Err(faults);
        };
        // A header with a quotation mark that is not closed is no header.
        if faults.iter().any(|fault| header.first().is_some_and(|field| fault.place < field.place)) {
            return Err(faults);
        }
        let fields = fields_of(header)?;
        let mut rows = Vec::new();
        for mut row in records {
            // The place runs from the first value to the last.
            let (first, last) = (row.first().map(|value| value.place), row.last().map(|value| value.place));
            let whole = first.zip(last).map_or(0..0, |(first, last)| first.span.start()..last.span.end());
            if row.len() < fields.len() {
                let message =
                    format!("This row has {}, but the header has {}.", counted(row.len()), fields.len());
                let fix = "write as many values as the header has fields; put a value with a comma in quotes";
                faults.push(reading.fault(whole, message, fix));
                continue;
            }
            let beyond = row.split_off(fields.len());
            if let Some(extra) = beyond.iter().find(|value| !value.value.is_empty()) {
                let count =
                    fields.len() + beyond.iter().rposition(|value| !value.value.is_empty()).unwrap_or(0) + 1;
                let message =
                    format!("This row has {}, but the header has {}.", counted(count), fields.len());
                let fix = "name the column in the header, or write as many values as the header has fields; put a \
                    value with a comma in quotes";
                faults.push(RowsFault { place: extra.place, message, fix });
                continue;
            }
            rows.push(row);
        }
        faults.sort_by_key(|fault| fault.place);
        Ok(Self { fields, records: rows, separator: char::from(separator), over_lines, faults })
    }
}

/// The fields of a header. Nameless columns at its end, which spreadsheets leave behind, are none.
fn fields_of(mut header: Record) -> Result<Record, Vec<RowsFault>> {
    while header.last().is_some_and(|field| field.value.is_empty()) {
        header.pop();
    }
    let mut faults = Vec::new();
    let mut seen = HashSet::new();
    for field in &header {
        if field.value.is_empty() {
            let message = "A field of the header has no name.".to_owned();
            faults.push(RowsFault { place: field.place, message, fix: "name it, or remove the column" });
        } else if !seen.insert(&field.value) {
            let message = format!("The header has two fields \"{}\".", field.value);
            faults.push(RowsFault { place: field.place, message, fix: "rename one of them" });
        }
    }
    if faults.is_empty() { Ok(header) } else { Err(faults) }
}

fn counted(fields: usize) -> String {
    if fields == 1 { "1 field".to_owned() } else { format!("{fields} fields") }
}

/// What stands between the fields, and where the header begins: the first line that has something in it, behind a line
/// `sep=;` in which a spreadsheet says it.
fn separator_of(text: &str) -> (u8, usize) {
    let mut start = 0;
    for line in text.split_inclusive('\n') {
        let bare = line.trim_end_matches(['\r', '\n']);
        if bare.trim_matches([' ', '\u{feff}']).is_empty() {
            start += line.len();
            continue;
        }
        if let [b's' | b'S', b'e' | b'E', b'p' | b'P', b'=', sign] = bare.as_bytes()
            && SEPARATORS.contains(sign)
        {
            return (*sign, start + line.len());
        }
        let count = |sign: u8| {
            let mut is_quoted = false;
            bare.bytes()
                .filter(|byte| {
                    is_quoted ^= *byte == b'"';
                    !is_quoted && *byte == sign
                })
                .count()
        };
        // Of equally many the first counts.
        let most = SEPARATORS.iter().rev().max_by_key(|sign| count(**sign));
        return (most.copied().unwrap_or(b','), start);
    }
    (b',', start)
}

/// A file that is being read.
struct Reading<'a> {
    id: SourceId,
    text: &'a str,
    separator: u8,
}

/// What was read.
struct Found {
    /// Those with something in them.
    records: Vec<Record>,
    faults: Vec<RowsFault>,
    over_lines: Vec<Place>,
}

/// What is wrong with the quotation marks of a field, and where it begins, counted from the field's start.
enum QuoteFault {
    Unclosed,
    Behind(usize),
}

impl Reading<'_> {
    fn place(&self, range: std::ops::Range<usize>) -> Place {
        Place { source: self.id, span: Span::from(range) }
    }

    fn fault(&self, range: std::ops::Range<usize>, message: String, fix: &'static str) -> RowsFault {
        RowsFault { place: self.place(range), message, fix }
    }

    /// The records from an offset on, each value with the place of its field, quotes included. After a record whose quotation
    /// marks do not match, reading goes on in the line below its first, so that one slip does not take in the rest of the file.
    fn records(&self, start: usize) -> Found {
        let mut found = Found { records: Vec::new(), faults: Vec::new(), over_lines: Vec::new() };
        let mut at = start;
        while at < self.text.len() {
            at = self.records_until_fault(at, &mut found);
        }
        found
    }

    /// Reads to the end, or past the first row whose quotation marks do not match; returns where to go on.
    fn records_until_fault(&self, from: usize, found: &mut Found) -> usize {
        let mut reader = ReaderBuilder::new().delimiter(self.separator).build();
        let mut record: Record = Vec::new();
        let mut value = Vec::new();
        let mut buffer = [0; 1024];
        let (mut at, mut start) = (from, from);
        loop {
            let input = self.text.as_bytes().get(at..).unwrap_or_default();
            let (result, read, written) = reader.read_field(input, &mut buffer);
            at += read;
            value.extend_from_slice(buffer.get(..written).unwrap_or_default());
            match result {
                // At the end of the text the reader is asked once more, with nothing, and gives the last field.
                ReadFieldResult::InputEmpty | ReadFieldResult::OutputFull => {}
                ReadFieldResult::Field { record_end } => {
                    let text = String::from_utf8_lossy(&std::mem::take(&mut value)).into_owned();
                    let range = self.field_range(start, at);
                    let raw = self.text.get(range.clone()).unwrap_or_default();
                    if let Some(fault) = quote_fault(raw) {
                        let (place, message, fix) = self.explain(range.start, &fault);
                        found.faults.push(self.fault(place, message, fix));
                        return self.line_end(range.start);
                    }
                    let place = self.place(range);
                    let is_quoted = raw.starts_with('"');
                    if is_quoted && text.contains(['\n', '\r']) {
                        found.over_lines.push(place);
                    }
                    let text = if is_quoted { text } else { text.trim().to_owned() };
                    record.push(Written::new(text, place));
                    start = at;
                    if record_end {
                        let record = std::mem::take(&mut record);
                        if record.iter().any(|value| !value.value.trim().is_empty()) {
                            found.records.push(record);
                        }
                    }
                }
                ReadFieldResult::End => return self.text.len(),
            }
        }
    }

    fn explain(&self, start: usize, fault: &QuoteFault) -> (std::ops::Range<usize>, String, &'static str) {
        match fault {
            QuoteFault::Unclosed => {
                let message = "The quote that opens here is not closed, so this row cannot be read.";
                let fix = "close it after the value, or remove it; double a quote inside a quoted value";
                (start..start + 1, message.to_owned(), fix)
            }
            QuoteFault::Behind(offset) => {
                let message = "There is more text after the closing quote, so this row cannot be read.";
                let fix = "close the quote at the end of the value; double a quote inside a quoted value";
                let line = self.line_end(start);
                (start..(start + offset).min(line).max(start + 1), message.to_owned(), fix)
            }
        }
    }

    /// Where the line ends in which an offset lies, the end of the line included.
    fn line_end(&self, offset: usize) -> usize {
        let rest = self.text.get(offset..).unwrap_or_default();
        rest.find(['\n', '\r']).map_or(self.text.len(), |end| offset + end + 1)
    }

    /// The field between two offsets, without the line ends before it, blanks around it and what ends it.
    fn field_range(&self, start: usize, end: usize) -> std::ops::Range<usize> {
        let slice = self.text.get(start..end).unwrap_or_default();
        let lead = slice.len() - slice.trim_start_matches(['\r', '\n']).len();
        let body = slice.get(lead..).unwrap_or_default();
        let body = body.strip_suffix(char::from(self.separator)).unwrap_or(body);
        let body = body.trim_end_matches(['\r', '\n']);
        let bare = body.trim_matches(' ');
        let blanks = if bare.is_empty() { 0 } else { body.len() - body.trim_start_matches(' ').len() };
        start + lead + blanks..start + lead + blanks + bare.len()
    }
}

/// What is wrong with the quotation marks of a field.
fn quote_fault(raw: &str) -> Option<QuoteFault> {
    let mut rest = raw.strip_prefix('"')?;
    loop {
        let Some(at) = rest.find('"') else { return Some(QuoteFault::Unclosed) };
        rest = rest.get(at + 1..).unwrap_or_default();
        match rest.strip_prefix('"') {
            Some(after) => rest = after,
            None if rest.trim().is_empty() => return None,
            None => return Some(QuoteFault::Behind(raw.len() - rest.len())),
        }
    }
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
            Ok(rows) if !rows.faults.is_empty() => {
                Err(rows.faults.into_iter().map(|fault| fault.message).collect())
            }
            Ok(rows) => Ok((values(rows.fields), rows.records.into_iter().map(values).collect())),
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
        let rows = Rows::parse(id, sources.get(id)).unwrap().records;
        let shown = |value: &Written<String>| &text[value.place.span.range()];
        assert_eq!(rows[0].iter().map(shown).collect::<Vec<_>>(), ["buoy-1", "\"10.64\""]);
        assert_eq!(rows[1].iter().map(shown).collect::<Vec<_>>(), ["buoy-22", "10.65"]);
    }

    #[test]
    fn what_is_wrong_is_said_row_by_row() {
        assert_eq!(parse("").unwrap_err(), ["buoys.csv is empty: it has no header."]);
        assert_eq!(parse("a,a\n1,2\n").unwrap_err(), ["The header has two fields \"a\"."]);
        assert_eq!(parse("a,,b\n1,2,3\n").unwrap_err(), ["A field of the header has no name."]);
        assert_eq!(parse("a,\n1,2\n").unwrap_err(), ["This row has 2 fields, but the header has 1."]);
        assert_eq!(
            parse("a,b\n1\n1,2\n1,2,3\n").unwrap_err(),
            ["This row has 1 field, but the header has 2.", "This row has 3 fields, but the header has 2."]
        );
    }

    #[test]
    fn what_spreadsheets_write_beside_the_table_is_no_machine() {
        let expected = Ok((
            vec!["name".to_owned(), "address".to_owned()],
            vec![vec!["buoy-1".to_owned(), "10.64.10.11".to_owned()]],
        ));
        for text in [
            "name,address,,\nbuoy-1,10.64.10.11,,\n,,,\n,,,\n",
            "name,address\nbuoy-1,10.64.10.11,,,\n",
            " name , address \n buoy-1 , 10.64.10.11 \n",
            "name;address\nbuoy-1;10.64.10.11\n;\n",
            "name\taddress\r\nbuoy-1\t10.64.10.11\r\n\t\r\n",
            "name|address\nbuoy-1|10.64.10.11\n",
            "sep=;\r\nname;address\r\nbuoy-1;10.64.10.11\r\n",
            "\n\n\"name\",\"address\"\n\"buoy-1\",\"10.64.10.11\"\n",
        ] {
            assert_eq!(parse(text), expected, "{text:?}");
        }
    }

    #[test]
    fn one_row_with_a_slip_takes_no_other_with_it() {
        for (slip, says) in [
            ("buoy-2,\"10.64", "is not closed"),
            ("\"buoy-2,10.64", "is not closed"),
            ("buoy-2,\"10.64\"x", "after the closing quote"),
            ("buoy-2", "This row has 1 field"),
            ("buoy-2,10.64,south", "This row has 3 fields"),
        ] {
            let text =
                format!("name,address\nbuoy-1,10.64.10.11\n{slip}\nbuoy-3,10.64.10.13\nbuoy-4,10.64.10.14");
            let mut sources = Sources::default();
            let id = sources.add(Source::new("buoys.csv", text.as_str()));
            let rows = Rows::parse(id, sources.get(id)).unwrap();
            let names: Vec<&str> = rows.records.iter().map(|row| row[0].value.as_str()).collect();
            assert_eq!(names, ["buoy-1", "buoy-3", "buoy-4"], "{slip}");
            assert_eq!(rows.faults.len(), 1);
            assert!(rows.faults[0].message.contains(says), "{slip}: {}", rows.faults[0].message);
            assert_eq!(sources.position(rows.faults[0].place).line, 3);
        }
        // The same where lines end as on very old systems.
        let text = "name,address\rbuoy-1,\"10.64\rbuoy-2,10.64.10.12\r";
        let mut sources = Sources::default();
        let id = sources.add(Source::new("buoys.csv", text));
        let rows = Rows::parse(id, sources.get(id)).unwrap();
        assert_eq!((rows.records.len(), rows.faults.len()), (1, 1));
        let text = "name,note\rbuoy-1,\"red\rbuoy-2,green\"\rbuoy-3,red\r";
        let id = sources.add(Source::new("notes.csv", text));
        let rows = Rows::parse(id, sources.get(id)).unwrap();
        assert_eq!((rows.records.len(), rows.over_lines.len()), (2, 1));
        // Two marks that are missing look like one value, which is told.
        let text = "name,note,address\nbuoy-1,\"red,10.64.10.11\nbuoy-2,green\",10.64.10.12\n";
        let mut sources = Sources::default();
        let id = sources.add(Source::new("buoys.csv", text));
        let rows = Rows::parse(id, sources.get(id)).unwrap();
        assert_eq!((rows.records.len(), rows.over_lines.len()), (1, 1));
    }

    proptest! {
        /// Machines in the file against machines that are made, by a count that knows nothing of quotes: what is not a row has
        /// a fault or is named as a value over several lines.
        #[test]
        fn no_row_is_lost_in_silence(
            lines in prop::collection::vec("[a-z]{0,3}(,[a-z \"]{0,4}){0,3}", 1..12),
            separator in prop::sample::select(vec![",", ";", "\t"]),
        ) {
            let text = format!("name{separator}note\n{}\n", lines.join("\n").replace(',', separator));
            let mut sources = Sources::default();
            let id = sources.add(Source::new("rows.csv", text.as_str()));
            let Ok(rows) = Rows::parse(id, sources.get(id)) else { return Ok(()) };
            let with_something = lines.iter().filter(|line| line.chars().any(char::is_alphanumeric));
            let lost = with_something.count().saturating_sub(rows.records.len() + rows.faults.len());
            prop_assert!(lost == 0 || !rows.faults.is_empty() || !rows.over_lines.is_empty(), "{lost} of {text:?}");
        }


        #[test]
        fn reading_never_panics_and_places_lie_in_the_text(text in "([a-z,\"\r\n]|\\PC){0,60}") {
            let mut sources = Sources::default();
            let id = sources.add(Source::new("rows.csv", text.as_str()));
            if let Ok(rows) = Rows::parse(id, sources.get(id)) {
                for value in rows.fields.iter().chain(rows.records.iter().flatten()) {
                    prop_assert!(text.get(value.place.span.range()).is_some());
                }
            }
        }
    }
}
