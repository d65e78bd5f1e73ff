//! The site after everything in its sheet has been typed: the one model that rules and writers read.

mod account;
mod answer;
mod public_key;
mod resolve;
mod settings;
mod subnet;
mod take;

use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::{Arc, OnceLock};

use ipnet::IpNet;

use crate::given::Given;
use crate::names::{Hostname, LinkName};
use crate::net::Family;
use crate::ovf::Package;
use crate::sheet::MachineKind;
use crate::source::{Place, Written};

pub use account::{Account, AuthorizedKey};
pub use answer::{Answer, AnswerSource};
pub use resolve::resolve;
pub use settings::{Choices, Settings, TimeServer};
pub use subnet::{Gateway, InUse, Subnet, SubnetFamily};
pub use take::{Of, Take, TakeFault, TakeWord};

/// All machines and subnets of a sheet.
#[derive(Debug, Default)]
pub struct Site {
    /// What it is called.
    pub name: Option<String>,
    /// What all machines share that do not say otherwise.
    pub common: Arc<Settings>,
    /// Its subnets; links refer to them by index.
    pub subnets: Vec<Subnet>,
    /// The logins on hosts; hosts refer to them by index.
    pub accounts: Vec<Account>,
    /// The OVF packages; appliances refer to them by index.
    pub packages: Vec<Package>,
    /// The machines, in the order of the sheet.
    pub machines: Vec<Machine>,
    /// Whether some account could not be read at all, so that logins that seem to be missing may not be.
    pub accounts_in_doubt: bool,
    addresses: OnceLock<HashMap<IpAddr, Vec<LinkRef>>>,
}

/// One link of one machine of a site.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct LinkRef {
    /// Index in [`Site::machines`].
    pub machine: usize,
    /// Index in [`Machine::links`].
    pub link: usize,
}

/// A host or an appliance, with the site's defaults applied.
#[derive(Debug)]
pub struct Machine {
    /// Its name as written, right or wrong; `None` where the sheet gives none that can be read.
    pub label: Option<Box<str>>,
    /// Where its name stands, or else its header.
    pub place: Place,
    /// Its header in the sheet.
    pub header: Place,
    /// Its name, once that is a host name.
    pub hostname: Given<Hostname>,
    /// Domain, servers and zone.
    pub settings: Arc<Settings>,
    /// Its network links.
    pub links: Vec<Link>,
    /// What only hosts, or only appliances, have.
    pub role: Role,
}

/// What sets hosts and appliances apart.
#[derive(Debug)]
pub enum Role {
    /// A headless Linux machine.
    Host(Host),
    /// A virtual machine of an OVF package.
    Appliance(Appliance),
}

/// What only a host has.
#[derive(Debug, Default)]
pub struct Host {
    /// Indexes in [`Site::accounts`].
    pub accounts: Vec<usize>,
}

/// What only an appliance has.
#[derive(Debug, Default)]
pub struct Appliance {
    /// Index in [`Site::packages`], and where the sheet names the package.
    pub package: Given<Written<usize>>,
    /// What the sheet answers to the package's properties.
    pub answers: Vec<Answer>,
    /// Where the table of answers begins.
    pub answers_place: Option<Place>,
}

/// A network interface of a machine.
#[derive(Debug)]
pub struct Link {
    /// Its name: the kernel's on a host, the administrator's on an appliance.
    pub name: Written<LinkName>,
    /// The network of the package that it is on.
    pub network: Option<Written<String>>,
    /// Index in [`Site::subnets`], and where the sheet says so.
    pub subnet: Given<Written<usize>>,
    /// Static IPv4 address.
    pub address: Given<AddressChoice>,
    /// Static IPv6 address.
    pub address6: Given<AddressChoice>,
    /// Whether the default route may lead through it.
    pub default_route: bool,
}

/// What a sheet says of a link's address in one family.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum AddressChoice {
    /// None, on purpose.
    Declined,
    /// This one.
    Static(LinkAddress),
}

/// A static address of a link.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LinkAddress {
    /// The address.
    pub address: Written<IpAddr>,
    /// The prefix length that was written with it, if any.
    pub own_length: Option<u8>,
}

impl Machine {
    /// Whether it is a host or an appliance.
    pub fn kind(&self) -> MachineKind {
        match self.role {
            Role::Host(_) => MachineKind::Host,
            Role::Appliance(_) => MachineKind::Appliance,
        }
    }

    /// What only an appliance has, if it is one.
    pub fn appliance(&self) -> Option<&Appliance> {
        match &self.role {
            Role::Appliance(appliance) => Some(appliance),
            Role::Host(_) => None,
        }
    }

    /// What only a host has, if it is one.
    pub fn host(&self) -> Option<&Host> {
        match &self.role {
            Role::Host(host) => Some(host),
            Role::Appliance(_) => None,
        }
    }

