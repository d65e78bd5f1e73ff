//! Who has which address on the simulated network.

use std::collections::BTreeMap;
use std::net::{IpAddr, Ipv4Addr, SocketAddr};

use impostazione_core::appliance::{TypedValue, told_appliances};
use impostazione_core::machine::{Cluster, Link, Machine, Settings, Site, Subnet, SubnetFamily, TimeServer};
use impostazione_core::network::{Mapped, Port, Transport, Whose};
use impostazione_net::{Family, MacAddress, ServerName};
use impostazione_ovf::Meaning;
use jiff::Timestamp;

use super::fault::Fault;

/// The addresses of a network, and the ports that answer at them.
#[derive(Default)]
pub(super) struct Places {
    pub(super) mapped: BTreeMap<IpAddr, Mapped>,
    /// Servers of the site that are given by name.
    pub(super) named: BTreeMap<String, IpAddr>,
    /// DNS servers.
    pub(super) name_servers: Vec<IpAddr>,
    /// Time servers, in the order of the sheet.
    pub(super) clocks: Vec<IpAddr>,
    /// Other servers, each with a port.
    pub(super) services: Vec<(IpAddr, u16)>,
    made_up: u32,
}

impl Places {
    /// The places of a site without faults.
    pub(super) fn of(site: &Site) -> Self {
        let mut places = Self::default();
        for subnet in &site.subnets {
            for family in Family::BOTH {
                let gateway = subnet.family(family).and_then(SubnetFamily::gateway_address);
                if let Some(gateway) = gateway {
                    let called = format!("the gateway of subnet {}", subnet.name.value);
                    places.add(gateway.value, called, Whose::Somebody);
                }
            }
            for used in &subnet.in_use {
                places.add(used.address.value, used.user.clone(), Whose::Somebody);
            }
        }
        for machine in &site.machines {
            for link in &machine.links {
                for own in link.addresses() {
                    places.add(own.address.value, machine.called().to_owned(), Whose::Nobody);
                }
                if let Some(before) = &link.replaces {
                    let called = format!("{} before", machine.called());
                    places.add(before.value, called, Whose::Nobody);
                    places.empty_after(before.value);
                }
            }
        }
        for cluster in &site.clusters {
            for shared in cluster.addresses() {
                places.add(
                    shared.address.value,
                    format!("the cluster {}", cluster.name.value),
                    Whose::Nobody,
                );
            }
        }
        places.servers(site);
        places
    }

    fn servers(&mut self, site: &Site) {
        let of_subnets = site.subnets.iter().filter_map(|subnet| subnet.settings.as_deref());
        let shared: Vec<&Settings> = std::iter::once(&*site.common).chain(of_subnets).collect();
        let own = site.machines.iter().map(|machine| &*machine.settings);
        let mut seen: Vec<*const Settings> = Vec::new();
        for settings in shared.into_iter().chain(own) {
            // Machines that share settings have the same ones.
            if seen.last() == Some(&std::ptr::from_ref(settings)) {
                continue;
            }
            seen.push(std::ptr::from_ref(settings));
            let special = settings.dns_for.iter().flat_map(|one| one.servers.values().copied());
            let dns = settings.dns.value().into_iter().flat_map(|list| list.values().copied());
            for address in dns.chain(special) {
                self.name_server(address);
            }
            for source in settings.ntp.value().into_iter().flat_map(|list| list.values()) {
                self.clock(&source.server, site);
            }
        }
        for machine in &site.machines {
            for address in main_addresses(site, machine) {
                if machine.serves.dns {
                    self.name_server(address);
                }
                if machine.serves.ntp && !self.clocks.contains(&address) {
                    self.clocks.push(address);
                }
            }
        }
        for told in told_appliances(site) {
            for value in told.values.iter().filter(|value| value.is_own_word()) {
                match (value.meaning, value.typed()) {
                    (_, Some(TypedValue::NameServers(servers))) => {
                        for server in servers {
                            self.name_server(*server);
                        }
                    }
                    (_, Some(TypedValue::TimeServers(servers))) => {
                        for server in servers {
                            self.clock(server, site);
                        }
                    }
                    (
                        Meaning::LicenseServer | Meaning::MailRelay | Meaning::Proxy,
                        Some(TypedValue::Servers(servers)),
                    ) => {
                        for server in servers {
                            let address = match &server.host {
                                ServerName::Address(address) => *address,
                                ServerName::Name(name) => self.of_name(name.as_str(), site),
                            };
                            self.add(address, server.to_string(), Whose::Somebody);
                            self.services.extend(server.port.map(|port| (address, port)));
                        }
                    }
                    _ => {}
                }
            }
        }
        self.services.sort_unstable();
        self.services.dedup();
    }

    fn name_server(&mut self, address: IpAddr) {
        if !address.is_loopback() && !self.name_servers.contains(&address) {
            self.add(address, "a DNS server".to_owned(), Whose::Somebody);
            self.name_servers.push(address);
        }
    }

    fn clock(&mut self, server: &TimeServer, site: &Site) {
        let address = match server {
            TimeServer::Address(address) => *address,
            TimeServer::Name(name) => self.of_name(name.as_str(), site),
        };
        if !address.is_loopback() && !self.clocks.contains(&address) {
            self.add(address, format!("the time server {server}"), Whose::Somebody);
            self.clocks.push(address);
        }
    }

