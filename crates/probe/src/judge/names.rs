//! Whether DNS says of machines what the sheet says.

use std::collections::BTreeMap;
use std::net::IpAddr;

use impostazione_core::finding::{Finding, Rule};
use impostazione_core::network::rules::{NAME_DIFFERS, NAME_MISSING, REVERSE_DIFFERS, REVERSE_MISSING};
use impostazione_net::Family;

use super::name_servers::Unsaid;
use super::records::RecordToAdd;
use super::words::listed;
use super::{Judging, Subject, Verdict};
use crate::answer::{Found, LookedUp};
use crate::question::{ExpectedName, Lookup, Sought};

/// What servers say of one question: those that lack it, and those that say something else.
#[derive(Default)]
struct Said {
    lacking: Vec<IpAddr>,
    /// What is said, and by whom.
    others: BTreeMap<String, Vec<IpAddr>>,
    /// How many did not say it, since they do not answer at all.
    silent: usize,
    is_unknown: bool,
}

impl Said {
    /// Notes that one of so many servers did not say it.
    fn note(&mut self, unsaid: Unsaid, servers: usize) {
        self.silent += usize::from(unsaid == Unsaid::ServerIsSilent);
        self.is_unknown |= unsaid == Unsaid::Noted || self.silent == servers;
    }

    fn verdict(&self) -> Verdict {
        if !self.lacking.is_empty() || !self.others.is_empty() {
            Verdict::Wrong
        } else if self.is_unknown {
            Verdict::Unknown
        } else {
            Verdict::Right
        }
    }

    /// What is said, and by whom, in words.
    fn in_words(&self) -> String {
        let parts: Vec<String> =
            self.others.iter().map(|(says, servers)| format!("{says} at {}", listed(servers))).collect();
        parts.join(", and ")
    }
}

impl<'a> Judging<'a> {
    /// Judges every name of a machine, and the names of its addresses.
    pub(super) fn names(&mut self) {
        let plan = self.plan;
        for expected in &plan.names {
            let forward = self.forward(expected);
            self.count(Subject::Names, forward);
            for address in &expected.own {
                let reverse = self.reverse(expected, *address);
                self.count(Subject::Names, reverse);
            }
        }
    }

    fn forward(&mut self, expected: &'a ExpectedName<'a>) -> Verdict {
        let mut verdict = Verdict::Right;
        let mut missing: Vec<(&str, IpAddr)> = Vec::new();
        let mut lacking: Vec<IpAddr> = Vec::new();
        let mut differing = Said::default();
        for family in Family::BOTH {
            let said = self.addresses_said(expected, family);
            verdict = verdict.and(said.verdict());
            let main = expected.main.iter().find(|address| Family::of(**address) == family);
            if let (Some(main), false) = (main, said.lacking.is_empty()) {
                missing.push((Sought::Addresses(String::new(), family).record(), *main));
                lacking.extend(&said.lacking);
            }
            differing.others.extend(said.others);
        }
        lacking.sort_unstable();
        lacking.dedup();
        if !missing.is_empty() {
            let kinds: Vec<String> = missing.iter().map(|(kind, _)| format!("no {kind}")).collect();
            let records: Vec<RecordToAdd> = missing
                .iter()
                .map(|(_, address)| RecordToAdd::of_address(&expected.name, *address))
                .collect();
            let message =
                format!("{} has {} record at {}.", expected.name, kinds.join(" and "), listed(&lacking));
            let texts: Vec<String> = records.iter().map(RecordToAdd::to_string).collect();
            self.lacks(&NAME_MISSING, expected, message, &texts.join(" and "));
            self.judged.records.extend(records);
        }
        if !differing.others.is_empty() {
            let message = format!(
                "{} is {}; the sheet gives {} {}.",
                expected.name,
                differing.in_words(),
                expected.machine.called(),
                listed(&expected.main)
            );
            let fix = format!("change the record to {}, or the address in the sheet", listed(&expected.main));
            self.on_name(&NAME_DIFFERS, expected, message, fix);
        }
        verdict
    }

    /// What the servers say of the addresses of a name.
    fn addresses_said(&mut self, expected: &'a ExpectedName<'a>, family: Family) -> Said {
        let mut said = Said::default();
        for server in &expected.servers {
            let sought = Sought::Addresses(expected.name.clone(), family);
            match self.answers.lookup(&Lookup::new(*server, sought)) {
                Some(LookedUp::Records(Found::Addresses(addresses))) if !addresses.is_empty() => {
                    let is_free = family == Family::V6 && expected.has_unknown;
                    let others: Vec<IpAddr> =
                        addresses.iter().copied().filter(|address| !expected.own.contains(address)).collect();
                    if !others.is_empty() && !is_free {
                        said.others.entry(listed(&others)).or_default().push(*server);
                    }
                }
                Some(LookedUp::Records(_) | LookedUp::NoSuchName) => {
                    if expected.has(family) {
                        said.lacking.push(*server);
                    }
                }
                found => {
                    let (name, machines) = (&expected.name, [expected.machine]);
                    let unsaid = self.unlooked_lookup(*server, name, found, &machines, expected.place);
                    said.note(unsaid, expected.servers.len());
                }
            }
        }
        said
    }

    fn reverse(&mut self, expected: &'a ExpectedName<'a>, address: IpAddr) -> Verdict {
        let is_main = expected.main.contains(&address);
        let mut said = Said::default();
        for server in &expected.servers {
            match self.answers.lookup(&Lookup::new(*server, Sought::Names(address))) {
                Some(LookedUp::Records(Found::Names(names))) if !names.is_empty() => {
                    if !names.contains(&expected.name) {
                        said.others.entry(listed(names)).or_default().push(*server);
                    }
                }
                Some(LookedUp::Records(_) | LookedUp::NoSuchName) => {
                    // What is not the address of the name needs no name of its own.
                    if is_main {
                        said.lacking.push(*server);
                    }
                }
                found => {
                    let (name, machines) = (address.to_string(), [expected.machine]);
                    let unsaid = self.unlooked_lookup(*server, &name, found, &machines, expected.place);
                    said.note(unsaid, expected.servers.len());
                }
            }
        }
        if !said.lacking.is_empty() {
            let record = RecordToAdd::of_name(address, &expected.name);
            let message = format!("{address} has no PTR record at {}.", listed(&said.lacking));
            self.lacks(&REVERSE_MISSING, expected, message, &record.to_string());
            self.judged.records.push(record);
        }
        if !said.others.is_empty() {
            let message =
                format!("{address} is called {}; the sheet calls it {}.", said.in_words(), expected.name);
            let fix = format!(
                "find out whether that machine still has the address; if not, change the record to {}",
                RecordToAdd::of_name(address, &expected.name)
            );
            self.on_name(&REVERSE_DIFFERS, expected, message, fix);
        }
        said.verdict()
    }

    fn lacks(&mut self, rule: &'static Rule, expected: &ExpectedName<'_>, message: String, records: &str) {
        self.on_name(rule, expected, message, format!("have this added to DNS: {records}"));
    }

    fn on_name(&mut self, rule: &'static Rule, expected: &ExpectedName<'_>, message: String, fix: String) {
        let label = expected.machine.label.as_deref().map(str::to_owned);
        self.report(Finding::new(rule, label, expected.place, message, fix));
    }
}
