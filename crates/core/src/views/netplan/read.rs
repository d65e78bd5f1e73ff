//! The files that netplan reads, and in which order.

use std::collections::BTreeMap;
use std::path::Path;

use impostazione_text::Source;

/// Largest netplan file that is read, in bytes.
pub const SIZE_LIMIT: u64 = 4 * 1024 * 1024;

/// The names of the files in a folder that netplan reads, in its order. It ignores hidden ones.
pub fn in_order(mut names: Vec<String>) -> Vec<String> {
    names.retain(|name| is_read(name));
    names.sort_unstable();
    names
}

/// Whether netplan reads a file of that name.
pub fn is_read(name: &str) -> bool {
    !name.starts_with('.') && has_end(name, "yaml")
}

/// Whether a file that netplan ignores has a name as if it were to be read.
pub fn looks_read(name: &str) -> bool {
    let small = name.to_ascii_lowercase();
    !is_read(name) && (has_end(&small, "yaml") || has_end(&small, "yml"))
}

fn has_end(name: &str, end: &str) -> bool {
    Path::new(name).extension().is_some_and(|extension| extension == end)
}

/// Where netplan's files lie on a host, from its top on, in the order in which netplan looks.
pub const NETPLAN_FOLDERS: [&str; 3] = ["lib/netplan", "etc/netplan", "run/netplan"];

/// The files that count, in netplan's order, of files in several folders, which come by their names and in the order of
/// [`NETPLAN_FOLDERS`]: a file stands for those of equal name in earlier folders.
pub fn in_effect<F>(files: impl IntoIterator<Item = (String, F)>) -> Vec<F> {
    let by_name: BTreeMap<String, F> = files.into_iter().collect();
    by_name.into_values().collect()
}

/// A text as a source, unless it is none.
pub fn source(name: &str, bytes: Vec<u8>) -> Result<Source, String> {
    String::from_utf8(bytes)
        .map(|text| Source::new(name, text))
        .map_err(|_| format!("{name} is not UTF-8 text"))
}
