//! Whether time servers answer, and agree.

use std::net::IpAddr;

use impostazione_core::finding::Finding;
use impostazione_core::machine::TimeServer;
use impostazione_core::network::rules::{
    CLOCK_DIFFERS, NAME_MISSING, NTP_KEY_DIFFERS, NTP_SILENT, NTP_UNSYNCHRONIZED,
};

use super::name_servers::{NameAt, on_mention};
use super::unlooked::{Reason, Unknown};
use super::words::listed;
use super::{Judging, Subject, Verdict};
use crate::answer::{Clock, KeyProof, Reading};
use crate::question::ExpectedClock;

/// How far time servers may be apart, in seconds.
const APART_SECONDS: f64 = 1.0;
/// How far this computer may be from them, in seconds.
const COMPUTER_APART_SECONDS: f64 = 10.0;

/// A time that counts.
struct Told<'a> {
    expected: &'a ExpectedClock<'a>,
    address: IpAddr,
    reading: Reading,
}

impl Told<'_> {
    /// How far it may be off because of the way.
    fn doubt(&self) -> f64 {
        self.reading.delay_seconds / 2.0
    }
}

impl<'a> Judging<'a> {
    /// Judges every time server.
    pub(super) fn clocks(&mut self) {
        let plan = self.plan;
        let mut told: Vec<Told<'a>> = Vec::new();
        let mut verdicts = Vec::new();
        for expected in &plan.clocks {
            let addresses = match &expected.server {
                TimeServer::Address(address) => vec![*address],
                TimeServer::Name(name) => {
                    let found = self.answers.addresses_of_name(name.as_str(), &expected.resolvers);
                    let verdict = self.name_of_server(
                        "time server",
                        name.as_str(),
                        &expected.resolvers,
                        &expected.mention.machines,
                        |message, fix| on_mention(&NAME_MISSING, &expected.mention, message, fix),
                        expected.mention.place,
                    );
                    self.count(Subject::Names, verdict);
                    // That it is missing has its finding.
                    if found.is_empty() && verdict != Verdict::Wrong {
                        self.unknown_clock(expected, no_address());
                    }
                    found
                }
            };
            for address in addresses {
                let clock = self.answers.clocks.get(&(address, expected.key.clone()));
                if expected.is_of_sheet && matches!(clock, Some(Clock::Silent | Clock::Refused)) {
                    self.not_yet("time server", address);
                    continue;
                }
                let verdict = self.clock(expected, address, &mut told);
                verdicts.push((address, verdict));
            }
        }
        let apart = self.agreement(&told);
        for (address, verdict) in verdicts {
            let agrees = if apart.contains(&address) { Verdict::Wrong } else { Verdict::Right };
            self.count(Subject::Clocks, verdict.and(agrees));
        }
    }

    fn clock(
        &mut self,
        expected: &'a ExpectedClock<'a>,
        address: IpAddr,
        told: &mut Vec<Told<'a>>,
    ) -> Verdict {
        let called = called(expected, address);
        let clock = self.answers.clocks.get(&(address, expected.key.clone()));
        let reading = match clock {
            None => return self.unknown_clock(expected, Reason::not_asked()),
            Some(Clock::NotLooked(obstacle)) => {
                return self.unknown_clock(expected, Reason::obstacle(obstacle));
            }
            Some(Clock::Kiss(code)) if code == "RATE" => {
                let reason = Reason::new("it asks to be asked less often", "run the command again later");
                return self.unknown_clock(expected, reason);
            }
            Some(Clock::Silent) => {
                return self.no_time(expected, format!("The time server {called} does not answer."));
            }
            Some(Clock::Refused) => {
                return self.no_time(expected, format!("On {called} no time server listens."));
            }
            Some(Clock::Kiss(code)) => {
                return self.no_time(
                    expected,
                    format!("The time server {called} refuses to answer: it says {code}."),
                );
            }
            Some(Clock::Garbled(why)) => {
                return self.no_time(expected, format!("What the time server {called} answers {why}."));
            }
            Some(Clock::Reading(reading)) => *reading,
        };
        if reading.is_unsynchronized {
            let message = format!("The time server {called} says that its clock is not synchronized.");
            let fix = "ask again in a few minutes; if it stays so, look into the server's own sources";
            self.report(on_mention(&NTP_UNSYNCHRONIZED, &expected.mention, message, fix));
            return Verdict::Wrong;
        }
        told.push(Told { expected, address, reading });
        self.key(expected, &called, reading.proof)
    }

    fn key(&mut self, expected: &'a ExpectedClock<'a>, called: &str, proof: KeyProof) -> Verdict {
        let Some(key) = &expected.key else { return Verdict::Right };
        let how = match proof {
            KeyProof::NotAsked | KeyProof::Proved => return Verdict::Right,
            KeyProof::NotLooked => {
                let reason = Reason::obstacle(&crate::obstacle::Obstacle::NoKey);
                let (machines, place) = (&expected.mention.machines, expected.mention.place);
                self.unlooked.note(Unknown::Key, called, machines, place, reason);
                return Verdict::Unknown;
            }
            KeyProof::Missing => "does not accept",
            KeyProof::Wrong => "has another value for",
        };
        let message = format!("The time server {called} {how} the key {key} of the sheet.");
        let fix = "compare number, algorithm and value of the key with the server's own file of keys";
        self.report(on_mention(&NTP_KEY_DIFFERS, &expected.mention, message, fix));
        Verdict::Wrong
    }

