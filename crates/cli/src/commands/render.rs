//! `render`

use std::collections::{BTreeSet, HashMap};
use std::fmt::Write as _;

use impostazione_core::finding::{Finding, Report, Severity};
use impostazione_core::machine::{Machine, Site};
use impostazione_core::output::{
    self, Hashing, OutputContent, Packing, PasswordHashes, Rendering, WriteFault, WriteReport, Writing,
};
use impostazione_core::rules::ProvedSite;
use impostazione_ovf::{FileState, complete_digests, verify};
use impostazione_secret::SecretSources as _;
use impostazione_secret::store::StoreFault;
use impostazione_text::files::Folder;
use serde::Serialize;

use super::json;
use crate::args::{Format, RenderArguments};
use crate::exit::{Exit, Failure};
use crate::only::Only;
use crate::secret_sources::RunSources;
use crate::sheet_file::assess_with_file;
use crate::terminal::{self, Progress};

/// What was rendered, for other programs.
#[derive(Serialize)]
struct JsonReport<'a> {
    into: &'a str,
    outcome: &'static str,
    /// The machines whose files were rendered.
    machines: Vec<&'a str>,
    written: Vec<String>,
    unchanged: usize,
    removed: Vec<String>,
    /// Machines that are no longer in the sheet, and whose files are still there.
    left_machines: Vec<String>,
    /// Files that are no longer rendered, and that somebody has changed.
    left_files: Vec<String>,
    /// Packages that an earlier run made and this one did not.
    left_packages: Vec<String>,
    /// Files that somebody has changed, for which nothing was written.
    changed_since: Vec<String>,
    #[serde(flatten)]
    report: Report<'a>,
}

impl<'a> JsonReport<'a> {
    fn new(into: &'a str, machines: Vec<&'a str>, written: &WriteReport, report: Report<'a>) -> Self {
        Self {
            into,
            outcome: "rendered",
            machines,
            written: written.written.iter().map(ToString::to_string).collect(),
            unchanged: written.unchanged,
            removed: written.removed.iter().map(ToString::to_string).collect(),
            left_machines: written.left_machines.iter().map(ToString::to_string).collect(),
            left_files: written.left_files.iter().map(ToString::to_string).collect(),
            left_packages: written.left_packages.clone(),
            changed_since: Vec::new(),
            report,
        }
    }

    fn refused(into: &'a str, changed_since: Vec<String>, report: Report<'a>) -> Self {
        Self {
            into,
            outcome: "refused",
            machines: Vec::new(),
            written: Vec::new(),
            unchanged: 0,
            removed: Vec::new(),
            left_machines: Vec::new(),
            left_files: Vec::new(),
            left_packages: Vec::new(),
            changed_since,
            report,
        }
    }
}

