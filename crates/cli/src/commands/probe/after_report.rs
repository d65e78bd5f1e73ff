//! What `probe after` says, for other programs.

use std::time::Duration;

use impostazione_core::assess::Assessment;
use impostazione_core::finding::{Finding, Report};
use impostazione_probe::arrival::{Arrival, Arrivals, SharedArrival};
use impostazione_probe::question::{ArrivalPlan, ExpectedMachine, ExpectedShared, Way};
use impostazione_text::Sources;
use jiff::Timestamp;
use serde::Serialize;

/// When asking began, and how long it took.
#[derive(Clone, Copy)]
pub(super) struct WhenAsked {
    pub(super) at: Timestamp,
    pub(super) took: Duration,
}

/// What came of asking.
#[derive(Serialize)]
pub(crate) struct AfterReport<'a> {
    sheet: &'a str,
    when: &'static str,
    /// When asking began; `null` where nothing was asked.
    asked_at: Option<String>,
    took_seconds: u64,
    machines: Vec<JsonArrival<'a>>,
    virtual_addresses: Vec<JsonShared<'a>>,
    #[serde(flatten)]
    report: Report<'a>,
}

/// What a machine has come to.
#[derive(Serialize)]
struct JsonArrival<'a> {
    machine: &'a str,
    state: &'static str,
    /// In a few words, what was seen of it.
    message: &'a str,
    /// Where it was met.
    address: Option<String>,
    port: u16,
    host_key: Option<JsonHostKey<'a>>,
    certificate: Option<JsonCertificate<'a>>,
    /// What was seen inside of a host.
    inside: Vec<JsonInside<'a>>,
}

/// One thing that was looked at inside of a host.
#[derive(Serialize)]
struct JsonInside<'a> {
    about: &'a str,
    state: &'static str,
    found: &'a [String],
}

#[derive(Serialize)]
struct JsonHostKey<'a> {
    sha256: &'a str,
    known: bool,
}

#[derive(Serialize)]
struct JsonCertificate<'a> {
    sha256: &'a str,
    names: &'a [String],
    valid_from: Option<String>,
    valid_until: Option<String>,
    remembered: bool,
}

/// What a virtual address has come to.
#[derive(Serialize)]
struct JsonShared<'a> {
    cluster: &'a str,
    address: String,
    state: &'static str,
    message: &'a str,
}

impl<'a> AfterReport<'a> {
    pub(super) fn new(
        sheet: &'a str,
        sources: &'a Sources,
        (plan, arrivals): (&'a ArrivalPlan<'_>, &'a Arrivals<'_>),
        when: WhenAsked,
        findings: &'a [Finding],
    ) -> Self {
        let machines = plan.machines.iter().zip(&arrivals.machines);
        let shared = plan.shared.iter().zip(&arrivals.shared);
        let asked = plan.machines.len() + plan.without_address.len();
        Self {
            sheet,
            when: "after",
            asked_at: Some(in_seconds(when.at)),
            took_seconds: when.took.as_secs(),
            machines: machines.map(|(expected, arrival)| machine(expected, arrival)).collect(),
            virtual_addresses: shared.map(|(expected, arrival)| address(expected, arrival)).collect(),
            report: Report::new(sources, asked, findings),
        }
    }

    /// What is said where the sheet has errors, so that nothing was asked.
    pub(super) fn refused(sheet: &'a str, assessment: &'a Assessment, findings: &'a [Finding]) -> Self {
        Self {
            sheet,
            when: "after",
            asked_at: None,
            took_seconds: 0,
            machines: Vec::new(),
            virtual_addresses: Vec::new(),
            report: Report::new(&assessment.sources, assessment.site.machines.len(), findings),
        }
    }
}

/// A time without its fractions, as RFC 3339 has it.
pub(super) fn in_seconds(time: Timestamp) -> String {
    time.strftime("%Y-%m-%dT%H:%M:%SZ").to_string()
}

