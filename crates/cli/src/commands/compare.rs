//! `compare`

use std::path::Path;

use impostazione_core::machine::Machine;
use impostazione_core::output::{OutputFault, TreeOnDisk};
use impostazione_core::placing::{Placing, Request};
use impostazione_core::views::at_path::AtPath;
use impostazione_core::views::compare::{Difference, compare_outputs, compare_rootfs, compare_sheets};
use impostazione_core::views::review::review;
use impostazione_rootfs::{Access, Record, Rootfs};
use impostazione_secret::FilesOnly;
use serde::Serialize;

use super::json;
use super::place::failure;
use crate::args::{CompareArguments, Format};
use crate::exit::{Exit, Failure};
use crate::only::Only;
use crate::sheet_file::assess_with_file;
use crate::{target, terminal};

/// Begins what is said where no machine fits.
const NEITHER: &str = "both have";

/// What lies at a path.
enum Side {
    Sheet,
    Output(TreeOnDisk, Option<String>),
    Rootfs(Rootfs),
}

#[derive(Serialize)]
struct JsonReport<'a> {
    first: String,
    second: String,
    differences: &'a [Difference],
}

pub(crate) fn run(arguments: &CompareArguments, quiet: bool) -> Result<Exit, Failure> {
    let (first, second) = (look(&arguments.first)?, look(&arguments.second)?);
    let differences = match (first, second) {
        (Side::Sheet, Side::Sheet) => sheets(arguments)?,
        (Side::Output(one, of_one), Side::Output(other, of_other)) => {
            let names = one.machines();
            let only = Only::among(&arguments.only, names.into_iter().chain(other.machines()), NEITHER)?;
            let is_meant = |name: &str| {
                let inner = of_one.as_deref().or(of_other.as_deref());
                only.includes(name) && inner.is_none_or(|inner| inner == name)
            };
            compare_outputs(&one, &other, is_meant).map_err(files)?
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
                "{} and {} are two root filesystems; compare each with the output that it should have",
                arguments.first.display(),
                arguments.second.display()
            )));
        }
        _ => {
            return Err(Failure::CommandLine(format!(
                "{} and {} are of different kinds; compare two sheets, two outputs, or an output and a rootfs",
                arguments.first.display(),
                arguments.second.display()
            )));
        }
    };
    let names = (arguments.first.display().to_string(), arguments.second.display().to_string());
    match arguments.format {
        Format::Json => {
            let answer = JsonReport { first: names.0, second: names.1, differences: &differences };
            json::print(&answer)?;
        }
        Format::Text => {
            let text = terminal::show_differences(&differences, (&names.0, &names.1), terminal::width());
            if !quiet || !differences.is_empty() {
                terminal::print(&text)?;
            }
        }
    }
    Ok(if differences.is_empty() { Exit::Done } else { Exit::ErrorsRemain })
}

#[allow(clippy::needless_pass_by_value, reason = "it is given to map_err")]
fn files(fault: OutputFault) -> Failure {
    Failure::Files(fault.to_string())
}

fn look(path: &Path) -> Result<Side, Failure> {
    Ok(match target::look(path)? {
        AtPath::Output(tree, machine) => Side::Output(tree, machine),
        AtPath::Rootfs | AtPath::Folder | AtPath::DiskImage => {
            Side::Rootfs(target::open(path, Access::Look)?)
        }
        AtPath::Package(_) if path.is_dir() => Side::Rootfs(target::open(path, Access::Look)?),
        other @ (AtPath::Package(_) | AtPath::Netplan) => {
            return Err(Failure::CommandLine(format!(
                "{} is {}, which is compared with nothing",
                path.display(),
                other.word()
            )));
        }
        AtPath::Sheet | AtPath::File => Side::Sheet,
    })
}

fn sheets(arguments: &CompareArguments) -> Result<Vec<Difference>, Failure> {
    let read = |path: &Path| {
        let assessment = assess_with_file(path, &FilesOnly)?;
        if !assessment.is_whole {
            return Err(Failure::Files(format!(
                "{} cannot be read in full, and what is missing would seem to differ; `impostazione check` shows where",
                path.display()
            )));
        }
        Ok(assessment)
    };
    let (first, second) = (read(&arguments.first)?, read(&arguments.second)?);
    let names = first.site.machines.iter().chain(&second.site.machines).map(Machine::label);
    let only = Only::among(&arguments.only, names, NEITHER)?;
    let includes = |name: &str| only.includes(name);
    let (of_first, of_second) = (review(&first.site, includes), review(&second.site, includes));
    Ok(compare_sheets((&first.site, &of_first), (&second.site, &of_second)))
}

fn with_rootfs(
    tree: &TreeOnDisk,
    inner: Option<&str>,
    rootfs: &Rootfs,
    globs: &[String],
) -> Result<Vec<Difference>, Failure> {
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
                "{} does not say which machine it is; say so with --only: {}",
                rootfs.name().display(),
                hosts.join(", ")
            )));
        }
    };
    let output = tree.host(&machine).map_err(files)?;
    let placing = Placing::new(rootfs, &output, Request::default(), "").map_err(failure)?;
    let pending = placing.pending(rootfs).map_err(failure)?;
    compare_rootfs(rootfs, &machine, &placing, &pending).map_err(failure)
}
