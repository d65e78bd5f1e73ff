//! What a rule sees, and where it reports to.

use std::collections::HashSet;
use std::net::IpAddr;

use impostazione_net::Family;
use impostazione_text::{Place, Sources, unquoted};
use jiff::civil::Date;

use crate::appliance::{ToldAppliance, ToldValue};
use crate::finding::Finding;
use crate::finding::Rule;
use crate::machine::{Machine, SettingOrigin, Site, Subnet};

/// Whose words findings are in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Words {
    /// The sheet's.
    Sheet,
    /// Those of netplan files.
    Netplan,
}

/// A finished site under judgment.
pub struct Judge<'a> {
    /// The site.
    pub site: &'a Site,
    /// Its appliances, with all that each is told.
    pub told: &'a [ToldAppliance<'a>],
    /// The day by which keys run out; none where that is not judged.
    pub(super) today: Option<Date>,
    /// What those who wrote it call things.
    words: Words,
    sources: &'a Sources,
    findings: Vec<Finding>,
    suggested: HashSet<IpAddr>,
    /// What was reported of `[common]`.
    reported: HashSet<(&'static str, Place)>,
    /// Machines and places of values with which something is wrong.
    wrong_values: HashSet<(*const Machine, Place)>,
}

impl<'a> Judge<'a> {
    pub(crate) fn new(
        site: &'a Site,
        told: &'a [ToldAppliance<'a>],
        sources: &'a Sources,
        findings: Vec<Finding>,
    ) -> Self {
        // What an appliance is told by itself is spoken for, too.
        let values = told.iter().flat_map(|appliance| &appliance.values);
        let suggested = values.filter_map(|value| value.typed()?.address()).collect();
        Self {
            site,
            told,
            today: None,
            words: Words::Sheet,
            sources,
            findings,
            suggested,
            reported: HashSet::new(),
            wrong_values: HashSet::new(),
        }
    }

    /// The same, on a day.
    #[must_use]
    pub(crate) fn on_day(mut self, today: Date) -> Self {
        self.today = Some(today);
        self
    }

    /// The same, of a site that netplan files make.
    #[must_use]
    pub(crate) fn in_netplan(mut self) -> Self {
        self.words = Words::Netplan;
        self
    }

    /// What is said of a sheet, or of netplan files.
    pub(super) fn say<T>(&self, of_sheet: T, of_netplan: T) -> T {
        match self.words {
            Words::Sheet => of_sheet,
            Words::Netplan => of_netplan,
        }
    }

    /// What a subnet is called. Netplan files have none, and it is known by the link that is in it.
    pub(super) fn network(&self, subnet: &Subnet) -> String {
        self.network_named(&subnet.name.value)
    }

    /// The same, by its name.
    pub(super) fn network_named(&self, name: &str) -> String {
        match self.words {
            Words::Sheet => format!("subnet {name}"),
            Words::Netplan => format!("the network of {name}"),
        }
    }

    /// What an appliance is told.
    pub(super) fn told_of(&self, machine: &Machine) -> Option<&'a ToldAppliance<'a>> {
        // Both are in the order of the sheet.
        let at = self
            .told
            .binary_search_by_key(&std::ptr::from_ref(machine), |told| std::ptr::from_ref(told.machine));
        self.told.get(at.ok()?)
    }

    /// Every value that an appliance is told.
    pub(super) fn told_values(
        &self,
    ) -> impl Iterator<Item = (&'a ToldAppliance<'a>, &'a ToldValue<'a>)> + use<'a> {
        self.told.iter().flat_map(|appliance| appliance.values.iter().map(move |value| (appliance, value)))
    }

    /// Reports a breach by something that several machines share, once, on the first of them.
    pub(super) fn on_machines(
        &mut self,
        rule: &'static Rule,
        machines: &[&Machine],
        place: Place,
        message: impl Into<String>,
        fix: impl Into<String>,
    ) {
        let mut labels = machines.iter().map(|machine| machine.label.as_deref().map(str::to_owned));
        let mut finding = Finding::new(rule, labels.next().flatten(), place, message, fix);
        finding.also = labels.flatten().collect();
        self.findings.push(finding);
    }

    /// Reports a breach at a property or question of an appliance.
    pub(super) fn on_property(
        &mut self,
        rule: &'static Rule,
        machine: &Machine,
        id: String,
        place: Place,
        message: impl Into<String>,
        fix: impl Into<String>,
    ) {
        let label = machine.label.as_deref().map(str::to_owned);
        self.findings.push(Finding::new(rule, label, place, message, fix).about_property(id));
    }

    /// Reports something wrong with a value that an appliance is told.
    pub(super) fn report_on_value(&mut self, machine: &Machine, finding: Finding) {
        self.wrong_values.insert((std::ptr::from_ref(machine), finding.place));
        self.findings.push(finding);
    }

    /// Whether something is wrong with the value at a place that an appliance is told.
    pub(super) fn is_wrong_value(&self, machine: &Machine, place: Place) -> bool {
        self.wrong_values.contains(&(std::ptr::from_ref(machine), place))
    }

    pub(crate) fn into_findings(self) -> Vec<Finding> {
        self.findings
    }

    /// A place in words, for messages that name a second one.
    pub fn in_words(&self, place: Place) -> String {
        self.sources.in_words(place)
    }

    /// The text of the sheet at a place.
    pub fn text_at(&self, place: Place) -> &str {
        self.sources.get(place.source).text().get(place.span.range()).unwrap_or_default()
    }

    /// Reports a breach on a machine for which only one value can have been meant.
    pub fn certain_on_machine(
        &mut self,
        rule: &'static Rule,
        machine: &Machine,
        place: Place,
        message: impl Into<String>,
        fix: impl Into<String>,
        meant: &str,
    ) {
        let label = machine.label.as_deref().map(str::to_owned);
        self.findings.push(Finding::new(rule, label, place, message, fix).with_certain(meant));
    }

    /// An address of the subnet that is free, from this one on, and that no other finding suggests.
    pub fn suggest_address(&mut self, subnet: &Subnet, from: IpAddr) -> Option<IpAddr> {
        let free = self.site.free_address(subnet, from, |address| self.suggested.contains(&address))?;
        self.suggested.insert(free);
        Some(free)
    }

    /// What to write at a place for a free address of a subnet: where a host number stands there, a host number.
    pub(super) fn other_than(&self, place: Place, subnet: &Subnet, free: IpAddr) -> String {
        let written = unquoted(self.text_at(place));
        // A range in braces has two dots.
        let is_of_number = |c: char| c.is_ascii_hexdigit() || matches!(c, 'x' | '{' | '}');
        let is_number = !written.is_empty() && written.replace("..", "").chars().all(is_of_number);
        let number = subnet.family(Family::of(free)).and_then(|side| {
            let start = side.prefix.value.network();
            match (free, start) {
                (IpAddr::V4(free), IpAddr::V4(start)) => Some(u128::from(free.to_bits() - start.to_bits())),
                (IpAddr::V6(free), IpAddr::V6(start)) => free.to_bits().checked_sub(start.to_bits()),
                _ => None,
            }
        });
        match number.filter(|_| is_number) {
            Some(number) if written.contains("0x") => {
                format!("write a free host number, such as {number:#x} ({free})")
            }
            Some(number) => format!("write a free host number, such as {number} ({free})"),
            None => format!("write a free address, such as {free}"),
        }
    }

    /// Reports a breach on a machine.
    pub fn on_machine(
        &mut self,
        rule: &'static Rule,
        machine: &Machine,
        place: Place,
        message: impl Into<String>,
        fix: impl Into<String>,
    ) {
        let label = machine.label.as_deref().map(str::to_owned);
        self.findings.push(Finding::new(rule, label, place, message, fix));
    }

    /// Reports a finding that is made already.
    pub fn report(&mut self, finding: Finding) {
        self.findings.push(finding);
    }

    /// Reports findings that are made already.
    pub fn report_all(&mut self, findings: impl IntoIterator<Item = Finding>) {
        self.findings.extend(findings);
    }

    /// Reports a breach in a machine's settings, at a part of the value or list that stands at `setting`. What stands in
    /// `[common]` or a subnet is reported once, and not for a machine.
    pub fn on_setting(
        &mut self,
        rule: &'static Rule,
        machine: &Machine,
        setting: Place,
        place: Place,
        message: impl Into<String>,
        fix: impl Into<String>,
    ) {
        if self.site.setting_origin(setting) == SettingOrigin::Machine {
            self.on_machine(rule, machine, place, message, fix);
        } else if self.reported.insert((rule.name, place)) {
            self.on_sheet(rule, place, message, fix);
        }
    }

    /// Reports a breach that is not one machine's.
    pub fn on_sheet(
        &mut self,
        rule: &'static Rule,
        place: Place,
        message: impl Into<String>,
        fix: impl Into<String>,
    ) {
        self.findings.push(Finding::on_sheet(rule, place, message, fix));
    }
}
