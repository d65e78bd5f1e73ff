//! From the sheet as written to the site as meant: everything is typed here, once.

use std::collections::HashMap;
use std::net::IpAddr;
use std::path::Path;
use std::sync::{Arc, OnceLock};

use globset::Glob;
use impostazione_net::{
    AccountName, AddressRange, Country, DomainName, Family, Hostname, parse_address, parse_prefix,
};
use impostazione_ovf::{MEANINGS_LIMIT, MeaningsFile, Package, Reading, Signs, TakeWord, read_reviewed};
use impostazione_secret::SecretSources;
use impostazione_text::files::{NamedFiles, ReadFault};
use impostazione_text::{ByteSize, Place, Stated, Written};
use ipnet::IpNet;

use super::account::{Account, AuthorizedKey};
use super::answer::{Answer, AnswerSource};
use super::appliance::{Appliance, MeaningsFault, NamedMeanings};
use super::cluster::{AllowedSizes, Cluster};
use super::machine::{Host, Machine, Role, Serves};
use super::pool::Pool;
use super::public_key::public_keys;
use super::resolve_secret::ShutStore;
use super::rules;
use super::secret::{Secret, TimeKey};
use super::site::Site;
use super::subnet::{Gateway, InUse, Subnet, SubnetFamily, Wifi};
use super::take::{Of, Take, Toward};
use crate::finding::Finding;
use crate::sheet::rules::form;
use crate::sheet::{
    AccountEntry, AnswerEntry, AnswerValue, ClusterEntry, MachineEntry, MachineKind, MoreOfAppliance,
    MoreOfMachine, PoolEntry, Sheet, SubnetEntry, TakeEntry, TimeKeyEntry, WifiEntry,
};

/// Types everything that a sheet says, and reports what cannot be typed. Files that the sheet names are read through
/// `named_files`.
pub fn resolve(
    sheet: Sheet,
    sheet_name: &str,
    named_files: &dyn NamedFiles,
    sources: &dyn SecretSources,
) -> (Site, Vec<Finding>) {
    let mut resolver = Resolver {
        named_files,
        sources,
        sheet_name,
        secrets: Vec::with_capacity(sheet.secrets.len()),
        told_of_store: false,
        shut_store: None,
        findings: Vec::new(),
        machine: None,
        unknown_zone: None,
        known_readings: HashMap::new(),
    };
    for entry in sheet.secrets {
        let secret = resolver.secret(entry);
        resolver.secrets.push(secret);
    }
    let mut of_subnets = Vec::with_capacity(sheet.subnets.len());
    let mut subnets = Vec::with_capacity(sheet.subnets.len());
    for mut entry in sheet.subnets {
        of_subnets.push(entry.settings.take());
        subnets.push(resolver.subnet(entry));
    }
    let names = Names::of(&subnets, &sheet.clusters, &sheet.pools, &sheet.machines);
    let account_count = sheet.accounts.len();
    let accounts: Vec<Account> =
        sheet.accounts.into_iter().filter_map(|entry| resolver.account(&entry)).collect();
    let mut site = Site {
        name: sheet.site.into_value().map(|name| name.value),
        common: Arc::default(),
        pools: sheet.pools.into_iter().map(|entry| resolver.pool(entry)).collect(),
        clusters: sheet.clusters.into_iter().map(|entry| resolver.cluster(entry, &names)).collect(),
        time_keys: sheet.time_keys.into_iter().map(|entry| resolver.time_key(entry)).collect(),
        secrets: Vec::new(),
        well_known: resolver.well_known(&sheet.refused_passwords),
        accounts_in_doubt: accounts.len() < account_count,
        subnets,
        accounts,
        packages: Vec::new(),
        meanings: Vec::new(),
        machines: Vec::with_capacity(sheet.machines.len()),
        addresses: OnceLock::new(),
        shared_settings: OnceLock::new(),
        servers: OnceLock::new(),
        secret_uses: OnceLock::new(),
        secret_slots: OnceLock::new(),
    };
    let mut own = Vec::with_capacity(sheet.machines.len());
    for mut entry in sheet.machines {
        own.push(entry.settings.take());
        let machine = resolver.machine(entry, &mut site, &names);
        site.machines.push(machine);
    }
    resolver.all_settings(&mut site, sheet.common, of_subnets, own, &names);
    site.secrets = std::mem::take(&mut resolver.secrets);
    resolver.fetch(&mut site);
    (site, resolver.findings)
}

