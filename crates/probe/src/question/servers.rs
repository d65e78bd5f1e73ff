//! The servers that machines ask, each with those that ask it.

use std::collections::{BTreeMap, BTreeSet};
use std::net::IpAddr;

use impostazione_core::appliance::{ToldAppliance, ToldValue, TypedValue};
use impostazione_core::machine::{Choices, Machine, SettingOrigin, Settings, Site, TimeServer, TimeSource};
use impostazione_net::{DomainName, ServerName};
use impostazione_ovf::Meaning;
use impostazione_text::Place;

use super::expected::{
    ExpectedClock, ExpectedDomain, ExpectedNameServer, ExpectedService, Mention, ServiceKind,
};

/// Collects things by what they are, with all that mention them.
struct Mentions<'a, K> {
    found: Vec<(K, Mention<'a>)>,
    index: BTreeMap<K, usize>,
}

impl<'a, K: Ord + Clone> Mentions<'a, K> {
    fn new() -> Self {
        Self { found: Vec::new(), index: BTreeMap::new() }
    }

    /// Notes that a machine has something that stands at a place.
    fn note(&mut self, what: K, place: Place, machine: &'a Machine, is_shared: bool) {
        let at = *self.index.entry(what.clone()).or_insert_with(|| {
            self.found.push((what, Mention { place, machines: Vec::new(), is_shared: false }));
            self.found.len() - 1
        });
        let Some((_, mention)) = self.found.get_mut(at) else { return };
        mention.is_shared |= is_shared;
        if mention.machines.last().is_none_or(|last| !std::ptr::eq(*last, machine)) {
            mention.machines.push(machine);
        }
    }
}

/// The servers of a site, as some of its machines use them.
pub(super) struct Servers<'a> {
    site: &'a Site,
    machines: Vec<&'a Machine>,
    told: &'a [ToldAppliance<'a>],
}

impl<'a> Servers<'a> {
    pub(super) fn new(site: &'a Site, machines: Vec<&'a Machine>, told: &'a [ToldAppliance<'a>]) -> Self {
        Self { site, machines, told }
    }

    fn is_shared(&self, list: Place) -> bool {
        self.site.setting_origin(list) != SettingOrigin::Machine
    }

    /// What the appliances among them are told in their own right.
    fn told_values(&self) -> impl Iterator<Item = (&'a Machine, &'a ToldValue<'a>)> + '_ {
        let is_meant = |told: &&ToldAppliance<'a>| {
            self.machines.iter().any(|machine| std::ptr::eq(*machine, told.machine))
        };
        let values = self.told.iter().filter(is_meant);
        values
            .flat_map(|told| told.values.iter().map(|value| (told.machine, value)))
            .filter(|(_, value)| value.is_own_word())
    }

    fn is_of_sheet(&self, address: IpAddr) -> bool {
        self.site.address_uses().contains_key(&address)
    }

    /// Every DNS server.
    pub(super) fn of_names(&self) -> Vec<ExpectedNameServer<'a>> {
        let mut general = Mentions::new();
        let mut special: Mentions<'a, (IpAddr, String)> = Mentions::new();
        for machine in &self.machines {
            let settings = &machine.settings;
            if let Some(list) = settings.dns.value() {
                let is_shared = self.is_shared(list.place);
                for item in list.items.iter().filter(|item| !item.value.is_loopback()) {
                    general.note(item.value, item.place, machine, is_shared);
                }
            }
            for one in &settings.dns_for {
                let is_shared = self.is_shared(one.servers.place);
                for item in one.servers.items.iter().filter(|item| !item.value.is_loopback()) {
                    let key = (item.value, one.domain.value.to_string());
                    special.note(key, item.place, machine, is_shared);
                }
            }
        }
        for (machine, told) in self.told_values() {
            if let (Meaning::Dns | Meaning::Dns1 | Meaning::Dns2, Some(TypedValue::NameServers(servers))) =
                (told.meaning, told.typed())
            {
                for server in servers.iter().filter(|server| !server.is_loopback()) {
                    general.note(*server, told.place, machine, false);
                }
            }
        }
        let is_general = |address: &IpAddr| general.index.contains_key(address);
        special.found.retain(|((address, _), _)| !is_general(address));
        let mut seen = BTreeSet::new();
        special.found.retain(|((address, _), _)| seen.insert(*address));
        let domain_of = |mention: &Mention<'_>| {
            let domain = mention.machines.iter().find_map(|machine| machine.domain());
            domain.unwrap_or(".").to_owned()
        };
        let general = general.found.into_iter().map(|(address, mention)| ExpectedNameServer {
            address,
            domain: domain_of(&mention),
            mention,
            is_of_sheet: self.is_of_sheet(address),
            is_general: true,
        });
        let special = special.found.into_iter().map(|((address, domain), mention)| ExpectedNameServer {
            address,
            domain,
            mention,
            is_of_sheet: self.is_of_sheet(address),
            is_general: false,
        });
        general.chain(special).collect()
    }

    /// Every domain that is searched, or has servers of its own.
    pub(super) fn domains(&self) -> Vec<ExpectedDomain<'a>> {
        let mut found: Mentions<'a, (String, Vec<IpAddr>)> = Mentions::new();
        for machine in &self.machines {
            let settings = &machine.settings;
            if let Some(list) = settings.search.value() {
                for item in &list.items {
                    let domain = item.value.to_string();
                    let servers = servers_for(settings, &domain);
                    let is_shared = self.is_shared(list.place);
                    found.note((domain, servers), item.place, machine, is_shared);
                }
            }
            for one in &settings.dns_for {
                let domain = one.domain.value.to_string();
                let servers = asked(&one.servers);
                let is_shared = self.is_shared(one.servers.place);
                found.note((domain, servers), one.domain.place, machine, is_shared);
            }
        }
        let expected = |((domain, servers), mention)| ExpectedDomain { domain, mention, servers };
        found.found.into_iter().map(expected).collect()
    }

    /// Every time server.
    pub(super) fn of_time(&self) -> Vec<ExpectedClock<'a>> {
        // A server may be asked with a key by one machine, and without by another.
        let mut found: Mentions<'a, (TextOf<TimeServer>, Option<String>)> = Mentions::new();
        for machine in &self.machines {
            let Some(list) = machine.settings.ntp.value() else { continue };
            for item in &list.items {
                let TimeSource { server, key } = &item.value;
                if server.address().is_some_and(|address| address.is_loopback()) {
                    continue;
                }
                let key = key.as_ref().map(|key| key.value.clone());
                found.note((TextOf(server.clone()), key), item.place, machine, self.is_shared(list.place));
            }
        }
        for (machine, told) in self.told_values() {
            if let (Meaning::Ntp | Meaning::Ntp1 | Meaning::Ntp2, Some(TypedValue::TimeServers(servers))) =
                (told.meaning, told.typed())
            {
                for server in servers {
                    if !server.address().is_some_and(|address| address.is_loopback()) {
                        found.note((TextOf(server.clone()), None), told.place, machine, false);
                    }
                }
            }
        }
        let expected =
            |((TextOf(server), key), mention): ((TextOf<TimeServer>, Option<String>), Mention<'a>)| {
                let resolvers = match &server {
                    TimeServer::Name(name) => resolvers(&mention.machines, name),
                    TimeServer::Address(_) => Vec::new(),
                };
                let is_of_sheet = server.address().is_some_and(|address| self.is_of_sheet(address));
                ExpectedClock { server, key, mention, is_of_sheet, resolvers }
            };
        found.found.into_iter().map(expected).collect()
    }

    /// Every other server that an appliance is told to use.
    pub(super) fn services(&self) -> Vec<ExpectedService<'a>> {
        let mut found = Vec::new();
        for (machine, told) in self.told_values() {
            let kind = match told.meaning {
                Meaning::LicenseServer => ServiceKind::License,
                Meaning::MailRelay => ServiceKind::Mail,
                Meaning::Proxy => ServiceKind::Proxy,
                _ => continue,
            };
            let Some(TypedValue::Servers(servers)) = told.typed() else { continue };
            for server in servers {
                let resolvers = match &server.host {
                    // Something on the appliance itself.
                    ServerName::Address(address) if address.is_loopback() => continue,
                    ServerName::Address(_) => Vec::new(),
                    ServerName::Name(name) => resolvers(&[machine], name),
                };
                found.push(ExpectedService {
                    kind,
                    is_of_sheet: server.address().is_some_and(|address| self.is_of_sheet(address)),
                    name: server.host.clone(),
                    port: server.port,
                    machine,
                    place: told.place,
                    property: told.id(),
                    resolvers,
                });
            }
        }
        found
    }
}

