//! One entry with patterns or rows becomes several machines.

use std::collections::{HashMap, HashSet};
use std::path::Path;

use impostazione_text::confidential::is_secret;
use impostazione_text::files::{NamedFiles, ReadFault};
use impostazione_text::{Place, Source, SourceForm, Sources, Stated, Written};

use super::entries::{
    AnswerValue, DifferingEntry, ItemEntry, LinkEntry, ListEntry, MachineEntry, MoreOfAppliance, MoreOfLink,
    MoreOfMachine, SettingsEntry, Sheet, SshEntry, TakeEntry,
};
use super::pattern::{Filling, Pattern};
use super::rows::Rows;
use super::rows_text::{Spelling, decode};
use super::rules as sheet_rules;
use crate::finding::Finding;
use crate::sheet::hidden_unparsed::hidden_in_unparsed_rows;

/// Largest CSV file that is read.
const FILE_LIMIT: u64 = 256 * 1024 * 1024;

/// The most machines that a sheet has.
const MOST: usize = 1_000_000;

/// Puts the machines of each entry in place of the entries. CSV files are read through `named_files` and become sources.
pub fn expand(sheet: &mut Sheet, sources: &mut Sources, named_files: &dyn NamedFiles) -> Vec<Finding> {
    let mut expander =
        Expander { sources, named_files, files: HashMap::new(), findings: Vec::new(), is_whole: true };
    let mut machines = Vec::with_capacity(sheet.machines.len());
    for entry in std::mem::take(&mut sheet.machines) {
        let header = entry.header;
        let expanded = expander.expand(entry);
        sheet.is_whole &= !expanded.is_empty();
        if machines.len() + expanded.len() > MOST {
            let message = format!("With this entry the sheet has more than {MOST} machines.");
            let fix = "split it into several sheets".to_owned();
            expander.findings.push(sheet_rules::pattern::malformed(None, header, message, fix));
            sheet.is_whole = false;
            break;
        }
        machines.extend(expanded);
    }
    sheet.machines = machines;
    sheet.is_whole &= expander.is_whole;
    expander.findings
}

struct Expander<'a> {
    sources: &'a mut Sources,
    named_files: &'a dyn NamedFiles,
    /// The CSV files that were read, by path; `None` for one with faults, which have their findings.
    files: HashMap<String, Option<Rows>>,
    findings: Vec<Finding>,
    /// Whether every row could be read.
    is_whole: bool,
}

/// An entry with the braces of its texts taken apart.
struct Prepared {
    entry: MachineEntry,
    /// Its texts, in the order of [`each_text`].
    patterns: Vec<(Pattern, Place)>,
}

impl Prepared {
    /// One machine of ranges that run in step.
    fn at(&self, index: u64) -> MachineEntry {
        let mut machine = self.entry.clone();
        let mut patterns = self.patterns.iter();
        each_text(&mut machine, &mut |text, _| {
            if let Some((pattern, _)) = patterns.next() {
                *text = pattern.text(index, |_| None);
            }
        });
        machine
    }

    /// The machine of a row.
    fn of_row(&self, known: &[&str], row: &[Written<String>]) -> MachineEntry {
        let value_of = |name: &str| row.get(known.iter().position(|field| *field == name)?);
        let mut machine = self.entry.clone();
        let mut patterns = self.patterns.iter();
        each_text(&mut machine, &mut |text, place| {
            let Some((pattern, _)) = patterns.next() else { return };
            *text = pattern.text(0, |name| Some(value_of(name)?.value.clone()));
            // What a row fills is the row's: a finding points at the field.
            if let Some(value) = pattern.fields().next().and_then(value_of) {
                *place = value.place;
            }
        });
        machine
    }
}

