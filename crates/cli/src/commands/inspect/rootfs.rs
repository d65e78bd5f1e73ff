//! `inspect` of a root filesystem.

use impostazione_core::finding::{Report, Summary};
use impostazione_core::placing::{Reader, RootfsAssessment, Survey, inspect_rootfs};
use impostazione_core::views::netplan::{SIZE_LIMIT, inspect_netplan, source};
use impostazione_rootfs::{Access, Record, Rootfs, Since};
use impostazione_text::Source;
use serde::Serialize;

use super::super::json;
use super::super::place::failure;
use crate::args::{Format, InspectArguments};
use crate::exit::{Exit, Failure};
use crate::{target, terminal};

#[derive(Serialize)]
struct JsonReport<'a> {
    rootfs: &'a Survey,
    placement: Option<Placement<'a>>,
    #[serde(flatten)]
    report: Report<'a>,
}

#[derive(Serialize)]
struct Placement<'a> {
    machine: &'a str,
    placed: &'a str,
    #[serde(rename = "cut_off")]
    is_cut_off: bool,
    changed: Vec<&'a str>,
    changed_since: Vec<&'a str>,
}

pub(crate) fn run(arguments: &InspectArguments, quiet: bool) -> Result<Exit, Failure> {
    let rootfs = target::open(&arguments.path, Access::Look)?;
    let assessment = inspect_rootfs(&rootfs).map_err(failure)?;
    let RootfsAssessment { survey, record, sources, findings, .. } = &assessment;
    let name = arguments.path.display().to_string();
    let summary = Summary::of(1, findings);
    match arguments.format {
        Format::Json => {
            let placement = record.as_ref().map(|record| placement(record, &assessment));
            let report = Report::new(sources, 1, findings);
            json::print(&JsonReport { rootfs: survey, placement, report })?;
        }
        Format::Text => {
            let width = terminal::width();
            terminal::print(&terminal::show_rootfs(&name, &assessment, width))?;
            if let Some(text) = netplan(&rootfs, survey, &name, width) {
                terminal::print(&text)?;
            }
            let mut text = terminal::show_findings(findings, sources, "", width);
            if !quiet {
                text += &terminal::summary_of_host(&name, summary);
            }
            terminal::print(&text)?;
        }
    }
    Ok(if summary.errors > 0 { Exit::ErrorsRemain } else { Exit::Done })
}

fn placement<'a>(record: &'a Record, assessment: &'a RootfsAssessment) -> Placement<'a> {
    let steps = record.steps.iter().zip(&assessment.since);
    let standing = steps.filter(|(_, since)| **since != Since::AsBefore);
    Placement {
        machine: &record.machine,
        placed: &record.placed,
        is_cut_off: record.is_under_way,
        changed: standing.map(|(step, _)| step.path.as_str()).collect(),
        changed_since: assessment.drifted(),
    }
}

/// What its netplan files make of the host, as far as they can be read.
fn netplan(rootfs: &Rootfs, survey: &Survey, name: &str, width: usize) -> Option<String> {
    let files = survey.network_files.iter().filter(|file| file.reader == Reader::Netplan);
    let read = |path: &str| -> Option<Source> {
        let bytes = rootfs.read(path).ok()??;
        if bytes.len() as u64 > SIZE_LIMIT {
            return None;
        }
        source(path, bytes.to_vec()).ok()
    };
    let mut sources: Vec<Source> = files.filter_map(|file| read(&file.path)).collect();
    sources.sort_by(|one, other| file_name(one.name()).cmp(file_name(other.name())));
    let count = sources.len();
    let host =
        (count > 0).then(|| inspect_netplan(&format!("{name}: what netplan makes"), sources).host())??;
    Some(format!("{}\n", terminal::show_netplan_host(&host, count, width)))
}

fn file_name(path: &str) -> &str {
    path.rsplit('/').next().unwrap_or(path)
}
