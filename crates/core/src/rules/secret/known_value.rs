//! The values that rules look at.

use impostazione_secret::store::EntryId;
use impostazione_text::{Hidden, Place, capital};

use crate::finding::{Finding, Nature, Rule, Severity};
use crate::machine::{
    Demands, Machine, Purpose, Secret, SecretRole, SecretSlot, SecretSource, SecretUse, Site,
};

/// A value that could be had, with what uses it.
#[derive(Clone, Copy)]
pub(super) struct KnownValue<'a> {
    pub(super) site: &'a Site,
    pub(super) slot: &'a SecretSlot,
    pub(super) secret: &'a Secret,
    pub(super) value: &'a Hidden,
}

/// Every value that could be had, one that stands in the sheet itself too: it is no better for being moved elsewhere.
pub(super) fn known_values(site: &Site) -> impl Iterator<Item = KnownValue<'_>> {
    site.secret_slots().iter().filter_map(move |slot| {
        let secret = site.secret_of(slot)?;
        let value = site.value_of_slot(slot)?;
        Some(KnownValue { site, slot, secret, value })
    })
}

impl<'a> KnownValue<'a> {
    /// What uses it.
    pub(super) fn uses(self) -> impl Iterator<Item = &'a SecretUse> {
        self.site.uses_of(self.slot)
    }

    /// What it must keep to.
    pub(super) fn demands(self) -> Demands {
        self.site.demands_on(self.slot)
    }

    /// How many characters it has; of a time key, how many bytes (`chrony.keys`).
    pub(super) fn length(self) -> usize {
        if !self.is_time_key() {
            return self.value.length();
        }
        let text = self.value.reveal();
        match text.strip_prefix("HEX:") {
            Some(digits) => digits.len() / 2,
            None => text.strip_prefix("ASCII:").unwrap_or(text).len(),
        }
    }

    /// What its length is counted in.
    pub(super) fn unit(self) -> &'static str {
        if self.is_time_key() { "bytes" } else { "characters" }
    }

    /// Whether a time service uses it.
    pub(super) fn is_time_key(self) -> bool {
        self.uses().any(|used| matches!(used.role, SecretRole::TimeKey(_)))
    }

    /// Where a finding about it points.
    pub(super) fn place(self) -> Place {
        self.secret.name.place
    }

    /// What messages call it, at the beginning of a sentence.
    pub(super) fn called(self) -> String {
        if self.secret.is_in_sheet() {
            return capital(&self.secret.name.value);
        }
        format!("The secret {}", self.id())
    }

    /// Its name, with its holder's.
    pub(super) fn id(self) -> String {
        let holder = self.slot.holder.clone();
        EntryId { secret: self.secret.name.value.clone(), holder }.to_string()
    }

    /// The machine that a finding about it names: the one that has it, or the only one that uses it.
    pub(super) fn machine(self) -> Option<&'a Machine> {
        let mut machines = self.uses().filter_map(|used| self.site.machine_of_use(used));
        let first = machines.next()?;
        if machines.all(|other| std::ptr::eq(other, first)) {
            return Some(first);
        }
        // So that it weighs as it does for those that use it, where the sheet as a whole is for something else.
        let is_lab = self.site.is_only_for_labs(self.slot);
        (is_lab && self.site.common.purpose() == Purpose::Production).then_some(first)
    }

    /// Whether who knows it may change a machine.
    pub(super) fn is_for_administrators(self) -> bool {
        self.uses().any(|used| self.site.is_for_administrators(used))
    }

    /// A finding about it.
    pub(super) fn finding(self, rule: &'static Rule, message: String, fix: &str) -> Finding {
        let label = self.machine().and_then(|machine| machine.label.as_deref()).map(str::to_owned);
        let fix = match self.secret.source.value() {
            Some(SecretSource::Store) if self.site.not_made_up(self.slot.secret).is_none() => {
                format!("{fix}; `impostazione secret generate` makes one that follows every rule")
            }
            _ => fix.to_owned(),
        };
        Finding::new(rule, label, self.place(), message, fix)
    }

    /// A finding that weighs as a fault where what uses the value takes no other.
    pub(super) fn finding_by(
        self,
        rule: &'static Rule,
        is_hard: bool,
        message: String,
        fix: &str,
    ) -> Finding {
        let finding = self.finding(rule, message, fix);
        if is_hard { finding.weighing(Severity::Error, Nature::Fault) } else { finding }
    }
}
