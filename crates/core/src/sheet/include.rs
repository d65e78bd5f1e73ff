//! A sheet in several files: those that it includes, and those that these include.

use std::collections::HashMap;
use std::path::{Component, Path, PathBuf};

use impostazione_text::files::{NamedFiles, ReadFault};
use impostazione_text::{Place, Source, SourceId, Sources, Stated, Written};

use super::entries::{MachineEntry, SIZE_LIMIT, Sheet};
use super::read::read;
use super::rules::{form, include as rules};
use crate::finding::Finding;

/// The most files that a sheet is made of.
const MOST: usize = 1000;

/// How deep files include each other.
const DEEPEST: usize = 16;

/// Takes the sheet that is the first of the sources apart, and every file that it includes, which become sources. Everything
/// that can be read is read. Paths in other files are made to count from the sheet's folder.
pub fn read_all(id: SourceId, sources: &mut Sources, named_files: &dyn NamedFiles) -> (Sheet, Vec<Finding>) {
    let (mut whole, findings) = read(id, sources.get(id));
    sources.mark_read(id, whole.unread.take());
    let include = std::mem::take(&mut whole.include);
    if include.is_empty() {
        return (whole, findings);
    }
    let own = Path::new(sources.get(id).name()).file_name().map(PathBuf::from).unwrap_or_default();
    let mut gathering =
        Gathering { sources, named_files, findings, known: vec![(own.clone(), None)], way: vec![own], whole };
    gathering.include(&include);
    let Gathering { mut findings, whole, .. } = gathering;
    if whole.machines.is_empty() && whole.is_whole {
        findings.push(form::empty(Place { source: id, span: impostazione_text::Span::new(0, 0) }, false));
    }
    (whole, findings)
}

struct Gathering<'a> {
    sources: &'a mut Sources,
    named_files: &'a dyn NamedFiles,
    findings: Vec<Finding>,
    /// The files that were read, from the sheet's folder on, and where each is included.
    known: Vec<(PathBuf, Option<Place>)>,
    /// The files that include each other, from the sheet to the one that is read.
    way: Vec<PathBuf>,
    whole: Sheet,
}

