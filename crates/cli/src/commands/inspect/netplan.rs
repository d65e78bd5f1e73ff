//! `inspect` of netplan files.

use std::fs;
use std::path::{Path, PathBuf};

use impostazione_core::finding::{Report, Summary};
use impostazione_core::views::netplan::{InspectedHost, SIZE_LIMIT, in_order, inspect_netplan, source};
use impostazione_text::Source;
use impostazione_text::files::{ReadFault, plain, read_file};
use serde::Serialize;

use super::super::json;
use crate::args::{Format, InspectArguments};
use crate::exit::{Exit, Failure};
use crate::terminal;

/// Where netplan's files lie on a host, from its top on, in the order in which netplan looks.
const NETPLAN_FOLDERS: [&str; 3] = ["lib/netplan", "etc/netplan", "run/netplan"];

#[derive(Serialize)]
struct JsonReport<'a> {
    host: &'a InspectedHost,
    #[serde(flatten)]
    report: Report<'a>,
}

pub(crate) fn run(arguments: &InspectArguments, quiet: bool) -> Result<Exit, Failure> {
    let path = &arguments.path;
    let name = path.display().to_string();
    let files = netplan_files(path)?;
    let sources = files.iter().map(|file| read(file)).collect::<Result<Vec<Source>, Failure>>()?;
    let inspection = inspect_netplan(&name, sources);
    let host = inspection.host();
    let hosts = usize::from(host.is_some());
    let summary = Summary::of(hosts, &inspection.findings);
    match (arguments.format, &host) {
        (Format::Json, Some(host)) => {
            let report = Report::new(&inspection.sources, hosts, &inspection.findings);
            json::print(&JsonReport { host, report })?;
        }
        (Format::Json, None) => {
            json::print(&Report::new(&inspection.sources, 0, &inspection.findings))?;
        }
        (Format::Text, host) => {
            let width = terminal::width();
            if let Some(host) = host {
                terminal::print(&terminal::show_netplan_host(host, files.len(), width))?;
                terminal::print("\n")?;
            }
            let mut text = terminal::show_findings(&inspection.findings, &inspection.sources, "", width);
            if !quiet {
                text += &terminal::summary_of_host(&name, summary);
            }
            terminal::print(&text)?;
        }
    }
    Ok(if summary.errors > 0 { Exit::ErrorsRemain } else { Exit::Done })
}

/// The netplan files at a path: the file itself, those of a folder, or those of a root filesystem.
fn netplan_files(path: &Path) -> Result<Vec<PathBuf>, Failure> {
    let name = path.display();
    if !path.is_dir() {
        return Ok(vec![path.to_owned()]);
    }
    let in_folder = yaml_files(path)?;
    if !in_folder.is_empty() {
        return Ok(in_folder);
    }
    // Of equal names the later folder's file stands for the earlier's.
    let mut by_name: Vec<PathBuf> = Vec::new();
    for folder in NETPLAN_FOLDERS.iter().map(|folder| path.join(folder)).filter(|folder| folder.is_dir()) {
        for file in yaml_files(&folder)? {
            by_name.retain(|earlier| earlier.file_name() != file.file_name());
            by_name.push(file);
        }
    }
    by_name.sort_by(|one, other| one.file_name().cmp(&other.file_name()));
    if by_name.is_empty() {
        return Err(Failure::Files(format!(
            "{name} holds no netplan file (none that ends in .yaml, no etc/netplan) and is no root filesystem (no etc/os-release)"
        )));
    }
    Ok(by_name)
}

fn yaml_files(folder: &Path) -> Result<Vec<PathBuf>, Failure> {
    let refused = |error: &std::io::Error| {
        Failure::Files(format!("{} cannot be read: {}", folder.display(), plain(error)))
    };
    let mut names = Vec::new();
    for entry in fs::read_dir(folder).map_err(|error| refused(&error))? {
        let entry = entry.map_err(|error| refused(&error))?;
        names.extend(entry.file_name().into_string().ok());
    }
    Ok(in_order(names).into_iter().map(|name| folder.join(name)).collect())
}

fn read(file: &Path) -> Result<Source, Failure> {
    let name = file.display().to_string();
    let bytes = read_file(file, SIZE_LIMIT).map_err(|fault| {
        Failure::Files(match fault {
            ReadFault::Missing => format!("there is no {name}"),
            other => format!("{name} cannot be used: {other}"),
        })
    })?;
    source(&name, bytes).map_err(Failure::Files)
}
