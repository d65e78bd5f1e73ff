//! All that is asked of the network before the machines of a site start for the first time.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::net::IpAddr;

use impostazione_core::appliance::ToldAppliance;
use impostazione_core::finding::Asked;
use impostazione_core::machine::{Ipv6Mode, Link, Machine, Settings, Site, Ssh, TimeServer};
use impostazione_core::network::Transport;
use impostazione_net::{Family, ServerName};

use super::expected::{
    ExpectedAddress, ExpectedClock, ExpectedDomain, ExpectedGateway, ExpectedLease, ExpectedName,
    ExpectedNameServer, ExpectedService, Owner, Witness,
};
use super::lookup::{Lookup, Sought};
use super::servers::{Servers, servers_for};
use crate::target::Target;

/// The port at which machines are administered that say nothing else.
pub(super) const ADMINISTRATION_PORT: u16 = 443;

/// The most addresses of others that are asked for in a subnet.
const MOST_WITNESSES: usize = 8;

/// What a person wants to know beside what the sheet says.
#[derive(Clone, Debug, Default)]
pub struct PlanOptions {
    /// A name outside the site that DNS servers have to find.
    pub outside_name: Option<String>,
    /// Whether DHCP servers are asked what they would lease.
    pub ask_dhcp: bool,
}

/// What the sheet says that the network is like, and so what is asked.
#[derive(Debug)]
pub struct Plan<'a> {
    /// The site.
    pub site: &'a Site,
    /// When it is asked.
    pub when: Asked,
    /// Machines to which the sheet gives no address, so that nothing is asked about theirs.
    pub without_address: Vec<&'a Machine>,
    /// Addresses that nobody may have yet.
    pub addresses: Vec<ExpectedAddress<'a>>,
    /// Routers.
    pub gateways: Vec<ExpectedGateway<'a>>,
    /// Others in the subnets.
    pub witnesses: Vec<Witness<'a>>,
    /// DNS servers.
    pub name_servers: Vec<ExpectedNameServer<'a>>,
    /// Full names.
    pub names: Vec<ExpectedName<'a>>,
    /// Domains.
    pub domains: Vec<ExpectedDomain<'a>>,
    /// A name outside the site.
    pub outside_name: Option<String>,
    /// Time servers.
    pub clocks: Vec<ExpectedClock<'a>>,
    /// Other servers.
    pub services: Vec<ExpectedService<'a>>,
    /// Subnets in which DHCP servers are asked.
    pub leases: Vec<ExpectedLease<'a>>,
}

