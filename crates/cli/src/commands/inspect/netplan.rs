//! `inspect` of netplan files.

use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};

use impostazione_core::finding::{Report, Summary};
use impostazione_core::machine::NetplanVersion;
use impostazione_core::views::netplan::{
    InspectedHost, NETPLAN_FOLDERS, NEWEST_NETPLAN, SIZE_LIMIT, in_effect, in_order, inspect_netplan,
    is_read, looks_read, netplan_file_not_read, source,
};
use impostazione_text::files::{ReadFault, plain, read_file};
use impostazione_text::visible::harmless;
use impostazione_text::{Source, SourceId, Sources};
use serde::Serialize;

use super::super::json;
use crate::args::{Format, InspectArguments};
use crate::exit::{Exit, Failure};
use crate::terminal;

#[derive(Serialize)]
struct JsonReport<'a> {
    host: Option<&'a InspectedHost>,
    netplan: Judge,
    /// Files that netplan ignores, by their names.
    not_read: &'a [String],
    #[serde(flatten)]
    report: Report<'a>,
}

/// The netplan that the files were checked against.
#[derive(Clone, Copy, Serialize)]
pub(super) struct Judge {
    version: NetplanVersion,
    /// Whether nobody said so, and the files may be for another.
    assumed: bool,
}

impl Judge {
    pub(super) fn of(stated: Option<NetplanVersion>) -> Self {
        Self { version: stated.unwrap_or(NEWEST_NETPLAN), assumed: stated.is_none() }
    }

    pub(super) fn version(self) -> NetplanVersion {
        self.version
    }

    /// A line for people.
    pub(super) fn in_words(self) -> String {
        let version = self.version;
        if self.assumed {
            format!("checked for netplan {version}, the newest known")
        } else {
            format!("checked for netplan {version}")
        }
    }
}

pub(crate) fn run(arguments: &InspectArguments, quiet: bool) -> Result<Exit, Failure> {
    let path = arguments.path();
    let name = path.display().to_string();
    let (files, not_read) = netplan_files(path)?;
    let sources = files.iter().map(|file| read(file)).collect::<Result<Vec<Source>, Failure>>()?;
    let judge = Judge::of(arguments.netplan);
    let mut inspection = inspect_netplan(&name, Sources::default(), sources, judge.version());
    let file_name = path.file_name().unwrap_or_default().to_string_lossy();
    if path.is_file() && !is_read(&file_name) {
        inspection.findings.insert(0, netplan_file_not_read(SourceId::default(), &file_name));
    }
    let host = inspection.host.as_ref();
    let hosts = usize::from(host.is_some());
    let summary = Summary::of(hosts, &inspection.findings);
    match arguments.format {
        Format::Json => {
            let report = Report::new(&inspection.sources, hosts, &inspection.findings);
            json::print(&JsonReport { host, netplan: judge, not_read: &not_read, report })?;
        }
        Format::Text => {
            let width = terminal::width();
            if let Some(host) = host {
                terminal::print(&terminal::show_netplan_host(host, files.len(), width))?;
                terminal::print("\n")?;
            }
            let mut text = terminal::show_findings(&inspection.findings, &inspection.sources, "", width);
            for name in &not_read {
                // Writing to a String does not fail.
                let _ = writeln!(text, "{}: netplan does not read a file with this name", harmless(name));
            }
            if !quiet {
                // Writing to a String does not fail.
                let _ = writeln!(text, "{name}: {}", judge.in_words());
                text += &terminal::summary_of_host(&name, summary);
            }
            terminal::print(&text)?;
        }
    }
    Ok(if summary.errors > 0 { Exit::ErrorsRemain } else { Exit::Done })
}

/// The netplan files at a path: the file itself, those of a folder, or those of a root filesystem; and files that look like some
/// and are ignored.
fn netplan_files(path: &Path) -> Result<(Vec<PathBuf>, Vec<String>), Failure> {
    let name = path.display();
    if !path.is_dir() {
        return Ok((vec![path.to_owned()], Vec::new()));
    }
    let (in_folder, mut not_read) = yaml_files(path)?;
    if !in_folder.is_empty() {
        return Ok((in_folder, not_read));
    }
    let mut found = Vec::new();
    for folder in NETPLAN_FOLDERS.iter().map(|folder| path.join(folder)).filter(|folder| folder.is_dir()) {
        let (files, more) = yaml_files(&folder)?;
        not_read.extend(more);
        for file in files {
            let name = file.file_name().unwrap_or_default().to_string_lossy().into_owned();
            found.push((name, file));
        }
    }
    let by_name = in_effect(found);
    if by_name.is_empty() {
        return Err(Failure::Files(format!(
            "{name} has no netplan file (no .yaml file, no etc/netplan) and is not a root filesystem (no \
                etc/os-release)"
        )));
    }
    Ok((by_name, not_read))
}

/// The files of a folder that netplan reads, and those that look like some and are ignored.
fn yaml_files(folder: &Path) -> Result<(Vec<PathBuf>, Vec<String>), Failure> {
    let refused = |error: &std::io::Error| {
        Failure::Files(format!("{} cannot be read: {}", folder.display(), plain(error)))
    };
    let mut names = Vec::new();
    for entry in fs::read_dir(folder).map_err(|error| refused(&error))? {
        let entry = entry.map_err(|error| refused(&error))?;
        names.extend(entry.file_name().into_string().ok());
    }
    let mut not_read: Vec<String> = names.iter().filter(|name| looks_read(name)).cloned().collect();
    not_read.sort_unstable();
    let not_read = not_read.into_iter().map(|name| folder.join(name).display().to_string());
    Ok((in_order(names).into_iter().map(|name| folder.join(name)).collect(), not_read.collect()))
}

fn read(file: &Path) -> Result<Source, Failure> {
    let name = file.display().to_string();
    // So a file of equal name in an earlier folder is masked.
    if fs::canonicalize(file).is_ok_and(|real| real == Path::new("/dev/null")) {
        return Ok(Source::new(name, ""));
    }
    let bytes = read_file(file, SIZE_LIMIT).map_err(|fault| {
        Failure::Files(match fault {
            ReadFault::Missing => format!("{name} does not exist"),
            other => format!("{name} cannot be used: {other}"),
        })
    })?;
    source(&name, bytes).map_err(Failure::Files)
}