    /// Its name as written, or an empty text.
    pub fn label(&self) -> &str {
        self.label.as_deref().unwrap_or_default()
    }

    /// What messages call it.
    pub fn called(&self) -> &str {
        self.label.as_deref().unwrap_or("a machine without a name")
    }

    /// Host name and domain, where it has both.
    pub fn fqdn(&self) -> Option<String> {
        let hostname = self.hostname.value()?;
        let domain = self.settings.domain.value()?;
        Some(format!("{hostname}.{}", domain.value))
    }
}

impl Link {
    /// The static address in a family.
    pub fn address_in(&self, family: Family) -> Option<&LinkAddress> {
        match self.choice_in(family).value()? {
            AddressChoice::Static(address) => Some(address),
            AddressChoice::Declined => None,
        }
    }

    /// What the sheet says of the address in a family.
    pub fn choice_in(&self, family: Family) -> &Given<AddressChoice> {
        match family {
            Family::V4 => &self.address,
            Family::V6 => &self.address6,
        }
    }
}

impl Site {
    /// The subnet that a link is in.
    pub fn subnet_of(&self, link: &Link) -> Option<&Subnet> {
        link.subnet.value().and_then(|written| self.subnets.get(written.value))
    }

    /// A link's address with the mask of its subnet: what an interface gets.
    pub fn interface_address(&self, link: &Link, family: Family) -> Option<IpNet> {
        let address = link.address_in(family)?.address.value;
        let prefix = self.subnet_of(link)?.family(family)?.prefix.value;
        IpNet::new(address, prefix.prefix_len()).ok()
    }

    /// The gateway through which a link's default route leads: it has an address in the family, its subnet has a
    /// gateway there, and the sheet does not take the default route from it.
    pub fn default_gateway(&self, link: &Link, family: Family) -> Option<Written<IpAddr>> {
        link.address_in(family).filter(|_| link.default_route)?;
        self.subnet_of(link)?.family(family)?.gateway_address()
    }

    /// Whether a setting stands in `[common]`, by the place of its value or list.
    pub fn is_common(&self, setting: Place) -> bool {
        let Settings { domain, dns, search, ntp, timezone } = &*self.common;
        [
            domain.value().map(|written| written.place),
            dns.value().map(|list| list.place),
            search.value().map(|list| list.place),
            ntp.value().map(|list| list.place),
            timezone.value().map(|written| written.place),
        ]
        .contains(&Some(setting))
    }

    /// Every link that has an address, by address.
    pub fn links_by_address(&self) -> &HashMap<IpAddr, Vec<LinkRef>> {
        self.addresses.get_or_init(|| {
            let mut index: HashMap<IpAddr, Vec<LinkRef>> = HashMap::with_capacity(self.machines.len());
            for (machine_index, machine) in self.machines.iter().enumerate() {
                for (link_index, link) in machine.links.iter().enumerate() {
                    for family in Family::BOTH {
                        if let Some(found) = link.address_in(family) {
                            let users = index.entry(found.address.value).or_default();
                            users.push(LinkRef { machine: machine_index, link: link_index });
                        }
                    }
                }
            }
            index
        })
    }

    /// The packages' descriptor of an appliance, where it could be read.
    pub fn descriptor_of(&self, appliance: &Appliance) -> Option<&crate::ovf::Descriptor> {
        let package = self.packages.get(appliance.package.value()?.value)?;
        package.descriptor.as_ref().ok()
    }

    /// The first address from `from` on that lies in the subnet, that nothing uses, leases or keeps, and that is not
    /// `spoken_for`. Looks at no more than 4,096 addresses, and starts again at the subnet's first where it comes to
    /// its end.
    pub fn free_address(
        &self,
        subnet: &Subnet,
        from: IpAddr,
        spoken_for: impl Fn(IpAddr) -> bool,
    ) -> Option<IpAddr> {
        let family = Family::of(from);
        let prefix = subnet.family(family)?.prefix.value;
        let (first, last) = crate::net::host_range(prefix);
        let mut candidate = if prefix.contains(&from) { from } else { first };
        for _ in 0..4096 {
            if candidate > last || candidate < first {
                candidate = first;
            }
            if subnet.allows(candidate)
                && !self.links_by_address().contains_key(&candidate)
                && !spoken_for(candidate)
            {
                return Some(candidate);
            }
            candidate = successor(candidate)?;
        }
        None
    }
}

fn successor(address: IpAddr) -> Option<IpAddr> {
    Some(match address {
        IpAddr::V4(v4) => IpAddr::V4(v4.to_bits().checked_add(1)?.into()),
        IpAddr::V6(v6) => IpAddr::V6(v6.to_bits().checked_add(1)?.into()),
    })
}
