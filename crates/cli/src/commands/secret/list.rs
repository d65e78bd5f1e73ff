//! `secret list`

use impostazione_core::views::inventory::Inventory;
use impostazione_secret::SecretSources as _;

use super::super::json;
use super::stored::site_of;
use crate::args::{Format, SecretListArguments};
use crate::exit::{Exit, Failure};
use crate::secret_sources::RunSources;
use crate::sheet_file::today;
use crate::terminal;

pub(super) fn run(arguments: &SecretListArguments) -> Result<Exit, Failure> {
    let site = site_of(&arguments.sheet)?.site;
    let sources = RunSources::new(&arguments.sheet, &arguments.unlock);
    let closed = Inventory::of(&site, None, today());
    let wants_store =
        closed.secrets.iter().any(|secret| secret.source == "store") || !closed.host_keys.is_empty();
    let inventory = match sources.store() {
        Ok(store) => Inventory::of(&site, Some(store), today()),
        Err(fault) => {
            if wants_store {
                terminal::say_warning(&format!("the store was not checked: {fault}"));
            }
            closed
        }
    };
    match arguments.format {
        Format::Json => json::print(&inventory)?,
        Format::Text => terminal::print(&terminal::show_inventory(&inventory, terminal::width()))?,
    }
    Ok(Exit::Done)
}
