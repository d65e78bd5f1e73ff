//! How many findings there are.

use serde::Serialize;

use super::found::Finding;
use super::severity::Severity;

/// How many findings of each severity there are, and of how many machines they speak.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Summary {
    /// Machines of the site, whether findings concern them or not.
    pub machines: usize,
    /// Errors that no waiver silences.
    pub errors: usize,
    /// Warnings that no waiver silences.
    pub warnings: usize,
    /// Notes that no waiver silences.
    pub notes: usize,
    /// Findings silenced by a waiver.
    pub waived: usize,
    /// Findings, among those above, which say that something could not be looked at.
    pub not_looked_at: usize,
}

impl Summary {
    /// Counts the findings of a site with so many machines.
    pub fn of<'a>(machines: usize, findings: impl IntoIterator<Item = &'a Finding>) -> Self {
        findings.into_iter().fold(Self { machines, ..Self::default() }, |mut sum, finding| {
            if finding.is_waived() {
                sum.waived += 1;
                return sum;
            }
            sum.not_looked_at += usize::from(finding.rule.not_looked_at);
            match finding.severity() {
                Severity::Error => sum.errors += 1,
                Severity::Warning => sum.warnings += 1,
                Severity::Note => sum.notes += 1,
            }
            sum
        })
    }
}
