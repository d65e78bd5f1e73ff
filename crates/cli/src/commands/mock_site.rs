//! `mock-site`

use std::io::Write as _;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use impostazione_core::finding::Finding;
use impostazione_core::machine::Machine;
use impostazione_core::network::{NetworkMap, Whose};
use impostazione_probe::Stop;
use impostazione_secret::NotAsked;
use impostazione_standin::site::{Fault, MockSite, duration};
use impostazione_text::files::plain;
use serde::Serialize;

use super::json;
use super::probe::stop_at_a_signal;
use crate::args::{Format, MockSiteArguments};
use crate::exit::{Exit, Failure};
use crate::network_secrets::{time_keys, with_host_keys};
use crate::read_map::read_map;
use crate::sheet_file::assess_with_file;
use crate::terminal::{self, count};

/// How long a site stays where nobody ends it.
const FOREVER: Duration = Duration::from_hours(100 * 365 * 24);

#[derive(Serialize)]
struct JsonReport<'a> {
    sheet: &'a str,
    /// Where the map was written.
    map: String,
    faults: &'a [String],
    addresses: usize,
    ports: usize,
}

pub(crate) fn run(arguments: &MockSiteArguments, quiet: bool) -> Result<Exit, Failure> {
    let within = arguments.for_.as_deref().map(duration).transpose();
    let within = within.map_err(|fault| Failure::CommandLine(format!("--for: {fault}")))?;
    refuse_to_lose(&arguments.map)?;
    let assessment = assess_with_file(&arguments.sheet, &NotAsked)?;
    let sheet = arguments.sheet.display().to_string();
    if assessment.findings.iter().any(Finding::is_in_the_way) {
        terminal::say_error(&format!("{sheet} has errors; `impostazione check {sheet}` shows them"));
        return Ok(Exit::ErrorsRemain);
    }
    let faults = arguments.fault.iter().map(|text| {
        Fault::parse(text, &assessment.site)
            .map_err(|fault| Failure::CommandLine(format!("--fault {text}: {fault}")))
    });
    let faults: Vec<Fault> = faults.collect::<Result<_, _>>()?;
    let keys = time_keys(&arguments.sheet, &assessment, &arguments.unlock)?;
    let keys: Vec<_> = keys.into_values().collect();
    // Without them the hosts show keys that are made up.
    let with_keys = with_host_keys(&arguments.sheet, &assessment, &arguments.unlock)?;
    let site = with_keys.as_ref().map_or(&assessment.site, |assessment| &assessment.site);
    let has_no_key = |machine: &Machine| {
        machine.settings.ssh.has_made_key()
            && machine.host().is_some_and(|host| host.host_key.value().is_none())
    };
    if site.machines.iter().any(has_no_key) {
        terminal::say_note(
            "the store of the sheet was not opened, so hosts show host keys that are made up, and `probe after` says so",
        );
    }
    let stop = Arc::new(Stop::after(within.unwrap_or(FOREVER)));
    stop_at_a_signal(&stop)?;
    let site = MockSite::start(site, &sheet, &faults, &keys)
        .map_err(|error| Failure::Files(format!("the site cannot be played: {}", plain(&error))))?;
    write_map(&arguments.map, site.map())?;
    let result = tell(arguments, &sheet, site.map(), quiet);
    if result.is_ok() {
        while stop.why().is_none() {
            stop.sleep(Duration::from_secs(1));
        }
    }
    // A map that leads nowhere is of no use. One that somebody else has written since is not ours.
    if std::fs::read_to_string(&arguments.map).is_ok_and(|text| text == site.map().to_text()) {
        std::fs::remove_file(&arguments.map).map_err(|error| cannot_write(&arguments.map, &error))?;
    }
    result?;
    if !quiet {
        terminal::tell("the site has ended\n");
    }
    Ok(Exit::Done)
}

fn tell(arguments: &MockSiteArguments, sheet: &str, map: &NetworkMap, quiet: bool) -> Result<(), Failure> {
    let ports = map.addresses.iter().map(|mapped| mapped.ports.len()).sum();
    let path = arguments.map.display();
    if arguments.format == Format::Json {
        return json::print(&JsonReport {
            sheet,
            map: path.to_string(),
            faults: &arguments.fault,
            addresses: map.addresses.len(),
            ports,
        });
    }
    if quiet {
        return Ok(());
    }
    let taken = map.addresses.iter().filter(|mapped| mapped.before == Whose::Somebody).count();
    let faults: Vec<String> = arguments.fault.iter().map(|fault| terminal::harmless(fault)).collect();
    let faults =
        if faults.is_empty() { String::new() } else { format!("Wrong with it: {}\n", faults.join(", ")) };
    let end = match &arguments.for_ {
        Some(within) => format!("It ends after {within}, or with Ctrl-C."),
        None => "It ends with Ctrl-C.".to_owned(),
    };
    let sheet = terminal::harmless(sheet);
    let addresses = count(map.addresses.len(), "address", "addresses");
    let ports = count(ports, "port", "ports");
    terminal::print(&format!(
        "{sheet}: {addresses} of the site on this computer, {taken} of them with somebody there, {ports} on loopback\n{faults}\n\
         In another terminal:\n\n  impostazione probe before {sheet} --through {path}\n  impostazione probe after {sheet} --through {path}\n\n\
         {end}\n"
    ))
}

/// Refuses to write over what is not a map that an earlier site has left.
fn refuse_to_lose(path: &Path) -> Result<(), Failure> {
    if std::fs::symlink_metadata(path).is_err() {
        return Ok(());
    }
    match read_map(path) {
        Ok(_) => Ok(()),
        Err(_) => Err(Failure::Files(format!(
            "{} exists and is not a map of `mock-site`; name another file with --map",
            path.display()
        ))),
    }
}

/// Writes the map, whole or not at all.
fn write_map(path: &Path, map: &NetworkMap) -> Result<(), Failure> {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut file = tempfile::NamedTempFile::new_in(folder).map_err(|error| cannot_write(path, &error))?;
    file.write_all(map.to_text().as_bytes()).map_err(|error| cannot_write(path, &error))?;
    file.persist(path).map_err(|error| cannot_write(path, &error.error))?;
    Ok(())
}

fn cannot_write(path: &Path, error: &std::io::Error) -> Failure {
    Failure::Files(format!("the map {} cannot be written: {}", path.display(), plain(error)))
}
