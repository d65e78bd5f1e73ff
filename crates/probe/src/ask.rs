//! Asks all questions of a plan: politely, at most three times each, and within a time that is known beforehand.

use std::collections::{BTreeMap, BTreeSet, HashMap, VecDeque};
use std::io;
use std::net::{IpAddr, SocketAddr, TcpStream};
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

use impostazione_core::machine::TimeServer;
use impostazione_core::network::{TimeKeyValue, Transport};
use impostazione_net::{Family, ServerName};

use crate::answer::{Answers, Clock, Connection, Doubt, Leases, LookedUp, Presence, Seen};
use crate::clock::AskedKey;
use crate::network::{Network, Reach, Standing};
use crate::obstacle::Obstacle;
use crate::question::{Lookup, Plan};
use crate::stop::Stop;
use crate::target::Target;
use crate::{clock, dns, network, offer};

/// The most questions to services that are under way.
const AT_ONCE: usize = 64;
/// How long a connection is waited for.
const CONNECTS_WITHIN: Duration = Duration::from_secs(2);
/// After so many questions in a row without an answer, a DNS server is asked no more.
const IN_VAIN: u32 = 4;

/// What is asked about, as far as a person follows it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Topic {
    /// Whether addresses are free, and gateways there.
    Addresses,
    /// DNS.
    Names,
    /// Time servers.
    Clocks,
    /// Other servers.
    Services,
    /// DHCP servers.
    Leases,
}

/// Follows how far asking has come.
pub trait Watch: Sync {
    /// So many questions more are to be asked.
    fn planned(&self, topic: Topic, more: usize);
    /// So many are answered.
    fn answered(&self, topic: Topic, more: usize);
}

/// Nobody follows it.
#[derive(Clone, Copy, Debug, Default)]
pub struct Unwatched;

impl Watch for Unwatched {
    fn planned(&self, _: Topic, _: usize) {}
    fn answered(&self, _: Topic, _: usize) {}
}

/// The longest that asking takes.
pub fn longest(plan: &Plan<'_>) -> Duration {
    let of_services = |count: usize, each: Duration| each * rounds(count);
    let addresses = plan.addresses.len() + plan.gateways.len() + plan.witnesses.len();
    let neighbors = network::longest_look(addresses);
    let lookups = plan.lookups().len();
    // A server that does not answer is given up after a few questions; the others answer at the first.
    let services = of_services(plan.first_lookups().len(), dns::LONGEST)
        + of_services(lookups, dns::WITHIN)
        + dns::LONGEST * 2
        + of_services(plan.clocks.len() * 2, clock::LONGEST)
        + of_services(plan.services.len() * 2, CONNECTS_WITHIN)
        + of_services(addresses, CONNECTS_WITHIN * 3);
    neighbors.max(services) + offer::LONGEST * u32::try_from(plan.leases.len()).unwrap_or(u32::MAX)
}

fn rounds(count: usize) -> u32 {
    u32::try_from(count.div_ceil(AT_ONCE)).unwrap_or(u32::MAX)
}

/// Asks all that a plan has.
pub fn ask(
    plan: &Plan<'_>,
    network: &dyn Network,
    keys: &BTreeMap<String, TimeKeyValue>,
    stop: &Stop,
    watch: &dyn Watch,
) -> Answers {
    Asking { plan, network, keys, stop, watch, answers: Mutex::default(), in_vain: Mutex::default() }.run()
}

struct Asking<'a> {
    plan: &'a Plan<'a>,
    network: &'a dyn Network,
    keys: &'a BTreeMap<String, TimeKeyValue>,
    stop: &'a Stop,
    watch: &'a dyn Watch,
    answers: Mutex<Answers>,
    /// How many questions in a row each DNS server has left without an answer.
    in_vain: Mutex<HashMap<IpAddr, u32>>,
}

