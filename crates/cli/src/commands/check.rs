//! `check`

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::Path;

use impostazione_core::assess::{Assessment, assess_with};
use impostazione_core::catalog;
use impostazione_core::finding::sarif::SarifLog;
use impostazione_core::finding::{Corrections, Finding, Report, Summary, correct_sheet};
use impostazione_core::views::included_by::sheet_that_includes;
use impostazione_text::files::{Folder, Overlaid};
use impostazione_text::{EditedText, Source, SourceId};

use super::json;
use crate::args::{ChangeArguments, CheckArguments, CheckFormat, Format, Rejected};
use crate::edited_files::{EditedFile, replace_all};
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
                let texts = correct_sheet(&assessment.sources, &assessment.findings);
                text += &terminal::correctable_line(texts.iter().map(|text| text.parts.len()).sum());
            }
            terminal::print(&text)?;
            if assessment.lacks_subnets()
                && let Some(whole) = sheet_that_includes(&arguments.sheet)
            {
                let (part, whole) = (arguments.sheet.display(), whole.display());
                terminal::say_note(&format!(
                    "{part} is a part of {whole}, which may have these subnets: run `impostazione check {whole}`"
                ));
            }
        }
    }
    let rejected = match arguments.reject {
        None => 0,
        Some(Rejected::Warning) => summary.warnings,
        Some(Rejected::Note) => summary.warnings + summary.notes,
    };
    Ok(if summary.errors + rejected > 0 || is_declined { Exit::ErrorsRemain } else { Exit::Done })
}

/// Corrects the sheet on disk and the files beside it, if that is wanted, says what was changed, and judges the sheet again.
/// Correcting one slip may show another behind it, which may be a certain one too. Says also whether it was declined.
fn correct_file(
    path: &Path,
    assessment: Assessment,
    sources: &RunSources,
    change: ChangeArguments,
    quiet: bool,
) -> Result<(Assessment, bool), Failure> {
    const ROUNDS: usize = 4;
    let name = path.display().to_string();
    // What each file is to hold, by its name.
    let mut changed: BTreeMap<String, String> = BTreeMap::new();
    let mut corrected: Option<Assessment> = None;
    let mut lines = String::new();
    let mut count = 0;
    for _ in 0..ROUNDS {
        let now = corrected.as_ref().unwrap_or(&assessment);
        let texts = correct_sheet(&now.sources, &now.findings);
        if texts.is_empty() {
            break;
        }
        for EditedText { source, text, parts } in texts {
            count += parts.len();
            for one in &parts {
                let (file, line, column) = (&one.file, one.line, one.column);
                let from = terminal::harmless(&one.from);
                // Writing to a String does not fail.
                let _ = writeln!(lines, "{file}:{line}:{column}  {from} becomes {}", one.to);
            }
            changed.insert(now.sources.get(source).name().to_owned(), text);
        }
        let sheet = changed.get(&name).map_or_else(|| sheet_text(&assessment), String::as_str);
        let folder = Folder::of_file(path);
        let above = path.parent().unwrap_or_else(|| Path::new(""));
        let texts = changed.iter().map(|(name, text)| (name.clone(), text.clone().into_bytes()));
        let files = Overlaid::new(&folder, above, texts);
        corrected = Some(assess_with(&name, sheet.to_owned().into_bytes(), &files, sources, today()));
    }
    let Some(after) = corrected else {
        if !quiet && !assessment.findings.is_empty() {
            terminal::tell(&format!("{name}: nothing here can be corrected with certainty\n"));
        }
        return Ok((assessment, false));
    };
    if !quiet || !change.yes {
        terminal::tell(&lines);
    }
    let values = terminal::count(count, "value", "values");
    let names: Vec<&str> = changed.keys().map(String::as_str).collect();
    match change.decide(&format!("Write {values} into {}?", names.join(" and ")))? {
        Decision::Go => {
            let judged = |name: &str| {
                let mut texts = assessment.sources.all().iter();
                texts.find(|source| source.name() == name).map(Source::text).unwrap_or_default().to_owned()
            };
            let files: Vec<EditedFile> = changed
                .into_iter()
                .map(|(name, text)| EditedFile { judged: judged(&name), path: name.into(), text })
                .collect();
            replace_all(&files)?;
            Ok((after, false))
        }
        Decision::DryRun => {
            terminal::tell(&format!("{}: nothing was changed (--dry-run)\n", names.join(", ")));
            Ok((assessment, false))
        }
        Decision::Declined => {
            terminal::say_unchanged(&name);
            Ok((assessment, true))
        }
    }
}

/// The text of the sheet that was judged.
fn sheet_text(assessment: &Assessment) -> &str {
    assessment.sources.get(SourceId::default()).text()
}
