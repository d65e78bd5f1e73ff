//! Networks of the site.

use std::net::IpAddr;
use std::sync::Arc;

use impostazione_net::{AddressRange, Country, Family, broadcast_of, network_of};
use impostazione_text::{Stated, Written};
use ipnet::IpNet;

use super::settings::Settings;

/// A network of the site.
#[derive(Debug)]
pub struct Subnet {
    /// Its name in the sheet.
    pub name: Written<String>,
    /// Its IPv4 side.
    pub v4: Stated<SubnetFamily>,
    /// Its IPv6 side.
    pub v6: Stated<SubnetFamily>,
    /// Whether its routers answer on the link itself, with addresses outside its prefixes.
    pub gateway_on_link: bool,
    /// Its tag where it is tagged.
    pub vlan: Stated<Written<u16>>,
    /// The largest packet that its links send.
    pub mtu: Option<Written<u32>>,
    /// What the hypervisor calls it.
    pub hypervisor_network: Option<String>,
    /// How Wi-Fi links join it.
    pub wifi: Stated<Wifi>,
    /// Addresses that a DHCP server leases.
    pub dhcp_ranges: Vec<Written<AddressRange>>,
    /// Addresses that no machine of the sheet may have.
    pub kept_free: Vec<Written<AddressRange>>,
    /// Addresses that others have.
    pub in_use: Vec<InUse>,
    /// The settings of machines that leave through it, with those of `[common]`; `None` where it has none of its own.
    pub settings: Option<Arc<Settings>>,
}

/// A wireless network.
#[derive(Clone, Debug)]
pub struct Wifi {
    /// Its name.
    pub ssid: Stated<Written<String>>,
    /// Index in [`super::site::Site::secrets`] of its passphrase; `None` for an open network.
    pub passphrase: Stated<Option<Written<usize>>>,
    /// The country that it is in.
    pub country: Stated<Written<Country>>,
    /// Whether it does not show its name.
    pub is_hidden: bool,
    /// Where the sheet asks for SAE, if it does.
    pub sae: Option<Written<bool>>,
}

/// One family of a subnet.
#[derive(Clone, Debug)]
pub struct SubnetFamily {
    /// Its prefix, without bits behind the mask.
    pub prefix: Written<IpNet>,
    /// Its router.
    pub gateway: Stated<Gateway>,
}

/// What a sheet says of a subnet's gateway.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Gateway {
    /// There is none, on purpose.
    Declined,
    /// The router has this address.
    At(Written<IpAddr>),
}

/// An address that somebody outside the sheet has.
#[derive(Clone, Debug)]
pub struct InUse {
    /// The address.
    pub address: Written<IpAddr>,
    /// Who has it.
    pub user: String,
}

impl SubnetFamily {
    /// The gateway's address, if there is one.
    pub fn gateway_address(&self) -> Option<Written<IpAddr>> {
        match self.gateway.value()? {
            Gateway::At(address) => Some(address.clone()),
            Gateway::Declined => None,
        }
    }
}

impl Subnet {
    /// One side of the subnet, where the sheet gives it rightly.
    pub fn family(&self, family: Family) -> Option<&SubnetFamily> {
        self.side(family).value()
    }

    /// What the sheet says of one side.
    pub fn side(&self, family: Family) -> &Stated<SubnetFamily> {
        match family {
            Family::V4 => &self.v4,
            Family::V6 => &self.v6,
        }
    }

    /// Whether a router is this subnet's gateway, is outside the prefix and is reached on the link itself, so that a route must say so.
    pub fn has_router_on_link(&self, router: IpAddr) -> bool {
        let is_link_local = matches!(router, IpAddr::V6(v6) if v6.is_unicast_link_local());
        let is_gateway_outside = |side: &SubnetFamily| {
            !side.prefix.value.contains(&router)
                && side.gateway_address().is_some_and(|gateway| gateway.value == router)
        };
        self.gateway_on_link
            && !is_link_local
            && self.family(Family::of(router)).is_some_and(is_gateway_outside)
    }

    /// Whether a machine of the sheet may have the address, as far as the subnet alone can tell.
    pub fn allows(&self, address: IpAddr) -> bool {
        let Some(side) = self.family(Family::of(address)) else { return false };
        let prefix = side.prefix.value;
        prefix.contains(&address)
            && network_of(prefix) != Some(address)
            && broadcast_of(prefix) != Some(address)
            && side.gateway_address().is_none_or(|gateway| gateway.value != address)
            && !self.dhcp_ranges.iter().any(|range| range.value.contains(address))
            && !self.kept_free.iter().any(|range| range.value.contains(address))
            && !self.in_use.iter().any(|used| used.address.value == address)
    }
}
