//! Values that an appliance is told, as what they mean.

use std::fmt;
use std::net::IpAddr;

use impostazione_net::{
    DomainName, Family, Hostname, KeyboardLayout, MailAddress, ServerAddress, ZoneName, dotted_mask,
};
use ipnet::IpNet;

use crate::machine::TimeServer;

/// A value that an appliance is told, read as what its property means.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum TypedValue {
    /// An address.
    Address(IpAddr),
    /// An address with the length of its prefix.
    Interface(IpNet),
    /// How many bits of an address name the subnet: a mask or a length.
    Length(u8),
    /// A host name.
    Hostname(Hostname),
    /// A domain, or a full name.
    Domain(DomainName),
    /// Domains in which short names are looked up.
    Domains(Vec<DomainName>),
    /// DNS servers.
    NameServers(Vec<IpAddr>),
    /// Time servers.
    TimeServers(Vec<TimeServer>),
    /// A time zone.
    Zone(ZoneName),
    /// A language, as it is written.
    Locale(String),
    /// A keyboard layout.
    Keyboard(KeyboardLayout),
    /// A number: a tag, a MTU, a number of a machine or how many there are.
    Number(u64),
    /// On or off.
    Switch(bool),
    /// Public keys, and how many.
    SshKeys(usize),
    /// Other machines of a cluster, by address or name.
    Peers(Vec<TimeServer>),
    /// Servers with or without a port: of licenses or mail, or a proxy.
    Servers(Vec<ServerAddress>),
    /// Where mail goes.
    Mail(Vec<MailAddress>),
    /// A text of which no more is known.
    Text,
}

impl fmt::Display for TypedValue {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fn list<T: ToString>(values: &[T]) -> String {
            values.iter().map(T::to_string).collect::<Vec<_>>().join(", ")
        }
        match self {
            Self::Address(address) => address.fmt(f),
            Self::Interface(address) => address.fmt(f),
            Self::Length(length) => match length {
                0..=32 => write!(f, "/{length} ({})", dotted_mask(*length)),
                _ => write!(f, "/{length}"),
            },
            Self::Hostname(name) => name.fmt(f),
            Self::Domain(name) => name.fmt(f),
            Self::Domains(names) => f.write_str(&list(names)),
            Self::NameServers(servers) => f.write_str(&list(servers)),
            Self::TimeServers(servers) | Self::Peers(servers) => f.write_str(&list(servers)),
            Self::Zone(zone) => zone.fmt(f),
            Self::Locale(name) => f.write_str(name),
            Self::Keyboard(layout) => f.write_str(layout.as_str()),
            Self::Number(number) => number.fmt(f),
            Self::Switch(is_on) => f.write_str(if *is_on { "on" } else { "off" }),
            Self::SshKeys(1) => f.write_str("1 key"),
            Self::SshKeys(count) => write!(f, "{count} keys"),
            Self::Servers(servers) => f.write_str(&list(servers)),
            Self::Mail(addresses) => {
                f.write_str(&addresses.iter().map(MailAddress::as_str).collect::<Vec<_>>().join(", "))
            }
            Self::Text => Ok(()),
        }
    }
}

impl TypedValue {
    /// The address that it is, with or without a length.
    pub fn address(&self) -> Option<IpAddr> {
        match self {
            Self::Address(address) => Some(*address),
            Self::Interface(address) => Some(address.addr()),
            _ => None,
        }
    }

    /// The family of the address that it is.
    pub fn family(&self) -> Option<Family> {
        self.address().map(Family::of)
    }

    /// The length of a prefix in it.
    pub fn length(&self) -> Option<u8> {
        match self {
            Self::Length(length) => Some(*length),
            Self::Interface(address) => Some(address.prefix_len()),
            _ => None,
        }
    }

    /// The servers that it names by address.
    pub fn server_addresses(&self) -> Vec<IpAddr> {
        match self {
            Self::NameServers(servers) => servers.clone(),
            Self::TimeServers(servers) => servers.iter().filter_map(TimeServer::address).collect(),
            Self::Servers(servers) => servers.iter().filter_map(ServerAddress::address).collect(),
            _ => Vec::new(),
        }
    }
}

/// Why a value cannot be read as what its property means, or not in the form in which the property wants it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ValueFault {
    /// What kind of slip it is.
    pub kind: FaultKind,
    /// The part of the value that is concerned; the whole, where it is not a list.
    pub item: String,
    /// The reason, as the end of a sentence that begins with the part.
    pub reason: String,
    /// What can be typed in place of the part, where only one thing can have been meant.
    pub meant: Option<String>,
}

/// Kinds of slips in a value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FaultKind {
    /// No address.
    Address,
    /// No mask and no length.
    Mask,
    /// A mask with a hole, or inverted.
    MaskWithHole,
    /// No host name.
    Hostname,
    /// No domain, or no full name.
    Domain,
    /// No domain in a list of them.
    Search,
    /// No address of a DNS server.
    NameServer,
    /// No address and no name of a time server.
    TimeServer,
    /// No time zone.
    Zone,
    /// No language.
    Locale,
    /// No keyboard layout.
    Keyboard,
    /// No tag of a VLAN.
    Vlan,
    /// No MTU.
    Mtu,
    /// No public key.
    SshKey,
    /// No mail address.
    Mail,
    /// No proxy.
    Proxy,
    /// No server.
    Server,
    /// No name of a login.
    Username,
    /// No member of a cluster.
    Peer,
    /// No number, no switch, or a text that stands for another one.
    Other,
    /// Right, and written in another way than the property wants it.
    Form,
}