    /// The address of a server that the sheet gives by name: one of a machine, or one that nobody has.
    fn of_name(&mut self, name: &str, site: &Site) -> IpAddr {
        let name = name.to_ascii_lowercase();
        if let Some(known) = self.named.get(&name) {
            return *known;
        }
        let is_it = |machine: &&Machine| machine.fqdn().is_some_and(|fqdn| fqdn.eq_ignore_ascii_case(&name));
        let of_machine = site
            .machines
            .iter()
            .find(is_it)
            .and_then(|machine| main_addresses(site, machine).first().copied());
        let free = || {
            let with_four = |subnet: &&Subnet| subnet.family(Family::V4).is_some();
            let subnet = site.subnets.iter().find(with_four)?;
            let from = subnet.family(Family::V4)?.prefix.value.network();
            site.free_address(subnet, from, |address| self.mapped.contains_key(&address))
        };
        let address = of_machine.or_else(free).unwrap_or_else(|| IpAddr::V4(Ipv4Addr::new(192, 0, 2, 2)));
        self.named.insert(name, address);
        address
    }

    /// Enters an address. What is entered already stays as it is.
    fn add(&mut self, address: IpAddr, called: String, before: Whose) {
        let mac = (before == Whose::Somebody).then(|| self.make_up_mac());
        let after = if before == Whose::Nobody { Whose::Somebody } else { before };
        let mapped =
            || Mapped { address, called, before, after, up_at: None, ready_at: None, mac, ports: Vec::new() };
        self.mapped.entry(address).or_insert_with(mapped);
    }

    /// Enters that nobody has an address once the machines have started.
    fn empty_after(&mut self, address: IpAddr) {
        if let Some(mapped) = self.mapped.get_mut(&address) {
            mapped.after = Whose::Nobody;
        }
    }

    /// Enters where a port of an address is answered.
    pub(super) fn map_port(&mut self, address: IpAddr, transport: Transport, port: u16, at: SocketAddr) {
        if let Some(mapped) = self.mapped.get_mut(&address) {
            mapped.ports.push(Port { transport, port, at });
        }
    }

    /// A hardware address of local scope that no other has here.
    fn make_up_mac(&mut self) -> MacAddress {
        self.made_up += 1;
        let [_, a, b, c] = self.made_up.to_be_bytes();
        MacAddress::from_bytes([0x02, 0x64, 0xfe, a, b, c])
    }

    /// Enters what is wrong with who has addresses.
    pub(super) fn with_fault(&mut self, fault: &Fault, site: &Site) {
        let machine = |name: &str| site.machines.iter().find(|machine| machine.label() == name);
        match fault {
            Fault::Taken(name) => {
                for address in addresses_of(site, name) {
                    let mac = self.make_up_mac();
                    self.take(address, mac);
                }
            }
            Fault::AlreadyUp(name) => {
                let Some(machine) = machine(name) else { return };
                let mac = machine.links.iter().find_map(Link::mac);
                for address in addresses_of(site, name) {
                    if let Some(mac) = mac {
                        self.take(address, mac.value);
                    }
                }
            }
            Fault::OldAddress(name) => {
                let links = machine(name).into_iter().flat_map(|machine| &machine.links);
                for before in links.filter_map(|link| link.replaces.as_ref()) {
                    let mac = self.make_up_mac();
                    self.take(before.value, mac);
                }
            }
            Fault::Silent(address) => {
                let is_machine = site.address_uses().contains_key(address);
                if let Some(mapped) = self.mapped.get_mut(address) {
                    mapped.after = Whose::Nobody;
                    if !is_machine {
                        mapped.before = Whose::Nobody;
                        mapped.mac = None;
                    }
                }
            }
            Fault::SilentMachine(name) | Fault::NoVirtualAddress(name) => {
                for address in addresses_of(site, name) {
                    self.empty_after(address);
                }
            }
            Fault::Slow(name, within) => {
                let now = Timestamp::now();
                for address in addresses_of(site, name) {
                    if let Some(mapped) = self.mapped.get_mut(&address) {
                        // First it is silent, and then its services start.
                        mapped.up_at = now.checked_add(*within / 2).ok();
                        mapped.ready_at = now.checked_add(*within).ok();
                    }
                }
            }
            Fault::BehindRouter(name) => {
                let Some(subnet) = site.subnets.iter().find(|subnet| subnet.name.value == *name) else {
                    return;
                };
                for (address, uses) in site.address_uses() {
                    let is_in = subnet
                        .family(Family::of(*address))
                        .is_some_and(|side| side.prefix.value.contains(address));
                    if let Some(mapped) = self.mapped.get_mut(address).filter(|_| is_in && !uses.is_empty()) {
                        mapped.before = Whose::BehindRouter;
                        if mapped.after == Whose::Somebody {
                            mapped.after = Whose::BehindRouter;
                        }
                        mapped.mac = None;
                    }
                }
            }
            _ => {}
        }
    }

    fn take(&mut self, address: IpAddr, mac: MacAddress) {
        if let Some(mapped) = self.mapped.get_mut(&address) {
            mapped.before = Whose::Somebody;
            mapped.after = Whose::Somebody;
            mapped.mac = Some(mac);
        }
    }
}

/// The addresses of a machine, or of a cluster.
fn addresses_of(site: &Site, name: &str) -> Vec<IpAddr> {
    let of_machines = site.machines.iter().filter(|machine| machine.label() == name);
    let of_machines = of_machines.flat_map(|machine| machine.links.iter().flat_map(Link::addresses));
    let of_clusters = site.clusters.iter().filter(|cluster| cluster.name.value == name);
    let of_clusters = of_clusters.flat_map(Cluster::addresses);
    of_machines.chain(of_clusters).map(|own| own.address.value).collect()
}

/// The addresses of the link that leads out of a machine: what its name stands for.
pub(super) fn main_addresses(site: &Site, machine: &Machine) -> Vec<IpAddr> {
    let link = site.way_out(machine);
    let addresses =
        Family::BOTH.into_iter().filter_map(|family| Some(link?.address_in(family)?.address.value));
    addresses.collect()
}
