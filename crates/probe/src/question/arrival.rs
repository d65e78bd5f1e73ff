//! All that is asked of the machines of a site after they have started for the first time.

use std::collections::BTreeSet;
use std::net::IpAddr;
use std::time::Duration;

use impostazione_core::machine::{Cluster, Link, Machine, Site, Ssh};
use impostazione_text::{Place, Stated};
use ssh_key::PublicKey;

use super::around::around;
use super::plan::{ADMINISTRATION_PORT, Plan, administration_port, has_address};

/// The port of HTTP without encryption.
pub(crate) const PLAIN_PORT: u16 = 80;
/// How long a machine takes to start where nothing says otherwise.
const USUAL_START: Duration = Duration::from_mins(5);

/// What the sheet says that each machine is like once it has started, and so what is asked.
#[derive(Debug)]
pub struct ArrivalPlan<'a> {
    /// The site.
    pub site: &'a Site,
    /// The machines, in the order of the sheet.
    pub machines: Vec<ExpectedMachine<'a>>,
    /// Virtual addresses of their clusters.
    pub shared: Vec<ExpectedShared<'a>>,
    /// Machines to which the sheet gives no address, so that nothing is asked of them.
    pub without_address: Vec<&'a Machine>,
}

/// A machine that is to have started.
#[derive(Debug)]
pub struct ExpectedMachine<'a> {
    /// The machine.
    pub machine: &'a Machine,
    /// Its addresses, the one by which it is reached first.
    pub addresses: Vec<ExpectedAt>,
    /// How it is administered.
    pub way: Way,
    /// How long it may take to start.
    pub start: Duration,
    /// What else is asked once it answers: what it serves, and whether its earlier address is silent.
    pub around: Option<Plan<'a>>,
}

/// An address of a machine, and where the sheet gives it.
#[derive(Clone, Copy, Debug)]
pub struct ExpectedAt {
    /// The address.
    pub address: IpAddr,
    /// Where it stands.
    pub place: Place,
}

/// How a machine is administered: by this TCP port.
#[derive(Clone, Debug)]
pub enum Way {
    /// SSH.
    Ssh(u16, HostKeys),
    /// HTTPS.
    Https(u16),
    /// SSH is off: only whether anybody is there is asked.
    Unasked(u16),
}

/// Host keys by which a host is known.
#[derive(Clone, Debug)]
pub enum HostKeys {
    /// These, of which it has to show one.
    Known(Vec<PublicKey>),
    /// Nobody has said any.
    NoneSaid,
    /// They could not be had: why, as the end of a sentence.
    NotLooked(String),
}

/// The virtual address of a cluster.
#[derive(Debug)]
pub struct ExpectedShared<'a> {
    /// The cluster.
    pub cluster: &'a Cluster,
    /// The address.
    pub at: ExpectedAt,
    /// The port at which its members are administered.
    pub port: u16,
    /// Its members among the machines that are asked about, by their place there.
    pub members: Vec<usize>,
    /// How long the slowest of them may take to start.
    pub start: Duration,
}

impl Way {
    /// The TCP port.
    pub fn port(&self) -> u16 {
        match self {
            Self::Ssh(port, _) | Self::Https(port) | Self::Unasked(port) => *port,
        }
    }

    /// What is spoken there.
    pub fn word(&self) -> &'static str {
        match self {
            Self::Ssh(..) => "SSH",
            Self::Https(_) => "HTTPS",
            Self::Unasked(_) => "nothing",
        }
    }
}

