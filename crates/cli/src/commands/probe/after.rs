//! `probe after`

use std::path::Path;
use std::sync::Arc;
use std::time::Instant;

use impostazione_core::assess::Assessment;
use impostazione_core::catalog;
use impostazione_core::finding::sarif::SarifLog;
use impostazione_core::finding::{Asked, Corrections, Finding, Summary};
use impostazione_core::machine::Machine;
use impostazione_core::network::SeenCertificates;
use impostazione_probe::Stop;
use impostazione_probe::arrival::{
    Arrivals, HostKeyList, Stage, Wait, judge_arrivals, longest_visit, own_known_hosts, wait,
};
use impostazione_probe::inside::{Insider, LoginOptions};
use impostazione_probe::question::ArrivalPlan;
use impostazione_secret::NotAsked;
use impostazione_standin::site::duration;
use impostazione_text::files::{ReadFault, plain, read_file};
use impostazione_text::nearest;

use super::after_report::{AfterReport, KnockReport, WhenAsked};
use super::asking::{in_the_way, open_network, show_refusal, stop_at_a_signal};
use super::kept::keep;
use crate::args::{AfterArguments, CheckFormat};
use crate::commands::json;
use crate::exit::{Exit, Failure};
use crate::network_secrets::with_host_keys;
use crate::only::Only;
use crate::seen_certificates::{certificates_path, read_certificates, write_certificates};
use crate::sheet_file::assess_with_file;
use crate::terminal::{self, ArrivalTable};

/// The largest list of host keys that is read.
const LIST_LIMIT: u64 = 64 * 1024 * 1024;

pub(crate) fn run(arguments: &AfterArguments, quiet: bool, verbose: bool) -> Result<Exit, Failure> {
    let within = arguments.wait.as_deref().map(duration).transpose();
    let within = within.map_err(|fault| Failure::CommandLine(format!("--wait: {fault}")))?;
    if let Some(path) = &arguments.to {
        super::kept::refuse_to_lose(path)?;
    }
    let without_keys = assess_with_file(&arguments.sheet, &NotAsked)?;
    let findings = in_the_way(&without_keys);
    if !findings.is_empty() {
        if arguments.format == CheckFormat::Text {
            return Ok(show_refusal(&arguments.sheet, &without_keys, &findings));
        }
        print_for_programs(arguments, &without_keys, None, &findings)?;
        return Ok(Exit::ErrorsRemain);
    }
    let list = arguments.known_hosts.as_deref().map(read_list).transpose()?;
    let with_keys = if list.is_some() || arguments.dry_run {
        None
    } else {
        with_host_keys(&arguments.sheet, &without_keys, &arguments.unlock)?
    };
    let assessment = with_keys.unwrap_or(without_keys);
    let only = Only::new(&arguments.only, &assessment.site)?;
    let keys_of = |machine: &Machine| match &list {
        Some(list) => list.keys_of(machine),
        None => impostazione_probe::question::HostKeys::NoneSaid,
    };
    let host_keys: Option<&dyn Fn(&Machine) -> _> = if list.is_some() { Some(&keys_of) } else { None };
    let plan = ArrivalPlan::new(&assessment.site, |machine| only.includes(machine), host_keys);
    let name = arguments.sheet.display().to_string();
    let network = open_network(arguments.through.as_deref(), Asked::After)?;
    let insider = insider(arguments, &assessment)?;
    let one_visit = longest_visit(&plan, insider.is_some());
    let longest = within.unwrap_or_default() + one_visit;
    if arguments.dry_run {
        return show_knocks(arguments, &KnockReport::new(&name, &plan, longest));
    }
    let file = certificates_path(&arguments.sheet);
    let mut remembered = read_certificates(&file)?;
    let stop = Arc::new(Stop::after(longest));
    stop_at_a_signal(&stop)?;
    let asked_at = jiff::Timestamp::now();
    let began = Instant::now();
    let table = ArrivalTable::new(&plan, within, quiet || arguments.format != CheckFormat::Text);
    let (machines, shared) =
        wait(&plan, &*network, &remembered, Wait { within, insider: insider.as_ref() }, &stop, &table);
    table.finish();
    let took = began.elapsed();
    let mut arrivals = judge_arrivals(&plan, machines, shared);
    arrivals.findings.extend(own_list().iter().flat_map(|list| own_known_hosts(&plan, list)));
    let found = std::mem::take(&mut arrivals.findings);
    let findings =
        assessment.judge_observed(found, Asked::After, &[], &|machine: &str| only.includes(machine));
    let newly = if arguments.remember { remember(&plan, &arrivals, &mut remembered) } else { 0 };
    // What was waited for is told, whatever cannot be written.
    let written = if newly > 0 { write_certificates(&file, &remembered) } else { Ok(()) };
    let asked = AskedAfter { plan: &plan, arrivals: &arrivals, when: WhenAsked { at: asked_at, took } };
    let kept = match &arguments.to {
        Some(path) => keep(path, &after_report(&name, &assessment, &asked, &findings)),
        None => Ok(()),
    };
    let summary = Summary::of(plan.machines.len() + plan.without_address.len(), &findings);
    if arguments.format == CheckFormat::Text {
        let shown = findings.iter().filter(|finding| verbose || !finding.is_waived());
        let mut text =
            terminal::show_findings(shown, &assessment.sources, terminal::WHOLE_SHEET, terminal::width());
        if !quiet {
            let shown = terminal::ArrivalsShown { plan: &plan, arrivals: &arrivals, remembered: &remembered };
            text += &terminal::show_arrivals(&shown, verbose, terminal::width());
            if newly > 0 && written.is_ok() {
                let certificates = terminal::count(newly, "certificate", "certificates");
                let says = format!("{certificates} remembered in {}\n\n", file.display());
                text += &says;
            }
            let all = assessment.site.machines.len();
            text += &if summary.machines < all {
                terminal::summary_of_part(&name, summary, all)
            } else {
                terminal::summary_line(&name, summary)
            };
        }
        terminal::print(&text)?;
    } else {
        print_for_programs(arguments, &assessment, Some(&asked), &findings)?;
    }
    written?;
    kept?;
    if summary.errors > 0 {
        return Ok(Exit::ErrorsRemain);
    }
    match stop.why() {
        Some(obstacle) => Err(Failure::Files(format!("not everything was asked: {obstacle}"))),
        None => Ok(Exit::Done),
    }
}