pub(crate) fn run(arguments: &RenderArguments, quiet: bool, verbose: bool) -> Result<Exit, Failure> {
    let sources = RunSources::new(&arguments.sheet, &arguments.unlock);
    let assessment = assess_with_file(&arguments.sheet, &sources)?;
    let sheet = arguments.sheet.display().to_string();
    let standing = assessment.findings.iter().filter(|finding| !finding.is_waived());
    // `check` shows notes, and each command after it need not.
    let (notes, graver): (Vec<&Finding>, Vec<&Finding>) =
        standing.partition(|finding| finding.severity() == Severity::Note && !finding.rule.not_looked_at);
    let is_json = arguments.format == Format::Json;
    if !is_json {
        let width = terminal::width();
        terminal::tell(&terminal::show_findings(graver, &assessment.sources, terminal::WHOLE_SHEET, width));
        if !notes.is_empty() {
            let (notes, them) =
                (terminal::count(notes.len(), "note", "notes"), if notes.len() == 1 { "it" } else { "them" });
            terminal::say_note(&format!("{sheet}: {notes}; `impostazione check {sheet}` shows {them}"));
        }
    }
    let found = || Report::new(&assessment.sources, assessment.site.machines.len(), &assessment.findings);
    let into = arguments.into.display().to_string();
    let Some(proved) = assessment.proved() else {
        if is_json {
            json::print(&JsonReport::refused(&into, Vec::new(), found()))?;
            return Ok(Exit::ErrorsRemain);
        }
        terminal::tell(&terminal::summary_line(&sheet, assessment.summary()));
        terminal::say_error(if assessment.summary().errors > 0 {
            "nothing was written: fix the errors above first"
        } else {
            "nothing was written: some of the sheet could not be checked; see above"
        });
        return Ok(Exit::ErrorsRemain);
    };
    let only = Only::new(&arguments.only, &assessment.site)?;
    let machines: BTreeSet<&str> = assessment.site.machines.iter().map(Machine::label).collect();
    let packing = if arguments.packages {
        Some(prepare_packages(arguments, proved.site(), &only, quiet)?)
    } else {
        None
    };
    let hashes = hash_logins(arguments, proved, &only, &sources, quiet)?;
    let rendering = Rendering {
        packing: packing.as_ref(),
        secrets_in_descriptors: !arguments.without_secrets,
        hashes: &hashes,
    };
    let tree = output::render_with(proved, |name| only.includes(name), &rendering)
        .map_err(|fault| Failure::Files(fault.to_string()))?;
    let rendered = machines.iter().filter(|name| only.includes(name)).count();
    let copying = tree.files.iter().map(|file| match &file.content {
        OutputContent::Package(plan) => plan.bytes_to_copy(),
        OutputContent::Bytes(_) | OutputContent::Link(_) => 0,
    });
    let progress = Progress::new(copying.sum(), quiet);
    let seen = |count| progress.add(count);
    let writing = Writing {
        into: &arguments.into,
        machines: &machines,
        prune: arguments.prune,
        may_lose_changes: arguments.discard_changes,
        seen: &seen,
    };
    let report = output::write(&tree, writing);
    progress.finish();
    let report = match report {
        Ok(report) => report,
        Err(WriteFault::ChangedByHand(paths)) => {
            if is_json {
                json::print(&JsonReport::refused(&into, paths, found()))?;
            } else {
                tell_changed(arguments, &paths);
            }
            return Ok(Exit::ErrorsRemain);
        }
        Err(fault) => return Err(Failure::Files(fault.to_string())),
    };
    if is_json {
        let machines = machines.iter().copied().filter(|name| only.includes(name)).collect();
        json::print(&JsonReport::new(&into, machines, &report, found()))?;
        return Ok(Exit::Done);
    }
    if verbose {
        for path in &report.written {
            terminal::print(&format!("wrote   {}\n", arguments.into.join(path).display()))?;
        }
        for path in &report.removed {
            terminal::print(&format!("removed {}\n", arguments.into.join(path).display()))?;
        }
    }
    if !quiet {
        terminal::print(&told(arguments, &report, rendered))?;
    }
    warn_of_leftovers(arguments, &report);
    Ok(Exit::Done)
}

/// Hashes the passwords of logins: with salts from the store where there is one, so that the same sheet gives the same bytes;
/// else a hash of an earlier run is kept while it is of the password.
fn hash_logins(
    arguments: &RenderArguments,
    proved: ProvedSite<'_>,
    only: &Only,
    sources: &RunSources,
    quiet: bool,
) -> Result<PasswordHashes, Failure> {
    let picked = |name: &str| only.includes(name);
    let count = output::count_passwords(proved.site(), picked);
    let store = match (count > 0).then(|| sources.store()) {
        Some(Ok(store)) => Some(store),
        None | Some(Err(StoreFault::Missing(_))) => None,
        Some(Err(fault)) => {
            terminal::say_warning(&format!("the salts of the passwords are not from the store: {fault}"));
            None
        }
    };
    let progress = Progress::of_passwords(count, quiet);
    let seen = |count| progress.add(count);
    let hashing =
        Hashing { salt_key: store.map(|store| &store.salt_key), earlier: Some(&arguments.into), seen: &seen };
    let hashes = output::hash_passwords(proved, picked, hashing);
    progress.finish();
    hashes.map_err(|fault| Failure::Files(fault.to_string()))
}

