//! Network interfaces of machines.

use std::net::IpAddr;

use impostazione_net::{Family, LinkName, MacAddress};
use impostazione_text::{Place, Stated, Written};
use ipnet::IpNet;

/// A network interface of a machine.
#[derive(Debug)]
pub struct Link {
    /// Its name: the kernel's or the sheet's on a host, the administrator's on an appliance.
    pub name: Written<LinkName>,
    /// What it is.
    pub kind: LinkKind,
    /// The network of the package that it is on.
    pub network: Option<Box<Written<String>>>,
    /// Index in [`super::site::Site::subnets`], and where the sheet says so.
    pub subnet: Stated<Written<usize>>,
    /// Static IPv4 address.
    pub address: Stated<AddressChoice>,
    /// Static IPv6 address.
    pub address6: Stated<AddressChoice>,
    /// The address that the machine had here before.
    pub replaces: Option<Box<Written<IpAddr>>>,
    /// Whether the default route may lead through it.
    pub default_route: bool,
    /// What few links have.
    pub options: Option<Box<LinkOptions>>,
}

/// What a link is.
#[derive(Debug, Default)]
pub enum LinkKind {
    /// A port with a cable.
    #[default]
    Ethernet,
    /// A Wi-Fi link.
    Wifi,
    /// Several links that act as one.
    Bond(Box<Bond>),
    /// A part of another link, told apart by a tag: the name of that link.
    Vlan(Stated<Written<String>>),
    /// A switch inside the machine.
    Bridge(Box<Bridge>),
    /// Something that could not be read, which has its finding, and the links that it names as members.
    Unreadable(Vec<Written<String>>),
}

impl LinkKind {
    /// The word that a sheet has for it.
    pub fn word(&self) -> &'static str {
        match self {
            Self::Ethernet => "ethernet",
            Self::Wifi => "wifi",
            Self::Bond(_) => "bond",
            Self::Vlan(_) => "vlan",
            Self::Bridge(_) => "bridge",
            Self::Unreadable(_) => "?",
        }
    }

    /// Whether it is a piece of hardware.
    pub fn is_physical(&self) -> bool {
        matches!(self, Self::Ethernet | Self::Wifi)
    }
}

/// How several links act as one (Linux bonding driver).
#[derive(Debug, Default)]
pub struct Bond {
    /// Names of links of the machine.
    pub members: Vec<Written<String>>,
    /// Whether the list could not be read in full.
    pub has_faulty_members: bool,
    /// How they share the work.
    pub mode: Stated<Written<BondMode>>,
    /// The member that is preferred.
    pub primary: Option<Written<String>>,
    /// Milliseconds between looks at the members' carrier.
    pub link_check_ms: u32,
    /// Whether the switch is asked to speak every second (802.3ad).
    pub is_lacp_fast: Option<Written<bool>>,
    /// What decides on the member that a packet leaves by.
    pub hash_policy: Option<Written<&'static str>>,
}

/// The modes of the bonding driver.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs, reason = "the driver's own words")]
pub enum BondMode {
    BalanceRr,
    ActiveBackup,
    BalanceXor,
    Broadcast,
    Ieee8023ad,
    BalanceTlb,
    BalanceAlb,
}

impl BondMode {
    /// All modes, with the words of the driver.
    pub const ALL: [(&'static str, Self); 7] = [
        ("balance-rr", Self::BalanceRr),
        ("active-backup", Self::ActiveBackup),
        ("balance-xor", Self::BalanceXor),
        ("broadcast", Self::Broadcast),
        ("802.3ad", Self::Ieee8023ad),
        ("balance-tlb", Self::BalanceTlb),
        ("balance-alb", Self::BalanceAlb),
    ];

    /// The driver's word.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, mode)| *mode == self).map_or("", |(word, _)| word)
    }

    /// Whether one member may be preferred.
    pub fn has_primary(self) -> bool {
        matches!(self, Self::ActiveBackup | Self::BalanceTlb | Self::BalanceAlb)
    }

    /// Whether packets are spread by what is in them.
    pub fn spreads(self) -> bool {
        matches!(self, Self::BalanceXor | Self::Ieee8023ad | Self::BalanceTlb)
    }
}