impl Expander<'_> {
    /// The machines of an entry: one for each row, or for each value of its ranges, which run in step, or just one.
    /// Nothing where a pattern is wrong; findings then say so.
    fn expand(&mut self, mut entry: MachineEntry) -> Vec<MachineEntry> {
        let differing = std::mem::take(&mut entry.differing);
        match std::mem::take(&mut entry.rows) {
            Stated::Absent => self.expand_ranges(entry, differing),
            Stated::Faulty => Vec::new(),
            Stated::Value(path) => self.expand_rows(entry, &path, differing),
        }
    }

    fn expand_ranges(
        &mut self,
        mut entry: MachineEntry,
        differing: Vec<DifferingEntry>,
    ) -> Vec<MachineEntry> {
        let mut machines = if has_braces(&mut entry) {
            let Some((prepared, count)) = self.prepare_ranges(entry, None) else { return Vec::new() };
            (0..count).map(|index| prepared.at(index)).collect()
        } else {
            vec![entry]
        };
        self.put_in_place(&mut machines, differing, |expander, name, own, at| {
            let (prepared, _) = expander.prepare_ranges(own, Some(name))?;
            Some(prepared.at(u64::try_from(at).unwrap_or(u64::MAX)))
        });
        machines
    }

    /// The texts of an entry and the number of its machines; nothing where findings say that its ranges are wrong. They name
    /// the machine that is called so, or else the entry.
    fn prepare_ranges(&mut self, mut entry: MachineEntry, called: Option<String>) -> Option<(Prepared, u64)> {
        let before = self.findings.len();
        let machine = called.or_else(|| entry.label());
        let patterns = self.patterns(&mut entry, machine.as_ref(), Filling::Ranges);
        let mut first: Option<(u64, String)> = None;
        for (pattern, place) in &patterns {
            for (count, written) in pattern.counts() {
                match &first {
                    None => first = Some((count, written)),
                    Some((wanted, other)) if *wanted != count => {
                        let found = (written.as_str(), count);
                        let other = (other.as_str(), *wanted);
                        self.findings.push(sheet_rules::pattern::lengths_differ(
                            machine.clone(),
                            *place,
                            found,
                            other,
                        ));
                    }
                    Some(_) => {}
                }
            }
        }
        let is_right = self.findings.len() == before;
        is_right.then(|| (Prepared { entry, patterns }, first.map_or(1, |(count, _)| count)))
    }

    fn expand_rows(
        &mut self,
        entry: MachineEntry,
        path: &Written<String>,
        differing: Vec<DifferingEntry>,
    ) -> Vec<MachineEntry> {
        let Some(rows) = self.rows(path, entry.label()) else { return Vec::new() };
        let known: Vec<&str> = rows.fields.iter().map(|field| field.value.as_str()).collect();
        let Some(prepared) = self.prepare_rows(entry, path, &known, None) else { return Vec::new() };
        // What a row that could not be read would have made is missing.
        self.is_whole &= rows.faults.is_empty();
        let mut machines: Vec<MachineEntry> =
            rows.records.iter().map(|row| prepared.of_row(&known, row)).collect();
        let mixed = prepared.patterns.iter().filter(|(pattern, _)| !pattern.is_one_field());
        let mixed: HashSet<&str> = mixed.flat_map(|(pattern, _)| pattern.fields()).collect();
        for (column, _) in known.iter().enumerate().filter(|(_, field)| mixed.contains(*field)) {
            rows.records.iter().filter_map(|row| row.get(column)).for_each(|value| {
                self.sources.mark_partial(value.place);
            });
        }
        self.put_in_place(&mut machines, differing, |expander, name, own, at| {
            Some(expander.prepare_rows(own, path, &known, Some(name))?.of_row(&known, rows.records.get(at)?))
        });
        machines
    }

    /// The texts of an entry with rows; nothing where findings say that a field is wrong.
    fn prepare_rows(
        &mut self,
        mut entry: MachineEntry,
        path: &Written<String>,
        known: &[&str],
        called: Option<String>,
    ) -> Option<Prepared> {
        let before = self.findings.len();
        let machine = called.or_else(|| entry.label());
        let patterns = self.patterns(&mut entry, machine.as_ref(), Filling::Fields);
        for (pattern, place) in &patterns {
            for field in pattern.fields().filter(|field| !known.contains(field)) {
                self.findings.push(sheet_rules::pattern::rows_field_missing(
                    machine.clone(),
                    *place,
                    field,
                    &path.value,
                    known,
                ));
            }
        }
        (self.findings.len() == before).then_some(Prepared { entry, patterns })
    }

    /// Puts those machines in place that differ from the others of their entry. `make` gives one of them, by its name
    /// and position.
    fn put_in_place(
        &mut self,
        machines: &mut [MachineEntry],
        differing: Vec<DifferingEntry>,
        mut make: impl FnMut(&mut Self, String, MachineEntry, usize) -> Option<MachineEntry>,
    ) {
        if differing.is_empty() {
            return;
        }
        // Of two equal names the first counts; the second has a finding.
        let positions: HashMap<String, usize> = machines
            .iter()
            .enumerate()
            .rev()
            .filter_map(|(at, machine)| Some((machine.label()?, at)))
            .collect();
        for DifferingEntry { name, entry } in differing {
            let Some(at) = positions.get(&name.value).copied() else {
                let names: Vec<&str> = machines
                    .iter()
                    .filter_map(|machine| Some(machine.name.value()?.value.as_str()))
                    .collect();
                let kind = entry.kind.word();
                self.findings.push(sheet_rules::pattern::differs_unknown_machine(&name, kind, &names));
                self.is_whole = false;
                continue;
            };
            match (make(self, name.value, entry, at), machines.get_mut(at)) {
                (Some(own), Some(machine)) => *machine = own,
                _ => self.is_whole = false,
            }
        }
    }

    /// Every text of an entry, taken apart, in the order of [`each_text`]. Texts with faults are left out.
    fn patterns(
        &mut self,
        entry: &mut MachineEntry,
        machine: Option<&String>,
        filling: Filling,
    ) -> Vec<(Pattern, Place)> {
        let mut patterns = Vec::new();
        each_text(entry, &mut |text, place| match Pattern::parse(text, filling) {
            Ok(pattern) => patterns.push((pattern, *place)),
            Err(fault) => {
                let finding =
                    sheet_rules::pattern::malformed(machine.cloned(), *place, fault.message, fault.fix);
                self.findings.push(finding);
            }
        });
        patterns
    }

    /// The rows of a CSV file, which is read once.
    fn rows(&mut self, path: &Written<String>, machine: Option<String>) -> Option<Rows> {
        if let Some(known) = self.files.get(&path.value) {
            return known.clone();
        }
        let rows = self.read_rows(path, machine);
        self.files.insert(path.value.clone(), rows.clone());
        rows
    }

    fn read_rows(&mut self, path: &Written<String>, machine: Option<String>) -> Option<Rows> {
        let name = &path.value;
        let bytes = match self.named_files.read(Path::new(name), FILE_LIMIT) {
            Ok(bytes) => bytes,
            Err(fault) => {
                let message = match fault {
                    ReadFault::Missing => format!("There is no file {name}."),
                    other => format!("{name} cannot be used: {other}."),
                };
                let fix = "write the path of the CSV file relative to the sheet's folder";
                self.findings.push(sheet_rules::pattern::rows_malformed(machine, path.place, message, fix));
                return None;
            }
        };
        let (text, spelling) = match decode(bytes) {
            Ok(decoded) => decoded,
            Err(reason) => {
                let message = format!("{name} cannot be used: {reason}.");
                let fix = "save it as UTF-8 text, separated by commas";
                self.findings.push(sheet_rules::pattern::rows_malformed(machine, path.place, message, fix));
                return None;
            }
        };
        let id = self.sources.add(Source::new(self.sources.beside_first(name), text));
        let read = Rows::parse(id, self.sources.get(id));
        let faults = match &read {
            Ok(rows) => &rows.faults,
            Err(faults) => faults,
        };
        // They name fields of the header, and nothing of a row.
        let findings = faults.iter().map(|fault| {
            let message = fault.message.clone();
            sheet_rules::pattern::rows_malformed(machine.clone(), fault.place, message, fault.fix)
                .quoting_nothing()
        });
        self.findings.extend(findings);
        let unread = (!faults.is_empty()).then(|| hidden_in_unparsed_rows(self.sources.get(id).text()));
        let rows = read.ok();
        let separator = rows.as_ref().map(|rows| rows.separator).filter(|_| spelling == Spelling::Utf8);
        self.sources.set_form(id, separator.map_or(SourceForm::Foreign, SourceForm::Rows));
        if let Some(rows) = &rows {
            self.tell_form(path, machine.clone(), rows, spelling);
            for place in &rows.over_lines {
                self.findings.push(sheet_rules::pattern::rows_value_over_lines(machine.clone(), *place));
            }
            if rows.records.is_empty() && rows.faults.is_empty() {
                self.findings.push(sheet_rules::pattern::rows_empty(machine, path.place, name));
            }
            for (index, field) in rows.fields.iter().enumerate() {
                if is_secret(&field.value) {
                    for value in rows.records.iter().filter_map(|row| row.get(index)) {
                        self.sources.mark_secret(value.place);
                    }
                }
            }
        }
        if unread.is_some() {
            self.sources.mark_read(id, unread);
        }
        rows.filter(|rows| !rows.records.is_empty())
    }

    /// Says what a file was taken for that is not in the plain form.
    fn tell_form(
        &mut self,
        path: &Written<String>,
        machine: Option<String>,
        rows: &Rows,
        spelling: Spelling,
    ) {
        let between = match rows.separator {
            ',' => None,
            ';' => Some("semicolons between its fields"),
            '\t' => Some("tabs between its fields"),
            _ => Some("pipes between its fields"),
        };
        let spelled = (spelling != Spelling::Utf8).then(|| format!("is {} text", spelling.word()));
        let parts: Vec<String> =
            between.map(|between| format!("has {between}")).into_iter().chain(spelled).collect();
        if !parts.is_empty() {
            let message = format!("{} {}; it was read as that.", path.value, parts.join(" and "));
            self.findings.push(sheet_rules::pattern::rows_in_another_form(machine, path.place, message));
        }
    }
}