fn machine<'a>(expected: &'a ExpectedMachine<'_>, arrival: &'a Arrival<'_>) -> JsonArrival<'a> {
    let host_key = arrival.host_key.as_ref();
    let certificate = arrival.certificate.as_ref();
    JsonArrival {
        machine: expected.machine.called(),
        state: arrival.stage.key(),
        message: &arrival.says,
        address: arrival.at.map(|address| address.to_string()),
        port: expected.way.port(),
        host_key: host_key.map(|key| JsonHostKey { sha256: &key.fingerprint, known: key.is_known }),
        certificate: certificate.map(|certificate| JsonCertificate {
            sha256: &certificate.sha256,
            names: &certificate.names,
            valid_from: certificate.valid.map(|(from, _)| in_seconds(from)),
            valid_until: certificate.valid.map(|(_, until)| in_seconds(until)),
            remembered: arrival.is_remembered,
        }),
        inside: arrival
            .inside
            .iter()
            .map(|fact| JsonInside { about: &fact.about, state: fact.state.key(), found: &fact.found })
            .collect(),
    }
}

fn address<'a>(expected: &'a ExpectedShared<'_>, arrival: &'a SharedArrival) -> JsonShared<'a> {
    JsonShared {
        cluster: &expected.cluster.name.value,
        address: expected.at.address.to_string(),
        state: arrival.stage.key(),
        message: &arrival.says,
    }
}

/// What would be asked.
#[derive(Serialize)]
pub(crate) struct KnockReport {
    pub(crate) sheet: String,
    /// The longest that it takes, in seconds.
    pub(crate) longest_seconds: u64,
    pub(crate) machines: Vec<Knock>,
    /// Machines to which the sheet gives no address.
    pub(crate) not_asked: Vec<String>,
}

/// At which door of a machine is knocked.
#[derive(Serialize)]
pub(crate) struct Knock {
    pub(crate) machine: String,
    /// What is spoken there; `null` where only whether somebody is there is asked.
    pub(crate) service: Option<&'static str>,
    pub(crate) port: u16,
    pub(crate) addresses: Vec<String>,
    pub(crate) start_seconds: u64,
    /// What else is asked, once it answers.
    pub(crate) then: Vec<String>,
}

impl KnockReport {
    pub(super) fn new(sheet: &str, plan: &ArrivalPlan<'_>, longest: Duration) -> Self {
        let knock = |expected: &ExpectedMachine<'_>| {
            let mut then = Vec::new();
            if let Some(around) = &expected.around {
                then.extend(around.clocks.iter().map(|clock| format!("the time at {}", clock.server)));
                then.extend(around.name_servers.iter().map(|server| {
                    let names: Vec<&str> = around.names.iter().map(|name| name.name.as_str()).collect();
                    format!("DNS at {} for {}", server.address, names.join(" and "))
                }));
                then.extend(around.addresses.iter().map(|old| format!("whether {} is silent", old.address)));
            }
            Knock {
                machine: expected.machine.called().to_owned(),
                service: (!matches!(expected.way, Way::Unasked(_))).then(|| expected.way.word()),
                port: expected.way.port(),
                addresses: expected.addresses.iter().map(|at| at.address.to_string()).collect(),
                start_seconds: expected.start.as_secs(),
                then,
            }
        };
        let shared = plan.shared.iter().map(|shared| Knock {
            machine: format!("the cluster {}", shared.cluster.name.value),
            service: None,
            port: shared.port,
            addresses: vec![shared.at.address.to_string()],
            start_seconds: shared.start.as_secs(),
            then: Vec::new(),
        });
        Self {
            sheet: sheet.to_owned(),
            longest_seconds: longest.as_secs(),
            machines: plan.machines.iter().map(knock).chain(shared).collect(),
            not_asked: plan.without_address.iter().map(|machine| machine.called().to_owned()).collect(),
        }
    }
}
