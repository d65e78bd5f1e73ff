//! `secret remove`

use impostazione_core::views::inventory::remove_left_over;
use impostazione_secret::store::EntryId;

use super::stored::{save, site_of, store_failure};
use crate::args::SecretRemoveArguments;
use crate::exit::{Exit, Failure};
use crate::secret_sources::RunSources;
use crate::sheet_file::today;
use crate::terminal;

pub(super) fn run(arguments: &SecretRemoveArguments, quiet: bool) -> Result<Exit, Failure> {
    // What is left over is told by the sheet; a name is taken out whatever the sheet says.
    let site = if arguments.left_over { Some(site_of(&arguments.sheet)?.site) } else { None };
    let sources = RunSources::new(&arguments.sheet, &arguments.unlock);
    let _lock = sources.lock().map_err(|fault| store_failure(&fault))?;
    let mut open = sources.into_open().map_err(|fault| store_failure(&fault))?;
    let mut removed: Vec<String> = Vec::new();
    if let Some(site) = &site {
        let left_over = remove_left_over(site, &mut open.store, today());
        removed.extend(
            left_over
                .into_iter()
                .map(|entry| EntryId { secret: entry.name, holder: entry.holder }.to_string()),
        );
    }
    if let Some(name) = &arguments.name {
        let is_meant = |id: &EntryId| {
            id.secret == *name
                && arguments.holder.as_ref().is_none_or(|holder| id.holder.as_ref() == Some(holder))
        };
        let ids: Vec<EntryId> = open.store.secrets.keys().filter(|id| is_meant(id)).cloned().collect();
        if ids.is_empty() {
            let of = arguments.holder.as_ref().map(|holder| format!(" of {holder}")).unwrap_or_default();
            return Err(Failure::CommandLine(format!("the store holds no value of {name}{of}")));
        }
        for id in ids {
            open.store.secrets.remove(&id);
            removed.push(id.to_string());
        }
    }
    if !removed.is_empty() {
        save(&mut open)?;
    }
    if !quiet {
        let lines: Vec<String> = removed.iter().map(|id| format!("removed {id}\n")).collect();
        let lines = lines.concat();
        let path = open.file.path().display();
        let kept = if removed.is_empty() {
            String::new()
        } else {
            format!("; {} still has them", open.file.copy_path().display())
        };
        terminal::print(&format!("{lines}{path}: {} removed{kept}\n", removed.len()))?;
    }
    Ok(Exit::Done)
}