fn has_braces(entry: &mut MachineEntry) -> bool {
    let mut found = false;
    each_text(entry, &mut |text, _| found |= text.contains(['{', '}']));
    found
}

/// Visits every text of an entry, always in the same order.
fn each_text(entry: &mut MachineEntry, visit: &mut impl FnMut(&mut String, &mut Place)) {
    let MachineEntry {
        kind: _,
        header: _,
        rows: _,
        name,
        settings,
        more,
        links,
        package,
        of_appliance,
        answers,
        answers_place: _,
        differing: _,
    } = entry;
    each_given(name, visit);
    if let Some(settings) = settings {
        each_of_settings(settings, visit);
    }
    if let Some(more) = more {
        let MoreOfMachine { hostname, fqdn, serves, cluster } = &mut **more;
        for text in [hostname, fqdn, cluster] {
            each_given(text, visit);
        }
        each_of_texts(serves, visit);
    }
    for link in links {
        each_of_link(link, visit);
    }
    each_given(package, visit);
    if let Some(more) = of_appliance {
        let MoreOfAppliance {
            system,
            meanings,
            deployment_option,
            accept_licenses: _,
            storage_free,
            vm_name,
        } = &mut **more;
        for text in [system, meanings, deployment_option, storage_free, vm_name] {
            each_given(text, visit);
        }
    }
    for answer in answers {
        match &mut answer.value {
            Stated::Value(AnswerValue::Literal(text)) => visit(text, &mut answer.place),
            Stated::Value(AnswerValue::Take(take)) => each_of_take(take, visit),
            Stated::Value(AnswerValue::Secret(name)) => each_written(name, visit),
            Stated::Absent | Stated::Faulty => {}
        }
    }
}