/// Shows what would be asked.
fn show_knocks(arguments: &AfterArguments, report: &KnockReport) -> Result<Exit, Failure> {
    match arguments.format {
        CheckFormat::Text => terminal::print(&terminal::show_knocks(report, terminal::width()))?,
        CheckFormat::Json => json::print(report)?,
        CheckFormat::Sarif => {
            return Err(Failure::CommandLine(
                "--dry-run finds nothing that SARIF could hold; use --format json".to_owned(),
            ));
        }
    }
    Ok(Exit::Done)
}

/// What came of asking.
struct AskedAfter<'r, 'a> {
    plan: &'r ArrivalPlan<'a>,
    arrivals: &'r Arrivals<'a>,
    when: WhenAsked,
}

fn after_report<'r>(
    name: &'r str,
    assessment: &'r Assessment,
    asked: &'r AskedAfter<'_, '_>,
    findings: &'r [Finding],
) -> AfterReport<'r> {
    AfterReport::new(name, &assessment.sources, (asked.plan, asked.arrivals), asked.when, findings)
}

fn print_for_programs(
    arguments: &AfterArguments,
    assessment: &Assessment,
    asked: Option<&AskedAfter<'_, '_>>,
    findings: &[Finding],
) -> Result<(), Failure> {
    let (name, sources) = (arguments.sheet.display().to_string(), &assessment.sources);
    if arguments.format == CheckFormat::Sarif {
        let none = Corrections::of(sources, &[]);
        return json::print_as_it_is(&SarifLog::new(catalog::all(), sources, findings, &none));
    }
    match asked {
        Some(asked) => json::print(&after_report(&name, assessment, asked, findings)),
        None => json::print(&AfterReport::refused(&name, assessment, findings)),
    }
}

/// Who looks inside of hosts, where that is wanted.
fn insider(arguments: &AfterArguments, assessment: &Assessment) -> Result<Option<Insider>, Failure> {
    if !arguments.inside {
        return Ok(None);
    }
    if let Some(name) = &arguments.as_ {
        let known = assessment.site.accounts.iter().map(|account| account.name.value.as_str());
        if !known.clone().any(|known| known == name) {
            let near = nearest(name, known, 1).first().map(|near| format!("; did you mean {near}?"));
            let near = near.unwrap_or_default();
            return Err(Failure::CommandLine(format!("--as {name}: the sheet has no such account{near}")));
        }
    }
    let options = LoginOptions { account: arguments.as_.clone(), is_simulated: arguments.through.is_some() };
    let insider = Insider::new(options).map_err(|error| {
        Failure::Files(format!("the settings for ssh cannot be written: {}", plain(&error)))
    })?;
    Ok(Some(insider))
}

/// Keeps the certificates that are new and in order; says how many.
fn remember(plan: &ArrivalPlan<'_>, arrivals: &Arrivals<'_>, remembered: &mut SeenCertificates) -> usize {
    let seen = plan.machines.iter().zip(&arrivals.machines);
    let right = seen.filter(|(_, arrival)| arrival.stage == Stage::Right);
    right
        .filter_map(|(expected, arrival)| Some((expected.machine.label(), arrival.certificate.as_ref()?)))
        .filter(|(machine, certificate)| remembered.remember(machine, &certificate.sha256))
        .count()
}

/// Reads a list of host keys that is named.
fn read_list(path: &Path) -> Result<HostKeyList, Failure> {
    let name = path.display().to_string();
    let bytes = read_file(path, LIST_LIMIT).map_err(|fault| {
        Failure::Files(match fault {
            ReadFault::Missing => format!("the list of host keys {name} does not exist"),
            other => format!("the list of host keys {name} cannot be used: {other}"),
        })
    })?;
    let list = HostKeyList::read(&name, &String::from_utf8_lossy(&bytes));
    if list.is_empty() {
        return Err(Failure::Files(format!(
            "{name} has no host key; name a file such as the known_hosts of an output"
        )));
    }
    Ok(list)
}

/// The user's own list, where there is one that can be read.
fn own_list() -> Option<HostKeyList> {
    let home = std::env::home_dir()?;
    let bytes = read_file(&home.join(".ssh/known_hosts"), LIST_LIMIT).ok()?;
    Some(HostKeyList::read("~/.ssh/known_hosts", &String::from_utf8_lossy(&bytes)))
}
