//! `check`

use std::fmt::Write as _;
use std::fs;
use std::io::Write as _;
use std::path::Path;

use impostazione_core::assess::{Assessment, assess_with};
use impostazione_core::catalog;
use impostazione_core::finding::sarif::SarifLog;
use impostazione_core::finding::{CorrectedSheet, Corrections, Finding, Report, Summary, correct_sheet};
use impostazione_text::SourceId;
use impostazione_text::files::{Folder, plain};
use tempfile::NamedTempFile;

use super::json;
use crate::args::{ChangeArguments, CheckArguments, CheckFormat, Format, Rejected};
use crate::exit::{Exit, Failure};
use crate::only::Only;
use crate::question::Decision;
use crate::secret_sources::RunSources;
use crate::sheet_file::{assess_with_file, today};
use crate::terminal;

pub(crate) fn run(arguments: &CheckArguments, quiet: bool, verbose: bool) -> Result<Exit, Failure> {
    let sources = RunSources::new(&arguments.sheet, &arguments.unlock);
    let mut assessment = assess_with_file(&arguments.sheet, &sources)?;
    let mut is_declined = false;
    if arguments.fix {
        let change = ChangeArguments { yes: arguments.yes, dry_run: arguments.dry_run };
        if arguments.format != CheckFormat::Text {
            change.refuse_to_ask(Format::Json)?;
        }
        (assessment, is_declined) = correct_file(&arguments.sheet, assessment, &sources, change, quiet)?;
    }
    let only = Only::new(&arguments.only, &assessment.site)?;
    let findings: Vec<&Finding> = assessment
        .findings
        .iter()
        .filter(|finding| finding.is_about(|machine| only.includes(machine)))
        .collect();
    let machines = assessment.site.machines.iter().filter(|machine| only.includes(machine.label())).count();
    let summary = Summary::of(machines, findings.iter().copied());
    match arguments.format {
        CheckFormat::Json => {
            let report = Report::new(&assessment.sources, machines, findings.iter().copied());
            json::print(&report)?;
        }
        CheckFormat::Sarif => {
            // What is offered is what `--fix` does, which looks at the whole sheet.
            let corrections = Corrections::of(&assessment.sources, &assessment.findings);
            let sources = &assessment.sources;
            let log = SarifLog::new(catalog::all(), sources, findings.iter().copied(), &corrections);
            json::print_as_it_is(&log)?;
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
                let sheet = arguments.sheet.display().to_string();
                let all = assessment.site.machines.len();
                text += &if machines < all {
                    terminal::summary_of_part(&sheet, summary, all)
                } else {
                    terminal::summary_line(&sheet, summary)
                };
                let changes = correct_sheet(&assessment.sources, &assessment.findings).changes;
                text += &terminal::correctable_line(changes.len());
            }
            terminal::print(&text)?;
        }
    }
    let rejected = match arguments.reject {
        None => 0,
        Some(Rejected::Warning) => summary.warnings,
        Some(Rejected::Note) => summary.warnings + summary.notes,
    };
    Ok(if summary.errors + rejected > 0 || is_declined { Exit::ErrorsRemain } else { Exit::Done })
}

/// Corrects the sheet on disk, if that is wanted, says what was changed, and judges it again. Correcting one slip may show
/// another behind it, which may be a certain one too. Says also whether it was declined.
fn correct_file(
    path: &Path,
    assessment: Assessment,
    sources: &RunSources,
    change: ChangeArguments,
    quiet: bool,
) -> Result<(Assessment, bool), Failure> {
    const ROUNDS: usize = 4;
    let mut corrected: Option<(String, Assessment)> = None;
    let mut lines = String::new();
    let mut count = 0;
    for _ in 0..ROUNDS {
        let now = corrected.as_ref().map_or(&assessment, |(_, assessment)| assessment);
        let CorrectedSheet { text, changes } = correct_sheet(&now.sources, &now.findings);
        if changes.is_empty() {
            break;
        }
        count += changes.len();
        for one in &changes {
            let (line, column) = (one.line, one.column);
            let from = terminal::harmless(&one.from);
            // Writing to a String does not fail.
            let _ = writeln!(lines, "{}:{line}:{column}  {from} becomes {}", path.display(), one.to);
        }
        let next = assess_with(
            &path.display().to_string(),
            text.clone().into_bytes(),
            &Folder::of_file(path),
            sources,
            today(),
        );
        corrected = Some((text, next));
    }
    let Some((text, after)) = corrected else {
        if !quiet && !assessment.findings.is_empty() {
            terminal::tell(&format!("{}: nothing here can be corrected with certainty\n", path.display()));
        }
        return Ok((assessment, false));
    };
    if !quiet || !change.yes {
        terminal::tell(&lines);
    }
    let values = terminal::count(count, "value", "values");
    match change.decide(&format!("Write {values} into {}?", path.display()))? {
        Decision::Go => {
            replace(path, sheet_text(&assessment), &text)?;
            Ok((after, false))
        }
        Decision::DryRun => {
            terminal::tell(&format!("{}: nothing was changed (--dry-run)\n", path.display()));
            Ok((assessment, false))
        }
        Decision::Declined => {
            terminal::say_unchanged(&path.display().to_string());
            Ok((assessment, true))
        }
    }
}

/// The text of the sheet that was judged.
fn sheet_text(assessment: &Assessment) -> &str {
    assessment.sources.get(SourceId::default()).text()
}

/// Puts the text in the place of the sheet's, if it is still what was judged: whole or not at all, where a link leads and with the modes that it had.
fn replace(path: &Path, judged: &str, text: &str) -> Result<(), Failure> {
    let refused = |doing: &str, error: &std::io::Error| {
        Failure::Files(format!("{} cannot be {doing}: {}; it was not changed", path.display(), plain(error)))
    };
    let target = fs::canonicalize(path).map_err(|error| refused("found", &error))?;
    let folder = target.parent().unwrap_or_else(|| Path::new("/"));
    let before = fs::metadata(&target).map_err(|error| refused("read", &error))?;
    if before.permissions().readonly() {
        return Err(Failure::Files(format!("{} is read-only; it was not changed", path.display())));
    }
    let bytes = fs::read(&target).map_err(|error| refused("read", &error))?;
    // Somebody may have gone on writing while the question stood.
    if bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(&bytes) != judged.as_bytes() {
        return Err(Failure::Files(format!(
            "{} was changed in the meantime; nothing was written: check it again",
            path.display()
        )));
    }
    // An editor's byte order mark is no part of the text, and stays where it was.
    let mark: &[u8] = if bytes.starts_with(b"\xef\xbb\xbf") { b"\xef\xbb\xbf" } else { b"" };
    let written = (|| {
        let mut file = NamedTempFile::new_in(folder)?;
        file.write_all(mark)?;
        file.write_all(text.as_bytes())?;
        file.as_file().set_permissions(before.permissions())?;
        file.as_file().sync_all()?;
        file.persist(&target).map_err(|error| error.error)?;
        Ok(())
    })();
    written.map_err(|error| refused("written", &error))
}
