//! Typing of the settings that machines share, after their links: lists may take values from other machines.

use std::net::IpAddr;
use std::sync::Arc;

use impostazione_net::{DomainName, KeyboardLayout, LocaleName, ZoneName, parse_address};
use impostazione_ovf::TakeWord;
use impostazione_text::{Place, Stated, Written};
use regex::Regex;

use super::resolve::{Names, Resolver};
use super::rules;
use super::settings::{
    Choices, DomainServers, HashKind, HostsFile, Ipv6Mode, NetplanVersion, Purpose, Renderer, Settings, Ssh,
    StockLogins, TimeService, TimeSource,
};
use super::site::Site;
use super::take::{Of, TakeFault};
use super::time_server::TimeServer;
use crate::finding::Finding;
use crate::sheet::rules::form;
use crate::sheet::{COMMON, ItemEntry, ListEntry, SSH, SettingsEntry, SshEntry, TakeEntry};

/// Settings as written: those of `[common]`, those of subnets, and those of machines, which come before each other in that
/// order.
#[derive(Clone)]
struct AsWritten {
    common: SettingsEntry,
    of_subnets: Vec<Option<Box<SettingsEntry>>>,
    own: Vec<Option<Box<SettingsEntry>>>,
    /// The subnet whose settings each machine has.
    subnet_of: Vec<Option<usize>>,
}

/// One of the lists that values are taken from.
#[derive(Clone, Copy, PartialEq, Eq)]
enum ListKey {
    Dns,
    Ntp,
}

impl AsWritten {
    /// The list that a machine has.
    fn list(&self, machine: usize, key: ListKey) -> Option<&ListEntry> {
        let lacks = |entry: &SettingsEntry| match key {
            ListKey::Dns => entry.dns.is_absent(),
            ListKey::Ntp => entry.ntp.is_absent(),
        };
        let own = self.own.get(machine).and_then(Option::as_deref);
        let of_subnet = self
            .subnet_of
            .get(machine)
            .copied()
            .flatten()
            .and_then(|subnet| self.of_subnets.get(subnet)?.as_deref());
        let mut entries = own.into_iter().chain(of_subnet);
        let entry = entries.find(|entry| !lacks(entry)).unwrap_or(&self.common);
        match key {
            ListKey::Dns => entry.dns.value(),
            ListKey::Ntp => entry.ntp.value(),
        }
    }

    /// Every entry.
    fn entries(&self) -> impl Iterator<Item = &SettingsEntry> {
        let others = self.of_subnets.iter().chain(&self.own).flatten().map(|entry| &**entry);
        std::iter::once(&self.common).chain(others)
    }

    /// The same, each with the machine whose own it is.
    fn entries_mut(&mut self) -> impl Iterator<Item = (Option<usize>, &mut SettingsEntry)> {
        let of_subnets = self.of_subnets.iter_mut().flatten().map(|entry| (None, &mut **entry));
        let of_machines = self.own.iter_mut().enumerate();
        let of_machines = of_machines.filter_map(|(index, entry)| Some((Some(index), entry.as_deref_mut()?)));
        std::iter::once((None, &mut self.common)).chain(of_subnets).chain(of_machines)
    }
}

