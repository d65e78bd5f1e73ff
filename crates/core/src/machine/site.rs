//! All that a sheet describes.

use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::{Arc, OnceLock};

use impostazione_net::Family;
use impostazione_ovf::{Descriptor, MeaningsFile, Package, VirtualSystem};
use impostazione_secret::WellKnown;
use impostazione_text::{Place, Written};
use ipnet::IpNet;

use super::account::Account;
use super::appliance::{Appliance, NamedMeanings};
use super::cluster::Cluster;
use super::link::{Link, LinkAddress};
use super::machine::Machine;
use super::pool::Pool;
use super::secret::{Secret, TimeKey};
use super::secret_slot::{SecretSlot, SecretUse};
use super::settings::{Choices, Settings};
use super::subnet::Subnet;

/// All machines and subnets of a sheet.
#[derive(Debug, Default)]
pub struct Site {
    /// What it is called.
    pub name: Option<String>,
    /// What all machines share that do not say otherwise.
    pub common: Arc<Settings>,
    /// Its subnets; links refer to them by index.
    pub subnets: Vec<Subnet>,
    /// Addresses that appliances hand out themselves.
    pub pools: Vec<Pool>,
    /// Machines that belong together; machines refer to them by index.
    pub clusters: Vec<Cluster>,
    /// Confidential values; what uses them refers to them by index.
    pub secrets: Vec<Secret>,
    /// Keys of time servers.
    pub time_keys: Vec<TimeKey>,
    /// The logins on hosts; hosts refer to them by index.
    pub accounts: Vec<Account>,
    /// The OVF packages; appliances refer to them by index.
    pub packages: Vec<Package>,
    /// The meanings files; appliances refer to them by index.
    pub meanings: Vec<NamedMeanings>,
    /// The machines, in the order of the sheet.
    pub machines: Vec<Machine>,
    /// Passwords that no secret may be.
    pub well_known: WellKnown,
    /// Whether some account could not be read at all, so that logins that seem to be missing may not be.
    pub accounts_in_doubt: bool,
    pub(super) addresses: OnceLock<HashMap<IpAddr, Vec<AddressUse>>>,
    pub(super) shared_settings: OnceLock<HashMap<Place, SettingOrigin>>,
    pub(super) servers: OnceLock<HashMap<IpAddr, AskedServer>>,
    pub(super) secret_uses: OnceLock<Vec<SecretUse>>,
    pub(super) secret_slots: OnceLock<Vec<SecretSlot>>,
}

/// A server that machines of a site ask, by address.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct AskedServer {
    /// Whether it is asked for names; for the time otherwise.
    pub is_for_names: bool,
    /// Where it stands first.
    pub place: Place,
}

impl AskedServer {
    /// What it is, in words.
    pub fn word(self) -> &'static str {
        if self.is_for_names { "DNS server" } else { "time server" }
    }
}

/// Where a setting of a machine comes from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SettingOrigin {
    /// `[common]`.
    Common,
    /// A subnet, by its index in [`Site::subnets`].
    Subnet(usize),
    /// The machine's own entry.
    Machine,
}

/// A mention of an address in a site.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct AddressUse {
    /// Who has it.
    pub owner: AddressOwner,
    /// Where that stands.
    pub place: Place,
}

/// Who has an address.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum AddressOwner {
    /// A link of a machine.
    Link {
        /// Index in [`Site::machines`].
        machine: u32,
        /// Index in [`Machine::links`].
        link: u32,
    },
    /// A cluster, by index in [`Site::clusters`].
    Cluster(u32),
}

impl Site {
    /// Whether a property of an appliance, or a question of its console, wants a password.
    pub(super) fn wants_password(&self, appliance: &Appliance, id: &str) -> bool {
        if let Some(system) = self.system_of(appliance)
            && let Some(at) = system.properties.iter().position(|property| property.has_id(id))
        {
            let property = system.properties.get(at).zip(appliance.readings.get(at));
            return property.is_some_and(|(property, reading)| reading.wants_password(property));
        }
        self.meanings_of(appliance)
            .and_then(|file| file.question.iter().find(|question| question.id == id))
            .is_some_and(|question| question.is_password)
    }

    /// The subnet that a link is in.
    pub fn subnet_of(&self, link: &Link) -> Option<&Subnet> {
        link.subnet.value().and_then(|written| self.subnets.get(written.value))
    }

    /// A link's address with the mask of its subnet: what an interface gets.
    pub fn interface_address(&self, link: &Link, family: Family) -> Option<IpNet> {
        self.with_mask(link, link.address_in(family)?)
    }

    /// All addresses of a link with the masks of its subnet.
    pub fn interface_addresses<'a>(&'a self, link: &'a Link) -> impl Iterator<Item = IpNet> + 'a {
        link.addresses().filter_map(|found| self.with_mask(link, found))
    }

