//! Which units start at boot: what the targets of a boot lead to, by links and by what units say.

use std::collections::{BTreeMap, HashSet};

use impostazione_rootfs::{RootfsFault, View};

use super::units::{UNIT_FOLDERS, all_values, drop_ins, has_end};

/// Targets that are part of every boot, or may be.
const ROOTS: [&str; 14] = [
    "default.target",
    "sysinit.target",
    "basic.target",
    "multi-user.target",
    "graphical.target",
    "local-fs.target",
    "remote-fs.target",
    "network.target",
    "network-online.target",
    "sockets.target",
    "timers.target",
    "paths.target",
    "getty.target",
    "time-sync.target",
];

/// Keys by which a unit has others start (`systemd.unit(5)`).
const STARTS: [&str; 8] =
    ["Wants", "Requires", "Requisite", "BindsTo", "Upholds", "Sockets", "OnFailure", "OnSuccess"];
/// Ends of folders whose links do the same.
const LINK_FOLDERS: [&str; 3] = [".wants", ".requires", ".upholds"];
/// Kinds of units that have a service start when something happens.
const TRIGGERS: [&str; 4] = [".timer", ".path", ".socket", ".automount"];

/// The units that start at boot, or by what happens after it, with all that is known of each.
#[derive(Debug, Default)]
pub(super) struct Started {
    units: BTreeMap<String, StartedUnit>,
}

/// A unit that starts.
#[derive(Clone, Debug, Default)]
pub(super) struct StartedUnit {
    /// Its name, with what comes after an `@`.
    pub(super) name: String,
    /// Its file.
    pub(super) path: String,
    /// Its text, and those of its drop-ins.
    pub(super) texts: Vec<String>,
}

impl StartedUnit {
    /// The values of a key.
    pub(super) fn values(&self, key: &str) -> Vec<String> {
        all_values(&self.texts, key)
    }
}

/// What lies in the folders of units.
struct Files {
    /// Files by name, those of the administrator first; nothing for one that is masked.
    units: BTreeMap<String, Option<String>>,
    /// Second names.
    aliases: BTreeMap<String, String>,
    /// What links have each unit start.
    links: BTreeMap<String, Vec<String>>,
}

impl Files {
    fn read(view: View<'_>) -> Result<Self, RootfsFault> {
        let mut files = Self { units: BTreeMap::new(), aliases: BTreeMap::new(), links: BTreeMap::new() };
        for folder in UNIT_FOLDERS {
            for name in view.list(folder)? {
                let path = format!("{folder}/{name}");
                if let Some((unit, _)) =
                    LINK_FOLDERS.iter().find_map(|end| Some((name.strip_suffix(end)?, end)))
                {
                    files.links.entry(unit.to_owned()).or_default().extend(view.list(&path)?);
                    continue;
                }
                if !name.contains('.') || has_end(&name, "d") || files.units.contains_key(&name) {
                    continue;
                }
                match view.target(&path)?.as_deref() {
                    Some("/dev/null") => {
                        files.units.insert(name, None);
                    }
                    Some(target) if target.rsplit('/').next().is_some_and(|last| last != name) => {
                        let target = target.rsplit('/').next().unwrap_or_default().to_owned();
                        files.aliases.entry(name).or_insert(target);
                    }
                    _ => {
                        files.units.insert(name, Some(path));
                    }
                }
            }
        }
        Ok(files)
    }

    /// The file of a unit, which may be that of its template.
    fn path(&self, name: &str) -> Option<&str> {
        let own = self.units.get(name).or_else(|| self.units.get(&template(name)?));
        own?.as_deref()
    }
}

/// The name of the template that a unit is made from.
fn template(name: &str) -> Option<String> {
    let (start, rest) = name.split_once('@')?;
    let (_, kind) = rest.rsplit_once('.')?;
    Some(format!("{start}@.{kind}"))
}

impl Started {
    /// Follows what starts, from the targets of a boot on.
    pub(super) fn of(view: View<'_>) -> Result<Self, RootfsFault> {
        let files = Files::read(view)?;
        let mut started = Self::default();
        let mut seen: HashSet<String> = HashSet::new();
        let mut next: Vec<String> = ROOTS.map(str::to_owned).to_vec();
        while let Some(name) = next.pop() {
            let name = files.aliases.get(&name).cloned().unwrap_or(name);
            if !seen.insert(name.clone()) {
                continue;
            }
            for linked in [Some(&name), template(&name).as_ref()].into_iter().flatten() {
                next.extend(files.links.get(linked).into_iter().flatten().cloned());
            }
            let Some(path) = files.path(&name) else { continue };
            // What cannot be read as a file starts nothing.
            let Ok(Some(text)) = view.text(path) else { continue };
            let mut texts = vec![text];
            texts.extend(drop_ins(view, &name)?.into_iter().map(|(_, text)| text));
            let unit = StartedUnit { name: name.clone(), path: path.to_owned(), texts };
            for key in STARTS {
                next.extend(
                    unit.values(key).iter().flat_map(|value| value.split_whitespace()).map(str::to_owned),
                );
            }
            if let Some((stem, _)) = TRIGGERS.iter().find_map(|end| Some((name.strip_suffix(end)?, end))) {
                let named: Vec<String> =
                    ["Unit", "Service"].iter().flat_map(|key| unit.values(key)).collect();
                if named.is_empty() {
                    next.extend([format!("{stem}.service"), format!("{stem}@.service")]);
                }
                next.extend(named);
            }
            started.units.insert(name, unit);
        }
        Ok(started)
    }

    /// All of them, in the order of their names.
    pub(super) fn units(&self) -> impl Iterator<Item = &StartedUnit> {
        self.units.values()
    }

    /// Whether a unit is among them.
    pub(super) fn has(&self, name: &str) -> bool {
        self.units.contains_key(name)
    }
}
