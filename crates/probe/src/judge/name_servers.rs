//! Whether DNS servers answer.

use std::net::IpAddr;

use impostazione_core::finding::{Finding, Rule};
use impostazione_core::machine::Machine;
use impostazione_core::network::Transport;
use impostazione_core::network::rules::{
    DNS_REFUSES, DNS_SILENT, DNS_TCP_SILENT, DOMAIN_MISSING, NAME_DIFFERS, NAME_MISSING,
    OUTSIDE_NAME_MISSING, REVERSE_DIFFERS, REVERSE_MISSING,
};
use impostazione_text::Place;

use super::unlooked::{Reason, Unknown};
use super::words::listed;
use super::{Judging, Subject, Verdict};
use crate::answer::{Found, LookedUp};
use crate::question::{ExpectedDomain, ExpectedNameServer, Lookup, Mention, Sought, addresses_of};

/// A finding about what several machines mention: on the sheet where they share it, and on them otherwise.
pub(super) fn on_mention(
    rule: &'static Rule,
    mention: &Mention<'_>,
    message: impl Into<String>,
    fix: impl Into<String>,
) -> Finding {
    if mention.is_shared {
        return Finding::on_sheet(rule, mention.place, message, fix);
    }
    let mut labels = mention.machines.iter().map(|machine| machine.label.as_deref().map(str::to_owned));
    let mut finding = Finding::new(rule, labels.next().flatten(), mention.place, message, fix);
    finding.also = labels.flatten().collect();
    finding
}

/// What became of something that a DNS server did not say.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Unsaid {
    /// It was noted.
    Noted,
    /// The server does not answer at all, which is said once.
    ServerIsSilent,
}

/// What only lookups find.
const BY_LOOKUP: [&Rule; 6] = [
    &NAME_MISSING,
    &NAME_DIFFERS,
    &REVERSE_MISSING,
    &REVERSE_DIFFERS,
    &DOMAIN_MISSING,
    &OUTSIDE_NAME_MISSING,
];

/// Whether a DNS server knows an address of a name.
pub(super) enum NameAt<'a> {
    /// It does.
    Known,
    /// It does not.
    Lacking,
    /// It did not say: what it answered.
    Unclear(Option<&'a LookedUp>),
}

impl<'a> Judging<'a> {
    /// Judges every DNS server.
    pub(super) fn name_servers(&mut self) {
        let plan = self.plan;
        for expected in &plan.name_servers {
            if let Some(verdict) = self.name_server(expected) {
                self.count(Subject::NameServers, verdict);
            }
        }
    }

    fn name_server(&mut self, expected: &'a ExpectedNameServer<'a>) -> Option<Verdict> {
        let address = expected.address;
        let over = |transport| self.answers.lookup(&expected.first_lookup(transport));
        let (udp, tcp) = (over(Transport::Udp), over(Transport::Tcp));
        let answers_over_tcp = tcp.is_some_and(LookedUp::is_answer);
        let reason = match udp {
            Some(LookedUp::NotLooked(obstacle)) => Reason::obstacle(obstacle),
            None => Reason::not_asked(),
            Some(LookedUp::Silent) if expected.is_of_sheet && !answers_over_tcp => {
                self.not_yet("DNS server", address);
                return None;
            }
            Some(LookedUp::Silent) => {
                let how = if answers_over_tcp { " over UDP, only over TCP" } else { "" };
                return Some(
                    self.silent(expected, &format!("The DNS server {address} does not answer{how}.")),
                );
            }
            Some(LookedUp::Garbled(why)) => {
                return Some(self.silent(expected, &format!("What the DNS server {address} answers {why}.")));
            }
            Some(LookedUp::Declined(code)) => {
                let message = format!(
                    "The DNS server {address} answers {code} to questions about {}.",
                    domain_in_words(&expected.domain)
                );
                let fix = "have the server serve that domain to those who ask it, or write another server";
                self.report(on_mention(&DNS_REFUSES, &expected.mention, message, fix));
                return Some(Verdict::Wrong);
            }
            Some(LookedUp::Records(_) | LookedUp::NoSuchName) => return Some(self.over_tcp(expected, tcp)),
        };
        let machines = &expected.mention.machines;
        self.unlooked.note(
            Unknown::NameServer,
            address.to_string(),
            machines,
            expected.mention.place,
            reason,
        );
        Some(Verdict::Unknown)
    }

    fn silent(&mut self, expected: &ExpectedNameServer<'_>, message: &str) -> Verdict {
        let message = format!("{message} No names were looked up there.");
        let fix = "correct its address in the sheet, or have the server started and port 53 opened for UDP";
        self.report(on_mention(&DNS_SILENT, &expected.mention, message, fix));
        Verdict::Wrong
    }

    fn over_tcp(&mut self, expected: &'a ExpectedNameServer<'a>, tcp: Option<&LookedUp>) -> Verdict {
        let address = expected.address;
        let reason = match tcp {
            Some(LookedUp::NotLooked(obstacle)) => Reason::obstacle(obstacle),
            None => Reason::not_asked(),
            Some(LookedUp::Silent | LookedUp::Garbled(_)) => {
                let message = format!("The DNS server {address} answers over UDP, but not over TCP.");
                let fix = "have port 53 opened for TCP too";
                self.report(on_mention(&DNS_TCP_SILENT, &expected.mention, message, fix));
                return Verdict::Wrong;
            }
            Some(_) => return Verdict::Right,
        };
        let (machines, place) = (&expected.mention.machines, expected.mention.place);
        self.unlooked.note(Unknown::NameServer, format!("{address} (over TCP)"), machines, place, reason);
        Verdict::Unknown
    }