    /// An address of a link with the mask of its subnet; of one that is not of its subnet, with its own mask, or as a single address.
    pub fn with_mask(&self, link: &Link, found: &LinkAddress) -> Option<IpNet> {
        let address = found.address.value;
        if found.is_outside_subnet {
            return found.own_length.map_or(Some(address.into()), |length| IpNet::new(address, length).ok());
        }
        let prefix = self.subnet_of(link)?.family(Family::of(address))?.prefix.value;
        IpNet::new(address, prefix.prefix_len()).ok()
    }

    /// Whether a router is the gateway of a link's subnet, outside the prefix, so that a route through it must say that it is
    /// reached on the link itself.
    pub fn has_router_on_link(&self, link: &Link, router: IpAddr) -> bool {
        self.subnet_of(link).is_some_and(|subnet| subnet.has_router_on_link(router))
    }

    /// The gateway through which a link's default route leads: it has an address in the family, its subnet has a
    /// gateway there, and the sheet does not take the default route from it.
    pub fn default_gateway(&self, link: &Link, family: Family) -> Option<Written<IpAddr>> {
        if link.default_route { self.gateway_of(link, family) } else { None }
    }

    /// The gateway of a link's subnet in a family in which the link has an address.
    pub fn gateway_of(&self, link: &Link, family: Family) -> Option<Written<IpAddr>> {
        if !link.has_family(family) {
            return None;
        }
        self.subnet_of(link)?.family(family)?.gateway_address()
    }

