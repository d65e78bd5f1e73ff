//! What `probe before` says, for other programs.

use std::time::Duration;

use impostazione_core::finding::{Finding, Report};
use impostazione_probe::judge::Judged;
use impostazione_probe::network::{Network, Standing};
use impostazione_probe::question::Plan;
use impostazione_text::Sources;
use serde::Serialize;

use super::after_report::{WhenAsked, in_seconds};

/// What came of asking.
#[derive(Serialize)]
pub(crate) struct BeforeReport<'a> {
    sheet: &'a str,
    when: &'static str,
    /// When asking began; `null` where nothing was asked.
    asked_at: Option<String>,
    took_seconds: u64,
    asked: Vec<AskedAbout>,
    records_to_add: Vec<JsonRecord<'a>>,
    /// Servers that are machines of the sheet and do not answer yet.
    not_there_yet: &'a [String],
    #[serde(flatten)]
    report: Report<'a>,
}

/// How many things of a kind are right, wrong or not known.
#[derive(Serialize)]
struct AskedAbout {
    about: &'static str,
    right: usize,
    wrong: usize,
    unknown: usize,
}

#[derive(Serialize)]
struct JsonRecord<'a> {
    owner: &'a str,
    #[serde(rename = "type")]
    kind: &'static str,
    value: &'a str,
}

impl<'a> BeforeReport<'a> {
    pub(super) fn new(
        sheet: &'a str,
        (judged, when): (&'a Judged, Option<WhenAsked>),
        sources: &'a Sources,
        machines: usize,
        findings: &'a [Finding],
    ) -> Self {
        let asked = judged.tally.counts().map(|(subject, count)| AskedAbout {
            about: subject.key(),
            right: count.right,
            wrong: count.wrong,
            unknown: count.unknown,
        });
        let records = judged.records.iter().map(|record| JsonRecord {
            owner: &record.owner,
            kind: record.kind,
            value: &record.value,
        });
        Self {
            sheet,
            when: "before",
            asked_at: when.map(|when| in_seconds(when.at)),
            took_seconds: when.map_or(0, |when| when.took.as_secs()),
            asked: asked.collect(),
            records_to_add: records.collect(),
            not_there_yet: &judged.not_yet,
            report: Report::new(sources, machines, findings),
        }
    }
}

/// What would be asked.
#[derive(Serialize)]
pub(crate) struct AskedReport {
    pub(crate) sheet: String,
    /// The longest that it takes, in seconds.
    pub(crate) longest_seconds: u64,
    pub(crate) questions: Vec<AskedQuestion>,
}

/// A kind of question, and to whom it goes.
#[derive(Serialize)]
pub(crate) struct AskedQuestion {
    /// What is asked.
    pub(crate) about: &'static str,
    /// How.
    pub(crate) how: String,
    /// Whom, or what about.
    pub(crate) of: Vec<String>,
}

impl AskedReport {
    pub(super) fn new(sheet: &str, plan: &Plan<'_>, network: &dyn Network, within: Duration) -> Self {
        let mut questions = Vec::new();
        let mut add = |about, how: String, of: Vec<String>| {
            if !of.is_empty() {
                questions.push(AskedQuestion { about, how, of });
            }
        };
        let addresses = plan.addresses.iter().map(|expected| (expected.address, expected.owner.called()));
        let (mut on_links, mut behind_routers, mut elsewhere) = (Vec::new(), Vec::new(), Vec::new());
        for (address, who) in addresses {
            let text = format!("{address} ({who})");
            match network.standing(address.into()) {
                Standing::Attached => on_links.push(text),
                Standing::BehindRouter => behind_routers.push(text),
                Standing::Known(_) => elsewhere.push(text),
            }
        }
        add("addresses", "are they free? by the neighbor table of this computer".to_owned(), on_links);
        add("addresses", "is somebody there? by TCP, and ICMP where allowed".to_owned(), behind_routers);
        add("addresses", "nothing is sent: known or not to be reached from here".to_owned(), elsewhere);
        let gateways = plan.gateways.iter();
        add(
            "gateways",
            "do they answer?".to_owned(),
            gateways.map(|gateway| format!("{} ({})", gateway.address, gateway.subnet.name.value)).collect(),
        );
        let witnesses = plan.witnesses.iter().map(|witness| witness.address.to_string());
        add("neighbors", "does anybody in the subnet answer?".to_owned(), witnesses.collect());
        let servers = plan.name_servers.iter().map(|server| server.address.to_string());
        let lookups = plan.lookups().len();
        add(
            "dns-servers",
            format!("do they answer over UDP and TCP? then {lookups} lookups"),
            servers.collect(),
        );
        add(
            "names",
            "forward and reverse".to_owned(),
            plan.names.iter().map(|name| name.name.clone()).collect(),
        );
        let domains = plan.domains.iter().map(|domain| domain.domain.clone());
        add("domains", "do they exist?".to_owned(), domains.collect());
        add("names", "outside the site".to_owned(), plan.outside_name.iter().cloned().collect());
        let clocks = plan.clocks.iter().map(|clock| match &clock.key {
            Some(key) => format!("{} (key {key})", clock.server),
            None => clock.server.to_string(),
        });
        add("time-servers", "are they synchronized, and do they agree?".to_owned(), clocks.collect());
        let services = plan.services.iter().map(|service| {
            let who = match &service.name {
                impostazione_net::ServerName::Address(address) => address.to_string(),
                impostazione_net::ServerName::Name(name) => name.to_string(),
            };
            let kind = service.kind.word();
            match service.port {
                Some(port) => format!("{kind} {who} port {port}"),
                None => format!("{kind} {who} (not asked: no port)"),
            }
        });
        add("other-servers", "do they accept connections?".to_owned(), services.collect());
        let leases = plan.leases.iter().map(|lease| format!("subnet {}", lease.subnet.name.value));
        add("dhcp-servers", "what would they lease?".to_owned(), leases.collect());
        Self { sheet: sheet.to_owned(), longest_seconds: within.as_secs(), questions }
    }
}
