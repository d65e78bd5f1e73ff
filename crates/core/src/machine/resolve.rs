//! From the sheet as written to the site as meant: everything is typed here, once.

use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::{Arc, OnceLock};

use globset::Glob;

use super::public_key::public_keys;
use super::{
    Account, AddressChoice, Answer, AnswerSource, Appliance, AuthorizedKey, Choices, Gateway, Host, InUse,
    Link, LinkAddress, Machine, Of, Role, Settings, Site, Subnet, SubnetFamily, Take, TakeWord, TimeServer,
};
use crate::beside::Beside;
use crate::finding::Finding;
use crate::given::Given;
use crate::names::{AccountName, DomainName, Hostname, LinkName, ZoneName};
use crate::net::{AddressRange, Family, parse_address, parse_mask, parse_prefix};
use crate::ovf::Package;
use crate::rules::report;
use crate::sheet::{
    AccountEntry, AnswerValue, LinkEntry, ListEntry, MachineEntry, MachineKind, SettingsEntry, Sheet,
    SubnetEntry, TakeEntry,
};
use crate::source::Written;

/// Types everything that a sheet says, and reports what cannot be typed. Files that the sheet names are read through
/// `beside`.
pub fn resolve(sheet: Sheet, beside: &dyn Beside) -> (Site, Vec<Finding>) {
    let mut resolver = Resolver { beside, findings: Vec::new(), machine: None, unknown_zone: None };
    let subnets: Vec<Subnet> = sheet.subnets.into_iter().map(|entry| resolver.subnet(entry)).collect();
    let account_count = sheet.accounts.len();
    let accounts: Vec<Account> =
        sheet.accounts.into_iter().filter_map(|entry| resolver.account(&entry)).collect();
    let common = Arc::new(resolver.settings(sheet.common, None));
    let mut site = Site {
        name: sheet.site.into_value().map(|name| name.value),
        common: Arc::clone(&common),
        accounts_in_doubt: accounts.len() < account_count,
        subnets,
        accounts,
        packages: Vec::new(),
        machines: Vec::with_capacity(sheet.machines.len()),
        addresses: OnceLock::new(),
    };
    let names = Names::of(&site.subnets, &sheet.machines);
    for entry in sheet.machines {
        let machine = resolver.machine(entry, &common, &mut site, &names);
        site.machines.push(machine);
    }
    (site, resolver.findings)
}

/// What references may name.
struct Names {
    subnets: HashMap<String, usize>,
    machines: HashMap<String, usize>,
}

impl Names {
    fn of(subnets: &[Subnet], machines: &[MachineEntry]) -> Self {
        let machine_names = machines.iter().map(|entry| entry.name.value().map(|name| name.value.clone()));
        Self {
            subnets: subnets
                .iter()
                .enumerate()
                .map(|(index, subnet)| (subnet.name.value.clone(), index))
                .collect(),
            // The first of two equal names wins; the second has a finding.
            machines: machine_names
                .enumerate()
                .rev()
                .filter_map(|(index, name)| Some((name?, index)))
                .collect(),
        }
    }

    fn all(&self) -> Vec<&str> {
        self.machines.keys().chain(self.subnets.keys()).map(String::as_str).collect()
    }
}

struct Resolver<'a> {
    beside: &'a dyn Beside,
    findings: Vec<Finding>,
    /// The machine that findings are about at the moment.
    machine: Option<String>,
    /// The last finding about a zone: a pattern gives all its machines the same one, and likeness takes long to find.
    unknown_zone: Option<(String, Finding)>,
}

