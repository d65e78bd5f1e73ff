//! The sheet that a file belongs to, if it is a part of one.

use std::fs;
use std::path::{Path, PathBuf};

use impostazione_text::files::read_file;

/// The most files of a folder that are looked into.
const MOST: usize = 500;
/// The largest of them.
const LARGEST: u64 = 4 * 1024 * 1024;
/// How many folders upwards a sheet is looked for.
const FOLDERS: usize = 3;

/// The sheet that includes a file: in its folder, or in one above it. Where that is included by another one itself, the last
/// of them. What cannot be read is not a sheet.
pub fn sheet_that_includes(part: &Path) -> Option<PathBuf> {
    let mut found: Option<PathBuf> = None;
    for _ in 0..16 {
        let now = found.as_deref().unwrap_or(part);
        match including(now) {
            Some(above) if above != part => found = Some(above),
            _ => break,
        }
    }
    found
}

fn including(part: &Path) -> Option<PathBuf> {
    let whole = fs::canonicalize(part).ok()?;
    let own = part.parent().unwrap_or_else(|| Path::new(""));
    let mut folder = own.to_owned();
    for _ in 0..FOLDERS {
        let listed = if folder.as_os_str().is_empty() { Path::new(".") } else { &folder };
        let mut names: Vec<_> = fs::read_dir(listed).ok()?.flatten().map(|entry| entry.file_name()).collect();
        names.sort_unstable();
        let sheets =
            names.into_iter().filter(|name| Path::new(name).extension().is_some_and(|end| end == "toml"));
        for name in sheets.take(MOST) {
            let sheet = folder.join(name);
            if includes(&sheet, &whole) {
                return Some(sheet);
            }
        }
        folder = match folder.parent() {
            Some(above) if !folder.ends_with("..") => above.to_owned(),
            _ => folder.join(".."),
        };
    }
    None
}

fn includes(sheet: &Path, part: &Path) -> bool {
    let Ok(bytes) = read_file(sheet, LARGEST) else { return false };
    let Ok(table) = toml::from_slice::<toml::Table>(&bytes) else { return false };
    let Some(files) = table.get("include").and_then(toml::Value::as_array) else { return false };
    let folder = sheet.parent().unwrap_or_else(|| Path::new(""));
    files
        .iter()
        .filter_map(toml::Value::as_str)
        .any(|file| fs::canonicalize(folder.join(file)).is_ok_and(|found| found == part))
}
