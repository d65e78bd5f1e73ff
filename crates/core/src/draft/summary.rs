//! What all replies come to, to be accepted, changed or left.

use std::fmt::Write as _;

use super::accounts;
use super::common;
use super::desk::Desk;
use super::question::{Question, Refusal};
use super::state::State;
use super::subnets;
use super::topic::{ApplianceKey, LinkKey, Topic};
use crate::edit::TablePath;
use crate::finding::{Finding, Severity};
use crate::machine::{Machine, Site};

/// The most machines and findings that are listed.
const LISTED: usize = 12;

/// The words for what may be added, and the questions that begin with it.
const MORE: [(&str, &str); 4] = [
    ("subnet", "add a subnet"),
    ("login", "add a login"),
    ("host", "add hosts"),
    ("appliance", "add appliances"),
];

/// What becomes of a reply to the summary.
pub(super) enum Choice {
    /// The sheet is as it should be.
    Accept,
    /// It is left as it is.
    Leave,
    /// This is asked again.
    Again(Topic),
    /// This is asked for, further.
    More(Topic),
}

/// What can be changed, each with its value as it is now.
pub(super) fn items(state: &State) -> Vec<(Topic, String)> {
    let mut items = Vec::new();
    let mut add = |topic: Topic, table: &TablePath, key: &str| {
        if let Some(value) = value_of(state, table, key) {
            items.push((topic, value));
        }
    };
    for key in common::all() {
        add(Topic::Common(key), &TablePath::top("common"), key.name());
    }
    for name in state.text.names("subnet") {
        for key in subnets::KEYS {
            add(Topic::Subnet(name.clone(), key), &TablePath::named("subnet", &name), key.name());
        }
    }
    for name in state.text.names("account") {
        for key in accounts::KEYS {
            add(Topic::Account(name.clone(), key), &TablePath::named("account", &name), key.name());
        }
    }
    for ((host, number), link) in &state.links {
        let table = TablePath::entry("host", *host).inner(&["link", link]);
        for key in [LinkKey::Subnet, LinkKey::Address, LinkKey::Address6] {
            if key != LinkKey::Subnet || state.subnet_names().len() > 1 {
                add(Topic::Link(*host, *number, key), &table, key.name());
            }
        }
    }
    for index in 0..state.text.entries("appliance") {
        let table = TablePath::entry("appliance", index);
        add(Topic::Appliance(index, ApplianceKey::DeploymentOption), &table, "deployment_option");
        let answers = table.inner(&["answer"]);
        for id in state.text.keys_of(&answers) {
            add(Topic::Appliance(index, ApplianceKey::Property(id.clone())), &answers, &id);
        }
    }
    items
}

/// A value as it is shown: without quotes and brackets.
fn value_of(state: &State, table: &TablePath, key: &str) -> Option<String> {
    if let Some(items) = state.text.strings(table, key) {
        return Some(items.iter().map(|item| short(item)).collect::<Vec<_>>().join(", "));
    }
    state.text.string(table, key).or_else(|| state.text.literal(table, key).map(str::to_owned))
}

/// A public key by its kind and its remark; anything else as it is.
fn short(item: &str) -> String {
    let mut words = item.split_whitespace();
    match (words.next(), words.next(), words.next()) {
        (Some(kind), Some(key), remark) if key.len() > 40 => {
            let end: String = key.chars().skip(key.chars().count().saturating_sub(8)).collect();
            format!("{kind} …{end} {}", remark.unwrap_or_default()).trim_end().to_owned()
        }
        _ => item.to_owned(),
    }
}

/// What a machine will be, in a line.
fn machine_line(site: &Site, machine: &Machine) -> String {
    let mut line = machine.label().to_owned();
    for link in &machine.links {
        let addresses: Vec<String> =
            site.interface_addresses(link).map(|address| address.to_string()).collect();
        if addresses.is_empty() {
            continue;
        }
        let subnet = site.subnet_of(link).map_or("", |subnet| subnet.name.value.as_str());
        // Writing to a String does not fail.
        let _ = write!(line, "  {} {} in {subnet}", link.name.value, addresses.join(" "));
    }
    line
}

