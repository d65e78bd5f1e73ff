//! What a prefix is in all spellings, and what each of its addresses is used for in a sheet.

use std::net::IpAddr;

use impostazione_net::{
    Family, PrefixFault, broadcast_of, dotted_mask, host_range, network_of, parse_address, parse_mask,
};
use ipnet::IpNet;
use serde::Serialize;

use crate::machine::{AddressOwner, Site, Subnet};

/// A prefix in all spellings, and the addresses that follow from it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct PrefixFacts {
    /// First address and length.
    pub prefix: IpNet,
    /// The address that was asked about.
    pub asked: IpAddr,
    /// The mask in dots; IPv4 only.
    pub netmask: Option<String>,
    /// The mask in hexadecimal digits; IPv4 only.
    pub hexadecimal: Option<String>,
    /// The address of the subnet itself, which no machine has.
    pub network: Option<IpAddr>,
    /// The address that reaches all its machines.
    pub broadcast: Option<IpAddr>,
    /// First address that a machine may have.
    pub first: IpAddr,
    /// Last address that a machine may have.
    pub last: IpAddr,
    /// How many addresses machines may have; a power where the number has more than 20 digits.
    pub hosts: String,
}

/// Reads an address with a mask, in any spelling; the address may be any in the subnet.
pub fn prefix_facts(text: &str) -> Result<PrefixFacts, PrefixFault> {
    let usual = impostazione_net::respelled(text);
    let text = usual.as_deref().unwrap_or(text);
    let (address, mask) = text.split_once('/').ok_or(PrefixFault::NoMask)?;
    let address = parse_address(address, None).map_err(PrefixFault::Address)?;
    let family = Family::of(address);
    let length = parse_mask(mask, family).map_err(PrefixFault::Mask)?;
    let whole = IpNet::new(address, length).map_err(|_| PrefixFault::NoMask)?;
    Ok(facts_of(whole.trunc(), address))
}

/// The facts of a prefix, asked about one of its addresses.
pub fn facts_of(prefix: IpNet, asked: IpAddr) -> PrefixFacts {
    let length = prefix.prefix_len();
    let is_v4 = matches!(prefix, IpNet::V4(_));
    let (first, last) = host_range(prefix);
    let host_bits = u32::from(prefix.max_prefix_len() - length);
    let hosts = match 1_u128.checked_shl(host_bits).filter(|_| host_bits < 64) {
        Some(all) if network_of(prefix).is_some() => (all - 2).to_string(),
        Some(all) => all.to_string(),
        None => format!("2^{host_bits}"),
    };
    PrefixFacts {
        prefix,
        asked,
        netmask: is_v4.then(|| dotted_mask(length).to_string()),
        hexadecimal: is_v4.then(|| format!("{:#010x}", dotted_mask(length).to_bits())),
        network: network_of(prefix),
        broadcast: broadcast_of(prefix),
        first,
        last,
        hosts,
    }
}

/// What an address of a prefix is used for.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "use")]
pub enum AddressPurpose {
    /// It names the subnet itself, or reaches all its machines.
    Reserved,
    /// A router has it.
    Gateway {
        /// The subnet that it leads out of.
        subnet: String,
    },
    /// A machine of the sheet has it.
    Static {
        /// The machine.
        machine: String,
        /// The link.
        link: String,
    },
    /// The members of a cluster share it.
    Shared {
        /// The cluster.
        cluster: String,
    },
    /// Somebody outside the sheet has it.
    InUse {
        /// Who.
        user: String,
    },
    /// Machines of the sheet ask it for names or for the time.
    Server {
        /// `DNS server` or `time server`.
        role: &'static str,
    },
    /// A DHCP server leases it.
    Leased,
    /// No machine of the sheet may have it.
    KeptFree,
    /// Nothing.
    Free,
}

/// A prefix as a sheet uses it.
#[derive(Debug)]
pub struct AddressMap<'a> {
    site: &'a Site,
    prefix: IpNet,
    subnets: Vec<&'a Subnet>,
}

