//! Questions about appliances: what their packages ask for and the sheet does not answer by itself.

use std::net::IpAddr;

use impostazione_ovf::Descriptor;
use impostazione_text::ByteSize;
use ipnet::IpNet;

use super::common::explanation_of;
use super::desk::Desk;
use super::map_line::{free_run, map_line, pattern_from};
use super::properties;
use super::put::{Reply, put};
use super::question::{Choice, Question, Refusal};
use super::state::{Scope, State};
use super::topic::{ApplianceKey, Topic};
use crate::assess::Assessment;
use crate::edit::{TablePath, quoted};
use crate::machine::{Machine, Site};
use crate::sheet::{APPLIANCE, CLUSTER};

/// The most networks of an appliance that are asked about.
const MOST_NETWORKS: usize = 16;

/// The link of an appliance whose package says nothing of networks.
const ONLY_LINK: &str = "lan";

pub(super) fn table_of(index: usize) -> TablePath {
    TablePath::entry("appliance", index)
}

/// The machines that an entry makes.
pub(super) fn machines_of<'s>(site: &'s Site, state: &State, index: usize) -> Vec<&'s Machine> {
    machines_of_entry(site, state, &table_of(index))
}

/// The machines that an entry of hosts or of appliances makes.
pub(super) fn machines_of_entry<'s>(site: &'s Site, state: &State, entry: &TablePath) -> Vec<&'s Machine> {
    let Some(extent) = state.text.extent(entry) else { return Vec::new() };
    let is_of = |machine: &&Machine| {
        machine.header.source == impostazione_text::SourceId::default()
            && machine.header.span.meets((extent.start..extent.start).into())
    };
    site.machines.iter().filter(is_of).collect()
}

