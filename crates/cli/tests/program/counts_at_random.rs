//! Sheets and CSV files that are broken at random: where nothing is said to be wrong, as many machines are counted as a plain
//! count of lines and headers finds.

use std::path::Path;

use impostazione_core::assess::assess;
use impostazione_core::finding::Summary;
use impostazione_text::files::{NamedFiles, ReadFault};
use jiff::civil::date;
use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};
use toml::Value;

use crate::support::{Workspace, right_sheet};

const ENTRIES: &str = "[[host]]\nname = \"gauge-{01..04}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..14}\" }\n\
    [[host]]\nrows = \"buoys.csv\"\nname = \"{name}\"\nlink.eth0 = { subnet = \"quay\", address = \"{address}\" }\n\
    [[host]]\nname = \"tower\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.31\" }\n";

const ROWS: &str = "name,address,note\nbuoy-1,10.64.10.41,red\nbuoy-2,10.64.10.42,\"green, old\"\nbuoy-3,10.64.10.43,\n\
    buoy-4,10.64.10.44,black\nbuoy-5,10.64.10.45,red\n";

struct Files<'a> {
    rows: &'a str,
    key: &'a str,
}

impl NamedFiles for Files<'_> {
    fn read(&self, path: &Path, _: u64) -> Result<Vec<u8>, ReadFault> {
        match path.extension().and_then(|end| end.to_str()) {
            Some("csv") => Ok(self.rows.as_bytes().to_vec()),
            Some("pub") => Ok(self.key.as_bytes().to_vec()),
            _ => Err(ReadFault::Missing),
        }
    }
}

/// Machines by a count that knows nothing of how they are read: rows that have something in them, the length of a range, or one.
fn counted(sheet: &str, rows: &str) -> usize {
    let sheet: Value = Value::Table(sheet.parse().unwrap());
    let hosts = sheet.get("host").and_then(Value::as_array).cloned().unwrap_or_default();
    let lines = rows.lines().filter(|line| line.chars().any(char::is_alphanumeric)).count();
    hosts
        .iter()
        .map(|host| {
            if host.get("rows").is_some() {
                return lines.saturating_sub(1);
            }
            let name = host["name"].as_str().unwrap();
            let range =
                name.split_once('{').and_then(|(_, rest)| rest.split_once('}')).map(|(range, _)| range);
            let Some((first, last)) = range.and_then(|range| range.split_once("..")) else { return 1 };
            last.parse::<usize>().unwrap() + 1 - first.parse::<usize>().unwrap()
        })
        .sum()
}

#[derive(Clone, Debug)]
enum Slip {
    Insert(usize, char),
    Remove(usize),
    DropLine(usize),
    DoubleLine(usize),
}

fn slips(signs: &'static str, most: usize) -> impl Strategy<Value = Vec<Slip>> {
    let at = 0..10_000_usize;
    let sign = prop::sample::select(signs.chars().collect::<Vec<char>>());
    let one = prop_oneof![
        4 => (at.clone(), sign).prop_map(|(at, sign)| Slip::Insert(at, sign)),
        3 => at.clone().prop_map(Slip::Remove),
        1 => at.clone().prop_map(Slip::DropLine),
        1 => at.prop_map(Slip::DoubleLine),
    ];
    prop::collection::vec(one, 0..most)
}

fn broken(text: &str, slips: &[Slip]) -> String {
    let mut text = text.to_owned();
    for slip in slips.iter().filter(|_| !text.is_empty()).collect::<Vec<_>>() {
        match *slip {
            Slip::Insert(at, sign) => text.insert(at % text.len(), sign),
            Slip::Remove(at) => {
                text.remove(at % text.len());
            }
            Slip::DropLine(at) | Slip::DoubleLine(at) => {
                let at = at % text.len();
                let start = text[..at].rfind('\n').map_or(0, |end| end + 1);
                let end = text[start..].find('\n').map_or(text.len(), |end| start + end + 1);
                let again = if matches!(slip, Slip::DropLine(_)) {
                    String::new()
                } else {
                    text[start..end].repeat(2)
                };
                text.replace_range(start..end, &again);
            }
        }
        if text.is_empty() {
            break;
        }
    }
    text
}

#[test]
fn no_machine_of_a_broken_sheet_or_table_is_lost_in_silence() {
    let key = Workspace::new().read("keys/keeper.pub");
    let sheet = right_sheet(ENTRIES);
    assert_eq!(counted(&sheet, ROWS), 10);
    let passed = std::cell::Cell::new(0);
    let broken_ones = (slips("\"'=,{}[]#\n x", 2), slips("\",;\n\t x'", 3));
    let mut runner = TestRunner::new(Config { cases: 1500, failure_persistence: None, ..Config::default() });
    let result = runner.run(&broken_ones, |(in_sheet, in_rows)| {
        let (sheet, rows) = (broken(&sheet, &in_sheet), broken(ROWS, &in_rows));
        let files = Files { rows: &rows, key: &key };
        let found = assess("sheet.toml", sheet.clone().into_bytes(), &files, date(2026, 6, 1));
        let summary = Summary::of(found.site.machines.len(), &found.findings);
        let rules: Vec<&str> = found.findings.iter().map(|finding| finding.rule.name).collect();
        if summary.errors > 0 || rules.contains(&"rows-value-over-lines") {
            return Ok(());
        }
        passed.set(passed.get() + 1);
        prop_assert_eq!(summary.machines, counted(&sheet, &rows), "{}\n{}\n{:?}", sheet, rows, rules);
        Ok(())
    });
    assert!(result.is_ok(), "{}", result.unwrap_err());
    assert!(passed.get() > 100, "{} sheets passed", passed.get());
}