impl Asking<'_> {
    fn run(self) -> Answers {
        let asked = self.addresses();
        self.watch.planned(Topic::Addresses, asked.len());
        let mut on_links = Vec::new();
        let mut behind_routers = Vec::new();
        for (target, ports) in asked {
            match self.network.standing(target) {
                Standing::Known(presence) => self.note_presence(target, presence),
                Standing::Attached => on_links.push(target),
                // Where nothing is asked of it, that it is behind a router is all.
                Standing::BehindRouter if ports.is_empty() => {
                    let doubt = Doubt::BehindRouter { echo_was_asked: false };
                    self.note_presence(target, Presence::CannotTell(doubt));
                }
                Standing::BehindRouter => behind_routers.push((target.address, ports)),
            }
        }
        std::thread::scope(|scope| {
            for family in Family::BOTH {
                let is_of_family = |target: &Target| Family::of(target.address) == family;
                let own: Vec<Target> = on_links.iter().copied().filter(is_of_family).collect();
                let asking = &self;
                scope.spawn(move || {
                    asking.network.look_at_neighbors(&own, asking.stop, &mut |target, presence| {
                        asking.note_presence(target, presence);
                    });
                });
            }
            scope.spawn(|| self.leases());
            self.services(behind_routers);
        });
        self.answers.into_inner().unwrap_or_else(PoisonError::into_inner)
    }

    /// Every address that somebody or nobody may have, with the ports at which it would answer.
    fn addresses(&self) -> BTreeMap<Target, Vec<u16>> {
        let witnesses = self.plan.witnesses.iter().map(|witness| (witness.address.into(), Vec::new()));
        let mut asked: BTreeMap<Target, Vec<u16>> = witnesses.collect();
        asked.extend(self.plan.gateways.iter().map(|gateway| (gateway.target(), gateway.ports())));
        let expected = self.plan.addresses.iter();
        asked.extend(expected.map(|expected| (expected.address.into(), expected.ports.clone())));
        asked
    }

    fn change<T>(&self, change: impl FnOnce(&mut Answers) -> T) -> T {
        change(&mut self.answers.lock().unwrap_or_else(PoisonError::into_inner))
    }

    fn note_presence(&self, target: Target, presence: Presence) {
        self.change(|answers| answers.presences.insert(target, presence));
        self.watch.answered(Topic::Addresses, 1);
    }

    fn leases(&self) {
        self.watch.planned(Topic::Leases, self.plan.leases.len());
        for lease in &self.plan.leases {
            let found = match self.stop.why() {
                Some(obstacle) => Leases::NotLooked(obstacle),
                None => self.network.offers(lease.near, self.stop),
            };
            self.change(|answers| answers.leases.insert(lease.subnet.name.value.clone(), found));
            self.watch.answered(Topic::Leases, 1);
        }
    }

    /// What goes to services: first whether DNS servers answer, then all that needs no name, then what does.
    fn services(&self, behind_routers: Vec<(IpAddr, Vec<u16>)>) {
        let first = self.plan.first_lookups();
        self.watch.planned(Topic::Names, first.len());
        self.pool(first.into_iter().map(Job::Lookup));

        let lookups = self.plan.lookups();
        self.watch.planned(Topic::Names, lookups.len());
        let (clocks, connections) = self.by_address();
        self.watch.planned(Topic::Clocks, clocks.len());
        self.watch.planned(Topic::Services, connections.len());
        let routed = behind_routers.into_iter().map(|(address, ports)| Job::Routed(address, ports));
        let jobs = (clocks.iter().cloned().map(Job::Clock))
            .chain(connections.iter().copied().map(Job::Connection))
            .chain(routed)
            .chain(lookups.into_iter().map(Job::Lookup));
        self.pool(jobs);

        let (mut more_clocks, mut more_connections) = self.by_name();
        more_clocks.retain(|one| !clocks.contains(one));
        more_connections.retain(|one| !connections.contains(one));
        self.watch.planned(Topic::Clocks, more_clocks.len());
        self.watch.planned(Topic::Services, more_connections.len());
        let clocks = more_clocks.into_iter().map(Job::Clock);
        self.pool(clocks.chain(more_connections.into_iter().map(Job::Connection)));
    }

    /// Servers that the sheet gives by address.
    fn by_address(&self) -> (BTreeSet<(IpAddr, Option<String>)>, BTreeSet<SocketAddr>) {
        let clocks = self.plan.clocks.iter();
        let clocks = clocks.filter_map(|clock| Some((clock.server.address()?, clock.key.clone()))).collect();
        let services = self.plan.services.iter().filter_map(|service| match service.name {
            ServerName::Address(address) => Some(SocketAddr::new(address, service.port?)),
            ServerName::Name(_) => None,
        });
        (clocks, services.collect())
    }

    /// Servers that it gives by name, at the addresses that DNS gives.
    fn by_name(&self) -> (BTreeSet<(IpAddr, Option<String>)>, BTreeSet<SocketAddr>) {
        let answers = self.change(|answers| answers.clone());
        let mut clocks = BTreeSet::new();
        for clock in &self.plan.clocks {
            let TimeServer::Name(name) = &clock.server else { continue };
            for address in answers.addresses_of_name(name.as_str(), &clock.resolvers) {
                clocks.insert((address, clock.key.clone()));
            }
        }
        let mut connections = BTreeSet::new();
        for service in &self.plan.services {
            let (ServerName::Name(name), Some(port)) = (&service.name, service.port) else { continue };
            for address in answers.addresses_of_name(name.as_str(), &service.resolvers) {
                connections.insert(SocketAddr::new(address, port));
            }
        }
        (clocks, connections)
    }

    /// Does jobs, some at a time.
    fn pool(&self, jobs: impl Iterator<Item = Job>) {
        let jobs: VecDeque<Job> = jobs.collect();
        let count = jobs.len().min(AT_ONCE);
        let queue = Mutex::new(jobs);
        std::thread::scope(|scope| {
            for _ in 0..count {
                scope.spawn(|| {
                    loop {
                        let next = queue.lock().unwrap_or_else(PoisonError::into_inner).pop_front();
                        let Some(job) = next else { break };
                        self.take(job);
                    }
                });
            }
        });
    }

    fn take(&self, job: Job) {
        match job {
            Job::Lookup(lookup) => {
                let found = self.look_up(&lookup);
                self.change(|answers| answers.lookups.insert(lookup, found));
                self.watch.answered(Topic::Names, 1);
            }
            Job::Clock((server, key)) => {
                let value = match &key {
                    None => AskedKey::None,
                    Some(name) => self.keys.get(name).map_or(AskedKey::Unavailable, AskedKey::Value),
                };
                let found = match self.stop.why() {
                    Some(obstacle) => Clock::NotLooked(obstacle),
                    None => clock::ask(self.network, server, value, self.stop),
                };
                self.change(|answers| answers.clocks.insert((server, key), found));
                self.watch.answered(Topic::Clocks, 1);
            }
            Job::Connection(to) => {
                let found = match self.stop.why() {
                    Some(obstacle) => Connection::NotLooked(obstacle),
                    None => connect(self.network, to),
                };
                self.change(|answers| answers.connections.insert(to, found));
                self.watch.answered(Topic::Services, 1);
            }
            Job::Routed(address, ports) => {
                let found = match self.stop.why() {
                    Some(obstacle) => Presence::NotLooked(obstacle),
                    None => self.behind_router(address, &ports),
                };
                self.note_presence(address.into(), found);
            }
        }
    }

    fn look_up(&self, lookup: &Lookup) -> LookedUp {
        if let Some(obstacle) = self.stop.why() {
            return LookedUp::NotLooked(obstacle);
        }
        let has_no_use = lookup.transport == Transport::Udp && {
            let in_vain = self.in_vain.lock().unwrap_or_else(PoisonError::into_inner);
            in_vain.get(&lookup.server).is_some_and(|count| *count >= IN_VAIN)
        };
        // What a server does not answer at all is not asked a thousand times.
        if has_no_use || self.is_known_silent(lookup) {
            return LookedUp::Silent;
        }
        let found = dns::look_up(self.network, lookup, self.stop);
        if lookup.transport == Transport::Udp {
            let mut in_vain = self.in_vain.lock().unwrap_or_else(PoisonError::into_inner);
            let count = in_vain.entry(lookup.server).or_default();
            *count = if found == LookedUp::Silent { *count + 1 } else { 0 };
        }
        found
    }

    /// Whether the first question to a server over UDP was left without an answer, or with none that can be read.
    fn is_known_silent(&self, lookup: &Lookup) -> bool {
        let server = self.plan.name_servers.iter().find(|server| server.address == lookup.server);
        let Some(server) = server else { return false };
        let first = server.first_lookup(Transport::Udp);
        if first == *lookup || lookup.transport == Transport::Tcp {
            return false;
        }
        self.change(|answers| matches!(answers.lookup(&first), Some(LookedUp::Silent | LookedUp::Garbled(_))))
    }

    /// Asks an address that is behind a router by its ports, and by ICMP where that is allowed.
    fn behind_router(&self, address: IpAddr, ports: &[u16]) -> Presence {
        let mut obstacle = None;
        for port in ports.iter().copied().collect::<BTreeSet<_>>() {
            match connect(self.network, SocketAddr::new(address, port)) {
                Connection::Accepted => return Presence::Somebody(Seen::Accepted(port)),
                Connection::Refused => return Presence::Somebody(Seen::Refused(port)),
                Connection::NotLooked(why) => obstacle = Some(why),
                Connection::Silent | Connection::Unreachable => {}
            }
        }
        if let Some(why) = obstacle.or_else(|| self.stop.why()) {
            return Presence::NotLooked(why);
        }
        match self.network.echoes(address) {
            Some(true) => Presence::Somebody(Seen::Echo),
            asked => Presence::CannotTell(Doubt::BehindRouter { echo_was_asked: asked.is_some() }),
        }
    }
}

/// Something that goes to a service.
enum Job {
    Lookup(Lookup),
    Clock((IpAddr, Option<String>)),
    Connection(SocketAddr),
    Routed(IpAddr, Vec<u16>),
}

/// Whether a port accepts a connection, which is closed again at once.
fn connect(network: &dyn Network, to: SocketAddr) -> Connection {
    let to = match network.reach(Transport::Tcp, to) {
        Reach::At(to) => to,
        Reach::Nobody => return Connection::Silent,
        Reach::Refused => return Connection::Refused,
        Reach::Barred(obstacle) => return Connection::NotLooked(obstacle),
    };
    match TcpStream::connect_timeout(&to, CONNECTS_WITHIN) {
        Ok(_) => Connection::Accepted,
        Err(error) => match error.kind() {
            io::ErrorKind::ConnectionRefused | io::ErrorKind::ConnectionReset => Connection::Refused,
            io::ErrorKind::TimedOut | io::ErrorKind::WouldBlock => Connection::Silent,
            io::ErrorKind::HostUnreachable => Connection::Unreachable,
            _ => Connection::NotLooked(Obstacle::of(&error)),
        },
    }
}
