//! A root filesystem, for people: what it is, what would set its network up, who can log in, and what was placed on it.

use std::fmt::Write as _;

use impostazione_core::finding::Summary;
use impostazione_core::placing::{
    Effect, FoundAccount, FoundPassword, MachineId, RootfsAssessment, Survey, WayIn,
};
use impostazione_text::ByteSize;
use impostazione_text::visible::harmless;

use super::screen::{wrapped_behind, wrapping};
use super::theme::STRONG;

/// The columns of the titles.
const TITLE: usize = 15;

struct Lines {
    text: String,
    width: usize,
}

impl Lines {
    /// A titled line, wrapped below itself.
    fn add(&mut self, title: &str, value: &str) {
        let indent = " ".repeat(TITLE + 2);
        let wrapped = wrapped_behind(&harmless(value), &indent, self.width);
        let value = wrapped.trim_start();
        // Writing to a String does not fail.
        let _ = writeln!(self.text, "  {title:TITLE$}{value}");
    }

    /// Several lines below one title; `none` where there is none.
    fn list(&mut self, title: &str, values: &[String], none: &str) {
        if values.is_empty() {
            self.add(title, none);
        }
        for (index, value) in values.iter().enumerate() {
            self.add(if index == 0 { title } else { "" }, value);
        }
    }
}

/// What it is, what is placed on it, and how much of it would get in the way, before all of that is shown.
pub(crate) fn show_rootfs_heading(name: &str, assessment: &RootfsAssessment, width: usize) -> String {
    let survey = &assessment.survey;
    let system = survey.system.as_ref().map_or_else(
        || "unknown system".to_owned(),
        |system| format!("{}, {}", system.name, system.architecture.unwrap_or("unknown processor")),
    );
    let placed = match &assessment.record {
        Some(record) if record.is_under_way => format!("placement of {} was interrupted", record.machine),
        Some(record) => format!("placed for {}", record.machine),
        None => "nothing placed".to_owned(),
    };
    let found = super::counts::found(Summary::of(1, &assessment.findings));
    let rest = format!("{}: {system}; {placed}; {found}", harmless(name));
    let line = textwrap::fill(&harmless(&rest), wrapping(width).subsequent_indent("  "));
    let name = harmless(name);
    format!("{}\n\n", line.replacen(&name, &format!("{STRONG}{name}{STRONG:#}"), 1))
}

/// All that was found on it.
pub(crate) fn show_rootfs(assessment: &RootfsAssessment, width: usize) -> String {
    let survey = &assessment.survey;
    let mut lines = Lines { text: format!("{STRONG}what is on it{STRONG:#}\n\n"), width };
    system(&mut lines, survey);
    network(&mut lines, survey);
    accounts(&mut lines, survey);
    ssh(&mut lines, survey);
    rest(&mut lines, survey);
    placement(&mut lines, assessment);
    lines.text.push('\n');
    lines.text
}

fn system(lines: &mut Lines, survey: &Survey) {
    match &survey.system {
        Some(system) => {
            let architecture = system.architecture.unwrap_or("unknown processor");
            lines.add("system", &format!("{}, {architecture}", system.name));
        }
        None => lines.add("system", "unknown: no etc/os-release"),
    }
    let access = if survey.is_read_only { ", read-only" } else { "" };
    lines.add("free", &format!("{}{access}", ByteSize(survey.free_bytes)));
    lines.add("host name", survey.hostname.as_deref().unwrap_or("none"));
}

fn network(lines: &mut Lines, survey: &Survey) {
    let netplan = match &survey.netplan {
        None => "not installed".to_owned(),
        Some(netplan) => netplan.version.clone().unwrap_or_else(|| "installed, version not known".to_owned()),
    };
    lines.add("netplan", &netplan);
    let renderers: Vec<String> = survey
        .renderers
        .iter()
        .map(|renderer| {
            let state = match (renderer.is_masked, renderer.is_enabled) {
                (true, _) => "masked",
                (false, true) => "starts at boot",
                (false, false) => "installed, not started at boot",
            };
            format!("{} {state}", renderer.unit.trim_end_matches(".service"))
        })
        .collect();
    lines.list("services", &renderers, "none that sets up the network");
    let files: Vec<String> = survey
        .network_files
        .iter()
        .map(|file| {
            let says = file.effect.word();
            let reader =
                if file.effect == Effect::Own { String::new() } else { format!("{}: ", file.reader.word()) };
            format!("{} ({reader}{says})", file.path)
        })
        .collect();
    lines.list("network files", &files, "none");
    let servers: Vec<String> =
        survey.name_servers.iter().map(|source| format!("{} ({})", source.text, source.path)).collect();
    if !servers.is_empty() {
        lines.list("DNS servers", &servers, "");
    }
    let wifi = &survey.wifi;
    let mut can = Vec::new();
    can.push(if wifi.can_join { "can join networks" } else { "cannot join networks" }.to_owned());
    if wifi.can_join && !wifi.can_set_country {
        can.push("iw is missing (it sets the Wi-Fi country)".to_owned());
    }
    if let Some(country) = &wifi.country {
        can.push(format!("country {country}"));
    }
    lines.add("Wi-Fi", &can.join(", "));
}