    /// The link over which a machine reaches these servers: the first whose subnet the first of them is in, or else the one
    /// that the default route leads through.
    pub fn link_towards<'m>(&self, machine: &'m Machine, servers: &Choices<IpAddr>) -> Option<&'m Link> {
        let first = *servers.values().next()?;
        let is_near = |link: &&Link| {
            let side = self.subnet_of(link).and_then(|subnet| subnet.family(Family::of(first)));
            side.is_some_and(|side| side.prefix.value.contains(&first)) && link.addresses().next().is_some()
        };
        machine.links.iter().find(is_near).or_else(|| self.way_out(machine))
    }

    /// The link that a machine's default route leads through, or else its first with an address, or in a subnet.
    pub fn way_out<'m>(&self, machine: &'m Machine) -> Option<&'m Link> {
        let has_gateway = |link: &&Link| {
            Family::BOTH.into_iter().any(|family| self.default_gateway(link, family).is_some())
        };
        let has_address = |link: &&Link| link.addresses().next().is_some();
        let mut links = machine.links.iter();
        links
            .clone()
            .find(has_gateway)
            .or_else(|| links.clone().find(|link| link.default_route && has_address(link)))
            .or_else(|| links.clone().find(has_address))
            .or_else(|| links.find(|link| link.subnet.value().is_some()))
            .or_else(|| machine.links.first())
    }

    /// The largest packet that a link sends, where the sheet says so.
    pub fn mtu_of(&self, link: &Link) -> Option<Written<u32>> {
        let own = link.options.as_ref().and_then(|options| options.mtu.clone());
        own.or_else(|| self.subnet_of(link)?.mtu.clone())
    }

    /// The subnet whose settings a machine has: the one that its default route leaves through, IPv4's or else IPv6's, or,
    /// where it has no default route, the one that its only link with an address is in.
    pub fn subnet_for_settings(&self, machine: &Machine) -> Option<usize> {
        let leads_out = |link: &Link, family: Family| {
            let leads_everywhere = |to: IpNet| Family::of(to.addr()) == family && to.prefix_len() == 0;
            self.default_gateway(link, family).is_some()
                || link.routes().iter().any(|route| leads_everywhere(route.to.value))
        };
        let leaving = Family::BOTH
            .into_iter()
            .find_map(|family| machine.links.iter().find(|link| leads_out(link, family)));
        let only = || {
            let mut addressed = machine.links.iter().filter(|link| link.addresses().next().is_some());
            let first = addressed.next()?;
            addressed.next().is_none().then_some(first)
        };
        Some(leaving.or_else(only)?.subnet.value()?.value)
    }

    /// Where a setting comes from, by the place of its value or list.
    pub fn setting_origin(&self, setting: Place) -> SettingOrigin {
        let shared = self.shared_settings.get_or_init(|| {
            let of_subnets = self.subnets.iter().enumerate().filter_map(|(index, subnet)| {
                Some((SettingOrigin::Subnet(index), subnet.settings.as_deref()?))
            });
            // What a subnet has from [common] is [common]'s.
            let all = of_subnets.chain([(SettingOrigin::Common, &*self.common)]);
            all.flat_map(|(origin, settings)| {
                settings.stated().into_iter().map(move |(_, place)| (place, origin))
            })
            .collect()
        });
        shared.get(&setting).copied().unwrap_or(SettingOrigin::Machine)
    }

    /// Every address that a machine or a cluster has, and who.
    pub fn address_uses(&self) -> &HashMap<IpAddr, Vec<AddressUse>> {
        self.addresses.get_or_init(|| {
            let narrow = |index: usize| u32::try_from(index).unwrap_or(u32::MAX);
            let mut index: HashMap<IpAddr, Vec<AddressUse>> = HashMap::with_capacity(self.machines.len());
            let mut note = |found: &LinkAddress, owner| {
                let uses = index.entry(found.address.value).or_insert_with(|| Vec::with_capacity(1));
                uses.push(AddressUse { owner, place: found.address.place });
            };
            for (machine_index, machine) in self.machines.iter().enumerate() {
                for (link_index, link) in machine.links.iter().enumerate() {
                    let owner =
                        AddressOwner::Link { machine: narrow(machine_index), link: narrow(link_index) };
                    link.addresses().for_each(|found| note(found, owner));
                }
            }
            for (cluster_index, cluster) in self.clusters.iter().enumerate() {
                let owner = AddressOwner::Cluster(narrow(cluster_index));
                cluster.addresses().for_each(|found| note(found, owner));
            }
            index
        })
    }

    /// The DNS servers and time servers that machines ask, by address.
    pub fn asked_servers(&self) -> &HashMap<IpAddr, AskedServer> {
        self.servers.get_or_init(|| {
            let mut servers = HashMap::new();
            let of_subnets = self.subnets.iter().filter_map(|subnet| subnet.settings.as_ref());
            let shared: Vec<&Arc<Settings>> = std::iter::once(&self.common).chain(of_subnets).collect();
            let own = self.machines.iter().map(|machine| &machine.settings);
            let is_shared = |own: &&Arc<Settings>| shared.iter().any(|settings| Arc::ptr_eq(settings, own));
            for settings in shared.iter().copied().chain(own.filter(|own| !is_shared(own))) {
                for server in settings.servers() {
                    servers
                        .entry(server.address)
                        .or_insert(AskedServer { is_for_names: server.is_for_names, place: server.place });
                }
            }
            servers
        })
    }

    /// The machine and link of an owner that is no cluster.
    pub fn owning_link(&self, owner: AddressOwner) -> Option<(&Machine, &Link)> {
        let AddressOwner::Link { machine, link } = owner else { return None };
        let machine = self.machines.get(machine as usize)?;
        Some((machine, machine.links.get(link as usize)?))
    }

    /// The meanings file of an appliance, where it could be read.
    pub fn meanings_of(&self, appliance: &Appliance) -> Option<&MeaningsFile> {
        self.meanings.get(appliance.meanings.value()?.value)?.content.as_ref().ok()
    }

    /// The cluster of a machine.
    pub fn cluster_of(&self, machine: &Machine) -> Option<&Cluster> {
        self.clusters.get(machine.cluster.as_ref()?.value)
    }

    /// The machines of a cluster, by its index, in their order.
    pub fn members(&self, cluster: usize) -> impl Iterator<Item = &Machine> {
        self.machines
            .iter()
            .filter(move |machine| machine.cluster.as_ref().is_some_and(|written| written.value == cluster))
    }

    /// The package of an appliance.
    pub fn package_of(&self, appliance: &Appliance) -> Option<&Package> {
        self.packages.get(appliance.package.value()?.value)
    }

    /// The descriptor of an appliance's package, where it could be read.
    pub fn descriptor_of(&self, appliance: &Appliance) -> Option<&Descriptor> {
        self.package_of(appliance)?.descriptor.as_ref().ok()
    }

    /// The machine of the package that an appliance is.
    pub fn system_of(&self, appliance: &Appliance) -> Option<&VirtualSystem> {
        let system = appliance.system.value().map(|written| written.value.as_str());
        self.descriptor_of(appliance)?.system(system)
    }

    /// The deployment option of an appliance: the sheet's, or else the package's default.
    pub fn option_of<'a>(&'a self, appliance: &'a Appliance) -> Option<&'a str> {
        match appliance.deployment_option.value() {
            Some(option) => Some(option.value.as_str()),
            None => self.descriptor_of(appliance)?.default_option(),
        }
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
        let (first, last) = impostazione_net::host_range(prefix);
        let mut candidate = if prefix.contains(&from) { from } else { first };
        for _ in 0..4096 {
            if candidate > last || candidate < first {
                candidate = first;
            }
            if subnet.allows(candidate)
                && !self.address_uses().contains_key(&candidate)
                && !self.asked_servers().contains_key(&candidate)
                // The first address of an IPv6 subnet is for its routers (RFC 4291, section 2.6.1).
                && (family == Family::V4 || candidate != prefix.network())
                && !spoken_for(candidate)
            {
                return Some(candidate);
            }
            candidate = successor(candidate)?;
        }
        None
    }
}

pub(super) fn successor(address: IpAddr) -> Option<IpAddr> {
    Some(match address {
        IpAddr::V4(v4) => IpAddr::V4(v4.to_bits().checked_add(1)?.into()),
        IpAddr::V6(v6) => IpAddr::V6(v6.to_bits().checked_add(1)?.into()),
    })
}