    /// Judges every domain.
    pub(super) fn domains(&mut self) {
        let plan = self.plan;
        for expected in &plan.domains {
            let verdict = self.domain(expected);
            self.count(Subject::Domains, verdict);
        }
    }

    fn domain(&mut self, expected: &'a ExpectedDomain<'a>) -> Verdict {
        let mut lacking = Vec::new();
        let mut verdict = Verdict::Right;
        let mut silent = 0;
        for server in &expected.servers {
            let lookup = Lookup::new(*server, Sought::Domain(expected.domain.clone()));
            match self.answers.lookup(&lookup) {
                Some(LookedUp::Records(_)) => {}
                // A server may know names of a domain, and not the domain.
                Some(LookedUp::NoSuchName) if self.knows_a_name_of(*server, &expected.domain) => {}
                Some(LookedUp::NoSuchName) => lacking.push(*server),
                found => {
                    let (machines, place) = (&expected.mention.machines, expected.mention.place);
                    let unsaid = self.unlooked_lookup(*server, &expected.domain, found, machines, place);
                    silent += usize::from(unsaid == Unsaid::ServerIsSilent);
                    if unsaid == Unsaid::Noted || silent == expected.servers.len() {
                        verdict = Verdict::Unknown;
                    }
                }
            }
        }
        if lacking.is_empty() {
            return verdict;
        }
        let domain = &expected.domain;
        let message = format!("The domain {domain} does not exist at {}.", listed(&lacking));
        let fix = "correct the domain in the sheet, or have it added to DNS";
        self.report(on_mention(&DOMAIN_MISSING, &expected.mention, message, fix));
        Verdict::Wrong
    }

    fn knows_a_name_of(&self, server: IpAddr, domain: &str) -> bool {
        let suffix = format!(".{}", domain.to_ascii_lowercase());
        let mut below = self.plan.names.iter().filter(|name| name.name.ends_with(&suffix));
        below.any(|name| matches!(self.name_at(&name.name, server), NameAt::Known))
    }

    /// Whether a DNS server knows an address of a name.
    pub(super) fn name_at(&self, name: &str, server: IpAddr) -> NameAt<'a> {
        let found: Vec<Option<&'a LookedUp>> = addresses_of(name, std::slice::from_ref(&server))
            .map(|lookup| self.answers.lookup(&lookup))
            .collect();
        let has_address = |found: &LookedUp| matches!(found.records(), Some(Found::Addresses(addresses)) if !addresses.is_empty());
        if found.iter().flatten().any(|found| has_address(found)) {
            return NameAt::Known;
        }
        let is_said =
            |found: Option<&LookedUp>| matches!(found, Some(LookedUp::Records(_) | LookedUp::NoSuchName));
        match found.into_iter().find(|found| !is_said(*found)) {
            Some(unclear) => NameAt::Unclear(unclear),
            None => NameAt::Lacking,
        }
    }

    /// Notes what a DNS server did not say. That it does not answer at all is said once: then nothing is noted, and only the
    /// waivers of what was not looked up there are left alone.
    pub(super) fn unlooked_lookup(
        &mut self,
        server: IpAddr,
        name: &str,
        found: Option<&LookedUp>,
        machines: &[&'a Machine],
        place: Place,
    ) -> Unsaid {
        let first = self.plan.name_servers.iter().find(|known| known.address == server);
        let first = first.and_then(|known| self.answers.lookup(&known.first_lookup(Transport::Udp)));
        let has_finding =
            matches!(first, Some(LookedUp::Silent | LookedUp::Garbled(_) | LookedUp::Declined(_)));
        if has_finding {
            for rule in BY_LOOKUP {
                if !self.judged.in_doubt.contains(&rule) {
                    self.judged.in_doubt.push(rule);
                }
            }
            return Unsaid::ServerIsSilent;
        }
        let again = "run the command again; if it happens again, look into the log of that server";
        let reason = match found {
            Some(LookedUp::NotLooked(obstacle)) => Reason::obstacle(obstacle),
            Some(LookedUp::Silent) => {
                Reason::new(format!("{server} answered other questions, and not these"), again)
            }
            Some(LookedUp::Garbled(why)) => Reason::new(format!("what {server} answers {why}"), again),
            Some(LookedUp::Declined(code)) => Reason::new(format!("{server} answers {code}"), again),
            _ => Reason::not_asked(),
        };
        self.unlooked.note(Unknown::Lookup, name, machines, place, reason);
        Unsaid::Noted
    }

    /// Judges whether DNS servers find a name outside the site.
    pub(super) fn outside_name(&mut self) {
        let plan = self.plan;
        let Some(name) = &plan.outside_name else { return };
        for expected in plan.name_servers.iter().filter(|server| server.is_general) {
            let address = expected.address;
            let says = match self.name_at(name, address) {
                NameAt::Known => {
                    self.count(Subject::Names, Verdict::Right);
                    continue;
                }
                NameAt::Lacking => "finds no address of".to_owned(),
                NameAt::Unclear(Some(LookedUp::Declined(code))) => format!("answers {code} when asked for"),
                NameAt::Unclear(found) => {
                    let (machines, place) = (&expected.mention.machines, expected.mention.place);
                    self.unlooked_lookup(address, name, found, machines, place);
                    self.count(Subject::Names, Verdict::Unknown);
                    continue;
                }
            };
            let message = format!("The DNS server {address} {says} {name}.");
            let fix = "have a forwarder entered in the server, or its way out opened";
            self.report(on_mention(&OUTSIDE_NAME_MISSING, &expected.mention, message, fix));
            self.count(Subject::Names, Verdict::Wrong);
        }
    }
}

/// A domain as a part of a sentence.
fn domain_in_words(domain: &str) -> &str {
    if domain == "." { "the root of DNS" } else { domain }
}