/// What references may name.
pub(super) struct Names {
    pub(super) subnets: HashMap<String, usize>,
    clusters: HashMap<String, usize>,
    pools: HashMap<String, usize>,
    pub(super) machines: HashMap<String, usize>,
    /// The prefixes of each subnet, IPv4 and IPv6, by its index.
    pub(super) prefixes: Vec<[Stated<IpNet>; 2]>,
}

impl Names {
    fn of(
        subnets: &[Subnet],
        clusters: &[ClusterEntry],
        pools: &[PoolEntry],
        machines: &[MachineEntry],
    ) -> Self {
        let machine_names = machines.iter().map(|entry| entry.name.value().map(|name| name.value.clone()));
        Self {
            subnets: subnets
                .iter()
                .enumerate()
                .map(|(index, subnet)| (subnet.name.value.clone(), index))
                .collect(),
            prefixes: subnets
                .iter()
                .map(|subnet| {
                    Family::BOTH
                        .map(|family| subnet.side(family).as_ref().and_then(|side| Some(side.prefix.value)))
                })
                .collect(),
            clusters: clusters
                .iter()
                .enumerate()
                .map(|(index, cluster)| (cluster.name.value.clone(), index))
                .collect(),
            pools: pools.iter().enumerate().map(|(index, pool)| (pool.name.value.clone(), index)).collect(),
            // The first of two equal names wins; the second has a finding.
            machines: machine_names
                .enumerate()
                .rev()
                .filter_map(|(index, name)| Some((name?, index)))
                .collect(),
        }
    }

    pub(super) fn all(&self) -> Vec<&str> {
        self.machines
            .keys()
            .chain(self.subnets.keys())
            .chain(self.clusters.keys())
            .chain(self.pools.keys())
            .map(String::as_str)
            .collect()
    }
}

pub(super) struct Resolver<'a> {
    pub(super) named_files: &'a dyn NamedFiles,
    pub(super) sources: &'a dyn SecretSources,
    /// What messages call the sheet.
    pub(super) sheet_name: &'a str,
    /// The secrets, until they become the site's.
    pub(super) secrets: Vec<Secret>,
    /// Whether something was said about the store.
    pub(super) told_of_store: bool,
    /// The store beside the sheet, where nobody gave the key of it.
    pub(super) shut_store: Option<ShutStore>,
    pub(super) findings: Vec<Finding>,
    /// The machine that findings are about at the moment.
    pub(super) machine: Option<String>,
    /// The last finding about a zone: a pattern gives all its machines the same one, and likeness takes long to find.
    pub(super) unknown_zone: Option<(String, Finding)>,
    /// What properties want, by package, machine of it, and meanings file.
    known_readings: HashMap<(usize, String, Option<usize>), Arc<[Reading]>>,
}

