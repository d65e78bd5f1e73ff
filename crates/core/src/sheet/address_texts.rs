//! Every text of a sheet that holds addresses, as it is written: before patterns and rows make machines of entries.

use impostazione_text::{Place, SourceId, Sources, Stated, Written};

use super::entries::{
    AnswerValue, ItemEntry, LinkEntry, ListEntry, MachineEntry, SettingsEntry, Sheet, TakeEntry,
};
use super::pattern::{Filling, Pattern};
use super::rows::Rows;

/// A text that holds addresses.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AddressText {
    /// Where it stands.
    pub place: Place,
    /// What is written there, without quotes.
    pub text: String,
    /// What it holds.
    pub kind: AddressTextKind,
}

/// What a text holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum AddressTextKind {
    /// The prefix of the subnet of this name.
    SubnetPrefix(String),
    /// An address, perhaps with its mask.
    Address,
    /// A first and a last address.
    Range,
    /// A network, or a single address.
    Destination,
    /// A server, by address or name.
    Server,
    /// An answer to a property, which may be anything.
    Answer,
}

/// Every text that holds addresses, in the order of the sheet; fields of rows too, where a field alone makes a text. The
/// addresses that machines had before are not among them: nothing moves them.
pub fn address_texts(sheet: &Sheet, sources: &Sources) -> Vec<AddressText> {
    let mut gathering = Gathering { sources, found: Vec::new(), rows: None };
    for subnet in &sheet.subnets {
        let name = &subnet.name.value;
        for prefix in [&subnet.prefix, &subnet.prefix6] {
            gathering.stated(prefix, &AddressTextKind::SubnetPrefix(name.clone()));
        }
        for gateway in [&subnet.gateway, &subnet.gateway6] {
            gathering.stated(gateway, &AddressTextKind::Address);
        }
        for range in subnet.dhcp_ranges.iter().chain(&subnet.kept_free) {
            gathering.one(range, &AddressTextKind::Range);
        }
        for (address, _) in &subnet.in_use {
            gathering.one(address, &AddressTextKind::Address);
        }
        if let Some(settings) = &subnet.settings {
            gathering.settings(settings);
        }
    }
    for cluster in &sheet.clusters {
        if let Stated::Value(shared) = &cluster.virtual_address {
            gathering.stated(&shared.address, &AddressTextKind::Address);
            gathering.stated(&shared.address6, &AddressTextKind::Address);
        }
    }
    gathering.settings(&sheet.common);
    for machine in &sheet.machines {
        gathering.rows = gathering.rows_of(machine);
        gathering.machine(machine);
        for differing in &machine.differing {
            gathering.machine(&differing.entry);
        }
        gathering.rows = None;
    }
    let mut found = gathering.found;
    // What an entry says for all is found again in each of its machines that differ.
    found.sort_by_key(|text| text.place);
    found.dedup_by_key(|text| text.place);
    found
}

struct Gathering<'a> {
    sources: &'a Sources,
    found: Vec<AddressText>,
    /// The rows of the entry.
    rows: Option<Rows>,
}

impl Gathering<'_> {
    fn rows_of(&self, machine: &MachineEntry) -> Option<Rows> {
        let name = self.sources.beside_first(&machine.rows.value()?.value);
        let at = self.sources.all().iter().position(|source| source.name() == name)?;
        let id: SourceId = self.sources.id_at(at)?;
        Rows::parse(id, self.sources.get(id)).ok()
    }

    fn stated(&mut self, stated: &Stated<Written<String>>, kind: &AddressTextKind) {
        if let Some(written) = stated.value() {
            self.one(written, kind);
        }
    }

    fn one(&mut self, written: &Written<String>, kind: &AddressTextKind) {
        let is_one_field = self.rows.is_some()
            && Pattern::parse(&written.value, Filling::Fields).is_ok_and(|pattern| pattern.is_one_field());
        let field = written.value.trim_matches(['{', '}']);
        let rows = self.rows.as_ref().filter(|_| is_one_field);
        let Some((rows, column)) =
            rows.and_then(|rows| Some((rows, rows.fields.iter().position(|known| known.value == field)?)))
        else {
            let text = AddressText { place: written.place, text: written.value.clone(), kind: kind.clone() };
            self.found.push(text);
            return;
        };
        let values = rows.records.iter().filter_map(|row| row.get(column));
        let texts = values.map(|value| AddressText {
            place: value.place,
            text: value.value.clone(),
            kind: kind.clone(),
        });
        let texts: Vec<AddressText> = texts.collect();
        self.found.extend(texts);
    }

    fn settings(&mut self, settings: &SettingsEntry) {
        let special = settings.dns_for.value().into_iter().flatten().filter_map(|(_, list)| list.value());
        let lists: Vec<&ListEntry> =
            [&settings.dns, &settings.ntp].into_iter().filter_map(Stated::value).chain(special).collect();
        for item in lists.into_iter().flat_map(|list| &list.items) {
            match item {
                ItemEntry::Text(written) | ItemEntry::Keyed { server: written, .. } => {
                    self.one(written, &AddressTextKind::Server);
                }
                ItemEntry::Take(take, _) => self.take(take),
            }
        }
    }

    fn take(&mut self, take: &TakeEntry) {
        if let Some(toward) = &take.toward {
            self.one(toward, &AddressTextKind::Destination);
        }
    }

    fn machine(&mut self, machine: &MachineEntry) {
        if let Some(settings) = &machine.settings {
            self.settings(settings);
        }
        for link in &machine.links {
            self.link(link);
        }
        for answer in &machine.answers {
            match answer.value.value() {
                Some(AnswerValue::Literal(text)) => {
                    let written = Written::new(text.clone(), answer.place);
                    self.one(&written, &AddressTextKind::Answer);
                }
                Some(AnswerValue::Take(take)) => self.take(take),
                Some(AnswerValue::Secret(_)) | None => {}
            }
        }
    }

    fn link(&mut self, link: &LinkEntry) {
        self.stated(&link.address, &AddressTextKind::Address);
        self.stated(&link.address6, &AddressTextKind::Address);
        let Some(more) = &link.more else { return };
        for further in more.more_addresses.value().into_iter().flatten() {
            self.one(&further.address, &AddressTextKind::Address);
        }
        for route in more.routes.value().into_iter().flatten() {
            self.stated(&route.to, &AddressTextKind::Destination);
            self.stated(&route.via, &AddressTextKind::Address);
        }
    }
}
