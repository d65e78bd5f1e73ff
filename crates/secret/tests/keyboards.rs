//! The tables of keyboard layouts are those that a console gets.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::collections::HashMap;
use std::process::Command;

/// The keys of the tables, in their order, by the kernel's codes.
fn codes() -> Vec<u32> {
    let rows = [41..=41, 2..=13, 16..=27, 30..=40, 43..=43, 86..=86, 44..=53, 57..=57];
    rows.into_iter().flatten().collect()
}

/// What ckbcomp says of each key: alone, with Shift, with `AltGr`, with both.
fn by_ckbcomp(layout: &str) -> HashMap<u32, Vec<String>> {
    let output = Command::new("ckbcomp")
        .args(["-layout", layout])
        .output()
        .unwrap_or_else(|error| panic!("ckbcomp: {error}"));
    assert!(output.status.success());
    let text = String::from_utf8(output.stdout).unwrap();
    let keys = text.lines().filter_map(|line| {
        let (code, symbols) = line.strip_prefix("keycode ")?.split_once(" = ")?;
        Some((code.trim().parse().ok()?, symbols.split_whitespace().take(4).map(str::to_owned).collect()))
    });
    keys.collect()
}

/// The character that a symbol of ckbcomp stands for, in the form of the tables.
fn character(symbol: &str) -> char {
    let symbol = symbol.trim_start_matches('+');
    if symbol.starts_with("dead_") {
        return '◌';
    }
    let code = symbol.strip_prefix("U+").and_then(|digits| u32::from_str_radix(digits, 16).ok());
    // A blank that does not break a line is no part of a password.
    code.and_then(char::from_u32)
        .filter(|c| !c.is_control() && *c != '\u{a0}' && *c != '\u{202f}')
        .unwrap_or('□')
}

#[test]
#[ignore = "needs ckbcomp, which .ci/run installs"]
fn every_key_gives_what_ckbcomp_says() {
    let tables: toml::Table = toml::from_str(include_str!("../src/keyboards.toml")).unwrap();
    assert_eq!(tables.len(), 13);
    for (layout, table) in &tables {
        let keys = by_ckbcomp(layout);
        for (level, name) in ["alone", "shift", "altgr", "both"].into_iter().enumerate() {
            let ours: Vec<char> = table[name].as_str().unwrap().chars().collect();
            let theirs: Vec<char> = codes()
                .into_iter()
                .map(|code| {
                    keys.get(&code)
                        .and_then(|symbols| symbols.get(level))
                        .map_or('□', |symbol| character(symbol))
                })
                .collect();
            assert_eq!(ours, theirs, "{layout} {name}");
        }
    }
}