/// Looks at every byte of the packages that new ones are made from, so that no damaged file is handed on.
fn prepare_packages(
    arguments: &RenderArguments,
    site: &Site,
    only: &Only,
    quiet: bool,
) -> Result<Packing, Failure> {
    let folder = Folder::of_file(&arguments.sheet);
    let mut packing = Packing { folder: folder.clone(), digests: HashMap::new() };
    let wanted = site.machines.iter().filter(|machine| only.includes(machine.label()));
    for package in wanted.filter_map(|machine| site.package_of(machine.appliance()?)) {
        let Some(contents) = &package.contents else { continue };
        if packing.digests.contains_key(&package.path) {
            continue;
        }
        if package.signature.is_some() && !arguments.drop_signature {
            return Err(Failure::CommandLine(format!(
                "{} is signed, and changing the descriptor breaks the signature; add --drop-signature to make the \
                    new package without one",
                package.path
            )));
        }
        let mut files = package.files.clone();
        let waiting =
            files.iter().filter(|file| matches!(file.state, FileState::NotChecked | FileState::NoDigest));
        let progress = Progress::new(waiting.filter_map(|file| file.size).sum(), quiet);
        verify(contents, &mut files, &folder, &|count| progress.add(count));
        let digests = complete_digests(contents, &files, &folder, &|count| progress.add(count));
        progress.finish();
        if let Some(bad) = files.iter().find(|file| file.state.is_bad()) {
            return Err(Failure::Files(format!(
                "no new package was made from {}: its file {} is {}",
                package.path,
                bad.name,
                bad.state.word()
            )));
        }
        let digests = digests.map_err(|reason| Failure::Files(format!("{}: {reason}", package.path)))?;
        packing.digests.insert(package.path.clone(), digests);
    }
    Ok(packing)
}

fn told(arguments: &RenderArguments, report: &WriteReport, machines: usize) -> String {
    let mut parts = vec![format!(
        "{} written for {}",
        terminal::count(report.written.len(), "file", "files"),
        terminal::count(machines, "machine", "machines"),
    )];
    if report.unchanged > 0 {
        parts.push(format!("{} unchanged", report.unchanged));
    }
    if !report.removed.is_empty() {
        parts.push(format!("{} removed", report.removed.len()));
    }
    format!("{}: {}\n", arguments.into.display(), parts.join(", "))
}

/// Names the files that somebody has changed, and says what to do.
fn tell_changed(arguments: &RenderArguments, paths: &[String]) {
    let mut text = String::new();
    for path in paths {
        // Writing to a String does not fail.
        let _ = writeln!(text, "  {}", terminal::harmless(&arguments.into.join(path).display().to_string()));
    }
    let what = if paths.len() == 1 {
        "this file is not as `render` wrote it"
    } else {
        "these files are not as `render` wrote them"
    };
    terminal::say_error(&format!(
        "nothing was written, because {what}; put the changes into the sheet, then overwrite the files with \
            --discard-changes:"
    ));
    terminal::tell(&text);
}

fn warn_of_leftovers(arguments: &RenderArguments, report: &WriteReport) {
    for path in &report.left_packages {
        terminal::say_note(&format!(
            "{} is from an earlier run and was left alone; --packages makes it again, --prune removes it",
            arguments.into.join(path).display()
        ));
    }
    for machine in &report.left_machines {
        terminal::say_note(&format!(
            "{machine} is no longer in the sheet, but its files are still in {} (--prune removes them)",
            arguments.into.display()
        ));
    }
    for path in &report.left_files {
        terminal::say_warning(&format!(
            "{} is no longer needed, but somebody has changed it; it was left there",
            arguments.into.join(path).display()
        ));
    }
}
