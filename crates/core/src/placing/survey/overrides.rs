//! Drop-ins, and files of the administrator's in place of a package's, of the units that a placement counts on.

use impostazione_rootfs::{RootfsFault, View};
use serde::Serialize;

use super::owned::Owned;
use super::units::{ETC_UNITS, UNIT_FOLDERS, drop_ins, whole_lines};

/// A file that changes how a service starts.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct FoundOverride {
    /// The file.
    pub path: String,
    /// The unit.
    pub unit: String,
    /// The line that does it, or nothing where the whole unit is another.
    pub says: Option<String>,
    /// Its line, from 1; 0 for the file as a whole.
    pub line: usize,
}

/// Units by which links, names, time and logins come to be as they were placed.
const COUNTED_ON: [&str; 12] = [
    "systemd-networkd.service",
    "systemd-networkd.socket",
    "systemd-resolved.service",
    "NetworkManager.service",
    "systemd-timesyncd.service",
    "chrony.service",
    "chronyd.service",
    "ssh.service",
    "sshd.service",
    "systemd-udevd.service",
    "dbus.service",
    "netplan-configure.service",
];

/// Keys that change whether a service starts, what it runs, or what it sees. What keeps a service alive or small is no matter.
const KEYS: [&str; 16] = [
    "Exec",
    "Environment",
    "PassEnvironment",
    "UnsetEnvironment",
    "Condition",
    "Assert",
    "Conflicts",
    "Requisite",
    "Requires",
    "BindsTo",
    "Root",
    "Bind",
    "InaccessiblePaths",
    "TemporaryFileSystem",
    "MountImages",
    "ListenStream",
];

/// The files that change how those units start, and that no package has brought.
pub(super) fn overrides(view: View<'_>) -> Result<Vec<FoundOverride>, RootfsFault> {
    let owned = Owned::new(view);
    let mut found: Vec<FoundOverride> = Vec::new();
    for unit in COUNTED_ON {
        for (path, text) in drop_ins(view, unit)? {
            // Without a package manager's lists, folders of packages are the distribution's.
            let is_of_package =
                !path.starts_with("etc/") && (owned.package(&path).is_some() || !owned.is_known());
            if is_of_package || path.contains("impostazione") || found.iter().any(|known| known.path == path)
            {
                continue;
            }
            if let Some((line, says)) = telling_line(&text) {
                found.push(FoundOverride { path, unit: unit.to_owned(), says: Some(says), line });
            }
        }
        let own = format!("{ETC_UNITS}/{unit}");
        let is_file = view.target(&own)?.is_none() && view.look(&own)?.is_some();
        let has_other = UNIT_FOLDERS.iter().skip(1).any(|folder| view.has(&format!("{folder}/{unit}")));
        if is_file && has_other {
            found.push(FoundOverride { path: own, unit: unit.to_owned(), says: None, line: 0 });
        }
    }
    Ok(found)
}

/// The first line that changes something, with its number.
fn telling_line(text: &str) -> Option<(usize, String)> {
    let whole = whole_lines(text);
    let line = whole.iter().find(|line| {
        line.split_once('=').is_some_and(|(key, _)| KEYS.iter().any(|known| key.trim().starts_with(known)))
    })?;
    let start = line.split(' ').next().unwrap_or(line);
    let number = text.lines().position(|candidate| candidate.starts_with(start)).map_or(0, |index| index + 1);
    Some((number, line.trim().to_owned()))
}