impl<'a> ArrivalPlan<'a> {
    /// What is asked about the machines that are picked by name. `host_keys` has the keys of a host where they come from elsewhere than the
    /// sheet's own store.
    pub fn new(
        site: &'a Site,
        picked: impl Fn(&str) -> bool,
        host_keys: Option<&dyn Fn(&Machine) -> HostKeys>,
    ) -> Self {
        let all = || site.machines.iter().filter(|machine| picked(machine.label()));
        let expected = |machine: &'a Machine| {
            let way = way(site, machine, host_keys);
            ExpectedMachine {
                machine,
                addresses: addresses(site, machine),
                start: start(site, machine),
                around: around(site, machine, way.port()),
                way,
            }
        };
        let machines: Vec<ExpectedMachine<'a>> =
            all().filter(|machine| has_address(machine)).map(expected).collect();
        let shared = shared(site, &machines);
        Self {
            site,
            machines,
            shared,
            without_address: all().filter(|machine| !has_address(machine)).collect(),
        }
    }
}

/// The addresses of a machine: those of the link that leads out first.
fn addresses(site: &Site, machine: &Machine) -> Vec<ExpectedAt> {
    let way_out = site.way_out(machine);
    let is_first = |link: &&Link| way_out.is_some_and(|out| std::ptr::eq(*link, out));
    let (first, then): (Vec<&Link>, Vec<&Link>) = machine.links.iter().partition(is_first);
    let mut seen = BTreeSet::new();
    let all = first.into_iter().chain(then).flat_map(Link::addresses);
    all.filter(|own| seen.insert(own.address.value))
        .map(|own| ExpectedAt { address: own.address.value, place: own.address.place })
        .collect()
}

fn way(site: &Site, machine: &Machine, host_keys: Option<&dyn Fn(&Machine) -> HostKeys>) -> Way {
    let Some(host) = machine.host() else { return Way::Https(administration_port(site, machine)) };
    let ssh = &machine.settings.ssh;
    if !ssh.is_enabled() {
        return Way::Unasked(Ssh::USUAL_PORT);
    }
    let of_store = || match &host.host_key {
        Stated::Value(key) => {
            let public = key.public_line(machine.label()).ok();
            match public.and_then(|line| PublicKey::from_openssh(&line).ok()) {
                Some(key) => HostKeys::Known(vec![key]),
                None => HostKeys::NotLooked("the key in the store cannot be read".to_owned()),
            }
        }
        Stated::Absent => HostKeys::NoneSaid,
        Stated::Faulty => HostKeys::NotLooked("the store of the sheet was not opened".to_owned()),
    };
    Way::Ssh(ssh.port(), host_keys.map_or_else(of_store, |of| of(machine)))
}

fn start(site: &Site, machine: &Machine) -> Duration {
    let of_meanings = || {
        let administration = site.meanings_of(machine.appliance()?)?.administration.as_ref()?;
        Some(Duration::from_mins(u64::from(administration.start_minutes?)))
    };
    of_meanings().unwrap_or(USUAL_START)
}

/// The virtual addresses of the clusters that machines are in.
fn shared<'a>(site: &'a Site, machines: &[ExpectedMachine<'a>]) -> Vec<ExpectedShared<'a>> {
    let cluster_of = |expected: &ExpectedMachine<'_>| expected.machine.cluster.as_ref().map(|own| own.value);
    let clusters: BTreeSet<usize> = machines.iter().filter_map(cluster_of).collect();
    let mut found = Vec::new();
    for index in clusters {
        let Some(cluster) = site.clusters.get(index) else { continue };
        let is_member = |expected: &ExpectedMachine<'_>| cluster_of(expected) == Some(index);
        let members: Vec<usize> =
            machines.iter().enumerate().filter(|(_, one)| is_member(one)).map(|(at, _)| at).collect();
        let of_members = || members.iter().filter_map(|at| machines.get(*at));
        let port = of_members().map(|member| member.way.port()).next().unwrap_or(ADMINISTRATION_PORT);
        let start = of_members().map(|member| member.start).max().unwrap_or(USUAL_START);
        found.extend(cluster.addresses().map(|own| ExpectedShared {
            cluster,
            at: ExpectedAt { address: own.address.value, place: own.address.place },
            port,
            members: members.clone(),
            start,
        }));
    }
    found
}
