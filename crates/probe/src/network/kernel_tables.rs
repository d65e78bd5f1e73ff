//! What the kernel knows of links, routes and neighbors, asked by netlink (`rtnetlink(7)`). Nothing is sent to the network.

use std::collections::HashMap;
use std::io;
use std::net::IpAddr;
use std::time::Duration;

use impostazione_net::Family;
use netlink_packet_core::{
    NLM_F_ACK, NLM_F_DUMP, NLM_F_REQUEST, NetlinkHeader, NetlinkMessage, NetlinkPayload,
};
use netlink_packet_route::address::{AddressAttribute, AddressMessage};
use netlink_packet_route::link::{LinkAttribute, LinkFlags, LinkMessage};
use netlink_packet_route::neighbour::{
    NeighbourAddress, NeighbourAttribute, NeighbourMessage, NeighbourState,
};
use netlink_packet_route::route::{RouteAddress, RouteAttribute, RouteMessage, RouteType};
use netlink_packet_route::{AddressFamily, RouteNetlinkMessage};
use netlink_sys::protocols::NETLINK_ROUTE;
use netlink_sys::{Socket, SocketAddr};

/// Ticks of a second in which the kernel counts the age of entries (`USER_HZ`).
const TICK: Duration = Duration::from_millis(10);

/// The most datagrams of one answer that are read.
const MOST_DATAGRAMS: usize = 100_000;

/// A link of this computer.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct KernelLink {
    pub(super) name: String,
    /// Whether it asks neighbors for their hardware addresses.
    pub(super) has_neighbors: bool,
    /// Its hardware address.
    pub(super) hardware: Vec<u8>,
}

/// The way to an address.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Way {
    /// It is this computer's own.
    Own,
    /// Over a link, by its index, without a router.
    Link(u32),
    /// By a router.
    Router,
    /// There is none.
    None,
}

/// A neighbor.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Neighbor {
    pub(super) link: u32,
    pub(super) state: NeighbourState,
    pub(super) hardware: Vec<u8>,
    /// How long ago it was certain that it is there.
    pub(super) confirmed_ago: Duration,
}

/// A channel to the kernel.
pub(super) struct KernelTables(Socket);

impl KernelTables {
    pub(super) fn open() -> io::Result<Self> {
        let mut socket = Socket::new(NETLINK_ROUTE)?;
        socket.bind_auto()?;
        socket.connect(&SocketAddr::new(0, 0))?;
        Ok(Self(socket))
    }

    /// The links, by index.
    pub(super) fn links(&self) -> io::Result<HashMap<u32, KernelLink>> {
        let mut links = HashMap::new();
        self.ask(RouteNetlinkMessage::GetLink(LinkMessage::default()), NLM_F_DUMP, |message| {
            let RouteNetlinkMessage::NewLink(link) = message else { return };
            let flags = link.header.flags;
            let has_neighbors = !flags.contains(LinkFlags::Noarp) && !flags.contains(LinkFlags::Loopback);
            let mut known = KernelLink { name: String::new(), has_neighbors, hardware: Vec::new() };
            for attribute in link.attributes {
                match attribute {
                    LinkAttribute::IfName(name) => known.name = name,
                    LinkAttribute::Address(address) => known.hardware = address,
                    _ => {}
                }
            }
            links.insert(link.header.index, known);
        })?;
        Ok(links)
    }

    /// The index of the link that has an address of this computer.
    pub(super) fn link_of_own(&self, own: IpAddr) -> io::Result<Option<u32>> {
        let mut found = None;
        self.ask(RouteNetlinkMessage::GetAddress(AddressMessage::default()), NLM_F_DUMP, |message| {
            let RouteNetlinkMessage::NewAddress(address) = message else { return };
            let is_it = |attribute: &AddressAttribute| {
                matches!(attribute, AddressAttribute::Address(it) | AddressAttribute::Local(it) if *it == own)
            };
            if address.attributes.iter().any(is_it) {
                found = Some(address.header.index);
            }
        })?;
        Ok(found)
    }

    /// The way to an address.
    pub(super) fn way_to(&self, address: IpAddr) -> io::Result<Way> {
        let mut asked = RouteMessage::default();
        asked.header.address_family = family_of(address);
        asked.header.destination_prefix_length = if address.is_ipv4() { 32 } else { 128 };
        asked.attributes.push(RouteAttribute::Destination(RouteAddress::from(address)));
        let mut way = Way::None;
        let found = self.ask(RouteNetlinkMessage::GetRoute(asked), 0, |message| {
            let RouteNetlinkMessage::NewRoute(route) = message else { return };
            way = way_of(&route);
        });
        match found {
            Ok(()) => Ok(way),
            // No route: ENETUNREACH, EHOSTUNREACH, or a route that says so (EACCES, EINVAL).
            Err(error) if matches!(error.raw_os_error(), Some(101 | 113 | 13 | 22)) => Ok(Way::None),
            Err(error) => Err(error),
        }
    }