impl Resolver<'_> {
    pub(super) fn report<T>(&mut self, finding: Finding) -> Option<T> {
        self.findings.push(finding);
        None
    }

    pub(super) fn address(
        &mut self,
        key: &str,
        family: Option<Family>,
        written: &Written<String>,
    ) -> Option<Written<IpAddr>> {
        match parse_address(&written.value, family) {
            Ok(address) => Some(written.with(address)),
            Err(fault) => self.report(rules::address::malformed(self.machine.clone(), key, written, &fault)),
        }
    }

    fn subnet(&mut self, entry: SubnetEntry) -> Subnet {
        let v4 = self.side(Family::V4, entry.prefix, entry.gateway);
        let v6 = self.side(Family::V6, entry.prefix6, entry.gateway6);
        Subnet {
            gateway_on_link: entry.gateway_on_link.value().is_some_and(|flag| flag.value),
            vlan: entry.vlan.and_then(|written| self.vlan(&written)),
            mtu: entry.mtu.and_then(|written| self.mtu(&written)).into_value(),
            hypervisor_network: entry.hypervisor_network.into_value().map(|name| name.value),
            wifi: entry.wifi.and_then(|wifi| Some(self.wifi(wifi, &entry.name.value))),
            name: entry.name,
            v4,
            v6,
            dhcp_ranges: self.ranges(&entry.dhcp_ranges),
            kept_free: self.ranges(&entry.kept_free),
            in_use: entry
                .in_use
                .into_iter()
                .filter_map(|(address, user)| {
                    Some(InUse { address: self.address("in_use", None, &address)?, user })
                })
                .collect(),
            settings: None,
        }
    }

    fn vlan(&mut self, written: &Written<i64>) -> Option<Written<u16>> {
        match u16::try_from(written.value).ok().filter(|tag| (1..=4094).contains(tag)) {
            Some(tag) => Some(written.with(tag)),
            None => self.report(rules::vlan::out_of_range(written)),
        }
    }

    pub(super) fn mtu(&mut self, written: &Written<i64>) -> Option<Written<u32>> {
        match u32::try_from(written.value).ok().filter(|mtu| (68..=65_535).contains(mtu)) {
            Some(mtu) => Some(written.with(mtu)),
            None => self.report(rules::mtu::out_of_range(self.machine.clone(), written)),
        }
    }

    fn wifi(&mut self, entry: WifiEntry, subnet: &str) -> Wifi {
        Wifi {
            ssid: entry.ssid.and_then(|written| {
                if (1..=32).contains(&written.value.len()) {
                    Some(written)
                } else {
                    self.report(rules::wifi::ssid_length(&written))
                }
            }),
            passphrase: match entry.passphrase {
                Stated::Absent => Stated::Absent,
                Stated::Faulty => Stated::Faulty,
                Stated::Value(written) => {
                    match self.secret_use(&written, || format!("the passphrase of subnet {subnet}")) {
                        Stated::Absent => Stated::Value(None),
                        Stated::Faulty => Stated::Faulty,
                        Stated::Value(secret) => Stated::Value(Some(secret)),
                    }
                }
            },
            country: entry.country.and_then(|written| match Country::parse(&written.value) {
                Ok(country) => Some(written.with(country)),
                Err(meant) => self.report(rules::wifi::country_unknown(&written, meant.as_deref())),
            }),
            is_hidden: entry.hidden.value().is_some_and(|flag| flag.value),
            sae: entry.sae.value().filter(|flag| flag.value).cloned(),
        }
    }

    fn time_key(&mut self, entry: TimeKeyEntry) -> TimeKey {
        const HASHES: [(&str, &str); 5] = [
            ("SHA256", "SHA256"),
            ("SHA384", "SHA384"),
            ("SHA512", "SHA512"),
            ("SHA1", "SHA1"),
            ("AES128", "AES128"),
        ];
        let spec = &crate::sheet::TIME_KEY;
        TimeKey {
            number: entry.number.and_then(|written| match u32::try_from(written.value) {
                Ok(number) if number > 0 => Some(number),
                _ => {
                    let found = written.value.to_string();
                    self.report(form::value_wrong_type(None, written.place, spec.key("number")?, &found))
                }
            }),
            hash: entry
                .algorithm
                .and_then(|written| self.one_of(&written, &HASHES, spec, "algorithm"))
                .into_value()
                .map_or("SHA256", |written| written.value),
            value: entry.value.and_then(|written| {
                self.secret_use(&written, || format!("the time key {}", entry.name.value)).into_value()
            }),
            name: entry.name,
        }
    }

    fn pool(&mut self, entry: PoolEntry) -> Pool {
        let v4 = self.side(Family::V4, entry.prefix, Stated::Absent).into_value();
        let v6 = self.side(Family::V6, entry.prefix6, Stated::Absent).into_value();
        Pool {
            prefixes: v4.into_iter().chain(v6).map(|side| side.prefix).collect(),
            vlan: entry.vlan.and_then(|written| self.vlan(&written)).into_value(),
            name: entry.name,
        }
    }

    fn cluster(&mut self, entry: ClusterEntry, names: &Names) -> Cluster {
        let (subnet, address, address6) = match entry.virtual_address.into_value() {
            None => (Stated::Absent, Stated::Absent, Stated::Absent),
            Some(shared) => (
                shared.subnet.and_then(|written| self.subnet_named(&written, names)),
                shared.address.and_then(|written| self.link_address("address", Family::V4, &written)),
                shared.address6.and_then(|written| self.link_address("address6", Family::V6, &written)),
            ),
        };
        let table = &crate::sheet::CLUSTER;
        Cluster {
            size: entry.size.and_then(|written| match usize::try_from(written.value) {
                Ok(size @ 1..=1000) => Some(written.with(size)),
                _ => {
                    let found = written.value.to_string();
                    self.report(form::value_wrong_type(None, written.place, table.key("size")?, &found))
                }
            }),
            allowed_sizes: entry.allowed_sizes.and_then(|written| {
                let words =
                    [("odd", AllowedSizes::Odd), ("pair", AllowedSizes::Pair), ("any", AllowedSizes::Any)];
                self.one_of(&written, &words, table, "allowed_sizes")
            }),
            name: entry.name,
            subnet,
            address,
            address6,
        }
    }

    pub(super) fn subnet_named(
        &mut self,
        written: &Written<String>,
        names: &Names,
    ) -> Option<Written<usize>> {
        if let Some(index) = names.subnets.get(&written.value) {
            return Some(written.with(*index));
        }
        let known: Vec<&str> = names.subnets.keys().map(String::as_str).collect();
        self.report(rules::subnet::undefined(self.machine.clone(), written, &sorted(known)))
    }

    /// One of several words.
    pub(super) fn one_of<T: Copy>(
        &mut self,
        written: &Written<String>,
        words: &[(&str, T)],
        table: &'static crate::sheet::TableSpec,
        key: &str,
    ) -> Option<Written<T>> {
        if let Some((_, value)) = words.iter().find(|(word, _)| *word == written.value) {
            return Some(written.with(*value));
        }
        let known = words.iter().map(|(word, _)| *word);
        let spec = table.key(key)?;
        self.report(form::word_unknown(self.machine.clone(), written, spec, known))
    }

    fn side(
        &mut self,
        family: Family,
        prefix: Stated<Written<String>>,
        gateway: Stated<Written<String>>,
    ) -> Stated<SubnetFamily> {
        let (prefix_key, gateway_key) = match family {
            Family::V4 => ("prefix", "gateway"),
            Family::V6 => ("prefix6", "gateway6"),
        };
        let gateway = gateway.and_then(|written| {
            if written.value == "none" {
                Some(Gateway::Declined)
            } else {
                self.address(gateway_key, Some(family), &written).map(Gateway::At)
            }
        });
        prefix.and_then(|written| match parse_prefix(&written.value, family) {
            Ok(prefix) => Some(SubnetFamily { prefix: written.with(prefix), gateway }),
            Err(fault) => self.report(rules::subnet::prefix_faulty(prefix_key, family, &written, &fault)),
        })
    }

    fn ranges(&mut self, items: &[Written<String>]) -> Vec<Written<AddressRange>> {
        items
            .iter()
            .filter_map(|written| match AddressRange::parse(&written.value) {
                Ok(range) => Some(written.with(range)),
                Err(fault) => self.report(rules::subnet::range_malformed(written, &fault)),
            })
            .collect()
    }

    fn account(&mut self, entry: &AccountEntry) -> Option<Account> {
        let name = match AccountName::parse(&entry.name.value) {
            Ok(name) => entry.name.with(name),
            Err(fault) => return self.report(rules::login::account_name_invalid(&entry.name, &fault)),
        };
        if let Some(full_name) = entry.full_name.value()
            && full_name.value.contains(|c: char| c == ':' || c.is_control())
        {
            self.findings.push(rules::login::full_name_invalid(full_name, &entry.name.value));
        }
        let mut account = Account {
            full_name: entry.full_name.value().map(|text| text.value.clone()).unwrap_or_default(),
            is_admin: entry.admin.value().is_some_and(|admin| admin.value),
            keys: Vec::new(),
            has_faulty_keys: matches!(entry.ssh_keys, Stated::Faulty),
            password: match &entry.password {
                Stated::Value(written) => {
                    self.secret_use(written, || format!("the password of {}", entry.name.value))
                }
                Stated::Absent => Stated::Absent,
                Stated::Faulty => Stated::Faulty,
            },
            change_at_first_login: entry.change_at_first_login.value().cloned(),
            groups: self.groups(entry),
            shell: self.shell(entry),
            hosts: None,
            name,
        };
        for written in entry.ssh_keys.value().into_iter().flatten() {
            match public_keys(written, self.named_files) {
                Ok(lines) => {
                    account.keys.extend(lines.into_iter().map(|key| AuthorizedKey {
                        line: key.line,
                        weakness: key.weakness,
                        expires: key.expires,
                        is_authority: key.is_authority,
                        place: written.place,
                    }));
                }
                Err((reason, fix)) => {
                    account.has_faulty_keys = true;
                    self.findings.push(rules::login::ssh_key_malformed(
                        written,
                        &entry.name.value,
                        &reason,
                        fix,
                    ));
                }
            }
        }
        match &entry.hosts {
            Stated::Absent => {}
            Stated::Faulty => return None,
            Stated::Value(globs) => {
                let mut matchers = Vec::with_capacity(globs.len());
                for glob in globs {
                    match Glob::new(&glob.value) {
                        Ok(matcher) => matchers.push(matcher.compile_matcher()),
                        Err(_) => {
                            let spec = crate::sheet::ACCOUNT.key("hosts")?;
                            let found = "a text that is not a valid pattern";
                            return self.report(form::value_wrong_type(None, glob.place, spec, found));
                        }
                    }
                }
                account.hosts = Some(matchers);
            }
        }
        Some(account)
    }

    fn groups(&mut self, entry: &AccountEntry) -> Vec<String> {
        let mut groups: Vec<String> = Vec::new();
        for written in entry.groups.value().into_iter().flatten() {
            if AccountName::parse(&written.value).is_ok() {
                if !groups.contains(&written.value) {
                    groups.push(written.value.clone());
                }
            } else {
                self.findings.push(rules::login::group_invalid(written, &entry.name.value));
            }
        }
        groups
    }

    fn shell(&mut self, entry: &AccountEntry) -> Option<String> {
        let written = entry.shell.value()?;
        let is_path = written.value.starts_with('/')
            && !written.value.contains(|c: char| c == ':' || c.is_whitespace() || c.is_control());
        if is_path {
            return Some(written.value.clone());
        }
        self.report(rules::login::shell_invalid(written, &entry.name.value))
    }

    /// A machine, but for its settings, which may be taken from other machines.
    fn machine(&mut self, entry: MachineEntry, site: &mut Site, names: &Names) -> Machine {
        self.machine = entry.label();
        let label: Option<Box<str>> = self.machine.as_deref().map(Into::into);
        let place = entry.name.value().map_or(entry.header, |name| name.place);
        let mut hostname = entry.name.and_then(|written| match Hostname::parse(&written.value) {
            Ok(hostname) => Some(hostname),
            Err(fault) => {
                let machine = Some(written.value.clone()).filter(|name| !name.is_empty());
                self.report(rules::naming::hostname_faulty(machine, &written, &fault))
            }
        });
        let mut full_name = None;
        let mut name_place = place;
        let (mut serves, mut cluster) = (Serves::default(), None);
        if let Some(more) = entry.more {
            let MoreOfMachine { hostname: own_name, fqdn, serves: roles, cluster: group } = *more;
            serves = self.serves(roles);
            cluster =
                group.and_then(|written| self.cluster_named(&written, names)).into_value().map(Box::new);
            let is_faulty = matches!(own_name, Stated::Faulty) || matches!(fqdn, Stated::Faulty);
            full_name = fqdn.and_then(|written| self.full_name(&written)).into_value();
            let of_full = full_name.as_ref().map(|full| {
                let first = full.value.as_str().split('.').next().unwrap_or_default();
                full.with(first.to_owned())
            });
            if let Some(written) = own_name.into_value().or(of_full) {
                name_place = written.place;
                hostname = match Hostname::parse(&written.value) {
                    Ok(hostname) => Stated::Value(hostname),
                    Err(fault) => {
                        self.findings.push(rules::naming::hostname_faulty(
                            self.machine.clone(),
                            &written,
                            &fault,
                        ));
                        Stated::Faulty
                    }
                };
            } else if is_faulty {
                hostname = Stated::Faulty;
            }
        }
        let links = entry.links.into_iter().filter_map(|link| self.link(link, names)).collect();
        let role = match entry.kind {
            MachineKind::Host => {
                let name = label.as_deref().unwrap_or_default();
                let on_host = |(index, account): (usize, &Account)| account.is_on(name).then_some(index);
                let accounts = site.accounts.iter().enumerate().filter_map(on_host).collect();
                Role::Host(Host { accounts, host_key: Stated::Absent })
            }
            MachineKind::Appliance => {
                let more = entry.of_appliance.map(|more| *more).unwrap_or_default();
                let package =
                    entry.package.and_then(|written| Some(written.with(self.package(&written, site))));
                let answers = entry.answers.into_iter().map(|answer| self.answer(answer, names)).collect();
                let mut appliance = self.appliance(package, answers, entry.answers_place, more, site);
                self.hide_literals(label.as_deref().unwrap_or_default(), &mut appliance, site);
                Role::Appliance(Box::new(appliance))
            }
        };
        self.machine = None;
        Machine {
            label,
            place,
            header: entry.header,
            hostname,
            name_place,
            full_name: full_name.map(Box::new),
            serves,
            cluster,
            settings: Arc::clone(&site.common),
            links,
            role,
        }
    }

    fn full_name(&mut self, written: &Written<String>) -> Option<Written<DomainName>> {
        match DomainName::parse(&written.value) {
            Ok(name) if name.as_str().contains('.') => Some(written.with(name)),
            Ok(_) => self.report(rules::naming::fqdn_without_domain(self.machine.clone(), written)),
            Err(fault) => self.report(rules::naming::fqdn_malformed(self.machine.clone(), written, &fault)),
        }
    }

    fn serves(&mut self, roles: Stated<Vec<Written<String>>>) -> Serves {
        let mut serves = Serves::default();
        for role in roles.into_value().into_iter().flatten() {
            match self.one_of(&role, &[("dns", true), ("ntp", false)], &crate::sheet::HOST, "serves") {
                Some(Written { value: true, .. }) => serves.dns = true,
                Some(Written { value: false, .. }) => serves.ntp = true,
                None => {}
            }
        }
        serves
    }

    fn cluster_named(&mut self, written: &Written<String>, names: &Names) -> Option<Written<usize>> {
        if let Some(index) = names.clusters.get(&written.value) {
            return Some(written.with(*index));
        }
        let known: Vec<&str> = names.clusters.keys().map(String::as_str).collect();
        self.report(rules::reference::reference_dangling(self.machine.clone(), written, &sorted(known)))
    }

    fn appliance(
        &mut self,
        package: Stated<Written<usize>>,
        answers: Vec<Answer>,
        answers_place: Option<Place>,
        more: MoreOfAppliance,
        site: &mut Site,
    ) -> Appliance {
        let mut appliance = Appliance {
            package,
            system: more.system,
            meanings: more.meanings.and_then(|written| Some(written.with(self.meanings(&written, site)))),
            deployment_option: more.deployment_option,
            accept_licenses: more.accept_licenses,
            storage_free: more.storage_free.and_then(|written| match ByteSize::parse(&written.value) {
                Some(size) => Some(written.with(size)),
                None => {
                    let spec = crate::sheet::APPLIANCE.key("storage_free")?;
                    let found = format!("\"{}\"", written.value);
                    self.report(form::value_wrong_type(self.machine.clone(), written.place, spec, &found))
                }
            }),
            vm_name: more.vm_name,
            readings: Arc::default(),
            answers,
            answers_place,
        };
        appliance.readings = self.readings(&appliance, site);
        appliance
    }

    fn answer(&mut self, answer: AnswerEntry, names: &Names) -> Answer {
        Answer {
            property: answer.property,
            place: answer.place,
            source: answer.value.and_then(|value| match value {
                AnswerValue::Literal(text) => Some(AnswerSource::Literal(text)),
                AnswerValue::Take(take) => self.take(take, answer.place, names).map(AnswerSource::Take),
                AnswerValue::Secret(name) => {
                    self.secret_named(&name.value, name.place).map(AnswerSource::Secret)
                }
            }),
        }
    }

    /// What the properties of an appliance want. Members of a cluster share what was found out.
    fn readings(&mut self, appliance: &Appliance, site: &Site) -> Arc<[Reading]> {
        let (Some(package), Some(system)) = (appliance.package.value(), site.system_of(appliance)) else {
            return Arc::default();
        };
        let meanings = appliance.meanings.value().map(|written| written.value);
        let known = self.known_readings.entry((package.value, system.id.clone(), meanings));
        let read = || read_reviewed(system, Signs::own(), site.meanings_of(appliance)).into();
        Arc::clone(known.or_insert_with(read))
    }

    fn meanings(&self, written: &Written<String>, site: &mut Site) -> usize {
        if let Some(index) = site.meanings.iter().position(|known| known.path == written.value) {
            return index;
        }
        let bytes = self.named_files.read(Path::new(&written.value), MEANINGS_LIMIT);
        let content = match bytes {
            Ok(bytes) => MeaningsFile::parse(&bytes).map_err(MeaningsFault::Unreadable),
            Err(fault @ ReadFault::NoFolder(_)) => Err(MeaningsFault::OutOfReach(fault.to_string())),
            Err(fault) => Err(MeaningsFault::Unreadable(fault.to_string())),
        };
        site.meanings.push(NamedMeanings { path: written.value.clone(), content });
        site.meanings.len() - 1
    }

    fn package(&self, written: &Written<String>, site: &mut Site) -> usize {
        if let Some(index) = site.packages.iter().position(|package| package.path == written.value) {
            return index;
        }
        site.packages.push(Package::read(&written.value, self.named_files));
        site.packages.len() - 1
    }

    pub(super) fn take(&mut self, entry: TakeEntry, place: Place, names: &Names) -> Option<Take> {
        let Some(word) = TakeWord::parse(&entry.take.value) else {
            return self.report(form::take_word_unknown(self.machine.clone(), &entry.take));
        };
        let of = match &entry.of {
            None => Of::Itself,
            Some(of) => {
                if let Some(index) = names.machines.get(&of.value) {
                    Of::Machine(*index)
                } else if let Some(index) = names.subnets.get(&of.value) {
                    Of::Subnet(*index)
                } else if let Some(index) = names.clusters.get(&of.value) {
                    Of::Cluster(*index)
                } else if let Some(index) = names.pools.get(&of.value) {
                    Of::Pool(*index)
                } else {
                    let known = sorted(names.all());
                    return self.report(rules::reference::reference_dangling(
                        self.machine.clone(),
                        of,
                        &known,
                    ));
                }
            }
        };
        let toward = match entry.toward {
            None => None,
            Some(written) => {
                let found = if let Some(index) = names.subnets.get(&written.value) {
                    Toward::Subnet(*index)
                } else if let Some(index) = names.machines.get(&written.value) {
                    Toward::Machine(*index)
                } else if let Ok(address) = parse_address(&written.value, None) {
                    Toward::Prefix(address.into())
                } else if let Some(prefix) =
                    Family::BOTH.into_iter().find_map(|family| parse_prefix(&written.value, family).ok())
                {
                    Toward::Prefix(prefix)
                } else {
                    let known = sorted(
                        names.subnets.keys().chain(names.machines.keys()).map(String::as_str).collect(),
                    );
                    let finding = rules::reference::toward_nothing(self.machine.clone(), &written, &known);
                    return self.report(finding);
                };
                Some(written.with(found))
            }
        };
        let nth = match entry.nth {
            None => None,
            Some(nth) => match usize::try_from(nth.value).ok().filter(|number| *number > 0) {
                Some(number) => Some(nth.with(number)),
                None => {
                    let found = if nth.value == 0 { "zero" } else { "a negative number" };
                    let spec = crate::sheet::TAKE.key("nth")?;
                    return self.report(form::value_wrong_type(self.machine.clone(), nth.place, spec, found));
                }
            },
        };
        Some(Take {
            word: entry.take.with(word),
            of,
            link: entry.link,
            toward,
            nth,
            join: entry.join.map(|join| join.value),
            place,
        })
    }
}

pub(super) fn sorted(mut names: Vec<&str>) -> Vec<&str> {
    names.sort_unstable();
    names
}
