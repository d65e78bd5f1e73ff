//! `secret enter`

use std::io::{self, BufRead as _, Read as _};

use impostazione_core::finding::{Finding, Report};
use impostazione_secret::store::StoredSecret;
use impostazione_text::Hidden;
use serde::Serialize;
use zeroize::Zeroizing;

use super::super::json;
use super::stored::{entries, findings_because_of, open_or_new, save, site_of, store_failure};
use crate::args::{Format, SecretEnterArguments};
use crate::exit::{Exit, Failure};
use crate::secret_sources::{RunSources, ask_twice, is_interactive};
use crate::sheet_file::today;
use crate::terminal;

/// What became of a value, for other programs.
#[derive(Serialize)]
struct JsonReport<'a> {
    store: String,
    outcome: &'static str,
    secret: &'a str,
    holder: Option<&'a str>,
    #[serde(flatten)]
    report: Report<'a>,
}

/// The longest value that is read from stdin.
const LIMIT: u64 = 64 * 1024;

pub(super) fn run(arguments: &SecretEnterArguments, quiet: bool) -> Result<Exit, Failure> {
    let site = site_of(&arguments.sheet)?.site;
    let ids = entries(&site, &arguments.name, arguments.holder.as_deref())?;
    let [id] = ids.as_slice() else {
        let names: Vec<&str> = ids.iter().filter_map(|id| id.holder.as_deref()).take(3).collect();
        return Err(Failure::CommandLine(format!(
            "{} has {} values; choose one with --for NAME ({}{}), or generate all of them with `secret generate`",
            arguments.name,
            ids.len(),
            names.join(", "),
            if ids.len() > names.len() { ", …" } else { "" }
        )));
    };
    let sources = RunSources::new(&arguments.sheet, &arguments.unlock);
    let _lock = sources.lock().map_err(|fault| store_failure(&fault))?;
    let mut open = open_or_new(sources)?;
    let value = if is_interactive() {
        ask_twice(&format!("Value of the secret {id}: "))
            .ok_or_else(|| Failure::CommandLine("no value was entered; nothing was stored".to_owned()))?
    } else {
        from_stdin()?
    };
    let replaced = open.store.secrets.insert(id.clone(), StoredSecret { value, since: today() });
    let (assessment, findings) = findings_because_of(&arguments.sheet, id, &open.store)?;
    let is_json = arguments.format == Format::Json;
    if !findings.is_empty() && !is_json {
        terminal::tell(&terminal::show_findings(
            findings.iter(),
            &assessment.sources,
            terminal::WHOLE_SHEET,
            terminal::width(),
        ));
    }
    let is_refused = findings.iter().any(Finding::is_in_the_way);
    if !is_refused {
        save(&mut open)?;
    }
    if is_json {
        json::print(&JsonReport {
            store: open.file.path().display().to_string(),
            outcome: match (is_refused, replaced.is_some()) {
                (true, _) => "refused",
                (false, true) => "replaced",
                (false, false) => "stored",
            },
            secret: &id.secret,
            holder: id.holder.as_deref(),
            report: Report::new(&assessment.sources, assessment.site.machines.len(), &findings),
        })?;
        return Ok(if is_refused { Exit::ErrorsRemain } else { Exit::Done });
    }
    if is_refused {
        terminal::say_error("nothing was stored: choose a value that fixes the errors above");
        return Ok(Exit::ErrorsRemain);
    }
    if !quiet {
        let done = if replaced.is_some() { "has a new value" } else { "has its value" };
        terminal::print(&format!("{}: {id} {done}\n", open.file.path().display()))?;
    }
    Ok(Exit::Done)
}

/// The only line of stdin.
fn from_stdin() -> Result<Hidden, Failure> {
    let mut reader = io::BufReader::new(io::stdin().lock().take(LIMIT));
    let mut line = Zeroizing::new(String::with_capacity(1024));
    let refused =
        |reason: &str| Failure::CommandLine(format!("the value on stdin {reason}; nothing was stored"));
    reader.read_line(&mut line).map_err(|_| refused("is not UTF-8 text"))?;
    let mut more = Zeroizing::new(Vec::with_capacity(16));
    reader.read_to_end(&mut more).map_err(|_| refused("cannot be read to its end"))?;
    if !more.is_empty() {
        return Err(refused("has several lines"));
    }
    let value = line.trim_end_matches(['\n', '\r']);
    if value.is_empty() {
        return Err(refused("is empty"));
    }
    Ok(Hidden::new(value))
}
