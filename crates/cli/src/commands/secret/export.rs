//! `secret export`

use std::fmt::Write as _;
use std::io::IsTerminal as _;

use impostazione_secret::in_groups;
use impostazione_secret::store::EntryId;
use serde::Serialize;
use zeroize::Zeroizing;

use super::super::json;
use super::stored::{entries, site_of, store_failure, write_new};
use crate::args::{Format, SecretExportArguments};
use crate::exit::{Exit, Failure};
use crate::secret_sources::RunSources;
use crate::terminal;

/// What was handed over, and where it lies, for other programs; never a value.
#[derive(Serialize)]
struct JsonReport<'a> {
    file: String,
    values: Vec<Exported<'a>>,
}

#[derive(Serialize)]
struct Exported<'a> {
    secret: &'a str,
    holder: Option<&'a str>,
}

pub(super) fn run(arguments: &SecretExportArguments, quiet: bool) -> Result<Exit, Failure> {
    let site = site_of(&arguments.sheet)?.site;
    let ids = entries(&site, &arguments.name, arguments.holder.as_deref())?;
    if arguments.to.is_none() && !std::io::stdout().is_terminal() {
        return Err(Failure::CommandLine(
            "--show-on-terminal needs a terminal, and stdout is not one; write to a file with --to FILE"
                .to_owned(),
        ));
    }
    if arguments.to.is_none() && arguments.format == Format::Json {
        return Err(Failure::CommandLine(
            "reports never hold a value: with --format json, write the value to a file with --to FILE"
                .to_owned(),
        ));
    }
    let open = RunSources::new(&arguments.sheet, &arguments.unlock)
        .into_open()
        .map_err(|fault| store_failure(&fault))?;
    let mut text = Zeroizing::new(String::with_capacity(64 * 1024));
    for id in &ids {
        let stored = open.store.secrets.get(id).ok_or_else(|| {
            Failure::Files(format!("the store has no value for {id}; nothing was exported"))
        })?;
        let value = if arguments.grouped {
            Zeroizing::new(in_groups(stored.value.reveal()))
        } else {
            Zeroizing::new(stored.value.reveal().to_owned())
        };
        // Several stand beside the names of those that have them.
        if let (Some(holder), true) = (&id.holder, ids.len() > 1) {
            let _ = write!(text, "{holder}\t");
        }
        text.push_str(&value);
        text.push('\n');
    }
    match &arguments.to {
        None => terminal::print(&text)?,
        Some(path) => {
            write_new(path, text.as_bytes(), "written")?;
            if arguments.format == Format::Json {
                let values =
                    ids.iter().map(|id| Exported { secret: &id.secret, holder: id.holder.as_deref() });
                json::print(&JsonReport { file: path.display().to_string(), values: values.collect() })?;
            } else if !quiet {
                terminal::print(&format!("{}: {}\n", path.display(), what(&ids)))?;
            }
        }
    }
    Ok(Exit::Done)
}

fn what(ids: &[EntryId]) -> String {
    match ids {
        [only] => {
            format!("the value of {only}, readable by you alone; delete the file once it is handed over")
        }
        several => format!(
            "{} values, readable by you alone; delete the file once they are handed over",
            several.len()
        ),
    }
}
