//! An interview about a sheet that is there: what is finished in it, and what is open.

use super::appliances::machines_of_entry;
use super::desk::Desk;
use super::rows;
use super::state::{Scope, State};
use super::topic::{ApplianceKey, LinkKey, Topic};
use crate::edit::{SheetText, TablePath};

/// Where an interview begins on a sheet that is there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Start {
    /// Another host is asked for.
    Hosts,
    /// Another appliance is asked for.
    Appliances,
    /// Another subnet is asked for.
    Subnets,
    /// Another login is asked for.
    Accounts,
}

/// The state of an interview that goes on with a sheet.
pub(super) fn state_of(text: SheetText, desk: &Desk<'_>, start: Option<Start>) -> State {
    let mut state = State::new(text);
    state.scope = Some(Scope::Site);
    state.is_resumed = true;
    state.finish(TablePath::top("common"));
    for kind in ["subnet", "account", "secret"] {
        for name in state.text.names(kind) {
            let table = TablePath::named(kind, &name);
            let has = |key: &str| state.text.literal(&table, key).is_some();
            let is_begun_only = match kind {
                "subnet" => !has("prefix") && !has("prefix6"),
                "account" => !has("ssh_keys") && !has("password"),
                _ => false,
            };
            if !is_begun_only {
                state.finish(table);
            }
        }
    }
    let site = &desk.judge(state.text.as_str()).site;
    let own = state.text.names("subnet");
    for subnet in site.subnets.iter().filter(|subnet| !own.contains(&subnet.name.value)) {
        let mut says = std::collections::BTreeMap::new();
        for (side, prefix, gateway) in
            [(&subnet.v4, "prefix", "gateway"), (&subnet.v6, "prefix6", "gateway6")]
        {
            let Some(side) = side.value() else { continue };
            says.insert(prefix, side.prefix.value.to_string());
            if let Some(router) = side.gateway_address() {
                says.insert(gateway, router.value.to_string());
            }
        }
        if let Some(tag) = subnet.vlan.value() {
            says.insert("vlan", tag.value.to_string());
        }
        state.included.insert(subnet.name.value.clone(), says);
    }
    let (hosts, appliances) = (state.text.entries("host"), state.text.entries("appliance"));
    for host in 0..hosts {
        open_host(&mut state, desk, host);
    }
    for index in 0..appliances {
        open_appliance(&mut state, index);
    }
    // Only a kind of which the sheet has none is asked for.
    let (subnets, accounts) = (state.text.names("subnet").len(), state.text.names("account").len());
    let next = [
        (site.subnets.len(), Topic::NextSubnet(subnets + 1), Start::Subnets),
        (site.accounts.len(), Topic::NextAccount(accounts + 1), Start::Accounts),
        (site.machines.len(), Topic::NextHost(hosts + 1), Start::Hosts),
        (site.machines.len(), Topic::NextAppliance(appliances + 1), Start::Appliances),
    ];
    for (count, topic, of) in next {
        let is_meant = start.is_none_or(|start| start == of);
        if !is_meant || (count > 0 && start.is_none() && !state.is_marked_at_the_end(&topic)) {
            state.pass(&topic.id());
        }
    }
    state
}

/// Takes in a host: its links, and whether it is finished.
fn open_host(state: &mut State, desk: &Desk<'_>, host: usize) {
    let table = TablePath::entry("host", host);
    let links = state.text.keys_of(&table.inner(&["link"]));
    let members: Vec<String> = links
        .iter()
        .flat_map(|link| state.text.strings(&table.inner(&["link", link]), "members").unwrap_or_default())
        .collect();
    let mut number = 0;
    let is_marked = state.text.marked(&table).iter().any(|open| open.starts_with("link."));
    let mut is_finished = !links.is_empty() && !is_marked;
    for link in links.iter().filter(|link| !members.contains(link)) {
        number += 1;
        let link_table = table.inner(&["link", link]);
        let has = |key: &str| state.text.literal(&link_table, key).is_some();
        let is_addressed = ["address", "address6", "host_number", "host_number6"].iter().any(|key| has(key));
        // A link may be there for those over it.
        let is_carrying = links
            .iter()
            .any(|other| state.text.string(&table.inner(&["link", other]), "over").as_deref() == Some(link));
        is_finished &= is_addressed || is_carrying;
        let known: Vec<LinkKey> = [LinkKey::Members, LinkKey::Over, LinkKey::Mode, LinkKey::Subnet]
            .into_iter()
            .filter(|key| has(key.name()))
            .chain([LinkKey::Port, LinkKey::Name])
            .collect();
        state.pass(&Topic::NextLink(host, number).id());
        for key in known {
            state.pass(&Topic::Link(host, number, key).id());
        }
        state.links.insert((host, number), link.clone());
    }
    if is_finished {
        state.finish(table);
        return;
    }
    rows::reopen(state, desk, host);
    let assessment = desk.judge(state.text.as_str());
    let count = machines_of_entry(&assessment.site, state, &table).len();
    state.counts.insert(host, count.max(1));
}

/// Takes in an appliance: what of it is known, and whether it is finished.
fn open_appliance(state: &mut State, index: usize) {
    let table = TablePath::entry("appliance", index);
    let pass = |state: &mut State, key: ApplianceKey| state.pass(&Topic::Appliance(index, key).id());
    for (written, key) in [
        ("package", ApplianceKey::Package),
        ("system", ApplianceKey::System),
        ("accept_licenses", ApplianceKey::License(0)),
    ] {
        if state.text.literal(&table, written).is_some() {
            pass(state, key);
        }
    }
    let links = state.text.keys_of(&table.inner(&["link"]));
    let is_addressed = |link: &String| {
        let link = table.inner(&["link", link]);
        ["address", "address6", "host_number", "host_number6"]
            .iter()
            .any(|key| state.text.literal(&link, key).is_some())
    };
    if !links.is_empty() && links.iter().all(is_addressed) {
        state.finish(table);
    }
}
