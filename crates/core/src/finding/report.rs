//! Findings as other programs get them.

use impostazione_text::Sources;
use serde::Serialize;

use super::found::Finding;
use super::severity::Severity;
use super::summary::Summary;

/// The shape in which findings are given to other programs: the fields are public and keep their meaning.
#[derive(Debug, Serialize)]
pub struct Report<'a> {
    /// The findings, in the order of their places.
    pub findings: Vec<ReportedFinding<'a>>,
    /// Their counts.
    pub summary: Summary,
}

/// One finding as other programs see it.
#[derive(Debug, Serialize)]
pub struct ReportedFinding<'a> {
    rule: &'static str,
    severity: Severity,
    machine: Option<&'a str>,
    file: &'a str,
    line: usize,
    column: usize,
    message: &'a str,
    fix: &'a str,
    waived: bool,
}

impl<'a> Report<'a> {
    /// Puts findings, with their positions looked up, into that shape.
    pub fn new(
        sources: &'a Sources,
        machines: usize,
        findings: impl IntoIterator<Item = &'a Finding> + Clone,
    ) -> Self {
        let summary = Summary::of(machines, findings.clone());
        let findings = findings
            .into_iter()
            .map(|finding| {
                let position = sources.position(finding.place);
                ReportedFinding {
                    rule: finding.rule.name,
                    severity: finding.severity(),
                    machine: finding.machine.as_deref(),
                    file: sources.get(finding.place.source).name(),
                    line: position.line,
                    column: position.column,
                    message: &finding.message,
                    fix: &finding.fix,
                    waived: finding.is_waived(),
                }
            })
            .collect();
        Self { findings, summary }
    }
}
