//! `inspect` of a root filesystem.

use impostazione_core::finding::{Report, Summary};
use impostazione_core::machine::NetplanVersion;
use impostazione_core::placing::{ChangedSince, Effect, Reader, RootfsAssessment, Survey, inspect_rootfs};
use impostazione_core::views::netplan::{
    InspectedHost, NetplanInspection, SIZE_LIMIT, in_effect, inspect_netplan, netplan_file_unusable, source,
};
use impostazione_rootfs::{Access, Record, Rootfs, Since};
use impostazione_text::Source;
use serde::Serialize;

use super::super::json;
use super::super::place::failure;
use super::netplan::Judge;
use crate::args::{Format, InspectArguments};
use crate::exit::{Exit, Failure};
use crate::{target, terminal};

#[derive(Serialize)]
struct JsonReport<'a> {
    rootfs: &'a Survey,
    /// What its netplan files make of it.
    host: Option<&'a InspectedHost>,
    netplan: Option<Judge>,
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
    changed_since: &'a [ChangedSince],
}

pub(crate) fn run(arguments: &InspectArguments, quiet: bool) -> Result<Exit, Failure> {
    let rootfs = target::open(arguments.path(), Access::Look)?;
    let mut assessment = inspect_rootfs(&rootfs).map_err(failure)?;
    let name = arguments.path().display().to_string();
    let netplan = netplan(&rootfs, &mut assessment, &name, arguments.netplan);
    let RootfsAssessment { survey, record, sources, findings, .. } = &assessment;
    let summary = Summary::of(1, findings);
    match arguments.format {
        Format::Json => {
            let placement = record.as_ref().map(|record| placement(record, &assessment));
            let report = Report::new(sources, 1, findings);
            let host = netplan.as_ref().and_then(|(inspection, ..)| inspection.host.as_ref());
            let netplan = netplan.as_ref().map(|(_, judge, _)| *judge);
            json::print(&JsonReport { rootfs: survey, host, netplan, placement, report })?;
        }
        Format::Text => {
            let width = terminal::width();
            terminal::print(&terminal::show_rootfs_heading(&name, &assessment, width))?;
            terminal::print(&terminal::show_findings(findings, sources, "", width))?;
            terminal::print(&terminal::show_rootfs(&assessment, width))?;
            if let Some((inspection, judge, files)) = &netplan {
                if let Some(host) = &inspection.host {
                    terminal::print(&format!("{}\n", terminal::show_netplan_host(host, *files, width)))?;
                }
                if !quiet {
                    terminal::print(&format!("netplan files: {}\n\n", judge.in_words()))?;
                }
            }
            if !quiet {
                terminal::print(&terminal::summary_of_host(&name, summary))?;
            }
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
        changed_since: &assessment.changed_since,
    }
}

/// Its netplan files as its netplan reads them; nothing where there are none, or no netplan that would read them.
fn netplan(
    rootfs: &Rootfs,
    assessment: &mut RootfsAssessment,
    name: &str,
    stated: Option<NetplanVersion>,
) -> Option<(NetplanInspection, Judge, usize)> {
    let found = assessment.survey.netplan.as_ref()?;
    let judge = Judge::of(stated.or_else(|| found.number()));
    let files = assessment.survey.network_files.iter();
    let files = files.filter(|file| file.reader == Reader::Netplan && file.effect != Effect::Unread);
    let files = in_effect(files.map(|file| (file_name(&file.path).to_owned(), file.path.clone())));
    if files.is_empty() {
        return None;
    }
    let mut sources = std::mem::take(&mut assessment.sources);
    let shown = |path: &str| format!("{name}/{path}");
    let mut readable = Vec::new();
    for path in &files {
        let read = match rootfs.read(path) {
            Ok(Some(bytes)) if bytes.len() as u64 > SIZE_LIMIT => Err("it is too large".to_owned()),
            Ok(Some(bytes)) => source(&shown(path), bytes.to_vec()),
            // A link to nowhere, or to `/dev/null`, which masks a file of that name in an earlier folder.
            Ok(None) if rootfs.target(path).ok().flatten().as_deref() == Some("/dev/null") => {
                Ok(Source::new(shown(path), ""))
            }
            Ok(None) => Err("it leads to nothing".to_owned()),
            Err(fault) => Err(fault.to_string()),
        };
        match read {
            Ok(source) => readable.push(source),
            Err(reason) => {
                let id = sources.add(Source::new(shown(path), ""));
                assessment.findings.push(netplan_file_unusable(id, &reason));
            }
        }
    }
    let host = format!("{name}: what netplan makes");
    let mut inspection = inspect_netplan(&host, sources, readable, judge.version());
    assessment.sources = std::mem::take(&mut inspection.sources);
    assessment.findings.append(&mut inspection.findings);
    Some((inspection, judge, files.len()))
}

fn file_name(path: &str) -> &str {
    path.rsplit('/').next().unwrap_or(path)
}
