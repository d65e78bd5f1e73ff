//! What can be wrong with a simulated site.

use std::net::IpAddr;
use std::time::Duration;

use impostazione_core::machine::{Machine, Site};
use impostazione_net::parse_address;
use impostazione_text::nearest;
use jiff::SignedDuration;

/// A fault of a simulated site.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Fault {
    /// Somebody has the addresses of a machine or cluster already.
    Taken(String),
    /// A machine runs already.
    AlreadyUp(String),
    /// Something answers at the address that a machine had before.
    OldAddress(String),
    /// DNS does not know a machine's name.
    NoName(String),
    /// DNS gives another address for it.
    OtherName(String),
    /// DNS has no name for a machine's addresses.
    NoReverse(String),
    /// DNS has another name for them.
    OtherReverse(String),
    /// Nothing answers at an address.
    Silent(IpAddr),
    /// A machine does not answer after its start.
    SilentMachine(String),
    /// It does so only after a while.
    Slow(String, SignedDuration),
    /// Its address answers, and its services do not.
    NotReady(String),
    /// Something else answers at its port.
    OtherService(String),
    /// A host has another host key.
    OtherKey(String),
    /// A host shows its key, and does not prove that it has it.
    UnprovedKey(String),
    /// An appliance has another certificate.
    OtherCertificate(String),
    /// An appliance has a certificate with another machine's name.
    CertificateOfAnother(String),
    /// The certificate of an appliance has expired.
    Expired(String),
    /// An appliance speaks only old TLS.
    OldTls(String),
    /// An appliance speaks HTTP without encryption.
    PlainHttp(String),
    /// The virtual address of a cluster does not answer.
    NoVirtualAddress(String),
    /// A machine does not serve what it should.
    ServesNothing(String),
    /// A DNS server does not answer over TCP.
    NoTcp(IpAddr),
    /// A DNS server refuses to answer.
    Refuses(IpAddr),
    /// A DNS server does not find names outside the site.
    NoOutside(IpAddr),
    /// DNS does not know a domain.
    NoDomain(String),
    /// A time server is not synchronized.
    Unsynchronized(IpAddr),
    /// A time server has other keys.
    OtherTimeKey(IpAddr),
    /// The clock of a time server is off; of the first one, where none is named.
    ClockOff(Option<IpAddr>, i64),
    /// A DHCP server offers an address.
    Lease(IpAddr),
    /// A subnet is behind a router.
    BehindRouter(String),
}

/// Why a text is not a fault that the site can have, as a sentence.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct FaultFault(String);

/// The kinds of faults, each with what comes after its `=`.
const KINDS: [(&str, &str); 30] = [
    ("taken", "NAME"),
    ("already-up", "NAME"),
    ("old-address", "NAME"),
    ("no-name", "NAME"),
    ("other-name", "NAME"),
    ("no-reverse", "NAME"),
    ("other-reverse", "NAME"),
    ("silent", "NAME, or ADDRESS"),
    ("slow", "NAME,40s"),
    ("not-ready", "NAME"),
    ("no-member", "NAME"),
    ("no-virtual-address", "CLUSTER"),
    ("other-service", "NAME"),
    ("serves-nothing", "NAME"),
    ("other-key", "NAME"),
    ("unproved-key", "NAME"),
    ("other-certificate", "NAME"),
    ("certificate-of-another", "NAME"),
    ("expired", "NAME"),
    ("old-tls", "NAME"),
    ("plain-http", "NAME"),
    ("no-tcp", "ADDRESS"),
    ("refuses", "ADDRESS"),
    ("no-outside", "ADDRESS"),
    ("no-domain", "DOMAIN"),
    ("unsynchronized", "ADDRESS"),
    ("other-time-key", "ADDRESS"),
    ("clock-off", "90s, or ADDRESS,90s"),
    ("lease", "ADDRESS"),
    ("behind-router", "SUBNET"),
];

impl Fault {
    /// Every kind, as it is written.
    pub fn kinds() -> impl Iterator<Item = (&'static str, &'static str)> {
        KINDS.into_iter()
    }