/// The DNS servers that machines would ask for a name.
fn resolvers(machines: &[&Machine], name: &DomainName) -> Vec<IpAddr> {
    let mut servers: Vec<IpAddr> = Vec::new();
    for machine in machines {
        for server in servers_for(&machine.settings, name.as_str()) {
            if !servers.contains(&server) {
                servers.push(server);
            }
        }
    }
    servers
}

/// The DNS servers that a machine with these settings asks for a name: those of its domain, or else the general ones.
pub(super) fn servers_for(settings: &Settings, name: &str) -> Vec<IpAddr> {
    let longest = settings
        .dns_for
        .iter()
        .filter(|one| is_below(name, one.domain.value.as_str()))
        .max_by_key(|one| one.domain.value.as_str().len());
    match longest {
        Some(one) => asked(&one.servers),
        None => settings.dns.value().map(|list| asked(list)).unwrap_or_default(),
    }
}

/// The servers of a list that are on the network.
fn asked(list: &Choices<IpAddr>) -> Vec<IpAddr> {
    list.values().copied().filter(|server| !server.is_loopback()).collect()
}

/// Whether a name is a domain, or in it.
fn is_below(name: &str, domain: &str) -> bool {
    let (name, domain) = (name.to_ascii_lowercase(), domain.to_ascii_lowercase());
    name == domain || name.strip_suffix(&domain).is_some_and(|rest| rest.ends_with('.'))
}

/// Something in the order of its text.
#[derive(Clone, Debug)]
struct TextOf<T>(T);

impl<T: ToString> TextOf<T> {
    fn text(&self) -> String {
        self.0.to_string()
    }
}

impl<T: ToString> PartialEq for TextOf<T> {
    fn eq(&self, other: &Self) -> bool {
        self.text() == other.text()
    }
}

impl<T: ToString> Eq for TextOf<T> {}

impl<T: ToString> PartialOrd for TextOf<T> {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl<T: ToString> Ord for TextOf<T> {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.text().cmp(&other.text())
    }
}