fn each_of_link(link: &mut LinkEntry, visit: &mut impl FnMut(&mut String, &mut Place)) {
    let LinkEntry {
        name: _,
        network,
        subnet,
        address,
        address6,
        host_number,
        host_number6,
        replaces,
        default_route: _,
        more,
    } = link;
    for text in [network, subnet, address, address6, host_number, host_number6, replaces] {
        each_given(text, visit);
    }
    let Some(more) = more else { return };
    let MoreOfLink {
        kind,
        mac,
        port,
        more_addresses,
        routes,
        routing_table: _,
        mtu: _,
        wake_on_lan: _,
        speed: _,
        duplex,
        link_local4: _,
        members,
        mode,
        primary,
        link_check_ms: _,
        lacp_rate,
        hash_policy,
        over,
        spanning_tree: _,
    } = &mut **more;
    for text in [kind, mac, port, duplex, mode, primary, lacp_rate, hash_policy, over] {
        each_given(text, visit);
    }
    if let Stated::Value(further) = more_addresses {
        for entry in further {
            each_written(&mut entry.address, visit);
        }
    }
    each_of_texts(members, visit);
    if let Stated::Value(routes) = routes {
        for route in routes {
            each_given(&mut route.to, visit);
            each_given(&mut route.via, visit);
        }
    }
}