    /// Reads a fault, such as `taken=gauge-01`, of a site.
    pub fn parse(text: &str, site: &Site) -> Result<Self, FaultFault> {
        let Some((kind, what)) = text.split_once('=') else {
            return Err(FaultFault(format!("write what the fault is about, as in {}", usual(text))));
        };
        let machine = || name_of(what, site);
        let address = || address_of(what);
        Ok(match kind {
            "taken" => Self::Taken(owner_of(what, site)?),
            "already-up" => Self::AlreadyUp(with_mac(&machine()?, site)?),
            "old-address" => Self::OldAddress(with_earlier(&machine()?, site)?),
            "no-name" => Self::NoName(with_full_name(&machine()?, site)?),
            "other-name" => Self::OtherName(with_full_name(&machine()?, site)?),
            "no-reverse" => Self::NoReverse(with_full_name(&machine()?, site)?),
            "other-reverse" => Self::OtherReverse(with_full_name(&machine()?, site)?),
            "silent" => match address() {
                Ok(address) => Self::Silent(address),
                Err(_) => Self::SilentMachine(machine()?),
            },
            "slow" => slow(what, site)?,
            "not-ready" => Self::NotReady(machine()?),
            "no-member" => Self::SilentMachine(of_cluster(&machine()?, site)?),
            "no-virtual-address" => Self::NoVirtualAddress(cluster_of(what, site)?),
            "other-service" => Self::OtherService(machine()?),
            "serves-nothing" => Self::ServesNothing(server(&machine()?, site)?),
            "other-key" => Self::OtherKey(with_ssh(&machine()?, site)?),
            "unproved-key" => Self::UnprovedKey(with_ssh(&machine()?, site)?),
            "other-certificate" => Self::OtherCertificate(appliance(&machine()?, site)?),
            "certificate-of-another" => Self::CertificateOfAnother(appliance(&machine()?, site)?),
            "expired" => Self::Expired(appliance(&machine()?, site)?),
            "old-tls" => Self::OldTls(appliance(&machine()?, site)?),
            "plain-http" => Self::PlainHttp(appliance(&machine()?, site)?),
            "no-tcp" => Self::NoTcp(address()?),
            "refuses" => Self::Refuses(address()?),
            "no-outside" => Self::NoOutside(address()?),
            "no-domain" => Self::NoDomain(what.to_ascii_lowercase()),
            "unsynchronized" => Self::Unsynchronized(address()?),
            "other-time-key" => Self::OtherTimeKey(address()?),
            "clock-off" => clock_off(what)?,
            "lease" => Self::Lease(address()?),
            "behind-router" => Self::BehindRouter(subnet_of(what, site)?),
            _ => {
                let near = nearest(kind, KINDS.iter().map(|(kind, _)| *kind), 1);
                return Err(FaultFault(match near.first() {
                    Some(near) => format!("there is no fault {kind}; did you mean {near}?"),
                    None => format!("there is no fault {kind}; --help lists them"),
                }));
            }
        })
    }
}

fn usual(text: &str) -> String {
    let known = KINDS.iter().find(|(kind, _)| *kind == text);
    known.map_or_else(|| "taken=NAME".to_owned(), |(kind, what)| format!("{kind}={what}"))
}

fn machine_of<'a>(name: &str, site: &'a Site) -> Option<&'a Machine> {
    site.machines.iter().find(|machine| machine.label() == name)
}

fn name_of(name: &str, site: &Site) -> Result<String, FaultFault> {
    if machine_of(name, site).is_some() {
        return Ok(name.to_owned());
    }
    Err(no_such("machine", name, site.machines.iter().map(Machine::label)))
}

fn owner_of(name: &str, site: &Site) -> Result<String, FaultFault> {
    let clusters = site.clusters.iter().map(|cluster| cluster.name.value.as_str());
    let mut all = site.machines.iter().map(Machine::label).chain(clusters);
    if all.clone().any(|known| known == name) {
        return Ok(name.to_owned());
    }
    Err(no_such("machine or cluster", name, &mut all))
}

fn subnet_of(name: &str, site: &Site) -> Result<String, FaultFault> {
    let mut all = site.subnets.iter().map(|subnet| subnet.name.value.as_str());
    if all.clone().any(|known| known == name) {
        return Ok(name.to_owned());
    }
    Err(no_such("subnet", name, &mut all))
}