    /// The neighbors in a family, by address and link.
    pub(super) fn neighbors(&self, family: Family) -> io::Result<HashMap<(IpAddr, u32), Neighbor>> {
        let mut asked = NeighbourMessage::default();
        asked.header.family = match family {
            Family::V4 => AddressFamily::Inet,
            Family::V6 => AddressFamily::Inet6,
        };
        let mut neighbors = HashMap::new();
        self.ask(RouteNetlinkMessage::GetNeighbour(asked), NLM_F_DUMP, |message| {
            let RouteNetlinkMessage::NewNeighbour(entry) = message else { return };
            let mut address = None;
            let mut hardware = Vec::new();
            let mut confirmed_ago = Duration::MAX;
            for attribute in entry.attributes {
                match attribute {
                    NeighbourAttribute::Destination(NeighbourAddress::Inet(four)) => {
                        address = Some(IpAddr::V4(four));
                    }
                    NeighbourAttribute::Destination(NeighbourAddress::Inet6(six)) => {
                        address = Some(IpAddr::V6(six));
                    }
                    NeighbourAttribute::LinkLayerAddress(bytes) => hardware = bytes,
                    NeighbourAttribute::CacheInfo(info) => confirmed_ago = TICK * info.confirmed,
                    _ => {}
                }
            }
            if let Some(address) = address {
                let link = entry.header.ifindex;
                let state = entry.header.state;
                neighbors.insert((address, link), Neighbor { link, state, hardware, confirmed_ago });
            }
        })?;
        Ok(neighbors)
    }

    /// Asks the kernel, and hands over each message of its answer.
    fn ask(
        &self,
        question: RouteNetlinkMessage,
        flags: u16,
        mut each: impl FnMut(RouteNetlinkMessage),
    ) -> io::Result<()> {
        let mut header = NetlinkHeader::default();
        let is_list = flags & NLM_F_DUMP != 0;
        header.flags = NLM_F_REQUEST | flags | if is_list { 0 } else { NLM_F_ACK };
        let mut request = NetlinkMessage::new(header, NetlinkPayload::from(question));
        request.finalize();
        let mut bytes = vec![0; request.buffer_len()];
        request.serialize(&mut bytes);
        self.0.send(&bytes, 0)?;
        for _ in 0..MOST_DATAGRAMS {
            let (datagram, _) = self.0.recv_from_full()?;
            let mut rest = datagram.as_slice();
            while !rest.is_empty() {
                let message = NetlinkMessage::<RouteNetlinkMessage>::deserialize(rest)
                    .map_err(|error| io::Error::other(error.to_string()))?;
                let length = message.header.length as usize;
                match message.payload {
                    NetlinkPayload::Done(_) => return Ok(()),
                    NetlinkPayload::Error(error) => {
                        return match error.code {
                            // An acknowledgment.
                            None => Ok(()),
                            Some(_) => Err(error.to_io()),
                        };
                    }
                    NetlinkPayload::InnerMessage(inner) => each(inner),
                    _ => {}
                }
                // Messages begin at multiples of four bytes.
                let next = length.next_multiple_of(4);
                rest = rest.get(next..).filter(|_| next > 0).unwrap_or_default();
            }
        }
        Err(io::Error::other("the kernel's answer does not end"))
    }
}

fn family_of(address: IpAddr) -> AddressFamily {
    if address.is_ipv4() { AddressFamily::Inet } else { AddressFamily::Inet6 }
}

fn way_of(route: &RouteMessage) -> Way {
    match route.header.kind {
        RouteType::Local | RouteType::Anycast => return Way::Own,
        RouteType::Unicast => {}
        _ => return Way::None,
    }
    let is_router =
        |attribute: &RouteAttribute| matches!(attribute, RouteAttribute::Gateway(_) | RouteAttribute::Via(_));
    if route.attributes.iter().any(is_router) {
        return Way::Router;
    }
    let link = route.attributes.iter().find_map(|attribute| match attribute {
        RouteAttribute::Oif(index) => Some(*index),
        _ => None,
    });
    link.map_or(Way::Router, Way::Link)
}
