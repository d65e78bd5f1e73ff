//! Questions about hosts.

use std::path::Path;

use super::common::explanation_of;
use super::desk::Desk;
use super::links;
use super::put::{Reply, put};
use super::question::{Question, Refusal};
use super::rows;
use super::state::{Scope, State};
use super::topic::Topic;
use crate::edit::{TablePath, quoted};
use crate::sheet::HOST;

/// The most links of one host that are asked about.
const MOST_LINKS: usize = 32;

pub(super) fn table_of(host: usize) -> TablePath {
    TablePath::entry("host", host)
}

/// The next question about hosts.
pub(super) fn next(state: &State) -> Option<Topic> {
    if state.scope == Some(Scope::Appliance) {
        return None;
    }
    let count = state.text.entries("host");
    for host in 0..count {
        if state.is_finished(&table_of(host)) {
            continue;
        }
        let name = Topic::HostName(host);
        if state.nameless.contains(&host) && !state.is_settled(&name.id()) {
            return Some(name);
        }
        if let Some(topic) = rows::next(state, host).or_else(|| next_of(state, host)) {
            return Some(topic);
        }
    }
    let is_wanted = state.is_site() || count == 0;
    let another = Topic::NextHost(count + 1);
    (is_wanted && !state.is_settled(&another.id())).then_some(another)
}

fn next_of(state: &State, host: usize) -> Option<Topic> {
    for number in 1..=MOST_LINKS {
        let topic = Topic::NextLink(host, number);
        let is_only = !state.is_site();
        if is_only && number > 1 && !state.links.contains_key(&(host, number)) {
            return None;
        }
        if !is_only && !state.is_settled(&topic.id()) {
            return Some(topic);
        }
        if state.is_declined(&topic.id()) {
            return None;
        }
        if let Some(key) = links::next_key(state, host, number) {
            return Some(Topic::Link(host, number, key));
        }
    }
    None
}

/// Whether there is another entry of hosts.
pub(super) fn question_next(state: &State, number: usize) -> Question {
    let id = Topic::NextHost(number).id();
    let explanation = format!(
        "{} With dots in it, what follows the first is the domain. {} A row of machines is one name with a range, such as \
            gauge-{{01..12}}; machines in a file are its path, such as lamps.csv.",
        explanation_of(HOST.key("name")),
        explanation_of(HOST.key("rows"))
    );
    if !state.is_site() {
        return Question::new(id, "What is the host called? (gauge-01, or gauge-01.capovetro.example)")
            .explained(explanation);
    }
    if number == 1 {
        return Question::new(
            id,
            "Which hosts are there? A name, a row of names (gauge-{01..12}), a CSV file, or none",
        )
        .or_none()
        .explained(explanation);
    }
    Question::new(id, "Which other hosts? A name, a row of names, a CSV file, or none")
        .proposing(Some("none".to_owned()))
        .or_none()
        .explained(explanation)
}

/// Takes the name of another entry of hosts.
pub(super) fn take_next(
    state: &mut State,
    desk: &Desk<'_>,
    number: usize,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let Some(text) = reply.text else { return Ok(Vec::new()) };
    let host = number - 1;
    if rows::is_file(text) {
        return rows::take_file(state, desk, host, Path::new(text));
    }
    let before = desk.judge(state.text.as_str()).site.machines.len();
    let common = TablePath::top("common");
    let mut told = Vec::new();
    let mut name = text;
    if let Some((label, domain)) = text.split_once('.')
        && !text.contains('{')
    {
        let has_domain = state.text.string(&common, "domain");
        if has_domain.as_deref().is_none_or(|known| known == domain) {
            name = label;
            if has_domain.is_none() {
                told.extend(put(state, desk, &common, "domain", &quoted(domain), reply)?);
                told.push(format!("the domain is {domain}"));
            }
        } else {
            return Err(Refusal::new(
                format!(
                    "{text} has a dot in it; the domain of the machines is {}.",
                    has_domain.unwrap_or_default()
                ),
                "reply with the name before the first dot",
            )
            .proposing(label));
        }
    }
    told.extend(put(state, desk, &table_of(host), "name", &quoted(name), reply)?);
    let after = desk.judge(state.text.as_str()).site.machines.len();
    state.counts.insert(host, after.saturating_sub(before).max(1));
    let count = state.counts.get(&host).copied().unwrap_or(1);
    if count > 1 {
        told.push(format!("that is {count} hosts"));
    }
    Ok(told)
}

/// What a host is called that was found without a name.
pub(super) fn question_name(host: usize) -> Question {
    Question::new(Topic::HostName(host).id(), "What is the host called that was read? (gauge-01)")
        .explained(explanation_of(HOST.key("name")))
}

/// Takes the name of a host that was found without one.
pub(super) fn take_host_name(
    state: &mut State,
    desk: &Desk<'_>,
    host: usize,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    put(state, desk, &table_of(host), "name", &quoted(reply.word()), reply)
}

pub(super) fn name_of(state: &State, host: usize) -> String {
    state.text.string(&table_of(host), "name").unwrap_or_else(|| format!("host {}", host + 1))
}

pub(super) fn count_of(state: &State, host: usize) -> usize {
    state.counts.get(&host).copied().unwrap_or(1)
}