fn no_such<'a>(what: &str, name: &str, known: impl Iterator<Item = &'a str>) -> FaultFault {
    FaultFault(match nearest(name, known, 1).first() {
        Some(near) => format!("the sheet has no {what} {name}; did you mean {near}?"),
        None => format!("the sheet has no {what} {name}"),
    })
}

/// A machine for which something holds.
fn holding(
    name: &str,
    site: &Site,
    otherwise: &str,
    is: impl Fn(&Machine) -> bool,
) -> Result<String, FaultFault> {
    match machine_of(name, site).filter(|machine| is(machine)) {
        Some(_) => Ok(name.to_owned()),
        None => Err(FaultFault(format!("{name} {otherwise}"))),
    }
}

fn with_mac(name: &str, site: &Site) -> Result<String, FaultFault> {
    let is = |machine: &Machine| machine.links.iter().any(|link| link.mac().is_some());
    holding(name, site, "has no mac in the sheet", is)
}

fn with_earlier(name: &str, site: &Site) -> Result<String, FaultFault> {
    let is = |machine: &Machine| machine.links.iter().any(|link| link.replaces.is_some());
    holding(name, site, "replaces no address in the sheet", is)
}

fn with_full_name(name: &str, site: &Site) -> Result<String, FaultFault> {
    holding(name, site, "has no full name in the sheet", |machine| machine.fqdn().is_some())
}

fn with_ssh(name: &str, site: &Site) -> Result<String, FaultFault> {
    let is = |machine: &Machine| machine.host().is_some() && machine.settings.ssh.is_enabled();
    holding(name, site, "is not a host with SSH", is)
}

fn appliance(name: &str, site: &Site) -> Result<String, FaultFault> {
    holding(name, site, "is not an appliance", |machine| machine.appliance().is_some())
}

fn of_cluster(name: &str, site: &Site) -> Result<String, FaultFault> {
    holding(name, site, "is in no cluster", |machine| machine.cluster.is_some())
}

fn server(name: &str, site: &Site) -> Result<String, FaultFault> {
    let is = |machine: &Machine| machine.serves.dns || machine.serves.ntp;
    holding(name, site, "serves nothing in the sheet", is)
}

fn cluster_of(name: &str, site: &Site) -> Result<String, FaultFault> {
    let mut all = site.clusters.iter().map(|cluster| cluster.name.value.as_str());
    if all.clone().any(|known| known == name) {
        return Ok(name.to_owned());
    }
    Err(no_such("cluster", name, &mut all))
}

fn slow(text: &str, site: &Site) -> Result<Fault, FaultFault> {
    let Some((name, within)) = text.split_once(',') else {
        return Err(FaultFault("write after how long it is there, as in slow=NAME,40s".to_owned()));
    };
    let within = duration(within)?;
    let within = SignedDuration::try_from(within)
        .map_err(|_| FaultFault("the time after which it is there is too long".to_owned()))?;
    Ok(Fault::Slow(name_of(name, site)?, within))
}

fn address_of(text: &str) -> Result<IpAddr, FaultFault> {
    parse_address(text, None).map_err(|_| FaultFault(format!("{text} is not an address")))
}

fn clock_off(text: &str) -> Result<Fault, FaultFault> {
    let (server, by) = match text.split_once(',') {
        Some((server, by)) => (Some(address_of(server)?), by),
        None => (None, text),
    };
    let seconds = by
        .parse::<SignedDuration>()
        .map_err(|_| FaultFault(format!("{by} is not a duration; write it as in 90s, 2m or -90s")))?;
    Ok(Fault::ClockOff(server, seconds.as_secs()))
}

/// Reads a duration such as `90s` or `1h 30m`.
pub fn duration(text: &str) -> Result<Duration, FaultFault> {
    let read = text.parse::<SignedDuration>().ok().and_then(|duration| Duration::try_from(duration).ok());
    read.ok_or_else(|| FaultFault(format!("{text} is not a duration; write it as in 90s, 15m or 1h")))
}
