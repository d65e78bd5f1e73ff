//! A place where a rule was broken.

use impostazione_text::Place;

use super::rule::Rule;
use super::severity::{Nature, Severity};

/// One place where a rule was broken.
#[derive(Clone, Debug)]
pub struct Finding {
    /// The rule.
    pub rule: &'static Rule,
    /// The machine concerned; `None` where the finding is about the sheet as a whole.
    pub machine: Option<String>,
    /// Other machines that it is about as much, since they share what is wrong.
    pub also: Vec<String>,
    /// The part of a text that it is about.
    pub place: Place,
    /// Id of the property or question of an appliance that it is about, where it is about one.
    pub property: Option<String>,
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
            also: Vec::new(),
            place,
            property: None,
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

    /// The same finding, about a property or question of an appliance.
    #[must_use]
    pub fn about_property(mut self, id: impl Into<String>) -> Self {
        self.property = Some(id.into());
        self
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
            (true, Nature::Credential | Nature::Judgment, Severity::Warning) => Severity::Note,
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

    /// Whether it is about the sheet as a whole, or about a machine that is picked by name.
    pub fn is_about(&self, picked: impl Fn(&str) -> bool) -> bool {
        self.machine.as_deref().is_none_or(&picked) || self.also.iter().any(|machine| picked(machine))
    }

    /// Whether nothing may be rendered while it is there: it is in the way, or it says that something could not be looked at.
    pub fn bars_rendering(&self) -> bool {
        self.is_in_the_way() || self.rule.not_looked_at
    }
}
