//! `probe before`

use std::sync::Arc;
use std::time::Instant;

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
use impostazione_probe::question::{Plan, PlanOptions};
use impostazione_secret::NotAsked;

use super::after_report::WhenAsked;
use super::asking::{in_the_way, open_network, show_refusal, stop_at_a_signal};
use super::kept::{keep, refuse_to_lose};
use super::report::{AskedReport, BeforeReport};
use crate::args::{BeforeArguments, CheckFormat};
use crate::commands::json;
use crate::exit::{Exit, Failure};
use crate::network_secrets::time_keys;
use crate::only::Only;
use crate::sheet_file::assess_with_file;
use crate::terminal::{self, AskingProgress};

pub(crate) fn run(arguments: &BeforeArguments, quiet: bool, verbose: bool) -> Result<Exit, Failure> {
    // What is asked needs no secret, but for the keys of time servers.
    let assessment = assess_with_file(&arguments.sheet, &NotAsked)?;
    let name = arguments.sheet.display().to_string();
    let only = Only::new(&arguments.only, &assessment.site)?;
    let findings = in_the_way(&assessment);
    if !findings.is_empty() {
        if arguments.format == CheckFormat::Text {
            return Ok(show_refusal(&arguments.sheet, &assessment, &findings));
        }
        let machines = assessment.site.machines.len();
        print_for_programs(arguments, &assessment, (&Judged::default(), None), machines, &findings)?;
        return Ok(Exit::ErrorsRemain);
    }
    let told = told_appliances(&assessment.site);
    let options = PlanOptions { outside_name: outside_name(arguments)?, ask_dhcp: arguments.ask_dhcp };
    let plan = Plan::new(&assessment.site, &told, |machine| only.includes(machine), options);
    let network = open_network(arguments.through.as_deref(), Asked::Before)?;
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
    if let Some(path) = &arguments.to {
        refuse_to_lose(path)?;
    }
    let keys = time_keys(&arguments.sheet, &assessment, &arguments.unlock)?;
    let stop = Arc::new(Stop::after(within));
    stop_at_a_signal(&stop)?;
    let progress = AskingProgress::new(within, quiet || arguments.format != CheckFormat::Text);
    let (asked_at, began) = (jiff::Timestamp::now(), Instant::now());
    let answers = ask(&plan, &*network, &keys, &stop, &progress);
    progress.finish();
    let when = WhenAsked { at: asked_at, took: began.elapsed() };
    let mut judged = judge(&plan, &answers);
    let found = std::mem::take(&mut judged.findings);
    let were_asked = |machine: &str| only.includes(machine);
    let findings = assessment.judge_observed(found, Asked::Before, &judged.in_doubt, &were_asked);
    let machines: Vec<&Machine> =
        assessment.site.machines.iter().filter(|machine| only.includes(machine.label())).collect();
    let summary = Summary::of(machines.len(), &findings);
    // What was asked is told, whatever cannot be written.
    let kept = match &arguments.to {
        Some(path) => {
            let asked = (&judged, Some(when));
            keep(path, &BeforeReport::new(&name, asked, &assessment.sources, machines.len(), &findings))
        }
        None => Ok(()),
    };
    match arguments.format {
        CheckFormat::Json | CheckFormat::Sarif => {
            let asked = (&judged, Some(when));
            print_for_programs(arguments, &assessment, asked, machines.len(), &findings)?;
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
    kept?;
    if summary.errors > 0 {
        return Ok(Exit::ErrorsRemain);
    }
    match stop.why() {
        Some(obstacle) => Err(Failure::Files(format!("not everything was asked: {obstacle}"))),
        None => Ok(Exit::Done),
    }
}

fn print_for_programs(
    arguments: &BeforeArguments,
    assessment: &Assessment,
    asked: (&Judged, Option<WhenAsked>),
    machines: usize,
    findings: &[Finding],
) -> Result<(), Failure> {
    let (name, sources) = (arguments.sheet.display().to_string(), &assessment.sources);
    if arguments.format == CheckFormat::Sarif {
        let none = Corrections::of(sources, &[]);
        return json::print_as_it_is(&SarifLog::new(catalog::all(), sources, findings, &none));
    }
    json::print(&BeforeReport::new(&name, asked, sources, machines, findings))
}

/// The name that servers have to find.
fn outside_name(arguments: &BeforeArguments) -> Result<Option<String>, Failure> {
    let Some(name) = &arguments.outside_name else { return Ok(None) };
    match DomainName::parse(name) {
        Ok(name) => Ok(Some(name.to_string())),
        Err(fault) => Err(Failure::CommandLine(format!("--outside-name {name} {}", fault.reason))),
    }
}
