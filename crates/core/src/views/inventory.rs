//! What secrets a sheet wants, where they come from, what uses them, and what the store holds: everything but the values.

use std::collections::BTreeSet;

use impostazione_secret::store::{EntryId, Store};
use impostazione_text::confidential::HIDDEN;
use jiff::civil::Date;
use serde::Serialize;

use crate::machine::{SecretSource, Site};
use crate::sheet::{is_path, is_variable};

/// What secrets a sheet wants and what its store holds.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Inventory {
    /// The values that are wanted, in the order of the sheet, and the secrets that nothing uses.
    pub secrets: Vec<WantedSecret>,
    /// The host keys that are wanted.
    pub host_keys: Vec<WantedHostKey>,
    /// What the store holds and the sheet does not want.
    pub unused: Vec<UnusedEntry>,
    /// Whether the store was opened.
    #[serde(rename = "store_open")]
    pub is_store_open: bool,
}

/// A value that is wanted.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct WantedSecret {
    /// The secret's name in the sheet.
    pub name: String,
    /// The machine or cluster that has a value of its own.
    pub holder: Option<String>,
    /// Where it comes from, in the word of the sheet.
    pub source: &'static str,
    /// Which variable or file, where it is one.
    pub place: Option<String>,
    /// What uses it, each once; empty where nothing does.
    pub used_by: Vec<String>,
    /// Whether the store holds it; `null` where it comes from elsewhere, or the store was not opened.
    pub in_store: Option<bool>,
    /// The day on which the store got it.
    pub since: Option<String>,
    /// How many days ago that was.
    pub age_days: Option<i32>,
}

/// A host key that is wanted.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct WantedHostKey {
    /// The host.
    pub machine: String,
    /// Whether the store holds it; `null` where the store was not opened.
    pub in_store: Option<bool>,
    /// The day on which it was made.
    pub since: Option<String>,
    /// How many days ago that was.
    pub age_days: Option<i32>,
}

/// An entry of the store that the sheet does not want.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct UnusedEntry {
    /// The secret's name, or `host key`.
    pub name: String,
    /// The machine or cluster that it is of.
    pub holder: Option<String>,
}

/// What host keys are called among what is left over.
const HOST_KEY: &str = "host key";

impl Inventory {
    /// The inventory of a site, with what its store holds where it is open.
    pub fn of(site: &Site, store: Option<&Store>, today: Date) -> Self {
        let age = |since: Date| (today - since).get_days();
        let mut wanted_ids = BTreeSet::new();
        let mut secrets = Vec::new();
        for slot in site.secret_slots() {
            let Some(secret) = site.secret_of(slot) else { continue };
            let source = secret.source.value();
            let id = EntryId { secret: secret.name.value.clone(), holder: slot.holder.clone() };
            let is_stored = matches!(source, Some(SecretSource::Store));
            let stored = store.filter(|_| is_stored).map(|store| store.secrets.get(&id));
            let mut used_by: Vec<String> = Vec::new();
            for used in site.uses_of(slot) {
                let role = site.role_in_words(used);
                if !used_by.contains(&role) {
                    used_by.push(role);
                }
            }
            secrets.push(WantedSecret {
                name: id.secret.clone(),
                holder: id.holder.clone(),
                source: source.map_or("unreadable", SecretSource::word),
                place: place_of(source),
                used_by,
                in_store: stored.map(|stored| stored.is_some()),
                since: stored.flatten().map(|stored| stored.since.to_string()),
                age_days: stored.flatten().map(|stored| age(stored.since)),
            });
            if is_stored {
                wanted_ids.insert(id);
            }
        }
        // What nothing uses yet may have its value already.
        for secret in site.secrets.iter().filter(|secret| !secret.is_in_sheet()) {
            if secrets.iter().any(|wanted| wanted.name == secret.name.value) {
                continue;
            }
            let id = EntryId { secret: secret.name.value.clone(), holder: None };
            let source = secret.source.value();
            let is_stored = matches!(source, Some(SecretSource::Store));
            let stored = store.filter(|_| is_stored).map(|store| store.secrets.get(&id));
            secrets.push(WantedSecret {
                name: id.secret.clone(),
                holder: None,
                source: source.map_or("unreadable", SecretSource::word),
                place: place_of(source),
                used_by: Vec::new(),
                in_store: stored.map(|stored| stored.is_some()),
                since: stored.flatten().map(|stored| stored.since.to_string()),
                age_days: stored.flatten().map(|stored| age(stored.since)),
            });
            wanted_ids.insert(id);
        }
        let mut host_keys = Vec::new();
        for machine in &site.machines {
            if machine.host().is_some() && machine.settings.ssh.has_made_key() {
                let stored = store.map(|store| store.host_keys.get(machine.label()));
                host_keys.push(WantedHostKey {
                    machine: machine.label().to_owned(),
                    in_store: stored.map(|stored| stored.is_some()),
                    since: stored.flatten().map(|stored| stored.since.to_string()),
                    age_days: stored.flatten().map(|stored| age(stored.since)),
                });
            }
        }
        let mut unused = Vec::new();
        if let Some(store) = store {
            let unwanted = store.secrets.keys().filter(|id| !wanted_ids.contains(*id));
            unused.extend(
                unwanted.map(|id| UnusedEntry { name: id.secret.clone(), holder: id.holder.clone() }),
            );
            let is_wanted = |name: &str| host_keys.iter().any(|wanted| wanted.machine == *name);
            let unwanted = store.host_keys.keys().filter(|name| !is_wanted(name));
            unused.extend(
                unwanted.map(|name| UnusedEntry { name: HOST_KEY.to_owned(), holder: Some(name.clone()) }),
            );
        }
        Self { secrets, host_keys, unused, is_store_open: store.is_some() }
    }
}

/// Which variable or file a value comes from, where it is one.
fn place_of(source: Option<&SecretSource>) -> Option<String> {
    match source? {
        // What is no name of a variable or a file may be the secret itself.
        SecretSource::Variable(place) if !is_variable(&place.value) => Some(HIDDEN.to_owned()),
        SecretSource::File(place) if !is_path(&place.value) => Some(HIDDEN.to_owned()),
        SecretSource::Variable(place) | SecretSource::File(place) => Some(place.value.clone()),
        SecretSource::Store | SecretSource::Prompt | SecretSource::Sheet => None,
    }
}

/// Takes out of a store what its sheet does not want. Gives what was taken out.
pub fn remove_unused(site: &Site, store: &mut Store, today: Date) -> Vec<UnusedEntry> {
    let unused = Inventory::of(site, Some(store), today).unused;
    for entry in &unused {
        match (&entry.holder, entry.name.as_str()) {
            (Some(machine), HOST_KEY) => {
                store.host_keys.remove(machine);
            }
            _ => {
                store.secrets.remove(&EntryId { secret: entry.name.clone(), holder: entry.holder.clone() });
            }
        }
    }
    unused
}
