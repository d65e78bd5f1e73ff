//! `compare`

use std::path::Path;

use impostazione_core::assess::Assessment;
use impostazione_core::machine::Machine;
use impostazione_core::output::{OutputFault, TreeOnDisk};
use impostazione_core::placing::{Keeping, Placing, Request};
use impostazione_core::views::at_path::AtPath;
use impostazione_core::views::compare::{
    ComparedSheet, Comparison, Scope, compare_outputs, compare_reports, compare_rootfs, compare_sheets,
};
use impostazione_core::views::kept_report::{KEPT_REPORT_LIMIT, KeptReport};
use impostazione_rootfs::{Access, Record, Rootfs};
use impostazione_secret::store::{Store, StoreFault};
use impostazione_secret::{SecretSources, SourceFault};
use impostazione_text::Hidden;
use impostazione_text::files::read_file;
use serde::Serialize;

use super::json;
use super::place::failure;
use crate::args::{CompareArguments, Format};
use crate::exit::{Exit, Failure};
use crate::only::Only;
use crate::secret_sources::RunSources;
use crate::sheet_file::assess_with_file;
use crate::{target, terminal};

/// Begins the message when no machine matches.
const NEITHER: &str = "neither has";

/// What lies at a path.
enum Side {
    Sheet,
    Output(TreeOnDisk, Option<String>),
    Rootfs(Rootfs),
    Report(Box<KeptReport>),
}

#[derive(Serialize)]
struct JsonReport<'a> {
    first: String,
    second: String,
    #[serde(flatten)]
    comparison: &'a Comparison,
}

pub(crate) fn run(arguments: &CompareArguments, quiet: bool) -> Result<Exit, Failure> {
    let (first, second) = (look(&arguments.first)?, look(&arguments.second)?);
    let comparison = match (first, second) {
        (Side::Sheet, Side::Sheet) => sheets(arguments)?,
        (Side::Report(one), Side::Report(other)) => reports(&one, &other, &arguments.only)?,
        (Side::Output(one, of_one), Side::Output(other, of_other)) => {
            outputs((&one, of_one.as_deref()), (&other, of_other.as_deref()), &arguments.only)?
        }
        (Side::Output(tree, inner), Side::Rootfs(rootfs)) => {
            with_rootfs(&tree, inner.as_deref(), &rootfs, &arguments.only)?
        }
        (Side::Rootfs(_), Side::Output(..)) => {
            return Err(Failure::CommandLine(format!(
                "write the output first: compare {} {}",
                arguments.second.display(),
                arguments.first.display()
            )));
        }
        (Side::Rootfs(_), Side::Rootfs(_)) => {
            return Err(Failure::CommandLine(format!(
                "{} and {} are both root filesystems; compare each with the output it should have",
                arguments.first.display(),
                arguments.second.display()
            )));
        }
        _ => {
            return Err(Failure::CommandLine(format!(
                "{} and {} are not the same kind of thing; compare two sheets, two outputs, an output and a \
                    rootfs, or two reports of probe",
                arguments.first.display(),
                arguments.second.display()
            )));
        }
    };
    let names = (arguments.first.display().to_string(), arguments.second.display().to_string());
    match arguments.format {
        Format::Json => {
            json::print(&JsonReport { first: names.0, second: names.1, comparison: &comparison })?;
        }
        Format::Text => {
            let text = terminal::show_comparison(&comparison, (&names.0, &names.1), terminal::width());
            if !quiet || !comparison.differences.is_empty() {
                terminal::print(&text)?;
            }
        }
    }
    if !comparison.differences.is_empty() {
        return Ok(Exit::ErrorsRemain);
    }
    if comparison.not_compared.is_empty() {
        return Ok(Exit::Done);
    }
    Err(Failure::Files(format!(
        "{} and {} could not be compared in full, so they may differ",
        arguments.first.display(),
        arguments.second.display()
    )))
}

/// Reads a report that was kept.
fn read_report(path: &Path) -> Result<KeptReport, Failure> {
    let name = path.display();
    let bytes = read_file(path, KEPT_REPORT_LIMIT)
        .map_err(|fault| Failure::Files(format!("the report {name} cannot be used: {fault}")))?;
    let text = String::from_utf8(bytes).map_err(|_| Failure::Files(format!("{name} is not UTF-8 text")))?;
    KeptReport::parse(&text).map_err(|fault| Failure::Files(format!("{name} {fault}")))
}

fn reports(one: &KeptReport, other: &KeptReport, patterns: &[String]) -> Result<Comparison, Failure> {
    let machines = |report: &KeptReport| -> Vec<String> {
        let named = report.machines.iter().map(|machine| machine.machine.clone());
        named.chain(report.findings.iter().filter_map(|finding| finding.machine.clone())).collect()
    };
    let names = [machines(one), machines(other)].concat();
    let only = Only::among(patterns, names.iter().map(String::as_str), NEITHER)?;
    Ok(compare_reports(one, other, &|machine| only.includes(machine)))
}

#[allow(clippy::needless_pass_by_value, reason = "it is given to map_err")]
fn files(fault: OutputFault) -> Failure {
    Failure::Files(fault.to_string())
}

