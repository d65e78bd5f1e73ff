//! The units of systemd on a root filesystem: which are there, and which start at boot.

use impostazione_rootfs::{RootfsFault, RootfsPath, View, is_entry_name};

/// Where units lie, those of the administrator first (`systemd.unit(5)`).
pub(crate) const UNIT_FOLDERS: [&str; 4] =
    ["etc/systemd/system", "usr/local/lib/systemd/system", "usr/lib/systemd/system", "lib/systemd/system"];

/// Where the administrator's units and links lie.
pub(crate) const ETC_UNITS: &str = "etc/systemd/system";

/// A unit.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Unit {
    /// Its name: `ssh.service`.
    pub name: String,
    /// Its file, as systemd takes it; where it is masked, that which it would otherwise take.
    pub path: String,
    /// The text of that file.
    pub text: String,
    /// Whether a link to nothing keeps it from ever starting.
    pub is_masked: bool,
    /// Whether something wants it at boot.
    pub is_enabled: bool,
}

impl Unit {
    /// The unit of a name; nothing where there is none, or where the name is a second one of another unit.
    pub(crate) fn find(view: View<'_>, name: &str) -> Result<Option<Self>, RootfsFault> {
        let mut is_masked = false;
        for folder in UNIT_FOLDERS {
            let path = format!("{folder}/{name}");
            match view.target(&path)?.as_deref() {
                Some("/dev/null") => {
                    is_masked = true;
                    continue;
                }
                Some(target) if target.rsplit('/').next() != Some(name) => return Ok(None),
                _ => {}
            }
            if let Ok(Some(text)) = view.text(&path) {
                let is_enabled = !is_masked && is_wanted(view, name)?;
                return Ok(Some(Self { name: name.to_owned(), path, text, is_masked, is_enabled }));
            }
        }
        Ok(None)
    }

    /// The values of a key, in their order: those behind an empty one are dropped, as systemd does.
    pub(crate) fn values<'a>(&'a self, key: &str) -> Vec<&'a str> {
        values(&self.text, key)
    }

    /// The links that start it at boot, by what its `[Install]` says.
    pub(crate) fn start_links(&self) -> StartLinks {
        let mut links = StartLinks { target: format!("/{}", self.path), ..StartLinks::default() };
        for (key, kind) in [("WantedBy", "wants"), ("RequiredBy", "requires")] {
            for wanting in words(&self.values(key)) {
                links.add(&self.text, key, wanting, &format!("{wanting}.{kind}"), Some(&self.name));
            }
        }
        for alias in words(&self.values("Alias")) {
            links.add(&self.text, "Alias", alias, alias, None);
        }
        links
    }
}

/// The links that start a unit at boot.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct StartLinks {
    /// Where each leads.
    pub target: String,
    /// Where they lie.
    pub paths: Vec<RootfsPath>,
    /// What is no name of a unit: its line, from 1, the key and the word.
    pub odd: Vec<(usize, &'static str, String)>,
}

impl StartLinks {
    fn add(&mut self, text: &str, key: &'static str, word: &str, first: &str, second: Option<&str>) {
        let is_name = is_entry_name(word) && word.len() < NAME_LIMIT;
        let path = second.map_or_else(|| first.to_owned(), |second| format!("{first}/{second}"));
        match RootfsPath::new(format!("{ETC_UNITS}/{path}")) {
            Ok(path) if is_name => self.paths.push(path),
            _ => {
                let says = |line: &str| {
                    let (name, value) = line.split_once('=').unwrap_or_default();
                    name.trim() == key && value.split_whitespace().any(|found| found == word)
                };
                let line = text.lines().position(says).map_or(0, |index| index + 1);
                self.odd.push((line, key, word.to_owned()));
            }
        }
    }
}

/// Whether a name has this ending.
pub(crate) fn has_end(name: &str, end: &str) -> bool {
    name.rsplit_once('.').is_some_and(|(_, found)| found == end)
}

/// Names of units are shorter (`systemd.unit(5)`).
const NAME_LIMIT: usize = 256;

fn words<'a>(values: &[&'a str]) -> Vec<&'a str> {
    values.iter().flat_map(|value| value.split_whitespace()).collect()
}

