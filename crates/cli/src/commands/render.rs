//! `render`

use std::collections::BTreeSet;

use impostazione_core::machine::Machine;
use impostazione_core::output::{self, WriteReport, Writing};

use crate::args::RenderArguments;
use crate::exit::{Exit, Failure};
use crate::only::Only;
use crate::sheet_file::assess_file;
use crate::terminal;

pub(crate) fn run(arguments: &RenderArguments, quiet: bool, verbose: bool) -> Result<Exit, Failure> {
    let assessment = assess_file(&arguments.sheet)?;
    let sheet = arguments.sheet.display().to_string();
    let standing = assessment.findings.iter().filter(|finding| !finding.is_waived());
    terminal::tell(&terminal::show_findings(
        standing,
        &assessment.sources,
        terminal::WHOLE_SHEET,
        terminal::width(),
    ));
    let Some(proved) = assessment.proved() else {
        terminal::tell(&terminal::summary_line(&sheet, assessment.summary()));
        terminal::complain("nothing was written: the sheet must be right first");
        return Ok(Exit::ErrorsRemain);
    };
    let only = Only::new(&arguments.only, &assessment.site)?;
    let machines: BTreeSet<&str> = assessment.site.machines.iter().map(Machine::label).collect();
    let tree = output::render(proved, |name| only.includes(name))
        .map_err(|fault| Failure::Files(fault.to_string()))?;
    let rendered = machines.iter().filter(|name| only.includes(name)).count();
    let writing = Writing { into: &arguments.into, machines: &machines, prune: arguments.prune };
    let report = output::write(&tree, writing).map_err(|fault| Failure::Files(fault.to_string()))?;
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

fn told(arguments: &RenderArguments, report: &WriteReport, machines: usize) -> String {
    let mut parts = vec![format!(
        "{} written for {}",
        terminal::count(report.written.len(), "file", "files"),
        terminal::count(machines, "machine", "machines"),
    )];
    if report.unchanged > 0 {
        parts.push(format!("{} as they were", report.unchanged));
    }
    if !report.removed.is_empty() {
        parts.push(format!("{} removed", report.removed.len()));
    }
    format!("{}: {}\n", arguments.into.display(), parts.join(", "))
}

fn warn_of_leftovers(arguments: &RenderArguments, report: &WriteReport) {
    for machine in &report.left_machines {
        terminal::complain(&format!(
            "{machine} is no longer in the sheet; its files are still in {} (--prune removes them)",
            arguments.into.display()
        ));
    }
    for path in &report.left_files {
        terminal::complain(&format!(
            "{} is no longer rendered, but somebody has changed it since; it was left there",
            arguments.into.join(path).display()
        ));
    }
}