fn each_of_take(take: &mut TakeEntry, visit: &mut impl FnMut(&mut String, &mut Place)) {
    each_written(&mut take.take, visit);
    for text in [&mut take.of, &mut take.link, &mut take.toward, &mut take.join].into_iter().flatten() {
        each_written(text, visit);
    }
}

fn each_of_settings(settings: &mut SettingsEntry, visit: &mut impl FnMut(&mut String, &mut Place)) {
    let SettingsEntry {
        purpose,
        domain,
        name_pattern: _,
        dns,
        dns_for,
        search,
        llmnr: _,
        multicast_dns: _,
        ntp,
        time_service,
        timezone,
        locale,
        keyboard,
        ipv6,
        netplan,
        renderer,
        hosts_file,
        ssh:
            Stated::Absent
            | Stated::Faulty
            | Stated::Value(SshEntry { enabled: _, password_login: _, root_login: _, host_key: _, port: _ }),
        stock_logins,
        password_hashing,
        password_cost: _,
    } = settings;
    for text in [
        purpose,
        domain,
        time_service,
        timezone,
        locale,
        keyboard,
        ipv6,
        netplan,
        renderer,
        hosts_file,
        stock_logins,
        password_hashing,
    ] {
        each_given(text, visit);
    }
    for list in [dns, search, ntp] {
        each_of_list(list, visit);
    }
    if let Stated::Value(domains) = dns_for {
        for (_, servers) in domains {
            each_of_list(servers, visit);
        }
    }
}

fn each_of_list(list: &mut Stated<ListEntry>, visit: &mut impl FnMut(&mut String, &mut Place)) {
    let Stated::Value(ListEntry { items, .. }) = list else { return };
    for item in items {
        match item {
            ItemEntry::Text(text) => each_written(text, visit),
            ItemEntry::Take(take, _) => each_of_take(take, visit),
            ItemEntry::Keyed { server, key } => {
                each_written(server, visit);
                each_written(key, visit);
            }
        }
    }
}

fn each_of_texts(texts: &mut Stated<Vec<Written<String>>>, visit: &mut impl FnMut(&mut String, &mut Place)) {
    if let Stated::Value(texts) = texts {
        for text in texts {
            each_written(text, visit);
        }
    }
}

fn each_given(given: &mut Stated<Written<String>>, visit: &mut impl FnMut(&mut String, &mut Place)) {
    if let Stated::Value(written) = given {
        each_written(written, visit);
    }
}

fn each_written(written: &mut Written<String>, visit: &mut impl FnMut(&mut String, &mut Place)) {
    visit(&mut written.value, &mut written.place);
}
