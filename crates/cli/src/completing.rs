//! What a shell is offered for a word: names of rules, and of what the sheet or the output on the line has.

use std::ffi::OsStr;
use std::path::{Path, PathBuf};

use clap_complete::engine::CompletionCandidate;
use impostazione_core::catalog;
use impostazione_core::machine::{Machine, Site};
use impostazione_secret::NotAsked;

use crate::sheet_file::assess_with_file;

/// The variable by which a shell asks for candidates.
pub(crate) const VARIABLE: &str = "IMPOSTAZIONE_COMPLETE";

/// Names of rules.
pub(crate) fn rules(current: &OsStr) -> Vec<CompletionCandidate> {
    let all = catalog::all().iter();
    starting(current, all.map(|rule| (rule.name.to_owned(), Some(rule.summary.to_owned()))))
}

/// Machines of the sheet or of the output on the line.
pub(crate) fn machines(current: &OsStr) -> Vec<CompletionCandidate> {
    let of_sheet = |site: &Site| site.machines.iter().map(|machine| machine.label().to_owned()).collect();
    let mut names: Vec<String> = site().as_ref().map(of_sheet).unwrap_or_default();
    for folder in words().into_iter().filter(|word| word.join("files.json").is_file()) {
        let Ok(entries) = std::fs::read_dir(folder) else { continue };
        let folders = entries.flatten().filter(|entry| entry.path().is_dir());
        names.extend(folders.filter_map(|entry| entry.file_name().into_string().ok()));
    }
    names.sort();
    names.dedup();
    starting(current, names.into_iter().map(|name| (name, None)))
}

/// Subnets of the sheet on the line.
pub(crate) fn subnets(current: &OsStr) -> Vec<CompletionCandidate> {
    let Some(site) = site() else { return Vec::new() };
    let names = site.subnets.iter().map(|subnet| (subnet.name.value.clone(), None));
    starting(current, names)
}

/// Secrets of the sheet on the line; never a value.
pub(crate) fn secrets(current: &OsStr) -> Vec<CompletionCandidate> {
    let Some(site) = site() else { return Vec::new() };
    let names = site.secrets.iter().filter(|secret| !secret.is_in_sheet());
    starting(current, names.map(|secret| (secret.name.value.clone(), None)))
}

/// Machines and clusters of the sheet on the line, which may have values of their own.
pub(crate) fn holders(current: &OsStr) -> Vec<CompletionCandidate> {
    let Some(site) = site() else { return Vec::new() };
    let machines = site.machines.iter().map(Machine::label).map(str::to_owned);
    let clusters = site.clusters.iter().map(|cluster| cluster.name.value.clone());
    starting(current, machines.chain(clusters).map(|name| (name, None)))
}

fn starting(
    current: &OsStr,
    names: impl Iterator<Item = (String, Option<String>)>,
) -> Vec<CompletionCandidate> {
    let Some(current) = current.to_str() else { return Vec::new() };
    names
        .filter(|(name, _)| name.starts_with(current))
        .map(|(name, help)| CompletionCandidate::new(name).help(help.map(Into::into)))
        .collect()
}

/// The words that are on the line so far.
fn words() -> Vec<PathBuf> {
    std::env::args_os().skip_while(|word| word != "--").skip(2).map(PathBuf::from).collect()
}

/// The first sheet on the line. No secret is asked for, and a sheet that cannot be read offers nothing.
fn site() -> Option<Site> {
    let is_sheet = |word: &PathBuf| {
        word.extension().is_some_and(|extension| extension == "toml") && Path::new(word).is_file()
    };
    let sheet = words().into_iter().find(is_sheet)?;
    assess_with_file(&sheet, &NotAsked).ok().map(|assessment| assessment.site)
}