impl Gathering<'_> {
    fn include(&mut self, files: &[Written<String>]) {
        for written in files {
            let above = self.way.last().and_then(|file| file.parent()).unwrap_or_else(|| Path::new(""));
            let path = joined(above, &written.value);
            if let Err(finding) = self.include_one(written, &path) {
                self.findings.push(*finding);
                self.whole.is_whole = false;
            }
        }
    }

    fn include_one(&mut self, written: &Written<String>, path: &Path) -> Result<(), Box<Finding>> {
        let shown = path.display().to_string();
        if self.way.iter().any(|above| above == path) {
            let names: Vec<String> = self.way.iter().map(|above| above.display().to_string()).collect();
            let message = match names.iter().position(|name| *name == shown) {
                Some(at) if at + 1 < names.len() => {
                    format!("{shown} includes itself, by way of {}.", names.split_at(at + 1).1.join(" and "))
                }
                _ => format!("{shown} includes itself."),
            };
            return Err(Box::new(rules::repeated(written, message)));
        }
        if let Some((_, place)) = self.known.iter().find(|(known, _)| known == path) {
            let at = place.map(|place| self.sources.in_words(place)).unwrap_or_default();
            return Err(Box::new(rules::repeated(written, format!("{shown} is already included at {at}."))));
        }
        let refused = |reason: String, fix: &str| {
            Err(Box::new(rules::unreadable(written.place, reason, fix.to_owned())))
        };
        if self.way.len() > DEEPEST || self.known.len() > MOST {
            return refused(
                format!("{shown} is not read: a sheet has no more than {MOST} files, {DEEPEST} deep."),
                "put several of them together",
            );
        }
        self.known.push((path.to_owned(), Some(written.place)));
        let text = match self.named_files.read(path, SIZE_LIMIT).map(String::from_utf8) {
            Ok(Ok(text)) => text,
            Ok(Err(_)) => {
                return refused(
                    format!("{shown} is not UTF-8 text."),
                    "save it as UTF-8 text, or name another file",
                );
            }
            Err(ReadFault::Missing) => {
                return refused(
                    format!("There is no file {shown}."),
                    "write its path relative to the folder of this file",
                );
            }
            Err(fault) => {
                return refused(
                    format!("{shown} cannot be used: {fault}."),
                    "name a file of the same form as this sheet",
                );
            }
        };
        let text = text.strip_prefix('\u{feff}').unwrap_or(&text);
        if !begins_with_format(text) {
            return refused(
                format!("{shown} is not a sheet: it does not begin with format = 1."),
                "name another file, or write format = 1 as its first line",
            );
        }
        let id = self.sources.add(Source::new(self.sources.beside_first(&shown), text));
        let (mut part, findings) = read(id, self.sources.get(id));
        self.sources.mark_read(id, part.unread.take());
        // A part need not have machines.
        self.findings.extend(findings.into_iter().filter(|finding| finding.rule.name != form::EMPTY.name));
        let folder = path.parent().unwrap_or_else(|| Path::new(""));
        if !folder.as_os_str().is_empty() {
            each_path(&mut part, &mut |text| {
                *text = joined(folder, text).display().to_string();
            });
        }
        let include = std::mem::take(&mut part.include);
        self.add(part);
        self.way.push(path.to_owned());
        self.include(&include);
        self.way.pop();
        Ok(())
    }

    /// Adds the tables and entries of a part.
    fn add(&mut self, part: Sheet) {
        let Sheet {
            include: _,
            common_place,
            site,
            refused_passwords,
            common,
            subnets,
            pools,
            clusters,
            secrets,
            time_keys,
            accounts,
            waivers,
            machines,
            hidden,
            unread: _,
            is_whole,
        } = part;
        let whole = &mut self.whole;
        let mut repeated: Vec<(Place, String, Place)> = Vec::new();
        match (whole.common_place, common_place) {
            (Some(first), Some(place)) => repeated.push((place, "common".to_owned(), first)),
            (None, Some(_)) => {
                whole.common_place = common_place;
                whole.site = site;
                whole.refused_passwords = refused_passwords;
                whole.common = common;
            }
            (_, None) => {}
        }
        repeated.extend(join("subnet", &mut whole.subnets, subnets, |table| &table.name));
        repeated.extend(join("pool", &mut whole.pools, pools, |table| &table.name));
        repeated.extend(join("cluster", &mut whole.clusters, clusters, |table| &table.name));
        repeated.extend(join("secret", &mut whole.secrets, secrets, |table| &table.name));
        repeated.extend(join("time_key", &mut whole.time_keys, time_keys, |table| &table.name));
        repeated.extend(join("account", &mut whole.accounts, accounts, |table| &table.name));
        whole.waivers.extend(waivers);
        whole.machines.extend(machines);
        whole.hidden.extend(hidden);
        whole.is_whole &= is_whole;
        for (place, header, first) in repeated {
            let first = self.sources.in_words(first);
            self.findings.push(rules::table_repeated(place, &header, &first));
        }
    }
}

/// Adds tables to those that are there already. Gives those that have a name which one of these has, each with its header and
/// where the first one is.
fn join<T>(
    kind: &str,
    known: &mut Vec<T>,
    more: Vec<T>,
    name: impl Fn(&T) -> &Written<String>,
) -> Vec<(Place, String, Place)> {
    let places: HashMap<String, Place> =
        known.iter().map(&name).map(|own| (own.value.clone(), own.place)).collect();
    let mut repeated = Vec::new();
    for table in more {
        let own = name(&table);
        match places.get(&own.value) {
            Some(first) => repeated.push((own.place, format!("{kind}.{}", own.value), *first)),
            // Of one file the tables have different names already.
            None => known.push(table),
        }
    }
    repeated
}

/// Whether a text has the line that every file of a sheet begins with, before any table. Something else that was named by
/// mistake, and may be confidential, has not.
fn begins_with_format(text: &str) -> bool {
    let lines = text.lines().map(str::trim_start).take_while(|line| !line.starts_with('['));
    let mut keys = lines.filter_map(|line| line.split_once('='));
    keys.any(|(key, _)| matches!(key.trim(), "format" | "\"format\""))
}