impl<'a> AddressMap<'a> {
    /// The plan of a prefix, from what the sheet says of all subnets that share addresses with it.
    pub fn new(site: &'a Site, prefix: IpNet) -> Self {
        let family = Family::of(prefix.network());
        let shares = |subnet: &&Subnet| {
            subnet.family(family).is_some_and(|side| {
                let other = side.prefix.value;
                other.contains(&prefix.network()) || prefix.contains(&other.network())
            })
        };
        Self { site, prefix, subnets: site.subnets.iter().filter(shares).collect() }
    }

    /// Names of the sheet's subnets that share addresses with the prefix.
    pub fn subnets(&self) -> Vec<&'a str> {
        self.subnets.iter().map(|subnet| subnet.name.value.as_str()).collect()
    }

    /// What an address is used for. Where the sheet says several things of it, what somebody has comes first.
    pub fn purpose(&self, address: IpAddr) -> AddressPurpose {
        let family = Family::of(address);
        if let Some(used) = self.site.address_uses().get(&address).and_then(|uses| uses.first()) {
            return match (used.owner, self.site.owning_link(used.owner)) {
                (_, Some((machine, link))) => AddressPurpose::Static {
                    machine: machine.label().to_owned(),
                    link: link.name.value.to_string(),
                },
                (AddressOwner::Cluster(index), None) => AddressPurpose::Shared {
                    cluster: self
                        .site
                        .clusters
                        .get(index as usize)
                        .map(|cluster| cluster.name.value.clone())
                        .unwrap_or_default(),
                },
                (AddressOwner::Link { .. }, None) => AddressPurpose::Free,
            };
        }
        for subnet in &self.subnets {
            let Some(side) = subnet.family(family) else { continue };
            if side.gateway_address().is_some_and(|gateway| gateway.value == address) {
                return AddressPurpose::Gateway { subnet: subnet.name.value.clone() };
            }
            if let Some(used) = subnet.in_use.iter().find(|used| used.address.value == address) {
                return AddressPurpose::InUse { user: used.user.clone() };
            }
            if let Some(server) = self.site.asked_servers().get(&address) {
                return AddressPurpose::Server { role: server.word() };
            }
            let prefix = side.prefix.value;
            if network_of(prefix) == Some(address) || broadcast_of(prefix) == Some(address) {
                return AddressPurpose::Reserved;
            }
        }
        if self.subnets.is_empty()
            && [network_of(self.prefix), broadcast_of(self.prefix)].contains(&Some(address))
        {
            return AddressPurpose::Reserved;
        }
        for subnet in &self.subnets {
            if subnet.dhcp_ranges.iter().any(|range| range.value.contains(address)) {
                return AddressPurpose::Leased;
            }
            if subnet.kept_free.iter().any(|range| range.value.contains(address)) {
                return AddressPurpose::KeptFree;
            }
        }
        AddressPurpose::Free
    }

    /// The addresses that somebody has, in their order, and who.
    pub fn taken(&self) -> Vec<(IpAddr, AddressPurpose)> {
        let of_sheet = self.site.address_uses().keys().copied();
        let of_subnets = self.subnets.iter().flat_map(|subnet| {
            let gateways =
                Family::BOTH.into_iter().filter_map(|family| subnet.family(family)?.gateway_address());
            gateways.map(|gateway| gateway.value).chain(subnet.in_use.iter().map(|used| used.address.value))
        });
        let servers = self.site.asked_servers().keys().copied();
        let mut all: Vec<IpAddr> = of_sheet
            .chain(of_subnets)
            .chain(servers)
            .filter(|address| self.prefix.contains(address))
            .collect();
        all.sort_unstable();
        all.dedup();
        all.into_iter().map(|address| (address, self.purpose(address))).collect()
    }

    /// The first free addresses, at most so many. Looks at no more than 65,536 addresses.
    pub fn next_free(&self, most: usize) -> Vec<IpAddr> {
        self.prefix
            .hosts()
            .take(65_536)
            // The first address of an IPv6 subnet is for its routers (RFC 4291, section 2.6.1).
            .filter(|address| address.is_ipv4() || *address != self.prefix.network())
            .filter(|address| self.purpose(*address) == AddressPurpose::Free)
            .take(most)
            .collect()
    }
}