/// What keeps the sheet from being right, and what is only to be known.
fn standing(findings: &[Finding], severity: Severity) -> Vec<&Finding> {
    let is_one = |finding: &&Finding| match severity {
        Severity::Error => is_in_the_way(finding),
        _ => !finding.is_waived() && finding.severity() == severity && !finding.rule.not_looked_at,
    };
    findings.iter().filter(is_one).collect()
}

/// Whether a sheet is not right because of a finding: an error, or something that could not be looked at. The values of secrets
/// are not asked for while a sheet is drafted.
pub fn is_in_the_way(finding: &Finding) -> bool {
    let is_of_secrets = finding.rule.not_looked_at && finding.rule.about_credentials;
    finding.bars_rendering() && !is_of_secrets
}

/// The summary, as a question.
pub(super) fn question(state: &State, desk: &Desk<'_>) -> Question {
    let assessment = desk.judge(state.text.as_str());
    let mut shown = Vec::new();
    for (index, (topic, value)) in items(state).iter().enumerate() {
        shown.push(format!("{:>3}  {}: {value}", index + 1, topic.id()));
    }
    shown.push(String::new());
    let machines = &assessment.site.machines;
    shown.extend(machines.iter().take(LISTED).map(|machine| machine_line(&assessment.site, machine)));
    if machines.len() > LISTED {
        shown.push(format!("and {} more machines", machines.len() - LISTED));
    }
    for (severity, word) in [(Severity::Error, "error"), (Severity::Warning, "warning")] {
        let found = standing(&assessment.findings, severity);
        for finding in found.iter().take(LISTED) {
            let machine =
                finding.machine.as_deref().map(|machine| format!("{machine}: ")).unwrap_or_default();
            shown.push(format!("{word}: {machine}{}", finding.message));
        }
        if found.len() > LISTED {
            shown.push(format!("and {} more of them: `impostazione check` shows all", found.len() - LISTED));
        }
    }
    let has_errors = !standing(&assessment.findings, Severity::Error).is_empty();
    Question::new("summary", "Is that right? (accept, a number to change, subnet, login, host, appliance, back, leave)")
        .proposing((!has_errors).then(|| "accept".to_owned()))
        .showing(shown)
        .explained(
            "accept writes the sheet. A number asks that question again. subnet, login, host and appliance add one. back returns to \
                the question before. leave writes what there is, with the open questions in it as remarks.",
        )
}

/// Reads a reply to the summary.
pub(super) fn take(state: &State, desk: &Desk<'_>, text: &str) -> Result<Choice, Refusal> {
    let word = text.to_lowercase();
    if word == "accept" {
        let assessment = desk.judge(state.text.as_str());
        let errors = standing(&assessment.findings, Severity::Error);
        return match errors.first() {
            None => Ok(Choice::Accept),
            Some(first) => Err(Refusal {
                fix: format!("{}; or leave, and correct it in the sheet", first.fix),
                ..super::put::refusal_of(first)
            }),
        };
    }
    if word == "leave" {
        return Ok(Choice::Leave);
    }
    if MORE.iter().any(|(known, _)| *known == word) {
        return Ok(Choice::More(match word.as_str() {
            "subnet" => Topic::NextSubnet(state.text.names("subnet").len() + 1),
            "login" => Topic::NextAccount(state.text.names("account").len() + 1),
            "host" => Topic::NextHost(state.text.entries("host") + 1),
            _ => Topic::NextAppliance(state.text.entries("appliance") + 1),
        }));
    }
    let items = items(state);
    let number = word.strip_prefix("change ").unwrap_or(&word).trim().parse::<usize>();
    match number.ok().and_then(|number| items.get(number.checked_sub(1)?)) {
        Some((topic, _)) => Ok(Choice::Again(topic.clone())),
        None => Err(Refusal::new(
            format!("\"{text}\" is not one of the replies."),
            format!(
                "reply accept, a number from 1 to {}, subnet, login, host, appliance, back or leave",
                items.len()
            ),
        )),
    }
}
