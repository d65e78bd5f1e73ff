//! What is said of a link beside its subnet, addresses and gateways.

use impostazione_net::Family;
use serde::Serialize;

use crate::machine::{Link, LinkKind, Site};

/// How a link is found, what it is made of, and what else is said of it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct LinkDetails {
    /// The hardware address by which it is found.
    pub mac: Option<String>,
    /// Whether it is found as the only port of its kind.
    pub only_port: bool,
    /// What a bond or a bridge is made of.
    pub members: Vec<String>,
    /// How a bond shares its traffic among them.
    pub mode: Option<String>,
    /// The link that carries a vlan.
    pub over: Option<String>,
    /// The tag of a vlan.
    pub vlan: Option<u16>,
    /// The wireless network that is joined.
    pub ssid: Option<String>,
    /// The size of its packets.
    pub mtu_bytes: Option<u32>,
    /// Its routes to networks of others.
    pub routes: Vec<ReviewedRoute>,
    /// The routing table of its own by which its answers leave.
    pub routing_table: Option<u32>,
    /// The gateways of that table.
    pub routing_table_gateways: Vec<String>,
    /// A speed that is not negotiated.
    pub speed_mbit_per_s: Option<u32>,
    /// Whether such a speed goes both ways at once.
    pub full_duplex: Option<bool>,
    /// Whether a magic packet wakes the host.
    pub wake_on_lan: bool,
    /// Whether it has an IPv4 link-local address too.
    pub link_local4: bool,
    /// The address that the machine had here before.
    pub replaces: Option<String>,
    /// The gateways that are outside its prefixes and reached on the link itself.
    pub gateways_on_link: Vec<String>,
}

/// A route.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ReviewedRoute {
    /// The network that it leads to.
    pub to: String,
    /// The router.
    pub via: String,
    /// Its metric, where it has one.
    pub metric: Option<u32>,
    /// Whether the router is reached on the link itself, outside its networks.
    pub on_link: bool,
}

impl LinkDetails {
    /// What the site says of a link.
    pub(super) fn of(site: &Site, link: &Link) -> Self {
        let subnet = || site.subnet_of(link);
        let mut details = Self {
            replaces: link.replaces.as_ref().map(|before| before.value.to_string()),
            mac: link.mac().map(|mac| mac.value.to_string()),
            only_port: link.is_only_port(),
            members: link.members().iter().map(|member| member.value.clone()).collect(),
            gateways_on_link: Family::BOTH
                .into_iter()
                .filter_map(|family| site.gateway_of(link, family))
                .filter(|gateway| site.has_router_on_link(link, gateway.value))
                .map(|gateway| gateway.value.to_string())
                .collect(),
            mtu_bytes: site.mtu_of(link).map(|mtu| mtu.value),
            routes: link
                .routes()
                .iter()
                .map(|route| ReviewedRoute {
                    to: route.to.value.to_string(),
                    via: route.via.value.to_string(),
                    metric: route.metric.as_ref().map(|metric| metric.value),
                    on_link: site.has_router_on_link(link, route.via.value),
                })
                .collect(),
            ..Self::default()
        };
        match &link.kind {
            LinkKind::Bond(bond) => details.mode = bond.mode.value().map(|mode| mode.value.word().to_owned()),
            LinkKind::Vlan(over) => {
                details.over = over.value().map(|over| over.value.clone());
                details.vlan = subnet().and_then(|subnet| Some(subnet.vlan.value()?.value));
            }
            LinkKind::Wifi => {
                let wifi = subnet().and_then(|subnet| subnet.wifi.value());
                details.ssid = wifi.and_then(|wifi| Some(wifi.ssid.value()?.value.clone()));
            }
            LinkKind::Bridge(_) | LinkKind::Ethernet | LinkKind::Unreadable(_) => {}
        }
        let Some(options) = &link.options else { return details };
        if let Some(table) = &options.routing_table {
            let gateways = Family::BOTH.into_iter().filter_map(|family| site.gateway_of(link, family));
            details.routing_table = Some(table.value);
            details.routing_table_gateways = gateways.map(|gateway| gateway.value.to_string()).collect();
        }
        if let Some(speed) = &options.speed {
            details.speed_mbit_per_s = Some(speed.value);
            details.full_duplex = Some(options.is_full_duplex.as_ref().is_none_or(|full| full.value));
        }
        details.wake_on_lan = options.wake_on_lan.as_ref().is_some_and(|flag| flag.value);
        details.link_local4 = options.link_local4.as_ref().is_some_and(|flag| flag.value);
        details
    }
}