    fn no_time(&mut self, expected: &ExpectedClock<'_>, message: String) -> Verdict {
        let fix = "correct the server in the sheet, or have it started and port 123 opened for UDP";
        self.report(on_mention(&NTP_SILENT, &expected.mention, message, fix));
        Verdict::Wrong
    }

    fn unknown_clock(&mut self, expected: &'a ExpectedClock<'a>, reason: Reason) -> Verdict {
        let (machines, place) = (&expected.mention.machines, expected.mention.place);
        self.unlooked.note(Unknown::Clock, expected.server.to_string(), machines, place, reason);
        Verdict::Unknown
    }

    /// Judges whether servers agree with each other, and with this computer; says which do not.
    fn agreement(&mut self, told: &[Told<'a>]) -> Vec<IpAddr> {
        let mut by_address: Vec<&Told<'a>> = Vec::new();
        for one in told {
            if !by_address.iter().any(|known| known.address == one.address) {
                by_address.push(one);
            }
        }
        let mut offsets: Vec<f64> = by_address.iter().map(|told| told.reading.offset_seconds).collect();
        offsets.sort_unstable_by(f64::total_cmp);
        let Some(middle) = median(&offsets) else { return Vec::new() };
        let is_apart =
            |told: &&&Told<'a>| (told.reading.offset_seconds - middle).abs() > APART_SECONDS + told.doubt();
        let apart: Vec<&&Told<'a>> = match by_address.as_slice() {
            // Of two nobody can tell which is right.
            [one, other] => {
                let doubt = one.doubt() + other.doubt();
                let difference = one.reading.offset_seconds - other.reading.offset_seconds;
                if difference.abs() > APART_SECONDS + doubt {
                    let message = format!(
                        "The time servers {} and {} differ by {}.",
                        called(one.expected, one.address),
                        called(other.expected, other.address),
                        in_seconds(difference)
                    );
                    let fix = "compare both with a third clock, and correct the one that is wrong";
                    self.report(on_mention(&CLOCK_DIFFERS, &one.expected.mention, message, fix));
                    return vec![one.address, other.address];
                }
                Vec::new()
            }
            several => several.iter().filter(is_apart).collect(),
        };
        for told in &apart {
            let difference = told.reading.offset_seconds - middle;
            let message = format!(
                "The time server {} is {} {} the others.",
                called(told.expected, told.address),
                in_seconds(difference),
                ahead(difference)
            );
            let fix = "look into the server's own sources, or leave it out of the sheet";
            self.report(on_mention(&CLOCK_DIFFERS, &told.expected.mention, message, fix));
        }
        let addresses: Vec<IpAddr> = apart.iter().map(|told| told.address).collect();
        let Some(first) = by_address.first() else { return addresses };
        if apart.len() == by_address.len() || middle.abs() <= COMPUTER_APART_SECONDS {
            return addresses;
        }
        let who = if by_address.len() == 1 { "the time server" } else { "the time servers" };
        let message = format!(
            "The clock of this computer is {} {} {who} of the site.",
            in_seconds(middle),
            ahead(-middle)
        );
        let fix =
            "compare this computer with another clock; if it is right, all servers of the site are wrong";
        self.report(Finding::on_sheet(&CLOCK_DIFFERS, first.expected.mention.place, message, fix));
        addresses
    }

    /// Judges whether DNS knows a server that is given by name.
    pub(super) fn name_of_server(
        &mut self,
        what: &str,
        name: &str,
        resolvers: &[IpAddr],
        machines: &[&'a impostazione_core::machine::Machine],
        finding: impl Fn(String, String) -> Finding,
        place: impostazione_text::Place,
    ) -> Verdict {
        let mut lacking = Vec::new();
        let mut verdict = if resolvers.is_empty() { Verdict::Unknown } else { Verdict::Right };
        for server in resolvers {
            match self.name_at(name, *server) {
                NameAt::Known => {}
                NameAt::Lacking => lacking.push(*server),
                NameAt::Unclear(found) => {
                    verdict = Verdict::Unknown;
                    self.unlooked_lookup(*server, name, found, machines, place);
                }
            }
        }
        if lacking.is_empty() {
            return verdict;
        }
        let message = format!("The {what} {name} has no address at {}.", listed(&lacking));
        self.report(finding(message, "correct the name in the sheet, or have it added to DNS".to_owned()));
        Verdict::Wrong
    }
}

/// Why a server that is given by name was not asked.
pub(super) fn no_address() -> Reason {
    Reason::new("its name could not be looked up", "run this again when the DNS servers answer")
}

/// What a time server is called: by its name too, where the sheet gives that.
fn called(expected: &ExpectedClock<'_>, address: IpAddr) -> String {
    match &expected.server {
        TimeServer::Address(_) => address.to_string(),
        TimeServer::Name(name) => format!("{name} ({address})"),
    }
}

fn median(sorted: &[f64]) -> Option<f64> {
    let half = sorted.len() / 2;
    let upper = *sorted.get(half)?;
    Some(if sorted.len() % 2 == 1 { upper } else { f64::midpoint(*sorted.get(half - 1)?, upper) })
}

fn in_seconds(difference: f64) -> String {
    let difference = difference.abs();
    if difference < 10.0 { format!("{difference:.1} s") } else { format!("{difference:.0} s") }
}

fn ahead(difference: f64) -> &'static str {
    if difference > 0.0 { "ahead of" } else { "behind" }
}
