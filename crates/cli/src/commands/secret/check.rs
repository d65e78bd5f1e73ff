//! `secret check`

use std::fmt::Write as _;

use impostazione_core::finding::{Finding, Summary};
use impostazione_core::machine::SECRET_STORE_CANNOT_OPEN;
use impostazione_core::views::inventory::Inventory;
use impostazione_secret::store::{Seal, StoreFile};

use super::stored::store_failure;
use crate::args::SecretCheckArguments;
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
                        "{name}: opens with {with}; holds {} and {}",
                        count(open.store.secrets.len(), "value", "values"),
                        count(open.store.host_keys.len(), "host key", "host keys")
                    );
                    let _ = writeln!(
                        text,
                        "{name}: its identity is {}, and it was written {}",
                        open.store.identity.fingerprint(),
                        count(usize::try_from(open.store.revision).unwrap_or(usize::MAX), "time", "times")
                    );
                    if !inventory.left_over.is_empty() {
                        // Writing to a String does not fail.
                        let _ = writeln!(
                            text,
                            "{name}: {} no longer wanted (`impostazione secret remove {} --left-over` takes them out)",
                            count(inventory.left_over.len(), "entry is", "entries are"),
                            arguments.sheet.display()
                        );
                    }
                }
            }
            Err(fault) => {
                opens = false;
                // Where the sheet wants something of it, that is a finding already.
                if !findings.iter().any(|finding| *finding.rule == SECRET_STORE_CANNOT_OPEN) {
                    terminal::complain(&format!("{fault}; {}", fault.fix()));
                }
            }
        }
    }
    if !quiet {
        text += &terminal::summary_line(&arguments.sheet.display().to_string(), summary);
    }
    terminal::print(&text)?;
    if !assessment.is_whole {
        terminal::complain(&format!(
            "the sheet cannot be read in full, so that more may be wrong; `impostazione check {}` says why",
            arguments.sheet.display()
        ));
    }
    Ok(if summary.errors > 0 || !opens || !assessment.is_whole { Exit::ErrorsRemain } else { Exit::Done })
}