fn descriptor_of<'s>(site: &'s Site, machines: &[&'s Machine]) -> Option<&'s Descriptor> {
    site.descriptor_of(machines.first()?.appliance()?)
}

/// The networks that the adapters of an appliance are on, each once.
fn networks_of(assessment: &Assessment, state: &State, index: usize) -> Vec<String> {
    let machines = machines_of(&assessment.site, state, index);
    let system = machines.first().and_then(|machine| assessment.site.system_of(machine.appliance()?));
    let mut names: Vec<String> = Vec::new();
    for name in system.map(|system| system.hardware.adapters.as_slice()).unwrap_or_default() {
        if !names.contains(name) {
            names.push(name.clone());
        }
    }
    names.truncate(MOST_NETWORKS);
    if names.is_empty() { vec![String::new()] } else { names }
}

/// The name of the link on a network of a package.
fn link_name(network: &str) -> String {
    let small: String = network
        .chars()
        .map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' })
        .collect();
    let parts: Vec<&str> = small.split('-').filter(|part| !part.is_empty()).collect();
    let name: String = parts.join("-").chars().take(15).collect();
    let name = name.trim_end_matches('-');
    if name.is_empty() { ONLY_LINK.to_owned() } else { name.to_owned() }
}

/// The next question about appliances.
pub(super) fn next(state: &State, desk: &Desk<'_>) -> Option<Topic> {
    if state.scope == Some(Scope::Host) {
        return None;
    }
    let count = state.text.entries("appliance");
    for index in 0..count {
        if let Some(key) = next_of(state, desk, index) {
            return Some(Topic::Appliance(index, key));
        }
    }
    let is_wanted = state.is_site() || count == 0;
    let another = Topic::NextAppliance(count + 1);
    (is_wanted && !state.is_settled(&another.id())).then_some(another)
}

fn next_of(state: &State, desk: &Desk<'_>, index: usize) -> Option<ApplianceKey> {
    let table = table_of(index);
    let is_open = |key: &ApplianceKey| !state.is_settled(&Topic::Appliance(index, key.clone()).id());
    let assessment = desk.judge(state.text.as_str());
    if !state.is_finished(&table) {
        if is_open(&ApplianceKey::Package) {
            return Some(ApplianceKey::Package);
        }
        let machines = machines_of(&assessment.site, state, index);
        let descriptor = descriptor_of(&assessment.site, &machines);
        if descriptor.is_some_and(|descriptor| descriptor.systems.len() > 1) && is_open(&ApplianceKey::System)
        {
            return Some(ApplianceKey::System);
        }
        if descriptor.is_some_and(|descriptor| descriptor.options.len() > 1)
            && is_key_open(state, index, &ApplianceKey::DeploymentOption)
        {
            return Some(ApplianceKey::DeploymentOption);
        }
        let licenses = licenses_of(&assessment, state, index).len();
        if let Some(key) = (0..licenses).map(ApplianceKey::License).find(is_open) {
            return Some(key);
        }
        for number in 0..networks_of(&assessment, state, index).len() {
            let subnet = ApplianceKey::NetworkSubnet(number);
            let address = ApplianceKey::NetworkAddress(number);
            if state.subnet_names().len() > 1 && is_open(&subnet) {
                return Some(subnet);
            }
            if is_open(&address) && state.reply_to(&Topic::Appliance(index, subnet).id()) != Some("none") {
                return Some(address);
            }
        }
    }
    let machines = machines_of(&assessment.site, state, index);
    if machines.len() > 1 && is_key_open(state, index, &ApplianceKey::Cluster) {
        return Some(ApplianceKey::Cluster);
    }
    // Asked in the same run, once it is known that they are a cluster.
    let cluster = Topic::Appliance(index, ApplianceKey::Cluster).id();
    if state.reply_to(&cluster).is_some_and(|reply| reply != "none") && is_open(&ApplianceKey::VirtualAddress)
    {
        return Some(ApplianceKey::VirtualAddress);
    }
    properties::open_property(&assessment, state, index).map(ApplianceKey::Property)
}

/// Whether a key of an entry is still to be asked about.
fn is_key_open(state: &State, index: usize, key: &ApplianceKey) -> bool {
    let written = match key {
        ApplianceKey::DeploymentOption => "deployment_option",
        _ => "cluster",
    };
    !state.is_key_settled(&Topic::Appliance(index, key.clone()).id(), &table_of(index), written)
}

fn licenses_of(assessment: &Assessment, state: &State, index: usize) -> Vec<String> {
    let machines = machines_of(&assessment.site, state, index);
    let system = machines.first().and_then(|machine| assessment.site.system_of(machine.appliance()?));
    system.map(|system| system.licenses.clone()).unwrap_or_default()
}

/// Whether there is another entry of appliances.
pub(super) fn question_next(state: &State, number: usize) -> Question {
    let id = Topic::NextAppliance(number).id();
    let explanation = format!(
        "{} A row of appliances is one name with a range, such as logbook-{{1..3}}.",
        explanation_of(APPLIANCE.key("name"))
    );
    if !state.is_site() {
        let stem = state.packages.first().map(|path| stem_of(path));
        return Question::new(id, "What is the appliance called? (logbook)")
            .proposing(stem)
            .explained(explanation);
    }
    let line = if number == 1 {
        "Which appliances are there? A name, a row of names (logbook-{1..3}), or none"
    } else {
        "Which other appliances? A name, a row of names, or none"
    };
    let stem = state.packages.get(number - 1).map(|path| stem_of(path));
    let has_hosts = state.text.entries("host") > 0;
    Question::new(id, line)
        .proposing(stem.or_else(|| (number > 1 || has_hosts).then(|| "none".to_owned())))
        .or_none()
        .explained(explanation)
}

/// A name for the appliance of a package, by the package's own.
fn stem_of(path: &str) -> String {
    let stem = std::path::Path::new(path).file_stem().unwrap_or_default().to_string_lossy().to_lowercase();
    let plain: String = stem.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
    plain.split('-').filter(|part| !part.is_empty()).collect::<Vec<_>>().join("-")
}

/// Takes the name of another entry of appliances.
pub(super) fn take_next(
    state: &mut State,
    desk: &Desk<'_>,
    number: usize,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let Some(text) = reply.text else { return Ok(Vec::new()) };
    put(state, desk, &table_of(number - 1), "name", &quoted(text), reply)
}

pub(super) fn name_of(state: &State, index: usize) -> String {
    state.text.string(&table_of(index), "name").unwrap_or_else(|| format!("appliance {}", index + 1))
}

/// The question about an appliance.
pub(super) fn question(state: &State, desk: &Desk<'_>, index: usize, key: &ApplianceKey) -> Question {
    let id = Topic::Appliance(index, key.clone()).id();
    let name = name_of(state, index);
    let assessment = desk.judge(state.text.as_str());
    let machines = machines_of(&assessment.site, state, index);
    let descriptor = descriptor_of(&assessment.site, &machines);
    let spec = |key: &str| explanation_of(APPLIANCE.key(key));
    match key {
        ApplianceKey::Package => {
            let proposal =
                index.checked_sub(1).and_then(|before| state.text.string(&table_of(before), "package"));
            Question::new(
                id,
                format!("Which package is {name} made from? The path of its .ova or .ovf, or none"),
            )
            .proposing(proposal)
            .or_none()
            .explained(spec("package"))
        }
        ApplianceKey::System => {
            let systems = descriptor.map(|descriptor| descriptor.systems.as_slice()).unwrap_or_default();
            let mut question = Question::new(id, format!("Which machine of the package is {name}?"))
                .explained(spec("system"));
            question.choices =
                systems.iter().map(|system| Choice::new(system.id.clone(), system.name.clone())).collect();
            question
        }
        ApplianceKey::DeploymentOption => {
            question_size(Question::new(id, format!("Which size should {name} have?")), descriptor)
                .explained(spec("deployment_option"))
        }
        ApplianceKey::License(number) => {
            let licenses = licenses_of(&assessment, state, index);
            let text = licenses.get(*number).cloned().unwrap_or_default();
            Question {
                is_long_text: true,
                ..Question::new(id, format!("Do you accept this license of {name}?"))
            }
            .choosing(&[
                ("accept", "the appliance may start with it"),
                ("refuse", "the appliance cannot be prepared"),
            ])
            .showing(text.lines().map(str::to_owned))
            .explained(spec("accept_licenses"))
        }
        ApplianceKey::NetworkSubnet(number) => {
            let networks = networks_of(&assessment, state, index);
            let network = networks.get(*number).cloned().unwrap_or_default();
            let line = if network.is_empty() {
                format!("In which subnet is {name}?")
            } else {
                format!("In which subnet is the network \"{network}\" of {name}?")
            };
            let names = state.subnet_names();
            let mut question = Question::new(id, line).proposing(names.first().cloned()).explained(
                "The hypervisor connects the adapter to this network; the properties of the package get an address from the subnet.",
            );
            if *number > 0 {
                question = question.or_none();
            }
            question.choices = names
                .iter()
                .map(|name| {
                    let prefix = state.subnet_says(name, "prefix");
                    Choice::new(name.clone(), prefix.unwrap_or_default())
                })
                .collect();
            question
        }
        ApplianceKey::NetworkAddress(number) => {
            let (shown, proposal) = proposal_of(&assessment, state, index, *number, machines.len());
            let several = machines.len() > 1;
            let line = if several {
                format!("What are the addresses of {name}? The first of them, or a pattern")
            } else {
                format!("What is the address of {name}?")
            };
            Question::new(id, line).showing(shown).proposing(proposal).or_none().explained(
                "The properties that ask for an address get this one, and its mask and gateway come from the subnet.",
            )
        }
        ApplianceKey::Cluster => {
            let stem = name.split('{').next().unwrap_or_default().trim_end_matches('-').to_owned();
            Question::new(id, format!("Do {name} work together as a cluster? Its name, or none"))
                .proposing(Some(if stem.is_empty() { "cluster".to_owned() } else { stem }))
                .or_none()
                .explained(explanation_of(CLUSTER.key("size")))
        }
        ApplianceKey::VirtualAddress => {
            let (_, proposal) = proposal_of(&assessment, state, index, 0, 1);
            let shown = map_of(&assessment, state, index, 0);
            Question::new(id, "What is the virtual address of the cluster? An address, or none")
                .showing(shown)
                .proposing(proposal)
                .or_none()
                .explained(explanation_of(CLUSTER.key("virtual_address")))
        }
        ApplianceKey::Property(property) => {
            properties::question_property(id, &assessment, &machines, property)
        }
    }
}

fn question_size(mut question: Question, descriptor: Option<&Descriptor>) -> Question {
    let Some(descriptor) = descriptor else { return question };
    let system = descriptor.systems.first();
    for option in &descriptor.options {
        let size = system.map(|system| system.hardware.size(Some(&option.id))).unwrap_or_default();
        let mut parts = Vec::new();
        parts.extend(size.processors.map(|count| match count {
            1 => "1 processor".to_owned(),
            _ => format!("{count} processors"),
        }));
        parts.extend(size.memory_bytes.map(|bytes| format!("{} of memory", ByteSize(bytes))));
        let text = [option.label.as_str(), option.description.as_str()];
        let text: Vec<&str> = text.into_iter().filter(|text| !text.is_empty()).collect();
        let about = format!(
            "{}{}{}",
            text.join(": "),
            if text.is_empty() || parts.is_empty() { "" } else { "; " },
            parts.join(", ")
        );
        question.choices.push(Choice::new(option.id.clone(), about));
    }
    let disks: u64 = descriptor.disks.iter().filter_map(|disk| disk.capacity).sum();
    if disks > 0 {
        question.shown.push(format!("its disks may grow to {} in any size", ByteSize(disks)));
    }
    question.proposing(descriptor.default_option().map(str::to_owned))
}

/// The link of an appliance on one of its networks.
fn link_table(assessment: &Assessment, state: &State, index: usize, number: usize) -> TablePath {
    let networks = networks_of(assessment, state, index);
    let network = networks.get(number).map_or("", String::as_str);
    table_of(index).inner(&["link", &link_name(network)])
}

fn prefix_for(
    assessment: &Assessment,
    state: &State,
    index: usize,
    number: usize,
) -> Option<(String, IpNet)> {
    let link = link_table(assessment, state, index, number);
    let subnet = state.text.string(&link, "subnet").or_else(|| state.subnet_names().first().cloned())?;
    let prefix = state.subnet_says(&subnet, "prefix")?.parse().ok()?;
    Some((subnet, prefix))
}

fn map_of(assessment: &Assessment, state: &State, index: usize, number: usize) -> Option<String> {
    let (_, prefix) = prefix_for(assessment, state, index, number)?;
    state.is_site().then(|| map_line(&assessment.site, prefix))
}

fn proposal_of(
    assessment: &Assessment,
    state: &State,
    index: usize,
    number: usize,
    count: usize,
) -> (Option<String>, Option<String>) {
    let Some((_, prefix)) = prefix_for(assessment, state, index, number) else { return (None, None) };
    let named = state.named_address.filter(|named| {
        prefix.contains(named) && count == 1 && !assessment.site.address_uses().contains_key(named)
    });
    let first = named.or_else(|| free_run(&assessment.site, prefix, count));
    (map_of(assessment, state, index, number), first.map(|first| pattern_from(first, count)))
}

/// Takes a reply about an appliance.
pub(super) fn take(
    state: &mut State,
    desk: &Desk<'_>,
    index: usize,
    key: &ApplianceKey,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let table = table_of(index);
    let assessment = desk.judge(state.text.as_str());
    let machines = machines_of(&assessment.site, state, index);
    match key {
        ApplianceKey::Package => take_package(state, desk, index, reply),
        ApplianceKey::System => put(state, desk, &table, "system", &quoted(reply.word()), reply),
        ApplianceKey::DeploymentOption => {
            put(state, desk, &table, "deployment_option", &quoted(reply.word()), reply)
        }
        ApplianceKey::License(_) if reply.word() == "accept" => {
            put(state, desk, &table, "accept_licenses", "true", reply)
        }
        ApplianceKey::License(_) => {
            state.text.remove(&table, "accept_licenses");
            Ok(vec!["without its license the appliance cannot be prepared".to_owned()])
        }
        ApplianceKey::NetworkSubnet(number) => {
            let Some(subnet) = reply.text else { return Ok(Vec::new()) };
            let link = begin_link(&assessment, state, index, *number);
            put(state, desk, &link, "subnet", &quoted(subnet), reply)
        }
        ApplianceKey::NetworkAddress(number) => {
            let link = begin_link(&assessment, state, index, *number);
            if let (None, Some(only)) = (state.text.literal(&link, "subnet"), state.subnet_names().first()) {
                state.text.set(&link, "subnet", &quoted(only), None);
            }
            let Some(text) = reply.text else {
                return put(state, desk, &link, "address", &quoted("none"), reply);
            };
            let pattern = match text.parse::<IpAddr>() {
                Ok(first) if machines.len() > 1 => pattern_from(first, machines.len()),
                _ => text.to_owned(),
            };
            if *number > 0 && state.text.literal(&link, "default_route").is_none() {
                state.text.set(&link, "default_route", "false", None);
            }
            put(state, desk, &link, "address", &quoted(&pattern), reply)
        }
        ApplianceKey::Cluster => {
            let Some(name) = reply.text else { return Ok(Vec::new()) };
            super::subnets::refuse_odd_name(name)?;
            let cluster = TablePath::named("cluster", name);
            state.text.set(&cluster, "size", &machines.len().to_string(), None);
            put(state, desk, &table, "cluster", &quoted(name), reply)
        }
        ApplianceKey::VirtualAddress => {
            let Some(address) = reply.text else { return Ok(Vec::new()) };
            let Some(name) = state.text.string(&table, "cluster") else { return Ok(Vec::new()) };
            let subnet =
                prefix_for(&assessment, state, index, 0).map(|(subnet, _)| subnet).unwrap_or_default();
            let shared = format!("{{ subnet = {}, address = {} }}", quoted(&subnet), quoted(address));
            put(state, desk, &TablePath::named("cluster", &name), "virtual_address", &shared, reply)
        }
        ApplianceKey::Property(id) => properties::take_property(state, desk, index, id, reply),
    }
}

fn take_package(
    state: &mut State,
    desk: &Desk<'_>,
    index: usize,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let table = table_of(index);
    let Some(path) = reply.text else {
        return Ok(vec!["without a package it is set up at its console, from its typing card".to_owned()]);
    };
    put(state, desk, &table, "package", &quoted(path), reply)?;
    let assessment = desk.judge(state.text.as_str());
    let machines = machines_of(&assessment.site, state, index);
    let Some(descriptor) = descriptor_of(&assessment.site, &machines) else {
        let error = assessment.findings.iter().find(|finding| {
            finding.is_in_the_way()
                && state
                    .text
                    .span(&table, "package")
                    .is_some_and(|span| finding.place.span.meets(span.into()))
        });
        return Err(error.map_or_else(
            || {
                Refusal::new(
                    format!("{path} cannot be read as a package."),
                    "reply with the path of an .ova or .ovf file",
                )
            },
            super::put::refusal_of,
        ));
    };
    let product = descriptor.product();
    Ok(product.map(|product| format!("{} {}", product.name, product.any_version())).into_iter().collect())
}

/// The table of a link on a network, made where it is not there.
fn begin_link(assessment: &Assessment, state: &mut State, index: usize, number: usize) -> TablePath {
    let table = table_of(index);
    let networks = networks_of(assessment, state, index);
    let network = networks.get(number).map_or("", String::as_str);
    let name = link_name(network);
    let link = table.inner(&["link", &name]);
    if !state.text.has(&link) {
        state.text.add_braces(&table, &["link", &name]);
        if !network.is_empty() {
            state.text.set(&link, "network", &quoted(network), None);
        }
    }
    link
}
