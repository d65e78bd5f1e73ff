//! `check`

use impostazione_core::finding::{Finding, Report, Summary};

use crate::args::{CheckArguments, Format};
use crate::exit::{Exit, Failure};
use crate::only::Only;
use crate::sheet_file::assess_file;
use crate::terminal;

pub(crate) fn run(arguments: &CheckArguments, quiet: bool) -> Result<Exit, Failure> {
    let assessment = assess_file(&arguments.sheet)?;
    let only = Only::new(&arguments.only, &assessment.site)?;
    let findings: Vec<&Finding> = assessment
        .findings
        .iter()
        .filter(|finding| finding.machine.as_deref().is_none_or(|machine| only.includes(machine)))
        .collect();
    let machines = assessment.site.machines.iter().filter(|machine| only.includes(machine.label())).count();
    let summary = Summary::of(machines, findings.iter().copied());
    match arguments.format {
        Format::Json => {
            let report = Report::new(&assessment.sources, machines, findings.iter().copied());
            terminal::print(&to_json(&report)?)?;
        }
        Format::Text => {
            let mut text =
                terminal::show_findings(findings.iter().copied(), &assessment.sources, terminal::width());
            if !quiet {
                text += &terminal::summary_line(&arguments.sheet.display().to_string(), summary);
            }
            terminal::print(&text)?;
        }
    }
    Ok(if summary.errors > 0 { Exit::ErrorsRemain } else { Exit::Done })
}

pub(super) fn to_json(value: &impl serde::Serialize) -> Result<String, Failure> {
    let text = serde_json::to_string_pretty(value);
    text.map(|text| text + "\n")
        .map_err(|error| Failure::Files(format!("the result cannot be written: {error}")))
}
