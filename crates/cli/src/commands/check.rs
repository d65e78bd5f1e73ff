//! `check`

use std::fs;
use std::io::Write as _;
use std::path::Path;

use impostazione_core::assess::Assessment;
use impostazione_core::catalog;
use impostazione_core::finding::sarif::SarifLog;
use impostazione_core::finding::{CorrectedSheet, Finding, Report, Summary, correct_sheet};
use impostazione_text::files::plain;
use impostazione_text::visible::guarded_json;
use tempfile::NamedTempFile;

use crate::args::{CheckArguments, CheckFormat};
use crate::exit::{Exit, Failure};
use crate::only::Only;
use crate::secret_sources::RunSources;
use crate::sheet_file::assess_with_file;
use crate::terminal;

pub(crate) fn run(arguments: &CheckArguments, quiet: bool, verbose: bool) -> Result<Exit, Failure> {
    let sources = RunSources::new(&arguments.sheet, &arguments.unlock);
    let mut assessment = assess_with_file(&arguments.sheet, &sources)?;
    if arguments.fix {
        assessment = mend_file(&arguments.sheet, assessment, &sources, quiet)?;
    }
    let only = Only::new(&arguments.only, &assessment.site)?;
    let findings: Vec<&Finding> = assessment
        .findings
        .iter()
        .filter(|finding| finding.machine.as_deref().is_none_or(|machine| only.includes(machine)))
        .collect();
    let machines = assessment.site.machines.iter().filter(|machine| only.includes(machine.label())).count();
    let summary = Summary::of(machines, findings.iter().copied());
    match arguments.format {
        CheckFormat::Json => {
            let report = Report::new(&assessment.sources, machines, findings.iter().copied());
            terminal::print(&to_json(&report)?)?;
        }
        CheckFormat::Sarif => {
            let log = SarifLog::new(catalog::all(), &assessment.sources, findings.iter().copied());
            terminal::print(&to_json(&log)?)?;
        }
        CheckFormat::Text => {
            let shown = |finding: &&Finding| verbose || !finding.is_waived();
            let mut text = terminal::show_findings(
                findings.iter().copied().filter(shown),
                &assessment.sources,
                terminal::WHOLE_SHEET,
                terminal::width(),
            );
            if !quiet {
                text += &terminal::summary_line(&arguments.sheet.display().to_string(), summary);
                let changes = correct_sheet(&assessment.sources, &assessment.findings).changes;
                text += &terminal::mendable_line(changes.len());
            }
            terminal::print(&text)?;
        }
    }
    Ok(if summary.errors > 0 { Exit::ErrorsRemain } else { Exit::Done })
}

/// Mends the sheet on disk, says what was changed, and judges it again. Mending one slip may show another behind it, which
/// may be a certain one too.
fn mend_file(
    path: &Path,
    mut assessment: Assessment,
    sources: &RunSources,
    quiet: bool,
) -> Result<Assessment, Failure> {
    const ROUNDS: usize = 4;
    for _ in 0..ROUNDS {
        let mended = correct_sheet(&assessment.sources, &assessment.findings);
        if mended.changes.is_empty() {
            break;
        }
        replace(path, &mended)?;
        if !quiet {
            for change in &mended.changes {
                terminal::tell(&format!(
                    "mended  {}:{}:{}  {} is now {}\n",
                    path.display(),
                    change.line,
                    change.column,
                    terminal::harmless(&change.from),
                    change.to
                ));
            }
        }
        assessment = assess_with_file(path, sources)?;
    }
    Ok(assessment)
}

/// Puts the text in the place of the sheet's, whole or not at all, where a link leads and with the modes that it had.
fn replace(path: &Path, mended: &CorrectedSheet) -> Result<(), Failure> {
    let refused = |doing: &str, error: &std::io::Error| {
        Failure::Files(format!("{} cannot be {doing}: {}; it is as it was", path.display(), plain(error)))
    };
    let target = fs::canonicalize(path).map_err(|error| refused("found", &error))?;
    let folder = target.parent().unwrap_or_else(|| Path::new("/"));
    let before = fs::metadata(&target).map_err(|error| refused("read", &error))?;
    if before.permissions().readonly() {
        return Err(Failure::Files(format!("{} is read-only; it is as it was", path.display())));
    }
    let bytes = fs::read(&target).map_err(|error| refused("read", &error))?;
    // An editor's byte order mark is no part of the text, and stays where it was.
    let mark: &[u8] = if bytes.starts_with(b"\xef\xbb\xbf") { b"\xef\xbb\xbf" } else { b"" };
    let written = (|| {
        let mut file = NamedTempFile::new_in(folder)?;
        file.write_all(mark)?;
        file.write_all(mended.text.as_bytes())?;
        file.as_file().set_permissions(before.permissions())?;
        file.as_file().sync_all()?;
        file.persist(&target).map_err(|error| error.error)?;
        Ok(())
    })();
    written.map_err(|error| refused("written", &error))
}

pub(super) fn to_json(value: &impl serde::Serialize) -> Result<String, Failure> {
    let text = serde_json::to_string_pretty(value);
    text.map(|text| guarded_json(&text).into_owned() + "\n")
        .map_err(|error| Failure::Files(format!("the result cannot be written: {error}")))
}