impl<'a> Plan<'a> {
    /// What is asked about the machines that are picked by name. `told` is what the site's appliances are told.
    pub fn new(
        site: &'a Site,
        told: &'a [ToldAppliance<'a>],
        picked: impl Fn(&str) -> bool,
        options: PlanOptions,
    ) -> Self {
        let machines: Vec<&Machine> =
            site.machines.iter().filter(|machine| picked(machine.label())).collect();
        let servers = Servers::new(site, machines.clone(), told);
        let leases = if options.ask_dhcp { leases(site, &machines) } else { Vec::new() };
        Self {
            site,
            when: Asked::Before,
            without_address: machines.iter().copied().filter(|machine| !has_address(machine)).collect(),
            addresses: addresses(site, &machines),
            gateways: gateways(site, &machines),
            witnesses: witnesses(site, &machines),
            name_servers: servers.of_names(),
            names: names(site, &machines),
            domains: servers.domains(),
            outside_name: options.outside_name,
            clocks: servers.of_time(),
            services: servers.services(),
            leases,
        }
    }

    /// A plan that asks nothing yet.
    pub(super) fn empty(site: &'a Site, when: Asked) -> Self {
        Self {
            site,
            when,
            without_address: Vec::new(),
            addresses: Vec::new(),
            gateways: Vec::new(),
            witnesses: Vec::new(),
            name_servers: Vec::new(),
            names: Vec::new(),
            domains: Vec::new(),
            outside_name: None,
            clocks: Vec::new(),
            services: Vec::new(),
            leases: Vec::new(),
        }
    }

    /// What each DNS server is asked first, to learn whether it answers: over UDP, and over TCP.
    pub fn first_lookups(&self) -> Vec<Lookup> {
        let both = |server: &ExpectedNameServer<'_>| {
            [Transport::Udp, Transport::Tcp].map(|transport| server.first_lookup(transport))
        };
        self.name_servers.iter().flat_map(both).collect()
    }

    /// What DNS servers are asked for, but for that.
    pub fn lookups(&self) -> BTreeSet<Lookup> {
        let mut lookups: BTreeSet<Lookup> = self.names.iter().flat_map(ExpectedName::lookups).collect();
        for domain in &self.domains {
            let asked = domain.servers.iter();
            lookups.extend(asked.map(|server| Lookup::new(*server, Sought::Domain(domain.domain.clone()))));
        }
        for (name, resolvers) in self.server_names() {
            lookups.extend(addresses_of(name, resolvers));
        }
        if let Some(name) = &self.outside_name {
            let general = self.name_servers.iter().filter(|server| server.is_general);
            let servers: Vec<IpAddr> = general.map(|server| server.address).collect();
            lookups.extend(addresses_of(name, &servers));
        }
        lookups
    }

    /// Servers that are given by name, and who knows the name.
    fn server_names(&self) -> impl Iterator<Item = (&str, &[IpAddr])> {
        let clocks = self.clocks.iter().filter_map(|clock| match &clock.server {
            TimeServer::Name(name) => Some((name.as_str(), clock.resolvers.as_slice())),
            TimeServer::Address(_) => None,
        });
        let services = self.services.iter().filter_map(|service| match &service.name {
            ServerName::Name(name) => Some((name.as_str(), service.resolvers.as_slice())),
            ServerName::Address(_) => None,
        });
        clocks.chain(services)
    }
}

/// The questions for the addresses of a name, in both families.
pub(crate) fn addresses_of<'a>(name: &'a str, servers: &'a [IpAddr]) -> impl Iterator<Item = Lookup> + 'a {
    servers.iter().flat_map(move |server| {
        Family::BOTH.map(|family| Lookup::new(*server, Sought::Addresses(name.to_owned(), family)))
    })
}

impl ExpectedGateway<'_> {
    /// How it is asked for: one that every link may have (RFC 4291, section 2.5.6), on the link that leads to its subnet.
    pub fn target(&self) -> Target {
        let is_of_every_link = match self.address {
            IpAddr::V4(four) => four.is_link_local(),
            IpAddr::V6(six) => six.is_unicast_link_local(),
        };
        Target { address: self.address, near: if is_of_every_link { self.near } else { self.address } }
    }

    /// TCP ports at which it would answer, where it can be asked in no other way.
    pub(crate) fn ports(&self) -> Vec<u16> {
        // From behind a router, another link's own address cannot be asked at all.
        if self.target().near == self.address {
            vec![ADMINISTRATION_PORT, Ssh::USUAL_PORT]
        } else {
            Vec::new()
        }
    }
}

impl ExpectedNameServer<'_> {
    /// What it is asked to learn whether it answers at all.
    pub fn first_lookup(&self, transport: Transport) -> Lookup {
        Lookup { server: self.address, transport, sought: Sought::Domain(self.domain.clone()) }
    }
}

impl ExpectedName<'_> {
    /// The questions about it.
    pub fn lookups(&self) -> Vec<Lookup> {
        let mut lookups: Vec<Lookup> = addresses_of(&self.name, &self.servers).collect();
        for server in &self.servers {
            lookups.extend(self.own.iter().map(|address| Lookup::new(*server, Sought::Names(*address))));
        }
        lookups
    }
}

pub(super) fn has_address(machine: &Machine) -> bool {
    machine.links.iter().any(|link| link.addresses().next().is_some())
}

