//! `inspect` of an output tree: whether it is whole, and, of an appliance, what its environment document tells it.

use std::fmt::Write as _;
use std::path::Path;

use impostazione_core::finding::{Report, Summary};
use impostazione_core::output::{FileSince, TreeOnDisk};
use impostazione_core::views::environment::{EnvironmentInspection, ToldMachine, inspect_environment};
use impostazione_ovf::{Descriptor, ENVIRONMENT_LIMIT, MEANINGS_LIMIT, MeaningsFile};
use impostazione_text::Source;
use impostazione_text::files::read_file;
use serde::Serialize;

use super::super::json;
use crate::args::{Format, InspectArguments};
use crate::exit::{Exit, Failure};
use crate::terminal;

/// Largest descriptor beside an environment document that is read.
const DESCRIPTOR_LIMIT: u64 = 16 * 1024 * 1024;

#[derive(Serialize)]
struct JsonReport<'a> {
    machines: Vec<&'a str>,
    hosts: Vec<&'a str>,
    files: usize,
    not_as_rendered: Vec<Wrong<'a>>,
    /// Packages, of which only the size was compared.
    only_size_compared: Vec<&'a str>,
    /// Files that the list of the output does not have.
    not_listed: &'a [String],
    /// What the environment document of one appliance tells it; `null` of others, and of whole outputs.
    told: Option<Told<'a>>,
}

#[derive(Serialize)]
struct Told<'a> {
    /// Whether a descriptor lies beside it, from whose texts the meanings are told; else from ids alone.
    descriptor: bool,
    machines: Vec<ToldMachine>,
    #[serde(flatten)]
    report: Report<'a>,
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
    let mut by_size = Vec::new();
    let mut files = 0;
    for file in tree.files().filter(|file| is_meant(&file.machine)) {
        files += 1;
        let since = tree.since(file).map_err(|fault| Failure::Files(fault.to_string()))?;
        match since {
            FileSince::Same => {}
            FileSince::SameSize => by_size.push(file.path.as_str()),
            since => wrong.push((file.path.as_str(), since.word())),
        }
    }
    let not_listed = tree.unlisted(machine).map_err(|fault| Failure::Files(fault.to_string()))?;
    let is_whole = wrong.is_empty() && not_listed.is_empty();
    let told = machine.map(|machine| environment(tree, machine, arguments)).transpose()?.flatten();
    let errors = told.as_ref().map_or(0, |told| Summary::of(1, &told.findings).errors);
    if arguments.format == Format::Json {
        let answer = JsonReport {
            machines: tree.machines().into_iter().filter(|name| is_meant(name)).collect(),
            hosts: tree.hosts().into_iter().filter(|name| is_meant(name)).collect(),
            files,
            not_as_rendered: wrong
                .iter()
                .map(|(path, word)| Wrong { path, state: word.replace(' ', "-") })
                .collect(),
            only_size_compared: by_size,
            not_listed: &not_listed,
            told: told.as_ref().map(|told| Told {
                descriptor: told.has_descriptor,
                machines: told.machines(),
                report: Report::new(&told.sources, told.site.machines.len(), &told.findings),
            }),
        };
        json::print(&answer)?;
    } else {
        let mut text = String::new();
        if let Some(told) = &told {
            let width = terminal::width();
            for machine in told.machines() {
                text += &terminal::show_told(&machine.name, &machine.properties, width);
                if !machine.not_told.is_empty() {
                    let missing = terminal::harmless(&machine.not_told.join(", "));
                    let _ = writeln!(
                        text,
                        "the package asks for these, and the document does not have them: \
                        {missing}"
                    );
                }
                text.push('\n');
            }
            text += &terminal::show_findings(&told.findings, &told.sources, "", width);
            if !told.has_descriptor {
                text += "there is no descriptor next to it: meanings are guessed from the ids alone\n";
            }
        }
        for (path, word) in &wrong {
            // Writing to a String does not fail.
            let _ = writeln!(text, "{word:19} {}", terminal::harmless(path));
        }
        for path in &not_listed {
            let _ = writeln!(text, "{:19} {}", "not in files.json", terminal::harmless(path));
        }
        for path in &by_size {
            let _ = writeln!(text, "{:19} {}", "only the size was compared", terminal::harmless(path));
        }
        let name = arguments.path().display();
        let machines = terminal::count(machine.map_or(tree.machines().len(), |_| 1), "machine", "machines");
        let files = terminal::count(files, "file", "files");
        if !quiet || !is_whole {
            let mut verdict = match (wrong.len(), by_size.len()) {
                (0, 0) => "all as rendered".to_owned(),
                (0, packages) => format!(
                    "as rendered (of {}, only the size was compared)",
                    terminal::count(packages, "package", "packages")
                ),
                (wrong, _) => format!("{wrong} not as rendered"),
            };
            if !not_listed.is_empty() {
                let _ = write!(
                    verdict,
                    "; {} that `render` did not write, and that `place` ignores",
                    terminal::count(not_listed.len(), "file", "files")
                );
            }
            let _ = writeln!(text, "{name}: {files} for {machines}, {verdict}");
        }
        terminal::print(&text)?;
    }
    Ok(if is_whole && errors == 0 { Exit::Done } else { Exit::ErrorsRemain })
}

/// What the environment document of an appliance tells it, where it has one. What its properties mean is told from the
/// descriptor beside it.
fn environment(
    tree: &TreeOnDisk,
    machine: &str,
    arguments: &InspectArguments,
) -> Result<Option<EnvironmentInspection>, Failure> {
    let listed = |name: &str| {
        let path = format!("{machine}/{name}");
        tree.files().any(|file| file.path == path).then(|| tree.folder().join(path))
    };
    let Some(path) = listed("ovf-env.xml") else { return Ok(None) };
    let read = |path: &Path, limit: u64| {
        read_file(path, limit).map_err(|fault| Failure::Files(format!("{}: {fault}", path.display())))
    };
    let name = path.display().to_string();
    let text = String::from_utf8(read(&path, ENVIRONMENT_LIMIT)?)
        .map_err(|_| Failure::Files(format!("{name}: it is not UTF-8 text")))?;
    let descriptor = match listed(&format!("{machine}.ovf")) {
        Some(path) => {
            let bytes = read(&path, DESCRIPTOR_LIMIT)?;
            let descriptor = Descriptor::parse(&bytes);
            Some(descriptor.map_err(|fault| Failure::Files(format!("{}: {fault}", path.display())))?)
        }
        None => None,
    };
    let meanings = match &arguments.meanings {
        Some(path) => {
            let file = MeaningsFile::parse(&read(path, MEANINGS_LIMIT)?);
            Some(file.map_err(|fault| Failure::Files(format!("{}: {fault}", path.display())))?)
        }
        None => None,
    };
    inspect_environment(machine, Source::new(name.clone(), text), descriptor, meanings)
        .map(Some)
        .map_err(|fault| Failure::Files(format!("{name}: {fault}")))
}