fn accounts(lines: &mut Lines, survey: &Survey) {
    let accounts: Vec<String> = survey.accounts.iter().map(account).collect();
    lines.list("accounts", &accounts, "nobody can log in");
    let ways = |gives_root| -> Vec<String> {
        let ways = survey.ways_in.iter().filter(|way| way.gives_root == gives_root);
        ways.map(|way| format!("{} {} ({})", way.who(), way.how, place(way))).collect()
    };
    lines.list("root access", &ways(true), "nobody");
    let others = ways(false);
    if !others.is_empty() {
        lines.list("other ways in", &others, "");
    }
    lines.add("sudo", if survey.has_sudo { "installed" } else { "not installed" });
}

/// Where a way in stands.
fn place(way: &WayIn) -> String {
    if way.line > 0 { format!("{}, line {}", way.path, way.line) } else { way.path.clone() }
}

fn account(account: &FoundAccount) -> String {
    let mut how = Vec::new();
    match account.password {
        FoundPassword::Set => how.push("a password".to_owned()),
        FoundPassword::Empty => how.push("an empty password".to_owned()),
        FoundPassword::Locked => {}
    }
    if account.ssh_keys > 0 {
        how.push(super::counts::count(account.ssh_keys, "SSH key", "SSH keys"));
    }
    let admin = if account.is_admin && account.uid != 0 { ", may become root (sudo)" } else { "" };
    let stock = if account.is_stock { "" } else { "; placed" };
    format!("{} (user ID {}) with {}{admin}{stock}", account.name, account.uid, how.join(" and "))
}

fn ssh(lines: &mut Lines, survey: &Survey) {
    let ssh = &survey.ssh;
    let state = match (ssh.is_there, ssh.is_enabled) {
        (false, _) => "not installed",
        (true, true) => "starts at boot",
        (true, false) => "installed, not started at boot",
    };
    lines.add("SSH", state);
    let keys: Vec<String> = ssh
        .host_keys
        .iter()
        .map(|key| match (&key.kind, &key.fingerprint) {
            (Some(kind), Some(fingerprint)) => format!("{kind} {fingerprint}"),
            _ => key.path.clone(),
        })
        .collect();
    if ssh.is_there {
        lines.list("host keys", &keys, "none");
    }
    let limits: Vec<String> = ssh
        .limits
        .iter()
        .map(|setting| format!("{} ({}, line {})", setting.text, setting.path, setting.line))
        .collect();
    if !limits.is_empty() {
        lines.list("SSH limits", &limits, "");
    }
}

fn rest(lines: &mut Lines, survey: &Survey) {
    let services: Vec<String> = survey
        .time
        .services
        .iter()
        .map(|service| {
            let state = if service.is_enabled { "starts at boot" } else { "not started at boot" };
            format!("{} {state}", service.unit.trim_end_matches(".service"))
        })
        .collect();
    lines.list("time service", &services, "none");
    let sources: Vec<String> =
        survey.time.sources.iter().map(|source| format!("{} ({})", source.text, source.path)).collect();
    if !sources.is_empty() {
        lines.list("time servers", &sources, "");
    }
    lines.add("time zone", survey.time.zone.as_deref().unwrap_or("none, so UTC"));
    lines.add("language", survey.locale.as_deref().unwrap_or("none set"));
    let rewriters: Vec<String> =
        survey.rewriters.iter().map(|rewriter| format!("{}: {}", rewriter.unit, rewriter.why)).collect();
    lines.list("first boot", &rewriters, "found nothing that rewrites settings");
    let unseen: Vec<String> = survey.unseen_scripts.iter().map(|path| format!("/{path}")).collect();
    if !unseen.is_empty() {
        lines.list("not checked", &unseen, "");
    }
    let overrides: Vec<String> = survey
        .overrides
        .iter()
        .map(|found| match &found.says {
            Some(says) => format!("{}: {says} ({})", found.unit, found.path),
            None => format!("{} ({})", found.unit, found.path),
        })
        .collect();
    if !overrides.is_empty() {
        lines.list("changed units", &overrides, "");
    }
    lines.add(
        "machine id",
        match survey.machine_id {
            MachineId::Empty => "empty: the first boot makes one",
            MachineId::Missing => "missing: the first boot sets the system up again",
            MachineId::Uninitialized => "prepared for a first setup",
            MachineId::Set => "set: this system, or the one it was copied from, was started before",
        },
    );
}

fn placement(lines: &mut Lines, assessment: &RootfsAssessment) {
    let Some(record) = &assessment.record else {
        lines.add(
            "placement",
            if assessment.has_leftovers { "one was started and changed nothing" } else { "none" },
        );
        return;
    };
    let state = if record.is_under_way { ", interrupted: place or undo completes it" } else { "" };
    let paths = super::counts::count(record.steps.len(), "path", "paths");
    lines.add("placement", &format!("{}, {}, {paths}{state}", record.machine, record.placed));
    for changed in &assessment.changed_since {
        lines.add("", &format!("changed since: {changed}"));
    }
}