impl Resolver<'_> {
    fn report<T>(&mut self, finding: Finding) -> Option<T> {
        self.findings.push(finding);
        None
    }

    fn address(
        &mut self,
        key: &str,
        family: Option<Family>,
        written: &Written<String>,
    ) -> Option<Written<IpAddr>> {
        match parse_address(&written.value, family) {
            Ok(address) => Some(written.with(address)),
            Err(fault) => self.report(report::address_malformed(self.machine.clone(), key, written, &fault)),
        }
    }

    fn subnet(&mut self, entry: SubnetEntry) -> Subnet {
        let v4 = self.side(Family::V4, entry.prefix, entry.gateway);
        let v6 = self.side(Family::V6, entry.prefix6, entry.gateway6);
        Subnet {
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
        }
    }

    fn side(
        &mut self,
        family: Family,
        prefix: Given<Written<String>>,
        gateway: Given<Written<String>>,
    ) -> Given<SubnetFamily> {
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
            Err(fault) => self.report(report::prefix_faulty(prefix_key, family, &written, &fault)),
        })
    }

    fn ranges(&mut self, items: &[Written<String>]) -> Vec<Written<AddressRange>> {
        items
            .iter()
            .filter_map(|written| match AddressRange::parse(&written.value) {
                Ok(range) => Some(written.with(range)),
                Err(fault) => self.report(report::range_malformed(written, &fault)),
            })
            .collect()
    }

    fn account(&mut self, entry: &AccountEntry) -> Option<Account> {
        let name = match AccountName::parse(&entry.name.value) {
            Ok(name) => entry.name.with(name),
            Err(fault) => return self.report(report::account_name_invalid(&entry.name, &fault)),
        };
        if let Some(full_name) = entry.full_name.value()
            && full_name.value.contains(|c: char| c == ':' || c.is_control())
        {
            self.findings.push(report::full_name_invalid(full_name, &entry.name.value));
        }
        let mut account = Account {
            full_name: entry.full_name.value().map(|text| text.value.clone()).unwrap_or_default(),
            is_admin: entry.admin.value().is_some_and(|admin| admin.value),
            keys: Vec::new(),
            has_faulty_keys: entry.ssh_keys.value().is_none(),
            hosts: None,
            name,
        };
        if entry.ssh_keys.value().is_some_and(Vec::is_empty) {
            account.has_faulty_keys = true;
            self.findings.push(report::ssh_keys_empty(entry.name.place, &entry.name.value));
        }
        for written in entry.ssh_keys.value().into_iter().flatten() {
            match public_keys(written, self.beside) {
                Ok(lines) => {
                    account
                        .keys
                        .extend(lines.into_iter().map(|line| AuthorizedKey { line, place: written.place }));
                }
                Err((reason, fix)) => {
                    account.has_faulty_keys = true;
                    self.findings.push(report::ssh_key_malformed(written, &entry.name.value, &reason, fix));
                }
            }
        }
        match &entry.hosts {
            Given::Absent => {}
            Given::Faulty => return None,
            Given::Value(globs) => {
                let mut matchers = Vec::with_capacity(globs.len());
                for glob in globs {
                    match Glob::new(&glob.value) {
                        Ok(matcher) => matchers.push(matcher.compile_matcher()),
                        Err(_) => {
                            let spec = crate::sheet::ACCOUNT.key("hosts")?;
                            let found = "a text that is no such pattern";
                            return self.report(report::value_wrong_type(None, glob.place, spec, found));
                        }
                    }
                }
                account.hosts = Some(matchers);
            }
        }
        Some(account)
    }

    fn settings(&mut self, entry: SettingsEntry, common: Option<&Settings>) -> Settings {
        let inherited = common.cloned().unwrap_or_default();
        Settings {
            domain: self.domain(entry.domain).or(inherited.domain),
            dns: self.choices(entry.dns, Self::name_server).or(inherited.dns),
            search: self.choices(entry.search, Self::search_domain).or(inherited.search),
            ntp: self.choices(entry.ntp, Self::time_server).or(inherited.ntp),
            timezone: self.timezone(entry.timezone).or(inherited.timezone),
        }
    }

    fn domain(&mut self, given: Given<Written<String>>) -> Given<Written<DomainName>> {
        given.and_then(|written| match DomainName::parse(&written.value) {
            Ok(domain) => Some(written.with(domain)),
            Err(fault) => self.report(report::domain_malformed(self.machine.clone(), &written, &fault)),
        })
    }

    fn timezone(&mut self, given: Given<Written<String>>) -> Given<Written<ZoneName>> {
        given.and_then(|written| match ZoneName::parse(&written.value) {
            Some(zone) => Some(written.with(zone)),
            None => {
                let known = self.unknown_zone.take().filter(|(text, _)| *text == written.value);
                let (text, mut finding) = known
                    .unwrap_or_else(|| (written.value.clone(), report::timezone_unknown(None, &written)));
                finding.machine.clone_from(&self.machine);
                finding.place = written.place;
                self.unknown_zone = Some((text, finding.clone()));
                self.report(finding)
            }
        })
    }

    fn choices<T>(
        &mut self,
        given: Given<ListEntry>,
        mut read: impl FnMut(&mut Self, &Written<String>) -> Option<T>,
    ) -> Given<Arc<Choices<T>>> {
        given.and_then(|entry| {
            let count = entry.items.len();
            let items: Vec<Written<T>> =
                entry.items.iter().filter_map(|item| Some(item.with(read(self, item)?))).collect();
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
            Err(fault) => self.report(report::dns_not_an_address(self.machine.clone(), written, &fault)),
        }
    }

    fn search_domain(&mut self, written: &Written<String>) -> Option<DomainName> {
        match DomainName::parse(&written.value) {
            Ok(domain) => Some(domain),
            Err(fault) => self.report(report::search_malformed(self.machine.clone(), written, &fault)),
        }
    }

    fn time_server(&mut self, written: &Written<String>) -> Option<TimeServer> {
        let address_fault = match parse_address(&written.value, None) {
            Ok(address) => return Some(TimeServer::Address(address)),
            Err(fault) => fault,
        };
        let reason = match DomainName::parse(&written.value) {
            // A last label of digits is no domain of the public name system: a mistyped address (RFC 3696, section 2).
            Ok(name) if ends_in_digits(name.as_str()) => None,
            Ok(name) => return Some(TimeServer::Name(name)),
            Err(fault) => Some(fault),
        };
        self.report(report::ntp_malformed(self.machine.clone(), written, &address_fault, reason.as_ref()))
    }

    fn machine(
        &mut self,
        entry: MachineEntry,
        common: &Arc<Settings>,
        site: &mut Site,
        names: &Names,
    ) -> Machine {
        self.machine = entry.label();
        let label: Option<Box<str>> = self.machine.as_deref().map(Into::into);
        let place = entry.name.value().map_or(entry.header, |name| name.place);
        let hostname = entry.name.and_then(|written| match Hostname::parse(&written.value) {
            Ok(hostname) => Some(hostname),
            Err(fault) => self.report(report::hostname_faulty(&written, &fault)),
        });
        let settings = if entry.settings.is_empty() {
            Arc::clone(common)
        } else {
            Arc::new(self.settings(entry.settings, Some(common)))
        };
        let links = entry.links.into_iter().filter_map(|link| self.link(link, names)).collect();
        let role = match entry.kind {
            MachineKind::Host => {
                let name = label.as_deref().unwrap_or_default();
                let on_host = |(index, account): (usize, &Account)| account.is_on(name).then_some(index);
                Role::Host(Host { accounts: site.accounts.iter().enumerate().filter_map(on_host).collect() })
            }
            MachineKind::Appliance => Role::Appliance(Appliance {
                package: entry.package.and_then(|written| Some(written.with(self.package(&written, site)))),
                answers_place: entry.answers_place,
                answers: entry
                    .answers
                    .into_iter()
                    .map(|answer| Answer {
                        property: answer.property,
                        place: answer.place,
                        source: answer.value.and_then(|value| match value {
                            AnswerValue::Literal(text) => Some(AnswerSource::Literal(text)),
                            AnswerValue::Take(take) => {
                                self.take(take, answer.place, names).map(AnswerSource::Take)
                            }
                        }),
                    })
                    .collect(),
            }),
        };
        self.machine = None;
        Machine { label, place, header: entry.header, hostname, settings, links, role }
    }

    fn package(&self, written: &Written<String>, site: &mut Site) -> usize {
        if let Some(index) = site.packages.iter().position(|package| package.path == written.value) {
            return index;
        }
        site.packages.push(Package::read(&written.value, self.beside));
        site.packages.len() - 1
    }

    fn link(&mut self, entry: LinkEntry, names: &Names) -> Option<Link> {
        let name = match LinkName::parse(&entry.name.value) {
            Ok(name) => entry.name.with(name),
            Err(fault) => {
                return self.report(report::link_name_invalid(self.machine.clone(), &entry.name, &fault));
            }
        };
        let subnet = entry.subnet.and_then(|written| {
            if let Some(index) = names.subnets.get(&written.value) {
                return Some(written.with(*index));
            }
            let known: Vec<&str> = names.subnets.keys().map(String::as_str).collect();
            self.report(report::subnet_undefined(self.machine.clone(), &written, &sorted(known)))
        });
        Some(Link {
            name,
            network: entry.network.into_value(),
            subnet,
            address: entry.address.and_then(|written| self.link_address("address", Family::V4, &written)),
            address6: entry.address6.and_then(|written| self.link_address("address6", Family::V6, &written)),
            default_route: entry.default_route.value().is_none_or(|flag| flag.value),
        })
    }

    fn link_address(
        &mut self,
        key: &str,
        family: Family,
        written: &Written<String>,
    ) -> Option<AddressChoice> {
        if written.value == "none" {
            return Some(AddressChoice::Declined);
        }
        let (text, own_length) = match written.value.split_once('/') {
            None => (written.value.as_str(), None),
            Some((text, mask)) => match parse_mask(mask, family) {
                Ok(length) => (text, Some(length)),
                Err(fault) => {
                    return self.report(report::address_mask_faulty(
                        self.machine.clone(),
                        key,
                        written,
                        &fault,
                    ));
                }
            },
        };
        let address = self.address(key, Some(family), &written.with(text.to_owned()))?;
        Some(AddressChoice::Static(LinkAddress { address, own_length }))
    }

    fn take(&mut self, entry: TakeEntry, place: crate::source::Place, names: &Names) -> Option<Take> {
        let Some(word) = TakeWord::parse(&entry.take.value) else {
            return self.report(report::take_word_unknown(self.machine.clone(), &entry.take));
        };
        let of = match &entry.of {
            None => Of::Itself,
            Some(of) => {
                if let Some(index) = names.machines.get(&of.value) {
                    Of::Machine(*index)
                } else if let Some(index) = names.subnets.get(&of.value) {
                    Of::Subnet(*index)
                } else {
                    let known = sorted(names.all());
                    return self.report(report::reference_dangling(self.machine.clone(), of, &known));
                }
            }
        };
        let nth = match entry.nth {
            None => None,
            Some(nth) => match usize::try_from(nth.value).ok().filter(|number| *number > 0) {
                Some(number) => Some(nth.with(number)),
                None => {
                    let found = if nth.value == 0 { "zero" } else { "a negative number" };
                    let spec = crate::sheet::TAKE.key("nth")?;
                    return self.report(report::value_wrong_type(
                        self.machine.clone(),
                        nth.place,
                        spec,
                        found,
                    ));
                }
            },
        };
        Some(Take {
            word: entry.take.with(word),
            of,
            link: entry.link,
            nth,
            join: entry.join.map(|join| join.value),
            place,
        })
    }
}

fn sorted(mut names: Vec<&str>) -> Vec<&str> {
    names.sort_unstable();
    names
}

fn ends_in_digits(name: &str) -> bool {
    name.rsplit('.').next().is_some_and(|label| label.bytes().all(|byte| byte.is_ascii_digit()))
}
