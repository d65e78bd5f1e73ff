//! What the sheet says that the network is like: each thing with who is concerned, and where it stands.

use std::net::IpAddr;

use impostazione_core::machine::{Cluster, Machine, Subnet, TimeServer};
use impostazione_net::{Family, ServerName};
use impostazione_text::Place;

/// Where something stands, and which machines it concerns.
#[derive(Clone, Debug)]
pub struct Mention<'a> {
    /// The first place.
    pub place: Place,
    /// The machines that are concerned, in the order of the sheet.
    pub machines: Vec<&'a Machine>,
    /// Whether it stands where several machines share it, as in `[common]`.
    pub is_shared: bool,
}

/// Who is to have an address.
#[derive(Clone, Debug)]
pub enum Owner<'a> {
    /// A machine.
    Machine(&'a Machine),
    /// A cluster, whichever of its members answers.
    Cluster(&'a Cluster, Vec<&'a Machine>),
}

/// An address that nobody else may have.
#[derive(Clone, Debug)]
pub struct ExpectedAddress<'a> {
    /// The address.
    pub address: IpAddr,
    /// Who is to have it, or had it.
    pub owner: Owner<'a>,
    /// The subnet that it is in.
    pub subnet: Option<&'a Subnet>,
    /// Whether the machine had it before and has another one now.
    pub is_old: bool,
    /// TCP ports that a machine with this address would answer at, where it can be asked in no other way.
    pub ports: Vec<u16>,
    /// Where it stands.
    pub place: Place,
}

/// The router of a subnet.
#[derive(Clone, Debug)]
pub struct ExpectedGateway<'a> {
    /// Its address.
    pub address: IpAddr,
    /// The subnet.
    pub subnet: &'a Subnet,
    /// An address of the subnet, by which it is told whether this computer is in it.
    pub near: IpAddr,
    /// Where it stands.
    pub place: Place,
    /// The machines that leave by it.
    pub machines: Vec<&'a Machine>,
}

/// An address of others in a subnet: where it answers, this computer is in the subnet, and silence there means something.
#[derive(Clone, Copy, Debug)]
pub struct Witness<'a> {
    /// The address.
    pub address: IpAddr,
    /// The subnet.
    pub subnet: &'a Subnet,
}

/// A DNS server.
#[derive(Clone, Debug)]
pub struct ExpectedNameServer<'a> {
    /// Its address.
    pub address: IpAddr,
    /// Who asks it.
    pub mention: Mention<'a>,
    /// Whether it is a machine of the sheet, which may not be there yet.
    pub is_of_sheet: bool,
    /// What it is asked to learn whether it answers at all: a domain of the site, or the root.
    pub domain: String,
    /// Whether it is asked for any name, not only for those of its own domain.
    pub is_general: bool,
}

/// A machine's full name.
#[derive(Clone, Debug)]
pub struct ExpectedName<'a> {
    /// The machine.
    pub machine: &'a Machine,
    /// The name.
    pub name: String,
    /// Where it stands.
    pub place: Place,
    /// The addresses of the link that leads out, of each family at most one: what the name stands for.
    pub main: Vec<IpAddr>,
    /// All addresses of the machine.
    pub own: Vec<IpAddr>,
    /// Whether it may have IPv6 addresses that the sheet does not know.
    pub has_unknown: bool,
    /// The servers that have to know it.
    pub servers: Vec<IpAddr>,
}

/// A domain that names are looked up in.
#[derive(Clone, Debug)]
pub struct ExpectedDomain<'a> {
    /// The domain.
    pub domain: String,
    /// Who searches it.
    pub mention: Mention<'a>,
    /// The servers that have to know it.
    pub servers: Vec<IpAddr>,
}

/// A time server.
#[derive(Clone, Debug)]
pub struct ExpectedClock<'a> {
    /// The server.
    pub server: TimeServer,
    /// The name of the key with which it proves its answers.
    pub key: Option<String>,
    /// Who asks it.
    pub mention: Mention<'a>,
    /// Whether it is a machine of the sheet, which may not be there yet.
    pub is_of_sheet: bool,
    /// The DNS servers that know its name.
    pub resolvers: Vec<IpAddr>,
}

/// A server that an appliance is told to use.
#[derive(Clone, Debug)]
pub struct ExpectedService<'a> {
    /// What it is.
    pub kind: ServiceKind,
    /// Who it is.
    pub name: ServerName,
    /// Its TCP port.
    pub port: Option<u16>,
    /// The appliance.
    pub machine: &'a Machine,
    /// Where it stands.
    pub place: Place,
    /// Id of the property or question.
    pub property: String,
    /// Whether it is a machine of the sheet, which may not be there yet.
    pub is_of_sheet: bool,
    /// The DNS servers that know its name.
    pub resolvers: Vec<IpAddr>,
}

/// What a service is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum ServiceKind {
    /// Licenses.
    License,
    /// Mail.
    Mail,
    /// A proxy.
    Proxy,
}

/// A subnet in which a DHCP server may lease addresses.
#[derive(Clone, Debug)]
pub struct ExpectedLease<'a> {
    /// The subnet.
    pub subnet: &'a Subnet,
    /// An IPv4 address of it, by which it is told over which link this computer is in it.
    pub near: IpAddr,
    /// The machines with an address there.
    pub machines: Vec<&'a Machine>,
}

impl ServiceKind {
    /// What it is, in words.
    pub fn word(self) -> &'static str {
        match self {
            Self::License => "license server",
            Self::Mail => "mail relay",
            Self::Proxy => "proxy",
        }
    }
}

impl Owner<'_> {
    /// What messages call it.
    pub fn called(&self) -> String {
        match self {
            Self::Machine(machine) => machine.called().to_owned(),
            Self::Cluster(cluster, _) => format!("the cluster {}", cluster.name.value),
        }
    }

    /// The machines that may answer at the address.
    pub fn machines(&self) -> &[&Machine] {
        match self {
            Self::Machine(machine) => std::slice::from_ref(machine),
            Self::Cluster(_, members) => members,
        }
    }
}

impl ExpectedName<'_> {
    /// Whether the name has an address in a family.
    pub fn has(&self, family: Family) -> bool {
        self.main.iter().any(|address| Family::of(*address) == family)
    }
}
