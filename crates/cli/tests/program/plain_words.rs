//! Turns that readers had to translate do not come back: `.codespell-turns` lists them with what to write instead.

use std::fs;
use std::path::{Path, PathBuf};

fn top() -> PathBuf {
    PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/../.."))
}

/// Files that people read, and those whose texts they are shown.
fn read_by_people() -> Vec<PathBuf> {
    let mut files: Vec<PathBuf> =
        ["README.md", "SECURITY.md", "CONTRIBUTING.md"].iter().map(|name| top().join(name)).collect();
    for (folder, ending) in [("docs", "md"), ("crates", "rs"), ("crates/cli/tests/texts", "snap")] {
        collect(&top().join(folder), ending, &mut files);
    }
    // Tests quote what users type wrong, and made-up texts of strangers.
    files.retain(|file| {
        !file.components().any(|part| part.as_os_str() == "tests")
            || file.extension() == Some("snap".as_ref())
    });
    files
}

fn collect(folder: &Path, ending: &str, files: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            collect(&path, ending, files);
        } else if path.extension().is_some_and(|extension| extension == ending) {
            files.push(path);
        }
    }
}

/// A text with its line ends, comment marks and continued literals as blanks, in small letters.
fn flat(text: &str) -> String {
    let lines = text
        .lines()
        .map(|line| line.trim().trim_start_matches(['/', '!', '|']).trim_end_matches('\\').trim());
    lines.collect::<Vec<_>>().join(" ").to_lowercase()
}

#[test]
fn turns_that_readers_had_to_translate_do_not_come_back() {
    let list = fs::read_to_string(top().join(".codespell-turns")).unwrap();
    let turns: Vec<(&str, &str)> = list
        .lines()
        .filter(|line| !line.starts_with('#'))
        .map(|line| line.split_once(" => ").unwrap_or_else(|| panic!("{line}")))
        .collect();
    assert!(turns.len() > 40);
    let mut found = Vec::new();
    let files = read_by_people();
    assert!(files.len() > 300, "{}", files.len());
    for file in files {
        let text = fs::read_to_string(&file).unwrap();
        // Tests of a module come last in it.
        let text = flat(text.split("#[cfg(test)]").next().unwrap());
        for (turn, instead) in &turns {
            // There may be no key; a key is not "no key".
            let is_meant =
                |before: &str| !before.ends_with(char::is_alphanumeric) && !before.ends_with("there ");
            if text.match_indices(turn).any(|(at, _)| is_meant(&text[..at])) {
                found.push(format!("{}: \"{turn}\"; write: {instead}", file.display()));
            }
        }
    }
    assert!(found.is_empty(), "{} places:\n{}", found.len(), found.join("\n"));
}
