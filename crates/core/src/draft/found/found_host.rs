//! A host as its own files have it.

use std::net::IpAddr;

use ipnet::IpNet;

/// What was found of a host.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FoundHost {
    /// Where it was found, for messages.
    pub from: String,
    /// Its name.
    pub name: Option<String>,
    /// The domain of its full name.
    pub domain: Option<String>,
    /// Its links.
    pub links: Vec<FoundLink>,
    /// DNS servers.
    pub dns: Vec<String>,
    /// Domains in which short names are looked up.
    pub search: Vec<String>,
    /// Whether netplan writes for `NetworkManager`.
    pub is_for_manager: bool,
    /// Time servers.
    pub ntp: Vec<String>,
    /// Whether chrony sets the clock.
    pub has_chrony: bool,
    /// Time zone.
    pub timezone: Option<String>,
    /// Language and formats.
    pub locale: Option<String>,
    /// Layout of the keyboard.
    pub keyboard: Option<String>,
    /// What is done with IPv6, in the word of the sheet.
    pub ipv6: Option<&'static str>,
    /// Whether names are looked up by link-local multicast, and by multicast DNS, where that is said.
    pub llmnr: Option<bool>,
    /// The same of multicast DNS.
    pub multicast_dns: Option<bool>,
    /// What the SSH service does that is not usual.
    pub ssh: FoundSsh,
    /// Logins.
    pub logins: Vec<FoundLogin>,
    /// What was seen and is not taken over, in words.
    pub left_out: Vec<String>,
}

/// What an SSH service does that is not usual.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FoundSsh {
    /// Its port, where that is another than 22.
    pub port: Option<u16>,
    /// Whether a password opens a login.
    pub has_password_login: bool,
    /// Whether root may log in.
    pub has_root_login: bool,
    /// Whether its host key is a prepared one.
    pub has_host_key: bool,
}

/// A link of a host.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FoundLink {
    /// Its name; empty where it is whatever port there is.
    pub name: String,
    /// What it is.
    pub kind: FoundKind,
    /// The MAC address by which it is found.
    pub mac: Option<String>,
    /// Its addresses, each with its mask.
    pub addresses: Vec<IpNet>,
    /// Whether it asks a DHCP server.
    pub has_dhcp: bool,
    /// The routers that lead out.
    pub gateways: Vec<IpAddr>,
    /// Whether they are reached on the link itself.
    pub is_gateway_on_link: bool,
    /// Ways to other networks: the network, the router, and the metric.
    pub routes: Vec<(IpNet, IpAddr, Option<u32>)>,
    /// A routing table of its own.
    pub table: Option<u32>,
    /// DNS servers that are asked through it.
    pub dns: Vec<String>,
    /// Its search domains.
    pub search: Vec<String>,
    /// The size of its packets.
    pub mtu: Option<u32>,
    /// Whether a magic packet wakes the host.
    pub wakes_on_lan: bool,
    /// What else a sheet has a key for: the key, and the value as it is written.
    pub more: Vec<(&'static str, String)>,
}

/// What a link is.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum FoundKind {
    /// A port with a cable.
    #[default]
    Ethernet,
    /// A wireless interface, and the network that it joins.
    Wifi(Option<String>),
    /// Several ports as one: their names, and how they share the work.
    Bond(Vec<String>, Option<String>),
    /// A tagged network on another link: that link, and the tag.
    Vlan(String, Option<u16>),
    /// A switch of these links.
    Bridge(Vec<String>),
}

/// A login.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FoundLogin {
    /// Its name.
    pub name: String,
    /// The person's name.
    pub full_name: String,
    /// Whether it may act as root.
    pub is_admin: bool,
    /// The public keys that open it.
    pub ssh_keys: Vec<String>,
    /// Whether it has a password, whose value nobody can read back.
    pub has_password: bool,
    /// Whether the password is to be changed at the first login.
    pub changes_at_first_login: bool,
}

impl FoundLink {
    /// Adds an address, once.
    pub(super) fn add_address(&mut self, address: IpNet) {
        if !self.addresses.contains(&address) {
            self.addresses.push(address);
        }
    }

    /// Adds a router that leads out, once.
    pub(super) fn add_gateway(&mut self, gateway: IpAddr) {
        if !self.gateways.contains(&gateway) {
            self.gateways.push(gateway);
        }
    }
}

impl FoundHost {
    /// The link of a name, made where it is not there.
    pub(super) fn link(&mut self, name: &str) -> &mut FoundLink {
        let at = self.links.iter().position(|link| link.name == name).unwrap_or_else(|| {
            self.links.push(FoundLink { name: name.to_owned(), ..FoundLink::default() });
            self.links.len() - 1
        });
        &mut self.links[at]
    }
}
