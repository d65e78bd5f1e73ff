//! Findings: places where a rule was broken.

use impostazione_text::{Place, Sources};
use serde::Serialize;

use crate::rules::{Nature, Rule};

/// How grave a finding is. An error keeps `render` from writing anything.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Worth knowing; often on purpose.
    Note,
    /// Likely a slip, yet a machine can come up with it.
    Warning,
    /// The machine would not come up as meant, or no right file can be written.
    Error,
}

impl Severity {
    /// The word used in messages.
    pub fn word(self) -> &'static str {
        match self {
            Self::Note => "note",
            Self::Warning => "warning",
            Self::Error => "error",
        }
    }
}

/// One place where a rule was broken.
#[derive(Clone, Debug)]
pub struct Finding {
    /// The rule.
    pub rule: &'static Rule,
    /// The machine concerned; `None` where the finding is about the sheet as a whole.
    pub machine: Option<String>,
    /// The part of a text that it is about.
    pub place: Place,
    /// One or two sentences: what is wrong with the values found.
    pub message: String,
    /// What to write instead.
    pub fix: String,
    /// The value to put in place of the one that was found, where only one can be meant.
    pub certain: Option<String>,
    /// Whether its sentences have nothing of the text in them.
    pub(crate) quotes_nothing: bool,
    /// Severity and nature where they are not its rule's, because of who is concerned.
    pub weight: Option<(Severity, Nature)>,
    /// Whether the machine, or the sheet as a whole, is for a lab.
    pub is_in_lab: bool,
    /// The reason of the waiver that silences it, if one does.
    pub waived_because: Option<String>,
}

impl Finding {
    /// A finding about one machine, or about the sheet.
    pub fn new(
        rule: &'static Rule,
        machine: Option<String>,
        place: Place,
        message: impl Into<String>,
        fix: impl Into<String>,
    ) -> Self {
        Self {
            rule,
            machine,
            place,
            message: message.into(),
            fix: fix.into(),
            certain: None,
            quotes_nothing: false,
            weight: None,
            is_in_lab: false,
            waived_because: None,
        }
    }

    /// A finding about the sheet, not about one machine.
    pub fn on_sheet(
        rule: &'static Rule,
        place: Place,
        message: impl Into<String>,
        fix: impl Into<String>,
    ) -> Self {
        Self::new(rule, None, place, message, fix)
    }

    /// The same finding with the value that can only have been meant.
    #[must_use]
    pub fn with_certain(mut self, value: impl Into<String>) -> Self {
        self.certain = Some(value.into());
        self
    }

    /// The same finding, whose sentences have nothing of the text in them.
    #[must_use]
    pub(crate) fn quoting_nothing(mut self) -> Self {
        self.quotes_nothing = true;
        self
    }

    /// The same finding, graver or less grave than its rule's others.
    #[must_use]
    pub fn weighing(mut self, severity: Severity, nature: Nature) -> Self {
        self.weight = Some((severity, nature));
        self
    }

    /// Nature: its rule's, unless it has one of its own.
    pub fn nature(&self) -> Nature {
        self.weight.map_or(self.rule.nature, |(_, nature)| nature)
    }

    /// Severity: its rule's, unless it has one of its own; a step less in a lab where it is no fault.
    pub fn severity(&self) -> Severity {
        let severity = self.weight.map_or(self.rule.severity, |(severity, _)| severity);
        match (self.is_in_lab, self.nature(), severity) {
            (true, Nature::Credential, Severity::Error) => Severity::Warning,
            (true, Nature::Credential | Nature::Judgement, Severity::Warning) => Severity::Note,
            (_, _, severity) => severity,
        }
    }

    /// Whether a waiver silences it.
    pub fn is_waived(&self) -> bool {
        self.waived_because.is_some()
    }

    /// Whether it is an error that keeps `render` from writing.
    pub fn is_in_the_way(&self) -> bool {
        !self.is_waived() && self.severity() == Severity::Error
    }
}

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
}

impl Summary {
    /// Counts the findings of a site with so many machines.
    pub fn of<'a>(machines: usize, findings: impl IntoIterator<Item = &'a Finding>) -> Self {
        findings.into_iter().fold(Self { machines, ..Self::default() }, |mut sum, finding| {
            if finding.is_waived() {
                sum.waived += 1;
                return sum;
            }
            match finding.severity() {
                Severity::Error => sum.errors += 1,
                Severity::Warning => sum.warnings += 1,
                Severity::Note => sum.notes += 1,
            }
            sum
        })
    }
}

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
