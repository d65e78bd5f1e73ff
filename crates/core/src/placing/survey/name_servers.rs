//! Name servers and domains that an image has for the whole host (`resolved.conf(5)`).

use impostazione_rootfs::{RootfsFault, View};

use super::time::FoundSource;
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

/// Lines that name name servers or domains, of files that are read.
pub(super) fn name_servers(view: View<'_>) -> Result<Vec<FoundSource>, RootfsFault> {
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
    let mut found = Vec::new();
    for path in paths.into_iter().filter(|path| path != RESOLVED_PATH) {
        let Ok(Some(text)) = view.text(&path) else { continue };
        for (index, line) in text.lines().enumerate() {
            let Some((key, value)) = line.split_once('=') else { continue };
            if matches!(key.trim(), "DNS" | "Domains") && !value.trim().is_empty() {
                found.push(FoundSource { path: path.clone(), line: index + 1, text: line.trim().to_owned() });
            }
        }
    }
    Ok(found)
}
