//! `secret remove`

use impostazione_core::views::inventory::remove_unused;
use impostazione_secret::store::EntryId;
use serde::Serialize;

use super::super::json;
use super::stored::{save, site_of, store_failure};
use crate::args::{Format, SecretRemoveArguments};
use crate::exit::{Exit, Failure};
use crate::question::Decision;
use crate::secret_sources::RunSources;
use crate::sheet_file::today;
use crate::terminal;

/// What was taken out, for other programs.
#[derive(Serialize)]
struct JsonReport<'a> {
    store: String,
    outcome: &'static str,
    removed: Vec<Removed<'a>>,
}

#[derive(Serialize)]
struct Removed<'a> {
    secret: &'a str,
    holder: Option<&'a str>,
}

pub(super) fn run(arguments: &SecretRemoveArguments, quiet: bool) -> Result<Exit, Failure> {
    arguments.change.refuse_to_ask(arguments.format)?;
    // What is unused is told by the sheet; a name is taken out whatever the sheet says.
    let site = if arguments.unused { Some(site_of(&arguments.sheet)?.site) } else { None };
    let sources = RunSources::new(&arguments.sheet, &arguments.unlock);
    let _lock = sources.lock().map_err(|fault| store_failure(&fault))?;
    let mut open = sources.into_open().map_err(|fault| store_failure(&fault))?;
    let mut removed: Vec<EntryId> = Vec::new();
    if let Some(site) = &site {
        let unused = remove_unused(site, &mut open.store, today());
        removed.extend(unused.into_iter().map(|entry| EntryId { secret: entry.name, holder: entry.holder }));
    }
    if let Some(name) = &arguments.name {
        let is_meant = |id: &EntryId| {
            id.secret == *name
                && arguments.holder.as_ref().is_none_or(|holder| id.holder.as_ref() == Some(holder))
        };
        let ids: Vec<EntryId> = open.store.secrets.keys().filter(|id| is_meant(id)).cloned().collect();
        if ids.is_empty() {
            let of = arguments.holder.as_ref().map(|holder| format!(" of {holder}")).unwrap_or_default();
            return Err(Failure::CommandLine(format!("the store has no value for {name}{of}")));
        }
        for id in ids {
            open.store.secrets.remove(&id);
            removed.push(id);
        }
    }
    let path = open.file.path().display().to_string();
    let lines =
        |word: &str| removed.iter().map(|id| format!("{word} {id}\n")).collect::<Vec<String>>().concat();
    let decision = if removed.is_empty() {
        Decision::Go
    } else {
        let change = arguments.change;
        if arguments.format == Format::Text && (change.dry_run || !change.yes) {
            terminal::tell(&lines("to remove"));
        }
        let values = terminal::count(removed.len(), "value", "values");
        change.decide(&format!("Remove {values} from {path}?"))?
    };
    if decision == Decision::Go && !removed.is_empty() {
        save(&mut open)?;
    }
    if arguments.format == Format::Json {
        let removed = removed.iter().map(|id| Removed { secret: &id.secret, holder: id.holder.as_deref() });
        json::print(&JsonReport {
            store: path,
            outcome: decision.word("removed"),
            removed: removed.collect(),
        })?;
        return Ok(decision.exit());
    }
    match decision {
        Decision::Declined => {
            terminal::say_unchanged(&path);
            return Ok(Exit::ErrorsRemain);
        }
        Decision::DryRun => {
            terminal::print(&format!("{path}: nothing was changed (--dry-run)\n"))?;
            return Ok(Exit::Done);
        }
        Decision::Go => {}
    }
    if !quiet {
        let lines = lines("removed");
        let kept = if removed.is_empty() {
            String::new()
        } else {
            format!("; {} still has them", open.file.copy_path().display())
        };
        terminal::print(&format!("{lines}{path}: {} removed{kept}\n", removed.len()))?;
    }
    Ok(Exit::Done)
}
