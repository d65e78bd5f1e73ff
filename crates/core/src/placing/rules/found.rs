//! Findings about a root filesystem, and the texts that they point into.

use std::collections::HashMap;

use impostazione_rootfs::View;
use impostazione_text::{Place, Source, SourceId, Sources, Span};

use crate::finding::{Finding, Rule, Severity};

/// Collects findings about a root filesystem.
pub(super) struct RootfsFindings {
    pub(super) name: String,
    pub(super) machine: Option<String>,
    pub(super) sources: Sources,
    /// Files that were read, by path and whether their lines are shown.
    pub(super) read: HashMap<(String, bool), SourceId>,
    pub(super) findings: Vec<Finding>,
}

impl RootfsFindings {
    /// Reports what is about the root filesystem as a whole.
    pub(super) fn whole(&mut self, rule: &'static Rule, message: impl Into<String>, fix: impl Into<String>) {
        let place = Place::default();
        self.findings.push(Finding::new(rule, self.machine.clone(), place, message, fix));
    }

    /// Reports what is about a line of a file, counted from 1, or about the file where it is 0. The line is shown.
    pub(super) fn at(
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

    pub(super) fn push(
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
    pub(super) fn source(&mut self, view: View<'_>, path: &str, is_shown: bool) -> SourceId {
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
