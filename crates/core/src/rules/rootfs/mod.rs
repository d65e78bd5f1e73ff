//! Rules on a root filesystem, and on an output that is to be placed on it.

mod identity;
mod lacks;
mod logins;
mod network;
mod placement;
mod ways_in;
mod writable;

use std::collections::HashMap;

use impostazione_rootfs::{Record, Room, Since, View};
use impostazione_text::{Place, Source, SourceId, Sources, Span};

use super::{Check, Nature, Rule};
use crate::finding::{Finding, Severity};
use crate::output::HostOutput;
use crate::placing::{Plan, Survey, Wishes};

/// A root filesystem under judgement.
pub(crate) struct RootfsCase<'a> {
    /// What messages call it: its path.
    pub(crate) name: &'a str,
    /// What it holds, before a placement that it may have.
    pub(crate) view: View<'a>,
    /// The same, looked over.
    pub(crate) survey: &'a Survey,
    /// What is to be placed on it, and what would change.
    pub(crate) placing: Option<(&'a HostOutput, &'a Plan)>,
    /// What is asked for beside the output.
    pub(crate) wishes: Wishes,
    /// The placement that it has.
    pub(crate) record: Option<&'a Record>,
    /// What has become of each step of that placement.
    pub(crate) since: &'a [Since],
    /// Whether it is the system that is running.
    pub(crate) is_running: bool,
    /// The room on it.
    pub(crate) room: Room,
    /// Whether another machine's placement may be replaced.
    pub(crate) may_replace: bool,
    /// Whether what was changed since may be lost.
    pub(crate) may_lose_changes: bool,
}

impl RootfsCase<'_> {
    fn output(&self) -> Option<&HostOutput> {
        self.placing.map(|(output, _)| output)
    }
}

/// Collects findings about a root filesystem.
pub(crate) struct RootfsFindings {
    name: String,
    machine: Option<String>,
    sources: Sources,
    /// Files that were read, by path and whether their lines are shown.
    read: HashMap<(String, bool), SourceId>,
    findings: Vec<Finding>,
}

impl RootfsFindings {
    /// Reports what is about the root filesystem as a whole.
    fn whole(&mut self, rule: &'static Rule, message: impl Into<String>, fix: impl Into<String>) {
        let place = Place::default();
        self.findings.push(Finding::new(rule, self.machine.clone(), place, message, fix));
    }

    /// Reports what is about a line of a file, counted from 1, or about the file where it is 0. The line is shown.
    fn at(
        &mut self,
        rule: &'static Rule,
        view: View<'_>,
        path: &str,
        line: usize,
        message: impl Into<String>,
        fix: impl Into<String>,
    ) {
        self.push(rule, view, (path, line), message.into(), fix.into(), None);
    }

    fn push(
        &mut self,
        rule: &'static Rule,
        view: View<'_>,
        (path, line): (&str, usize),
        message: String,
        fix: String,
        severity: Option<Severity>,
    ) {
        let source = self.source(view, path, line > 0);
        let span = if line > 0 { self.sources.get(source).line_span(line) } else { Span::default() };
        let place = Place { source, span };
        let mut finding = Finding::new(rule, self.machine.clone(), place, message, fix);
        if let Some(severity) = severity {
            finding = finding.weighing(severity, rule.nature);
        }
        self.findings.push(finding);
    }

    /// The text of a file, which is read once, or its name alone.
    fn source(&mut self, view: View<'_>, path: &str, is_shown: bool) -> SourceId {
        let key = (path.to_owned(), is_shown);
        if let Some(source) = self.read.get(&key) {
            return *source;
        }
        // Lines of shadow files hold hashes, which are shown to nobody.
        let is_shown = is_shown && !path.ends_with("shadow");
        let text = if is_shown { view.text(path).ok().flatten().unwrap_or_default() } else { String::new() };
        let text = if path.ends_with("passwd") { without_hashes(&text) } else { text };
        let mut source = Source::new(format!("{}/{path}", self.name), text);
        if path.contains("sshd_config") {
            source = source.open();
        }
        let source = self.sources.add(source);
        self.read.insert(key, source);
        source
    }
}

/// Lines of `etc/passwd` without the hashes that very old systems have in them.
fn without_hashes(text: &str) -> String {
    let mut shown = String::with_capacity(text.len());
    for line in text.split_inclusive('\n') {
        let mut fields: Vec<&str> = line.split(':').collect();
        if let Some(hash) = fields.get_mut(1) {
            *hash = "x";
        }
        shown += &fields.join(":");
    }
    shown
}

/// Judges a root filesystem. What is no Linux system, or the running one, is judged no further.
pub(crate) fn judge_rootfs(case: &RootfsCase<'_>) -> (Sources, Vec<Finding>) {
    let mut sources = Sources::default();
    sources.add(Source::new(case.name, ""));
    let mut found = RootfsFindings {
        name: case.name.trim_end_matches('/').to_owned(),
        machine: case.output().map(|output| output.machine.clone()),
        sources,
        read: HashMap::new(),
        findings: Vec::new(),
    };
    writable::check(case, &mut found);
    if found.findings.is_empty() {
        lacks::check(case, &mut found);
        network::check(case, &mut found);
        logins::check(case, &mut found);
        ways_in::check(case, &mut found);
        identity::check(case, &mut found);
    }
    placement::check(case, &mut found);
    (found.sources, found.findings)
}

pub(super) const RULES: &[&Rule] = &[
    &writable::NOT_LINUX,
    &writable::IS_RUNNING_SYSTEM,
    &writable::READ_ONLY,
    &writable::NO_SPACE,
    &writable::ODD_PATH,
    &lacks::NETPLAN,
    &lacks::NETPLAN_TOO_OLD,
    &lacks::RESOLVED,
    &lacks::WIFI,
    &lacks::SSH,
    &lacks::SUDO,
    &lacks::TIME_SERVICE,
    &lacks::ZONE,
    &lacks::LOCALE,
    &network::NETWORK_CONFLICT,
    &network::HOSTNAME_CONFLICT,
    &network::PORT_NAMES,
    &network::REWRITTEN_AT_BOOT,
    &network::BOOT_PARTITION_UNSEEN,
    &logins::ACCOUNT_CONFLICT,
    &logins::STOCK_LOGIN,
    &logins::SSH_CONFLICT,
    &ways_in::WAY_IN,
    &identity::CLONED_IDENTITY,
    &placement::OF_OTHER_MACHINE,
    &placement::DRIFTED,
];