fn look(path: &Path) -> Result<Side, Failure> {
    match target::look(path)? {
        AtPath::Output(tree, machine) => Ok(Side::Output(tree, machine)),
        AtPath::Rootfs | AtPath::DiskImage => Ok(Side::Rootfs(target::open(path, Access::Look)?)),
        AtPath::Sheet => Ok(Side::Sheet),
        AtPath::KeptReport => Ok(Side::Report(Box::new(read_report(path)?))),
        other => Err(Failure::CommandLine(format!(
            "{} is {}; compare two sheets, two outputs, an output and a rootfs, or two reports of probe",
            path.display(),
            other.word()
        ))),
    }
}

fn sheets(arguments: &CompareArguments) -> Result<Comparison, Failure> {
    let read = |path: &Path| {
        let sources = AlikeSources(RunSources::new(path, &arguments.unlock));
        let assessment = assess_with_file(path, &sources)?;
        if !assessment.is_whole {
            return Err(Failure::Files(format!(
                "{0} cannot be read in full, so the missing part would look like a difference; `impostazione check {0}` \
                    shows where",
                path.display()
            )));
        }
        Ok(assessment)
    };
    let (first, second) = (read(&arguments.first)?, read(&arguments.second)?);
    let names = first.site.machines.iter().chain(&second.site.machines).map(Machine::label);
    let only = Only::among(&arguments.only, names, NEITHER)?;
    let paths = (arguments.first.display().to_string(), arguments.second.display().to_string());
    Ok(compare_sheets(compared(&paths.0, &first), compared(&paths.1, &second), |name| only.includes(name)))
}

fn compared<'a>(name: &'a str, assessment: &'a Assessment) -> ComparedSheet<'a> {
    ComparedSheet { name, site: &assessment.site, findings: &assessment.findings }
}

/// What secrets two sheets have: a value that is asked for in every run, or comes from a variable that is not set, is taken to
/// be one and the same wherever it is called the same.
struct AlikeSources(RunSources);

impl SecretSources for AlikeSources {
    fn variable(&self, name: &str) -> Result<Hidden, SourceFault> {
        self.0.variable(name).or_else(|_| Ok(stand_in("variable", name)))
    }

    fn ask(&self, secret: &str) -> Result<Hidden, SourceFault> {
        Ok(stand_in("prompt", secret))
    }

    fn store(&self) -> Result<&Store, StoreFault> {
        self.0.store()
    }

    fn store_mode_for_others(&self) -> Option<u32> {
        self.0.store_mode_for_others()
    }

    fn store_name(&self) -> String {
        self.0.store_name()
    }
}

fn stand_in(source: &str, name: &str) -> Hidden {
    Hidden::new(format!("{source} {name}"))
}

/// Two outputs, or machines of them.
fn outputs(
    (first, of_first): (&TreeOnDisk, Option<&str>),
    (second, of_second): (&TreeOnDisk, Option<&str>),
    globs: &[String],
) -> Result<Comparison, Failure> {
    let names = first.machines().into_iter().chain(second.machines());
    let only = Only::among(globs, names, NEITHER)?;
    let is_meant = |name: &str| only.includes(name);
    let scope = match (of_first, of_second) {
        (Some(_), _) | (_, Some(_)) if !globs.is_empty() => {
            return Err(Failure::CommandLine(
                "the folder of one machine holds that machine alone; leave --only out, or name the folder of the \
                    whole output"
                    .to_owned(),
            ));
        }
        (Some(one), Some(other)) => Scope::Pair(one, other),
        // The same machine of a whole output, which must have it.
        (Some(one), None) => Scope::Pair(one, known(second, one)?),
        (None, Some(other)) => Scope::Pair(known(first, other)?, other),
        (None, None) if globs.is_empty() => Scope::Whole,
        (None, None) => Scope::Machines(&is_meant),
    };
    compare_outputs(first, second, scope).map_err(files)
}

/// The machine of an output that has this name.
fn known<'a>(tree: &'a TreeOnDisk, machine: &str) -> Result<&'a str, Failure> {
    let machines = tree.machines();
    machines.get(machine).copied().ok_or_else(|| {
        let has: Vec<&str> = machines.iter().copied().collect();
        Failure::CommandLine(format!(
            "{} has no machine {machine}; it has {}",
            tree.folder().display(),
            has.join(", ")
        ))
    })
}

fn with_rootfs(
    tree: &TreeOnDisk,
    inner: Option<&str>,
    rootfs: &Rootfs,
    globs: &[String],
) -> Result<Comparison, Failure> {
    let only = Only::among(globs, tree.hosts().into_iter(), "the output has")?;
    let record = Record::read(rootfs).map_err(failure)?;
    let hosts: Vec<&str> = tree.hosts().into_iter().filter(|host| only.includes(host)).collect();
    let placed =
        record.as_ref().map(|record| record.machine.as_str()).filter(|machine| hosts.contains(machine));
    let machine = match (inner, placed, hosts.as_slice()) {
        (Some(machine), _, _) | (None, Some(machine), _) => machine.to_owned(),
        (None, None, [machine]) => (*machine).to_owned(),
        _ => {
            return Err(Failure::CommandLine(format!(
                "{} does not say which machine it is; choose one with --only: {}",
                rootfs.name().display(),
                hosts.join(", ")
            )));
        }
    };
    let output = tree.host(&machine).map_err(files)?;
    // What is there by now is what is compared, whoever has put it there.
    let request =
        Request { may_replace: true, keeping: Keeping::Nothing, is_answered: true, ..Request::default() };
    let placing = Placing::new(rootfs, &output, request, "").map_err(failure)?;
    let pending = placing.pending(rootfs).map_err(failure)?;
    compare_rootfs(rootfs, &machine, &placing, &pending).map_err(failure)
}