/// The addresses of machines, of the clusters that they are in, and those that they had before.
fn addresses<'a>(site: &'a Site, machines: &[&'a Machine]) -> Vec<ExpectedAddress<'a>> {
    let mut found = Vec::new();
    let mut clusters = BTreeSet::new();
    for machine in machines.iter().copied() {
        let ports = ports(site, machine);
        let expected = |link: &Link, address, place, is_old| ExpectedAddress {
            address,
            owner: Owner::Machine(machine),
            subnet: subnet_of(site, link, address),
            is_old,
            ports: ports.clone(),
            place,
        };
        for link in &machine.links {
            let own = link.addresses().map(|own| (own.address.value, own.address.place, false));
            let before = link.replaces.iter().map(|before| (before.value, before.place, true));
            found.extend(
                own.chain(before).map(|(address, place, is_old)| expected(link, address, place, is_old)),
            );
        }
        clusters.extend(machine.cluster.as_ref().map(|cluster| cluster.value));
    }
    for index in clusters {
        let Some(cluster) = site.clusters.get(index) else { continue };
        let members: Vec<&Machine> = site.members(index).collect();
        let subnet = cluster.subnet.value().and_then(|subnet| site.subnets.get(subnet.value));
        for shared in cluster.addresses() {
            found.push(ExpectedAddress {
                address: shared.address.value,
                owner: Owner::Cluster(cluster, members.clone()),
                subnet,
                is_old: false,
                ports: vec![ADMINISTRATION_PORT, Ssh::USUAL_PORT],
                place: shared.address.place,
            });
        }
    }
    // What the sheet gives twice has its finding there.
    let mut seen = BTreeSet::new();
    found.retain(|expected| seen.insert(expected.address));
    found
}

/// The subnet of a link that an address lies in.
pub(super) fn subnet_of<'a>(
    site: &'a Site,
    link: &Link,
    address: IpAddr,
) -> Option<&'a impostazione_core::machine::Subnet> {
    let subnet = site.subnets.get(link.subnet.value()?.value)?;
    let is_in = subnet.family(Family::of(address)).is_some_and(|side| side.prefix.value.contains(&address));
    is_in.then_some(subnet)
}

/// The port at which a machine is administered: that of the meanings file, or the usual one.
pub(super) fn administration_port(site: &Site, machine: &Machine) -> u16 {
    let of_meanings = || site.meanings_of(machine.appliance()?)?.administration.as_ref()?.port;
    of_meanings().unwrap_or(ADMINISTRATION_PORT)
}

/// The ports at which a machine answers: SSH's, and that of its administration.
fn ports(site: &Site, machine: &Machine) -> Vec<u16> {
    let administration = administration_port(site, machine);
    let ssh = if machine.host().is_some() { machine.settings.ssh.port() } else { Ssh::USUAL_PORT };
    let mut ports = vec![ssh, administration, ADMINISTRATION_PORT];
    ports.dedup();
    ports
}

/// The routers of the subnets that machines have addresses in.
fn gateways<'a>(site: &'a Site, machines: &[&'a Machine]) -> Vec<ExpectedGateway<'a>> {
    let mut found: Vec<ExpectedGateway<'a>> = Vec::new();
    for machine in machines.iter().copied() {
        for link in &machine.links {
            for family in Family::BOTH {
                let Some(gateway) = site.gateway_of(link, family) else { continue };
                let Some(subnet) = link.subnet.value().and_then(|subnet| site.subnets.get(subnet.value))
                else {
                    continue;
                };
                let Some(own) = link.address_in(family) else { continue };
                let is_same = |known: &&mut ExpectedGateway<'_>| {
                    known.address == gateway.value && std::ptr::eq(known.subnet, subnet)
                };
                match found.iter_mut().find(is_same) {
                    Some(known) => known.machines.push(machine),
                    None => found.push(ExpectedGateway {
                        address: gateway.value,
                        subnet,
                        near: own.address.value,
                        place: gateway.place,
                        machines: vec![machine],
                    }),
                }
            }
        }
    }
    found
}