/// A switch inside the machine.
#[derive(Debug, Default)]
pub struct Bridge {
    /// Names of links of the machine.
    pub members: Vec<Written<String>>,
    /// Whether the list could not be read in full.
    pub has_faulty_members: bool,
    /// Whether it takes part in the spanning tree.
    pub spanning_tree: bool,
}

/// What few links have.
#[derive(Debug, Default)]
pub struct LinkOptions {
    /// The address by which a physical link is found, or that another one takes.
    pub mac: Stated<Written<MacAddress>>,
    /// Whether the sheet says what it is.
    pub is_kind_stated: bool,
    /// Where the sheet says that it is found as the only one of its kind.
    pub only_port: Option<Place>,
    /// Further static addresses.
    pub more_addresses: Vec<LinkAddress>,
    /// Ways to other networks.
    pub routes: Vec<Route>,
    /// Number of a routing table for answers to what came in here.
    pub routing_table: Option<Written<u32>>,
    /// Largest packet in bytes.
    pub mtu: Option<Written<u32>>,
    /// Whether a magic packet wakes the machine.
    pub wake_on_lan: Option<Written<bool>>,
    /// Fixed speed in megabits a second.
    pub speed: Option<Written<u32>>,
    /// Whether both directions are used at once, at a fixed speed.
    pub is_full_duplex: Option<Written<bool>>,
    /// Whether it has an IPv4 link-local address besides.
    pub link_local4: Option<Written<bool>>,
}

/// A way to another network.
#[derive(Clone, Debug)]
pub struct Route {
    /// The network.
    pub to: Written<IpNet>,
    /// The router that leads there.
    pub via: Written<IpAddr>,
    /// The lower, the sooner it is taken.
    pub metric: Option<Written<u32>>,
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
    /// Whether it is not of the link's subnet: the network routes it to the machine.
    pub is_outside_subnet: bool,
}

impl Link {
    /// The static address in a family.
    pub fn address_in(&self, family: Family) -> Option<&LinkAddress> {
        static_of(self.choice_in(family))
    }

    /// What the sheet says of the address in a family.
    pub fn choice_in(&self, family: Family) -> &Stated<AddressChoice> {
        match family {
            Family::V4 => &self.address,
            Family::V6 => &self.address6,
        }
    }

    /// All its static addresses: that of each family first, then the further ones.
    pub fn addresses(&self) -> impl Iterator<Item = &LinkAddress> {
        let first = Family::BOTH.into_iter().filter_map(|family| self.address_in(family));
        first.chain(self.options.iter().flat_map(|options| &options.more_addresses))
    }

    /// Whether it has a static address in a family.
    pub fn has_family(&self, family: Family) -> bool {
        self.addresses().any(|found| Family::of(found.address.value) == family)
    }

    /// The links that it is made of, by name.
    pub fn members(&self) -> &[Written<String>] {
        match &self.kind {
            LinkKind::Bond(bond) => &bond.members,
            LinkKind::Bridge(bridge) => &bridge.members,
            LinkKind::Unreadable(members) => members,
            _ => &[],
        }
    }

    /// The MAC address of the sheet.
    pub fn mac(&self) -> Option<&Written<MacAddress>> {
        self.options.as_ref()?.mac.value()
    }

    /// The routes of the sheet.
    pub fn routes(&self) -> &[Route] {
        self.options.as_ref().map(|options| options.routes.as_slice()).unwrap_or_default()
    }

    /// Whether it is a physical link that is found by its MAC address.
    pub fn is_found_by_mac(&self) -> bool {
        self.kind.is_physical() && self.mac().is_some()
    }

    /// Whether it is found as the only one of its kind.
    pub fn is_only_port(&self) -> bool {
        self.options.as_ref().is_some_and(|options| options.only_port.is_some())
    }
}

/// The address that a choice stands for.
pub(super) fn static_of(choice: &Stated<AddressChoice>) -> Option<&LinkAddress> {
    match choice.value()? {
        AddressChoice::Static(address) => Some(address),
        AddressChoice::Declined => None,
    }
}