/// The lines of a unit's text: a backslash at the end of one joins it with the next (`systemd.syntax(7)`).
pub(crate) fn whole_lines(text: &str) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    let mut is_open = false;
    for line in text.lines() {
        let (part, goes_on) = line.strip_suffix('\\').map_or((line, false), |part| (part, true));
        match lines.last_mut().filter(|_| is_open) {
            // Remarks between joined lines are ignored.
            Some(_) if line.trim_start().starts_with(['#', ';']) => continue,
            Some(last) => {
                last.push(' ');
                last.push_str(part);
            }
            None => lines.push(part.to_owned()),
        }
        is_open = goes_on;
    }
    lines
}

/// The values of a key in a unit's text and its drop-ins, in their order: those behind an empty one are dropped.
pub(crate) fn all_values(texts: &[String], key: &str) -> Vec<String> {
    let mut values: Vec<String> = Vec::new();
    for line in texts.iter().flat_map(|text| whole_lines(text)) {
        let Some((name, value)) = line.split_once('=') else { continue };
        if name.trim() != key {
            continue;
        }
        match value.trim() {
            "" => values.clear(),
            value => values.push(value.to_owned()),
        }
    }
    values
}

/// The drop-ins of a unit: path and text, in the order in which they are read. One that leads to nothing hides those of its name.
pub(crate) fn drop_ins(view: View<'_>, unit: &str) -> Result<Vec<(String, String)>, RootfsFault> {
    let mut found: Vec<(String, String)> = Vec::new();
    let mut names = Vec::new();
    for unit_folder in drop_in_folders(unit) {
        for folder in UNIT_FOLDERS {
            let folder = format!("{folder}/{unit_folder}");
            for name in view.list(&folder)?.into_iter().filter(|name| has_end(name, "conf")) {
                if names.contains(&name) {
                    continue;
                }
                let path = format!("{folder}/{name}");
                // What cannot be read as a file takes no part in this, and hides others all the same.
                if let Ok(Some(text)) = view.text(&path) {
                    found.push((path, text));
                }
                names.push(name);
            }
        }
    }
    let name = |path: &str| path.rsplit('/').next().unwrap_or_default().to_owned();
    found.sort_by_key(|(path, _)| name(path));
    Ok(found)
}

/// The names of the folders of a unit's drop-ins: its own, those of what its name begins with, and that of its kind.
fn drop_in_folders(unit: &str) -> Vec<String> {
    let (stem, kind) = unit.rsplit_once('.').unwrap_or((unit, "service"));
    let mut folders = vec![format!("{unit}.d")];
    if let Some((template, _)) = stem.split_once('@') {
        folders.push(format!("{template}@.{kind}.d"));
    }
    let mut rest = stem;
    while let Some((start, _)) = rest.rsplit_once('-') {
        folders.push(format!("{start}-.{kind}.d"));
        rest = start;
    }
    folders.push(format!("{kind}.d"));
    folders
}

/// The values of a key in a unit's text.
fn values<'a>(text: &'a str, key: &str) -> Vec<&'a str> {
    let mut values = Vec::new();
    for line in text.lines() {
        let Some((name, value)) = line.split_once('=') else { continue };
        if name.trim() != key {
            continue;
        }
        match value.trim() {
            "" => values.clear(),
            value => values.push(value),
        }
    }
    values
}

/// Whether a link of some target wants the unit.
fn is_wanted(view: View<'_>, name: &str) -> Result<bool, RootfsFault> {
    for folder in UNIT_FOLDERS {
        for entry in view.list(folder)? {
            if entry.rsplit_once('.').is_some_and(|(_, end)| matches!(end, "wants" | "requires"))
                && view.look(&format!("{folder}/{entry}/{name}"))?.is_some()
            {
                return Ok(true);
            }
        }
    }
    Ok(false)
}

/// The names of all services on the root filesystem, each once.
pub(super) fn service_names(view: View<'_>) -> Result<Vec<String>, RootfsFault> {
    let mut names = Vec::new();
    for folder in UNIT_FOLDERS {
        names.extend(view.list(folder)?.into_iter().filter(|name| has_end(name, "service")));
    }
    names.sort_unstable();
    names.dedup();
    Ok(names)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_empty_value_drops_those_before_it() {
        let text = "[Service]\nExecStart=/bin/one\nExecStart=\nExecStart = /bin/two\n";
        assert_eq!(values(text, "ExecStart"), ["/bin/two"]);
    }
}
