//! DNS servers and domains that an image has for the whole host (`resolved.conf(5)`).

use impostazione_rootfs::{RootfsFault, View};
use serde::Serialize;

use super::units::has_end;
use crate::host::RESOLVED_PATH;

/// Where systemd-resolved looks for its settings, the later winning where names are equal.
pub(crate) const FOLDERS: [&str; 3] = [
    "usr/lib/systemd/resolved.conf.d",
    "usr/local/lib/systemd/resolved.conf.d",
    "etc/systemd/resolved.conf.d",
];
/// Main files, of which the first that is there counts.
const MAIN: [&str; 3] =
    ["etc/systemd/resolved.conf", "usr/local/lib/systemd/resolved.conf", "usr/lib/systemd/resolved.conf"];

/// A line that changes how lookups go.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct FoundLookUp {
    /// The file.
    pub path: String,
    /// The line, from 1.
    pub line: usize,
    /// What it says.
    pub text: String,
    /// What it does.
    pub kind: LookUpKind,
}

/// What a line does to lookups.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum LookUpKind {
    /// It names servers or domains for the whole host.
    Servers,
    /// It has all servers asked over TLS, or all answers proved; lookups fail by servers that cannot.
    Strict,
}

/// Lines that name DNS servers or domains, or are strict with servers, of files that are read.
pub(super) fn name_servers(view: View<'_>) -> Result<Vec<FoundLookUp>, RootfsFault> {
    let mut found = Vec::new();
    for (path, text) in files(view)? {
        for (index, line) in text.lines().enumerate() {
            let Some((key, value)) = line.split_once('=') else { continue };
            let kind = match key.trim() {
                "DNS" | "Domains" if !value.trim().is_empty() => LookUpKind::Servers,
                "DNSOverTLS" | "DNSSEC" if is_yes(value) => LookUpKind::Strict,
                _ => continue,
            };
            let text = line.trim().to_owned();
            found.push(FoundLookUp { path: path.clone(), line: index + 1, text, kind });
        }
    }
    Ok(found)
}

fn is_yes(value: &str) -> bool {
    matches!(value.trim().to_ascii_lowercase().as_str(), "yes" | "true" | "on" | "1" | "y" | "t")
}

/// The files of the image's that are read, in their order: path and text.
fn files(view: View<'_>) -> Result<Vec<(String, String)>, RootfsFault> {
    let mut paths: Vec<String> =
        MAIN.iter().find(|path| view.has(path)).map(|path| (*path).to_owned()).into_iter().collect();
    let mut drop_ins: Vec<(String, String)> = Vec::new();
    for folder in FOLDERS {
        for name in view.list(folder)?.into_iter().filter(|name| has_end(name, "conf")) {
            drop_ins.retain(|(known, _)| *known != name);
            drop_ins.push((name.clone(), format!("{folder}/{name}")));
        }
    }
    drop_ins.sort();
    paths.extend(drop_ins.into_iter().map(|(_, path)| path));
    let read = paths.into_iter().filter(|path| path != RESOLVED_PATH);
    // What cannot be read as a file says nothing.
    Ok(read.filter_map(|path| Some((path.clone(), view.text(&path).ok()??))).collect())
}