/// Addresses of others in the subnets that machines have addresses in: those in use, and servers.
fn witnesses<'a>(site: &'a Site, machines: &[&'a Machine]) -> Vec<Witness<'a>> {
    let subnets: BTreeSet<usize> = machines
        .iter()
        .flat_map(|machine| &machine.links)
        .filter(|link| link.addresses().next().is_some())
        .filter_map(|link| Some(link.subnet.value()?.value))
        .collect();
    let mut servers: Vec<IpAddr> = site.asked_servers().keys().copied().collect();
    servers.sort_unstable();
    let mut found = Vec::new();
    for subnet in subnets.into_iter().filter_map(|index| site.subnets.get(index)) {
        let in_use = subnet.in_use.iter().map(|used| used.address.value);
        let is_in = |address: &IpAddr| {
            let side = subnet.family(Family::of(*address));
            side.is_some_and(|side| side.prefix.value.contains(address))
        };
        let others = in_use.chain(servers.iter().copied().filter(is_in));
        // What is a machine of the sheet is not there yet.
        let others = others.filter(|address| !site.address_uses().contains_key(address));
        found.extend(others.take(MOST_WITNESSES).map(|address| Witness { address, subnet }));
    }
    found
}

/// The IPv4 subnets that machines have addresses in.
fn leases<'a>(site: &'a Site, machines: &[&'a Machine]) -> Vec<ExpectedLease<'a>> {
    let mut found: Vec<ExpectedLease<'a>> = Vec::new();
    for machine in machines.iter().copied() {
        for link in &machine.links {
            let Some(own) = link.address_in(Family::V4) else { continue };
            let Some(subnet) = subnet_of(site, link, own.address.value) else { continue };
            match found.iter_mut().find(|known| std::ptr::eq(known.subnet, subnet)) {
                Some(known) => known.machines.push(machine),
                None => {
                    found.push(ExpectedLease { subnet, near: own.address.value, machines: vec![machine] });
                }
            }
        }
    }
    found
}

/// The full names of machines, each with the servers that the machines of its domain ask.
fn names<'a>(site: &'a Site, machines: &[&'a Machine]) -> Vec<ExpectedName<'a>> {
    // Those that machines of a domain have, each once.
    let mut by_domain: HashMap<&str, Vec<&Settings>> = HashMap::new();
    let mut seen: HashSet<(&str, *const Settings)> = HashSet::new();
    for machine in &site.machines {
        let Some(domain) = machine.domain() else { continue };
        let settings: &Settings = &machine.settings;
        if seen.insert((domain, std::ptr::from_ref(settings))) {
            by_domain.entry(domain).or_default().push(settings);
        }
    }
    let mut servers: BTreeMap<&str, Vec<IpAddr>> = BTreeMap::new();
    let mut found = Vec::new();
    for machine in machines.iter().copied() {
        let Some(domain) = machine.domain() else { continue };
        let servers = servers.entry(domain).or_insert_with(|| {
            let mut all = Vec::new();
            for settings in by_domain.get(domain).into_iter().flatten() {
                for server in servers_for(settings, domain) {
                    if !all.contains(&server) {
                        all.push(server);
                    }
                }
            }
            all
        });
        found.extend(name_of(site, machine, servers));
    }
    found.retain(|name| !name.servers.is_empty());
    found
}

/// The full name of a machine, and what it has to stand for; nothing where it has no name or no address.
pub(super) fn name_of<'a>(
    site: &'a Site,
    machine: &'a Machine,
    servers: &[IpAddr],
) -> Option<ExpectedName<'a>> {
    let name = machine.fqdn()?.to_ascii_lowercase();
    let link = site.way_out(machine)?;
    let main: Vec<IpAddr> =
        Family::BOTH.into_iter().filter_map(|family| Some(link.address_in(family)?.address.value)).collect();
    let own = machine.links.iter().flat_map(Link::addresses).map(|own| own.address.value).collect();
    (!main.is_empty()).then(|| ExpectedName {
        machine,
        name,
        place: machine.name_place,
        main,
        own,
        has_unknown: machine.settings.ipv6() == Ipv6Mode::Auto,
        servers: servers.to_vec(),
    })
}
