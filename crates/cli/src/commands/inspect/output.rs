//! `inspect` of an output tree: whether it is whole.

use std::fmt::Write as _;

use impostazione_core::output::{FileSince, TreeOnDisk};
use serde::Serialize;

use super::super::json;
use crate::args::{Format, InspectArguments};
use crate::exit::{Exit, Failure};
use crate::terminal;

#[derive(Serialize)]
struct JsonReport<'a> {
    machines: Vec<&'a str>,
    hosts: Vec<&'a str>,
    files: usize,
    not_as_rendered: Vec<Wrong<'a>>,
}

#[derive(Serialize)]
struct Wrong<'a> {
    path: &'a str,
    state: String,
}

/// Says whether the files of a tree, or of one machine in it, are as they were rendered.
pub(crate) fn run(
    tree: &TreeOnDisk,
    machine: Option<&str>,
    arguments: &InspectArguments,
    quiet: bool,
) -> Result<Exit, Failure> {
    let is_meant = |name: &str| machine.is_none_or(|machine| machine == name);
    let mut wrong = Vec::new();
    let mut files = 0;
    for file in tree.files().filter(|file| is_meant(&file.machine)) {
        files += 1;
        let since = tree.since(file).map_err(|fault| Failure::Files(fault.to_string()))?;
        if !matches!(since, FileSince::Same | FileSince::SameSize) {
            wrong.push((file.path.as_str(), since.word()));
        }
    }
    let is_whole = wrong.is_empty();
    if arguments.format == Format::Json {
        let answer = JsonReport {
            machines: tree.machines().into_iter().filter(|name| is_meant(name)).collect(),
            hosts: tree.hosts().into_iter().filter(|name| is_meant(name)).collect(),
            files,
            not_as_rendered: wrong
                .iter()
                .map(|(path, word)| Wrong { path, state: word.replace(' ', "-") })
                .collect(),
        };
        json::print(&answer)?;
    } else {
        let mut text = String::new();
        for (path, word) in &wrong {
            // Writing to a String does not fail.
            let _ = writeln!(text, "{word:19} {}", terminal::harmless(path));
        }
        let name = arguments.path.display();
        let machines = terminal::count(machine.map_or(tree.machines().len(), |_| 1), "machine", "machines");
        let files = terminal::count(files, "file", "files");
        if !quiet || !is_whole {
            let verdict = if is_whole {
                "all as rendered".to_owned()
            } else {
                format!("{} not as rendered", wrong.len())
            };
            let _ = writeln!(text, "{name}: {files} for {machines}, {verdict}");
        }
        terminal::print(&text)?;
    }
    Ok(if is_whole { Exit::Done } else { Exit::ErrorsRemain })
}