impl Resolver<'_> {
    /// Gives every machine its settings. Those as written are in the order of the site's subnets and machines.
    pub(super) fn all_settings(
        &mut self,
        site: &mut Site,
        common: SettingsEntry,
        of_subnets: Vec<Option<Box<SettingsEntry>>>,
        own: Vec<Option<Box<SettingsEntry>>>,
        names: &Names,
    ) {
        let subnet_of = if of_subnets.iter().any(Option::is_some) {
            site.machines.iter().map(|machine| site.subnet_for_settings(machine)).collect()
        } else {
            Vec::new()
        };
        let mut written = AsWritten { common, of_subnets, own, subnet_of };
        self.take_servers(site, &mut written, names);
        let AsWritten { common, of_subnets, own, subnet_of } = written;
        let common = Arc::new(self.settings(common, None));
        site.common = Arc::clone(&common);
        for (subnet, entry) in site.subnets.iter_mut().zip(of_subnets) {
            subnet.settings = entry.map(|entry| Arc::new(self.settings(*entry, Some(&common))));
        }
        let subnets = &site.subnets;
        let mut subnet_of = subnet_of.into_iter();
        for (machine, own) in site.machines.iter_mut().zip(own) {
            let of_subnet =
                subnet_of.next().flatten().and_then(|index| subnets.get(index)?.settings.as_ref());
            let inherited = of_subnet.unwrap_or(&common);
            machine.settings = match own {
                None => Arc::clone(inherited),
                Some(own) => {
                    self.machine = machine.label.as_deref().map(str::to_owned);
                    Arc::new(self.settings(*own, Some(inherited)))
                }
            };
        }
        self.machine = None;
    }

    /// Puts the values that lists take in the place of their takes.
    fn take_servers(&mut self, site: &Site, written: &mut AsWritten, names: &Names) {
        let takes = |entry: &SettingsEntry| {
            lists_of(entry).flat_map(|list| &list.items).any(|item| matches!(item, ItemEntry::Take(..)))
        };
        if !written.entries().any(takes) {
            return;
        }
        let as_written = written.clone();
        for (index, entry) in written.entries_mut() {
            self.machine =
                index.and_then(|index| site.machines.get(index)?.label.as_deref()).map(str::to_owned);
            for list in lists_of_mut(entry) {
                let count = list.items.len();
                let items = std::mem::take(&mut list.items);
                list.items = items
                    .into_iter()
                    .filter_map(|item| match item {
                        ItemEntry::Take(take, place) => {
                            let mut path = Vec::new();
                            match self.list_value(site, &as_written, index, &take, place, names, &mut path) {
                                Ok(text) => Some(ItemEntry::Text(Written::new(text, place))),
                                Err(Some(finding)) => self.report(*finding),
                                Err(None) => None,
                            }
                        }
                        other => Some(other),
                    })
                    .collect();
                list.has_faulty_items |= list.items.len() < count;
            }
        }
        self.machine = None;
    }

    /// The text that an item of a list takes; nothing, where another finding says why not. `path` holds the items that
    /// led here, so that a loop is seen.
    #[allow(clippy::too_many_arguments, reason = "all of it changes from step to step")]
    fn list_value(
        &mut self,
        site: &Site,
        as_written: &AsWritten,
        machine: Option<usize>,
        take: &TakeEntry,
        place: Place,
        names: &Names,
        path: &mut Vec<Place>,
    ) -> Result<String, Option<Box<Finding>>> {
        if path.contains(&place) {
            return Err(Some(Box::new(rules::reference::reference_loop(self.machine.clone(), place, path))));
        }
        path.push(place);
        let resolved = self.take(take.clone(), place, names).ok_or(None)?;
        let word = resolved.word.value;
        let (key, nth) = match word {
            TakeWord::Dns1 => (ListKey::Dns, 0),
            TakeWord::Dns2 => (ListKey::Dns, 1),
            TakeWord::Ntp1 => (ListKey::Ntp, 0),
            TakeWord::Ntp2 => (ListKey::Ntp, 1),
            TakeWord::Address | TakeWord::Address6 | TakeWord::Gateway | TakeWord::Gateway6 => {
                let itself = machine.and_then(|index| site.machines.get(index));
                let Some(taker) = itself.or_else(|| site.machines.first()) else { return Err(None) };
                if itself.is_none() && resolved.of == Of::Itself {
                    return Err(Some(Box::new(rules::reference::list_take_without_of(place, word))));
                }
                return resolved.value(site, taker).map_err(
                    |TakeFault { message, fix, place, is_known, .. }| {
                        (!is_known).then(|| {
                            Box::new(rules::reference::reference_fault(
                                self.machine.clone(),
                                place,
                                message,
                                fix,
                            ))
                        })
                    },
                );
            }
            _ => {
                return Err(Some(Box::new(rules::reference::list_take_word(
                    self.machine.clone(),
                    &resolved.word,
                ))));
            }
        };
        let of = match resolved.of {
            Of::Machine(index) => index,
            Of::Itself | Of::Subnet(_) | Of::Pool(_) | Of::Cluster(_) => {
                return Err(Some(Box::new(rules::reference::list_take_without_of(place, word))));
            }
        };
        let items = as_written.list(of, key).map(|list| list.items.as_slice()).unwrap_or_default();
        match items.get(nth) {
            Some(ItemEntry::Text(text)) => Ok(text.value.clone()),
            Some(ItemEntry::Keyed { server, .. }) => Ok(server.value.clone()),
            Some(ItemEntry::Take(take, place)) => {
                self.list_value(site, as_written, Some(of), take, *place, names, path)
            }
            None => {
                let owner = site.machines.get(of).map_or("that machine", super::machine::Machine::called);
                let message = format!("{owner} has no {} in this sheet.", word.text());
                let fix = "add it to the sheet, or write the server itself".to_owned();
                Err(Some(Box::new(rules::reference::reference_fault(
                    self.machine.clone(),
                    place,
                    message,
                    fix,
                ))))
            }
        }
    }

    fn settings(&mut self, entry: SettingsEntry, common: Option<&Settings>) -> Settings {
        let inherited = common.cloned().unwrap_or_default();
        let password_hashing = self
            .word(entry.password_hashing, &HashKind::ALL, "password_hashing")
            .or(inherited.password_hashing.clone());
        let password_cost = self.password_cost(entry.password_cost, &password_hashing, &inherited);
        Settings {
            purpose: self.word(entry.purpose, &Purpose::ALL, "purpose").or(inherited.purpose),
            domain: self.domain(entry.domain).or(inherited.domain),
            name_pattern: self.name_pattern(entry.name_pattern).or(inherited.name_pattern),
            dns: self.choices(entry.dns, Self::name_server).or(inherited.dns),
            dns_for: self.dns_for(entry.dns_for, inherited.dns_for),
            search: self.choices(entry.search, Self::search_domain).or(inherited.search),
            llmnr: entry.llmnr.or(inherited.llmnr),
            multicast_dns: entry.multicast_dns.or(inherited.multicast_dns),
            ntp: self.time_sources(entry.ntp).or(inherited.ntp),
            time_service: self
                .word(entry.time_service, &TimeService::ALL, "time_service")
                .or(inherited.time_service),
            timezone: self.timezone(entry.timezone).or(inherited.timezone),
            locale: self.locale(entry.locale).or(inherited.locale),
            keyboard: self.keyboard(entry.keyboard).or(inherited.keyboard),
            ipv6: self.word(entry.ipv6, &Ipv6Mode::ALL, "ipv6").or(inherited.ipv6),
            netplan: self.netplan(entry.netplan).or(inherited.netplan),
            renderer: self.word(entry.renderer, &Renderer::ALL, "renderer").or(inherited.renderer),
            hosts_file: self.word(entry.hosts_file, &HostsFile::ALL, "hosts_file").or(inherited.hosts_file),
            ssh: self.ssh(entry.ssh, inherited.ssh),
            stock_logins: self
                .word(entry.stock_logins, &StockLogins::ALL, "stock_logins")
                .or(inherited.stock_logins),
            password_cost,
            password_hashing,
        }
    }

    /// A cost belongs to its method: where a machine says another method, the common cost is not taken over.
    fn password_cost(
        &mut self,
        stated: Stated<Written<i64>>,
        hash: &Stated<Written<HashKind>>,
        inherited: &Settings,
    ) -> Stated<Written<u32>> {
        let kind = |stated: &Stated<Written<HashKind>>| {
            stated.value().map(|written| written.value).unwrap_or_default()
        };
        let costs = kind(hash).costs();
        if stated.is_absent() {
            let is_same = kind(&inherited.password_hashing) == kind(hash);
            return if is_same { inherited.password_cost.clone() } else { Stated::Absent };
        }
        stated.and_then(|written| {
            match u32::try_from(written.value).ok().filter(|cost| costs.contains(cost)) {
                Some(cost) => Some(written.with(cost)),
                None => {
                    let spec = COMMON.key("password_cost")?;
                    let found = written.value.to_string();
                    self.report(form::value_wrong_type(self.machine.clone(), written.place, spec, &found))
                }
            }
        })
    }

    /// What the machine's own table says of the service, and what it inherits where it says nothing.
    fn ssh(&mut self, stated: Stated<SshEntry>, inherited: Ssh) -> Ssh {
        let own = stated.into_value().unwrap_or_default();
        let port =
            own.port.and_then(|written| match u16::try_from(written.value).ok().filter(|port| *port > 0) {
                Some(port) => Some(written.with(port)),
                None => {
                    let spec = SSH.key("port")?;
                    let found = written.value.to_string();
                    self.report(form::value_wrong_type(self.machine.clone(), written.place, spec, &found))
                }
            });
        Ssh {
            enabled: own.enabled.or(inherited.enabled),
            password_login: own.password_login.or(inherited.password_login),
            root_login: own.root_login.or(inherited.root_login),
            host_key: own.host_key.or(inherited.host_key),
            port: port.or(inherited.port),
        }
    }

    fn word<T: Copy>(
        &mut self,
        stated: Stated<Written<String>>,
        words: &[(&str, T)],
        key: &str,
    ) -> Stated<Written<T>> {
        stated.and_then(|written| self.one_of(&written, words, &COMMON, key))
    }

    fn name_pattern(&mut self, stated: Stated<Written<String>>) -> Stated<Written<Regex>> {
        stated.and_then(|written| match Regex::new(&written.value) {
            Ok(regex) => Some(written.with(regex)),
            Err(_) => {
                let spec = COMMON.key("name_pattern")?;
                let found = "a text that is not a regular expression";
                self.report(form::value_wrong_type(self.machine.clone(), written.place, spec, found))
            }
        })
    }

    fn netplan(&mut self, stated: Stated<Written<String>>) -> Stated<Written<NetplanVersion>> {
        stated.and_then(|written| match NetplanVersion::parse(&written.value) {
            Some(version) => Some(written.with(version)),
            None => {
                let spec = COMMON.key("netplan")?;
                let found = format!("\"{}\"", written.value);
                self.report(form::value_wrong_type(self.machine.clone(), written.place, spec, &found))
            }
        })
    }

    fn locale(&mut self, stated: Stated<Written<String>>) -> Stated<Written<LocaleName>> {
        stated.and_then(|written| match LocaleName::parse(&written.value) {
            Ok(locale) => Some(written.with(locale)),
            Err(meant) => {
                self.report(rules::locale::locale_unknown(self.machine.clone(), &written, meant.as_deref()))
            }
        })
    }

    fn keyboard(&mut self, stated: Stated<Written<String>>) -> Stated<Written<KeyboardLayout>> {
        stated.and_then(|written| match KeyboardLayout::parse(&written.value) {
            Ok(layout) => Some(written.with(layout)),
            Err(meant) => {
                self.report(rules::locale::keyboard_unknown(self.machine.clone(), &written, meant.as_deref()))
            }
        })
    }

    fn domain(&mut self, stated: Stated<Written<String>>) -> Stated<Written<DomainName>> {
        stated.and_then(|written| match DomainName::parse(&written.value) {
            Ok(domain) => Some(written.with(domain)),
            Err(fault) => {
                self.report(rules::naming::domain_malformed(self.machine.clone(), &written, &fault))
            }
        })
    }

    fn timezone(&mut self, stated: Stated<Written<String>>) -> Stated<Written<ZoneName>> {
        stated.and_then(|written| match ZoneName::parse(&written.value) {
            Some(zone) => Some(written.with(zone)),
            None => {
                let known = self.unknown_zone.take().filter(|(text, _)| *text == written.value);
                let (text, mut finding) = known
                    .unwrap_or_else(|| (written.value.clone(), rules::timezone::unknown(None, &written)));
                finding.machine.clone_from(&self.machine);
                finding.place = written.place;
                self.unknown_zone = Some((text, finding.clone()));
                self.report(finding)
            }
        })
    }

    /// Domains of the machine's own table are added to those of `[common]`, and replace equal ones.
    fn dns_for(
        &mut self,
        stated: Stated<Vec<(Written<String>, Stated<ListEntry>)>>,
        mut inherited: Vec<DomainServers>,
    ) -> Vec<DomainServers> {
        for (domain, servers) in stated.into_value().into_iter().flatten() {
            let domain = self.domain(Stated::Value(domain)).into_value();
            let servers = self.choices(servers, Self::name_server).into_value();
            let (Some(domain), Some(servers)) = (domain, servers) else { continue };
            inherited.retain(|special| special.domain.value != domain.value);
            inherited.push(DomainServers { domain, servers });
        }
        inherited
    }

    fn choices<T>(
        &mut self,
        stated: Stated<ListEntry>,
        mut read: impl FnMut(&mut Self, &Written<String>) -> Option<T>,
    ) -> Stated<Arc<Choices<T>>> {
        self.typed_list(stated, |this, item| match item {
            ItemEntry::Text(text) => Some(text.with(read(this, text)?)),
            ItemEntry::Take(..) | ItemEntry::Keyed { .. } => None,
        })
    }

    fn time_sources(&mut self, stated: Stated<ListEntry>) -> Stated<Arc<Choices<TimeSource>>> {
        self.typed_list(stated, |this, item| match item {
            ItemEntry::Text(text) => {
                Some(text.with(TimeSource { server: this.time_server(text)?, key: None }))
            }
            ItemEntry::Keyed { server, key } => {
                Some(server.with(TimeSource { server: this.time_server(server)?, key: Some(key.clone()) }))
            }
            ItemEntry::Take(..) => None,
        })
    }

    fn typed_list<T>(
        &mut self,
        stated: Stated<ListEntry>,
        mut read: impl FnMut(&mut Self, &ItemEntry) -> Option<Written<T>>,
    ) -> Stated<Arc<Choices<T>>> {
        stated.and_then(|entry| {
            let count = entry.items.len();
            let items: Vec<Written<T>> = entry.items.iter().filter_map(|item| read(self, item)).collect();
            Some(Arc::new(Choices {
                place: entry.place,
                has_faulty_items: entry.has_faulty_items || items.len() < count,
                items,
                ends_with_none: entry.ends_with_none,
            }))
        })
    }

    fn name_server(&mut self, written: &Written<String>) -> Option<IpAddr> {
        match parse_address(&written.value, None) {
            Ok(address) => Some(address),
            Err(fault) => {
                self.report(rules::servers::dns_not_an_address(self.machine.clone(), written, &fault))
            }
        }
    }

    fn search_domain(&mut self, written: &Written<String>) -> Option<DomainName> {
        match DomainName::parse(&written.value) {
            Ok(domain) => Some(domain),
            Err(fault) => self.report(rules::naming::search_malformed(self.machine.clone(), written, &fault)),
        }
    }

    fn time_server(&mut self, written: &Written<String>) -> Option<TimeServer> {
        match TimeServer::parse(&written.value) {
            Ok(server) => Some(server),
            Err(fault) => self.report(rules::servers::ntp_malformed(self.machine.clone(), written, &fault)),
        }
    }
}

fn lists_of(entry: &SettingsEntry) -> impl Iterator<Item = &ListEntry> {
    let special = entry.dns_for.value().into_iter().flatten().filter_map(|(_, list)| list.value());
    [&entry.dns, &entry.ntp].into_iter().filter_map(Stated::value).chain(special)
}

fn lists_of_mut(entry: &mut SettingsEntry) -> impl Iterator<Item = &mut ListEntry> {
    let special = match &mut entry.dns_for {
        Stated::Value(domains) => domains.as_mut_slice(),
        Stated::Absent | Stated::Faulty => &mut [],
    };
    [&mut entry.dns, &mut entry.ntp]
        .into_iter()
        .chain(special.iter_mut().map(|(_, list)| list))
        .filter_map(Stated::value_mut)
}
