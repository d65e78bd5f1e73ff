//! `probe before`

use std::sync::Arc;

use impostazione_core::appliance::told_appliances;
use impostazione_core::assess::Assessment;
use impostazione_core::catalog;
use impostazione_core::finding::sarif::SarifLog;
use impostazione_core::finding::{Asked, Corrections, Finding, Summary};
use impostazione_core::machine::Machine;
use impostazione_net::DomainName;
use impostazione_probe::Stop;
use impostazione_probe::ask::{ask, longest};
use impostazione_probe::judge::{Judged, judge};
use impostazione_probe::network::{MappedNetwork, Network, RealNetwork};
use impostazione_probe::question::{Plan, PlanOptions};
use impostazione_secret::NotAsked;
use impostazione_text::files::plain;

use super::report::{AskedReport, BeforeReport};
use crate::args::{BeforeArguments, CheckFormat};
use crate::commands::json;
use crate::exit::{Exit, Failure};
use crate::only::Only;
use crate::read_map::read_map;
use crate::sheet_file::assess_with_file;
use crate::terminal::{self, AskingProgress};
use crate::time_keys::time_keys;

pub(crate) fn run(arguments: &BeforeArguments, quiet: bool, verbose: bool) -> Result<Exit, Failure> {
    // What is asked needs no secret, but for the keys of time servers.
    let assessment = assess_with_file(&arguments.sheet, &NotAsked)?;
    let name = arguments.sheet.display().to_string();
    let only = Only::new(&arguments.only, &assessment.site)?;
    let in_the_way: Vec<&Finding> =
        assessment.findings.iter().filter(|finding| finding.is_in_the_way()).collect();
    if !in_the_way.is_empty() {
        let findings: Vec<Finding> = in_the_way.into_iter().cloned().collect();
        return refuse(arguments, &assessment, &findings);
    }
    let told = told_appliances(&assessment.site);
    let options = PlanOptions { outside_name: outside_name(arguments)?, ask_dhcp: arguments.ask_dhcp };
    let plan = Plan::new(&assessment.site, &told, |machine| only.includes(machine), options);
    let network: Box<dyn Network> = match &arguments.through {
        Some(path) => Box::new(MappedNetwork::new(read_map(path)?)),
        None => Box::new(RealNetwork::open().map_err(|error| {
            Failure::Files(format!(
                "the kernel does not say how this computer is connected: {}",
                plain(&error)
            ))
        })?),
    };
    let within = longest(&plan);
    if arguments.dry_run {
        let report = AskedReport::new(&name, &plan, &*network, within);
        match arguments.format {
            CheckFormat::Text => terminal::print(&terminal::show_plan(&report, terminal::width()))?,
            CheckFormat::Json => json::print(&report)?,
            CheckFormat::Sarif => {
                return Err(Failure::CommandLine(
                    "--dry-run finds nothing that SARIF could hold; use --format json".to_owned(),
                ));
            }
        }
        return Ok(Exit::Done);
    }
    let keys = time_keys(&arguments.sheet, &assessment, &arguments.unlock)?;
    let stop = Arc::new(Stop::after(within));
    stop_at_a_signal(&stop)?;
    let progress = AskingProgress::new(within, quiet || arguments.format != CheckFormat::Text);
    let answers = ask(&plan, &*network, &keys, &stop, &progress);
    progress.finish();
    let mut judged = judge(&plan, &answers);
    let found = std::mem::take(&mut judged.findings);
    let were_asked = |machine: &str| only.includes(machine);
    let findings = assessment.judge_observed(found, Asked::Before, &judged.in_doubt, &were_asked);
    let machines: Vec<&Machine> =
        assessment.site.machines.iter().filter(|machine| only.includes(machine.label())).collect();
    let summary = Summary::of(machines.len(), &findings);
    match arguments.format {
        CheckFormat::Json | CheckFormat::Sarif => {
            print_for_programs(arguments, &assessment, &judged, machines.len(), &findings)?;
        }
        CheckFormat::Text => {
            let shown = findings.iter().filter(|finding| verbose || !finding.is_waived());
            let mut text =
                terminal::show_findings(shown, &assessment.sources, terminal::WHOLE_SHEET, terminal::width());
            text += &terminal::show_records(&judged.records);
            if !quiet {
                text += &terminal::show_tally(&judged.tally, &judged.not_yet, terminal::width());
                let all = assessment.site.machines.len();
                text += &if machines.len() < all {
                    terminal::summary_of_part(&name, summary, all)
                } else {
                    terminal::summary_line(&name, summary)
                };
            }
            terminal::print(&text)?;
        }
    }
    if summary.errors > 0 {
        return Ok(Exit::ErrorsRemain);
    }
    match stop.why() {
        Some(obstacle) => Err(Failure::Files(format!("not everything was asked: {obstacle}"))),
        None => Ok(Exit::Done),
    }
}

/// Refuses to check a network against a sheet that is wrong.
fn refuse(
    arguments: &BeforeArguments,
    assessment: &Assessment,
    findings: &[Finding],
) -> Result<Exit, Failure> {
    if arguments.format == CheckFormat::Text {
        let (whole, width) = (terminal::WHOLE_SHEET, terminal::width());
        terminal::tell(&terminal::show_findings(findings, &assessment.sources, whole, width));
        let name = arguments.sheet.display();
        let errors = terminal::count(findings.len(), "error", "errors");
        terminal::say_error(&format!(
            "nothing was asked: {name} has {errors}; correct the sheet first, since the network is checked against it"
        ));
    } else {
        let machines = assessment.site.machines.len();
        print_for_programs(arguments, assessment, &Judged::default(), machines, findings)?;
    }
    Ok(Exit::ErrorsRemain)
}

fn print_for_programs(
    arguments: &BeforeArguments,
    assessment: &Assessment,
    judged: &Judged,
    machines: usize,
    findings: &[Finding],
) -> Result<(), Failure> {
    let (name, sources) = (arguments.sheet.display().to_string(), &assessment.sources);
    if arguments.format == CheckFormat::Sarif {
        let none = Corrections::of(sources, &[]);
        return json::print_as_it_is(&SarifLog::new(catalog::all(), sources, findings, &none));
    }
    json::print(&BeforeReport::new(&name, judged, sources, machines, findings))
}

/// The name that servers have to find.
fn outside_name(arguments: &BeforeArguments) -> Result<Option<String>, Failure> {
    let Some(name) = &arguments.outside_name else { return Ok(None) };
    match DomainName::parse(name) {
        Ok(name) => Ok(Some(name.to_string())),
        Err(fault) => Err(Failure::CommandLine(format!("--outside-name {name} {}", fault.reason))),
    }
}

/// Ends asking at Ctrl-C, so that what is known is told; a second one ends the program.
pub(crate) fn stop_at_a_signal(stop: &Arc<Stop>) -> Result<(), Failure> {
    let stop = Arc::clone(stop);
    let is_second = std::sync::atomic::AtomicBool::new(false);
    ctrlc::set_handler(move || {
        if is_second.swap(true, std::sync::atomic::Ordering::SeqCst) {
            std::process::exit(130);
        }
        stop.interrupt();
    })
    .map_err(|error| Failure::Files(format!("signals cannot be waited for: {error}")))
}