/// A path from the folder of one file on, as a path from the sheet's folder on.
fn joined(folder: &Path, path: &str) -> PathBuf {
    let mut whole = PathBuf::new();
    for part in folder.join(path).components() {
        match part {
            Component::CurDir => {}
            Component::ParentDir if matches!(whole.components().next_back(), Some(Component::Normal(_))) => {
                whole.pop();
            }
            other => whole.push(other),
        }
    }
    whole
}

/// Visits every path of a file of a sheet that counts from its folder, but for those that it includes.
fn each_path(sheet: &mut Sheet, visit: &mut impl FnMut(&mut String)) {
    let mut each = |stated: &mut Stated<Written<String>>| {
        if let Stated::Value(written) = stated
            && is_relative(&written.value)
        {
            visit(&mut written.value);
        }
    };
    each(&mut sheet.refused_passwords);
    for secret in &mut sheet.secrets {
        each(&mut secret.path);
    }
    for account in &mut sheet.accounts {
        let Stated::Value(keys) = &mut account.ssh_keys else { continue };
        for key in keys.iter_mut().filter(|key| !is_key(&key.value)) {
            let mut one = Stated::Value(key.clone());
            each(&mut one);
            if let Stated::Value(moved) = one {
                *key = moved;
            }
        }
    }
    for machine in &mut sheet.machines {
        each_path_of_machine(machine, &mut each);
    }
}

fn each_path_of_machine(machine: &mut MachineEntry, each: &mut impl FnMut(&mut Stated<Written<String>>)) {
    each(&mut machine.rows);
    each(&mut machine.package);
    if let Some(more) = &mut machine.of_appliance {
        each(&mut more.meanings);
    }
    for differing in &mut machine.differing {
        each_path_of_machine(&mut differing.entry, each);
    }
}

/// Whether a path counts from a folder. `~` never does, and has a finding of its own.
fn is_relative(path: &str) -> bool {
    !path.is_empty() && !path.starts_with(['/', '~'])
}

/// Whether an item of `ssh_keys` is a key, or options and a key, and not a path (`sshd(8)`, `AUTHORIZED_KEYS FILE FORMAT`).
fn is_key(text: &str) -> bool {
    let starts = ["ssh-", "ecdsa-sha2-", "sk-"];
    let mut words = text.split_whitespace();
    text.contains("PRIVATE KEY")
        || (text.trim().contains(char::is_whitespace)
            && words.any(|word| starts.iter().any(|start| word.starts_with(start))))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_count_from_the_folder_of_their_file() {
        for (folder, path, expected) in [
            ("", "keys/keeper.pub", "keys/keeper.pub"),
            ("shore", "keys/keeper.pub", "shore/keys/keeper.pub"),
            ("shore", "../keys/keeper.pub", "keys/keeper.pub"),
            ("shore", "./lamps.csv", "shore/lamps.csv"),
            ("../shore", "../lamps.csv", "../lamps.csv"),
            ("../..", "../lamps.csv", "../../../lamps.csv"),
            ("shore", "/srv/lamps.csv", "/srv/lamps.csv"),
        ] {
            assert_eq!(joined(Path::new(folder), path), Path::new(expected), "{folder} {path}");
        }
    }

    #[test]
    fn what_is_no_sheet_is_known_before_it_is_read() {
        for text in
            ["format = 1\n", "# a part\n\n  format=1 # first\n[host]\n", "include = []\n\"format\" = 1\n"]
        {
            assert!(begins_with_format(text), "{text}");
        }
        for text in [
            "",
            "root:x:0:0:root:/root:/bin/sh\n",
            "[a]\nformat = 1\n",
            "PASSWORD=format\n",
            "informat = 1\n",
        ] {
            assert!(!begins_with_format(text), "{text}");
        }
    }

    #[test]
    fn keys_are_no_paths() {
        for text in [
            "ssh-ed25519 AAAA",
            "restrict ssh-ed25519 AAAA keeper",
            "command=\"a b\" ecdsa-sha2-nistp256 AAAA",
        ] {
            assert!(is_key(text), "{text}");
        }
        for text in ["keys/keeper.pub", "ssh-keys/keeper.pub", "my keys/keeper.pub"] {
            assert!(!is_key(text), "{text}");
        }
    }
}
