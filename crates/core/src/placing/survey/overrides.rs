//! Drop-ins, and files of the administrator's in place of a package's, of the units that a placement counts on.

use impostazione_rootfs::{RootfsFault, View};
use serde::Serialize;

use super::units::{ETC_UNITS, drop_ins, whole_lines};

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

/// The files that change how those units start, whoever has brought them: distributions do it by other keys.
pub(super) fn overrides(view: View<'_>) -> Result<Vec<FoundOverride>, RootfsFault> {
    let mut found: Vec<FoundOverride> = Vec::new();
    for unit in COUNTED_ON {
        for (path, text) in drop_ins(view, unit)? {
            if path.contains("impostazione") || found.iter().any(|known| known.path == path) {
                continue;
            }
            if let Some((line, says)) = telling_line(&text) {
                found.push(FoundOverride { path, unit: unit.to_owned(), says: Some(says), line });
            }
        }
        for path in in_place(view, unit)? {
            found.push(FoundOverride { path, unit: unit.to_owned(), says: None, line: 0 });
        }
    }
    Ok(found)
}

/// Units that stand in place of the one that a package has brought.
fn in_place(view: View<'_>, unit: &str) -> Result<Vec<String>, RootfsFault> {
    let of_packages =
        ["usr/lib/systemd/system", "lib/systemd/system"].map(|folder| format!("{folder}/{unit}"));
    if !of_packages.iter().any(|path| view.has(path)) {
        return Ok(Vec::new());
    }
    let mut found = Vec::new();
    for folder in [ETC_UNITS, "usr/local/lib/systemd/system"] {
        let path = format!("{folder}/{unit}");
        let is_other = match view.target(&path)? {
            // What only keeps it from starting is told elsewhere; a link to the unit itself does nothing.
            Some(target) => target != "/dev/null" && !of_packages.iter().any(|own| target.ends_with(own)),
            None => view.look(&path)?.is_some(),
        };
        if is_other {
            found.push(path);
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
    Some((number, without_values(line.trim())))
}

/// A line as it is shown: programs without their arguments and variables without their values, which may be secrets.
fn without_values(line: &str) -> String {
    let Some((key, value)) = line.split_once('=') else { return line.to_owned() };
    let (key, value) = (key.trim(), value.trim());
    let shown = if key.starts_with("Exec") {
        let program = value.split_whitespace().next().unwrap_or_default();
        if program == value { value.to_owned() } else { format!("{program} …") }
    } else if key == "Environment" {
        let names = value.split_whitespace().filter_map(|word| Some(word.split_once('=')?.0));
        names.map(|name| format!("{} …", name.trim_matches(['"', '\'']))).collect::<Vec<_>>().join(" ")
    } else {
        value.to_owned()
    };
    format!("{key}={shown}")
}

#[cfg(test)]
mod tests {
    use super::without_values;

    #[test]
    fn arguments_and_values_are_not_shown() {
        assert_eq!(
            without_values("ExecStartPre=/usr/bin/join --token Quay-77"),
            "ExecStartPre=/usr/bin/join …"
        );
        assert_eq!(without_values("Environment=\"TOKEN=Quay-77 b\" LANG=C"), "Environment=TOKEN … LANG …");
        assert_eq!(without_values("ConditionPathExists=/etc/image"), "ConditionPathExists=/etc/image");
        assert_eq!(without_values("ExecStart=/usr/bin/true"), "ExecStart=/usr/bin/true");
    }
}
