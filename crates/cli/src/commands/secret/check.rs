//! `secret check`

use std::fmt::Write as _;

use impostazione_core::assess::Assessment;
use impostazione_core::finding::{Finding, Report, Summary};
use impostazione_core::machine::SECRET_STORE_CANNOT_OPEN;
use impostazione_core::views::inventory::Inventory;
use impostazione_secret::store::{Seal, StoreFile};
use serde::Serialize;

use super::super::json;
use super::stored::store_failure;
use crate::args::{Format, SecretCheckArguments};
use crate::exit::{Exit, Failure};
use crate::secret_sources::RunSources;
use crate::sheet_file::{assess_with_file, today};
use crate::terminal::{self, count};

pub(super) fn run(arguments: &SecretCheckArguments, quiet: bool, verbose: bool) -> Result<Exit, Failure> {
    let sources = RunSources::new(&arguments.sheet, &arguments.unlock);
    let sources = if arguments.accept_store { sources.accepting() } else { sources };
    let assessment = assess_with_file(&arguments.sheet, &sources)?;
    let findings: Vec<&Finding> =
        assessment.findings.iter().filter(|finding| finding.rule.about_credentials).collect();
    let summary = Summary::of(assessment.site.machines.len(), findings.iter().copied());
    let shown = findings.iter().copied().filter(|finding| verbose || !finding.is_waived());
    let mut text =
        terminal::show_findings(shown, &assessment.sources, terminal::WHOLE_SHEET, terminal::width());
    let file = StoreFile::read(sources.path()).map_err(|fault| store_failure(&fault))?;
    if arguments.format == Format::Json {
        return report(&assessment, &findings, &sources, file.is_there());
    }
    let mut opens = true;
    if file.is_there() {
        let name = sources.path().display();
        match sources.open() {
            Ok(open) => {
                let inventory = Inventory::of(&assessment.site, Some(&open.store), today());
                let with = match &open.seal {
                    Seal::Passphrase(_) => "a passphrase".to_owned(),
                    Seal::Recipients => match open.store.recipients.len() {
                        1 => "one key".to_owned(),
                        many => format!("any of {many} keys"),
                    },
                };
                if !quiet {
                    let _ = writeln!(
                        text,
                        "{name}: opens with {with}, holds {} and {}",
                        count(open.store.secrets.len(), "value", "values"),
                        count(open.store.host_keys.len(), "host key", "host keys")
                    );
                    let _ = writeln!(
                        text,
                        "{name}: identity {}, written {}",
                        open.store.identity.fingerprint(),
                        count(usize::try_from(open.store.revision).unwrap_or(usize::MAX), "time", "times")
                    );
                    if !inventory.unused.is_empty() {
                        // Writing to a String does not fail.
                        let _ = writeln!(
                            text,
                            "{name}: {} no longer used (`impostazione secret remove {} --unused` removes them)",
                            count(inventory.unused.len(), "entry is", "entries are"),
                            arguments.sheet.display()
                        );
                    }
                }
            }
            Err(fault) => {
                opens = false;
                // Where the sheet wants something of it, that is a finding already.
                let is_told = |finding: &&Finding| {
                    *finding.rule == SECRET_STORE_CANNOT_OPEN || finding.rule.not_looked_at
                };
                if !findings.iter().any(is_told) {
                    terminal::say_error(&format!("{fault}; {}", fault.fix()));
                }
            }
        }
    }
    // Of a sheet that could not be read in full nobody can say that nothing is wrong.
    if !quiet && assessment.is_whole {
        text += &terminal::summary_line(&arguments.sheet.display().to_string(), summary);
    }
    terminal::print(&text)?;
    if !assessment.is_whole {
        terminal::say_warning(&format!(
            "the sheet cannot be read in full, so more may be wrong; `impostazione check {}` shows why",
            arguments.sheet.display()
        ));
    }
    let is_unlooked = summary.not_looked_at > 0;
    Ok(if summary.errors > 0 || is_unlooked || !opens || !assessment.is_whole {
        Exit::ErrorsRemain
    } else {
        Exit::Done
    })
}

/// The store beside a sheet, for other programs.
#[derive(Serialize)]
struct JsonReport<'a> {
    store: Option<StoreReport>,
    /// Whether the sheet could be read in full.
    sheet_read_whole: bool,
    #[serde(flatten)]
    report: Report<'a>,
}

#[derive(Serialize)]
struct StoreReport {
    file: String,
    opens: bool,
    /// Why it does not.
    message: Option<String>,
    fix: Option<String>,
    opens_with: Option<&'static str>,
    recipients: Option<usize>,
    identity: Option<String>,
    times_written: Option<u64>,
    values: Option<usize>,
    host_keys: Option<usize>,
    unused: Option<usize>,
}

fn report(
    assessment: &Assessment,
    findings: &[&Finding],
    sources: &RunSources,
    is_there: bool,
) -> Result<Exit, Failure> {
    let file = sources.path().display().to_string();
    let store = is_there.then(|| match sources.open() {
        Ok(open) => {
            let inventory = Inventory::of(&assessment.site, Some(&open.store), today());
            let (opens_with, recipients) = match &open.seal {
                Seal::Passphrase(_) => ("passphrase", None),
                Seal::Recipients => ("keys", Some(open.store.recipients.len())),
            };
            StoreReport {
                file,
                opens: true,
                message: None,
                fix: None,
                opens_with: Some(opens_with),
                recipients,
                identity: Some(open.store.identity.fingerprint().to_string()),
                times_written: Some(open.store.revision),
                values: Some(open.store.secrets.len()),
                host_keys: Some(open.store.host_keys.len()),
                unused: Some(inventory.unused.len()),
            }
        }
        Err(fault) => StoreReport {
            file,
            opens: false,
            message: Some(fault.to_string()),
            fix: Some(fault.fix().to_owned()),
            opens_with: None,
            recipients: None,
            identity: None,
            times_written: None,
            values: None,
            host_keys: None,
            unused: None,
        },
    });
    let opens = store.as_ref().is_none_or(|store| store.opens);
    let machines = assessment.site.machines.len();
    let report = Report::new(&assessment.sources, machines, findings.iter().copied());
    let wrong = report.summary.errors + report.summary.not_looked_at;
    json::print(&JsonReport { store, sheet_read_whole: assessment.is_whole, report })?;
    Ok(if wrong > 0 || !opens || !assessment.is_whole { Exit::ErrorsRemain } else { Exit::Done })
}
