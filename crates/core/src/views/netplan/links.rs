//! The links of netplan files with what is said of each, typed. What could not be read has its finding elsewhere, and is
//! left out here.

use std::net::IpAddr;

use impostazione_net::{Family, parse_address};
use impostazione_text::{Place, Written};
use ipnet::IpNet;

use super::definitions::{Backend, Definition, Definitions};
use super::grammar::{leading_number, number};
use super::section::Kind;
use super::yaml::{Map, Value};
use crate::machine::NetplanVersion;

/// The routing table that everything leaves by unless something else is said (`/etc/iproute2/rt_tables`).
pub(super) const MAIN_TABLE: u32 = 254;

/// A link of netplan files.
pub(super) struct ReadLink<'d> {
    pub(super) definition: &'d Definition,
    /// What it is called on the host, as far as the files say: by its `set-name`, by what it is matched by, or by itself.
    pub(super) name: Written<String>,
    /// Whether that is the name of an interface, and not what the files call one that is found by something else.
    pub(super) is_interface_name: bool,
    pub(super) addresses: Vec<ReadAddress>,
    /// Whether one of them could not be read.
    pub(super) has_unread_addresses: bool,
    pub(super) routes: Vec<ReadRoute>,
    pub(super) dns: Vec<Written<IpAddr>>,
    pub(super) search: Vec<Written<String>>,
    /// The families in which it asks a DHCP server, and where that is said.
    pub(super) dhcp: Vec<(Family, Place)>,
    /// What `NetworkManager` does not get to see.
    pub(super) lost: Vec<Lost>,
}

/// Something that is said of a link and that netplan leaves out.
pub(super) struct Lost {
    pub(super) place: Place,
    /// The family of a route; nothing of search domains.
    pub(super) family: Option<Family>,
}

/// An address, and the network that it is in.
pub(super) struct ReadAddress {
    pub(super) at: Written<IpAddr>,
    /// The length of the network, where systemd can read it.
    pub(super) length: Option<u8>,
    /// As it is written.
    pub(super) text: String,
}

impl ReadAddress {
    /// The network.
    pub(super) fn network(&self) -> Option<IpNet> {
        IpNet::new(self.at.value, self.length?).ok().map(|network| network.trunc())
    }
}

/// A way to somewhere.
pub(super) struct ReadRoute {
    /// Where it stands.
    pub(super) place: Place,
    /// Where it leads to, as it is written; `default` is everywhere.
    pub(super) to: Option<Written<String>>,
    pub(super) via: Option<Written<IpAddr>>,
    pub(super) metric: Option<u32>,
    /// One that systemd cannot read.
    pub(super) metric_ignored: Option<Written<String>>,
    pub(super) table: Option<u32>,
    pub(super) from: Option<String>,
    /// `unicast` where nothing is said.
    pub(super) kind: String,
    pub(super) scope: Option<String>,
    pub(super) mtu: Option<u32>,
    pub(super) is_on_link: bool,
    /// Whether it is a `gateway4` or `gateway6`.
    pub(super) key: Option<&'static str>,
}

impl ReadRoute {
    /// Whether it leads everywhere.
    pub(super) fn is_default(&self) -> bool {
        self.to.as_ref().is_some_and(|to| to.value == "default" || to.value.ends_with("/0"))
    }

    /// Whether it is of the table that everything leaves by.
    pub(super) fn is_in_main_table(&self) -> bool {
        self.table.is_none_or(|table| table == MAIN_TABLE)
    }

    /// Whether packets go by it.
    pub(super) fn is_unicast(&self) -> bool {
        self.kind == "unicast"
    }

    /// The family of its addresses.
    fn family(&self) -> Option<Family> {
        let network = || self.network().map(|network| network.addr());
        self.via.as_ref().map(|via| via.value).or_else(network).map(Family::of)
    }

    /// Where it leads to, where that is a network.
    pub(super) fn network(&self) -> Option<IpNet> {
        let to = self.to.as_ref()?;
        if to.value == "default" {
            let is_four = self.via.as_ref().is_none_or(|via| via.value.is_ipv4());
            return if is_four { "0.0.0.0/0" } else { "::/0" }.parse().ok();
        }
        to.value.parse::<IpNet>().ok().or_else(|| to.value.parse::<IpAddr>().ok().map(IpNet::from))
    }
}

/// All links but those that stand for something else.
pub(super) fn links(definitions: &Definitions) -> Vec<ReadLink<'_>> {
    let all = definitions.all.iter().filter(|definition| definition.kind != Kind::SwitchPort);
    all.map(|definition| {
        let mut link = ReadLink::of(definition, definitions.version);
        // A VRF has routes and no addresses.
        if definitions.backend(definition) == Backend::NetworkManager && definition.kind != Kind::Vrf {
            link.lose_for_manager();
        }
        link
    })
    .collect()
}

impl<'d> ReadLink<'d> {
    fn of(definition: &'d Definition, version: NetplanVersion) -> Self {
        let body = &definition.body;
        let (name, is_interface_name) = name_of(definition);
        let servers = body.map("nameservers");
        let dns = servers.map(|servers| servers.texts("addresses")).unwrap_or_default();
        Self {
            definition,
            name,
            is_interface_name,
            has_unread_addresses: body.list("addresses").len() != addresses(body).len()
                || addresses(body).iter().any(|address| address.length.is_none()),
            addresses: addresses(body),
            routes: routes(definition, version),
            dns: dns
                .iter()
                .filter_map(|text| Some(text.with(parse_address(&text.value, None).ok()?)))
                .collect(),
            search: servers.map(|servers| servers.texts("search")).unwrap_or_default(),
            dhcp: [("dhcp4", Family::V4), ("dhcp6", Family::V6)]
                .into_iter()
                .filter(|(key, _)| body.flag(key) == Some(true))
                .filter_map(|(key, family)| Some((family, body.get(key)?.place)))
                .collect(),
            lost: Vec::new(),
        }
    }

    /// Leaves out what netplan does not hand on to `NetworkManager`: the routes of a family of which the link has nothing else,
    /// and its search domains where that holds for both.
    fn lose_for_manager(&mut self) {
        let has_key = |key: &str| self.definition.body.get(key).is_some();
        let has = |family: Family| {
            let is_of = |address: IpAddr| Family::of(address) == family;
            let is_addressed = self.addresses.iter().any(|address| is_of(address.at.value))
                || self.dhcp.iter().any(|(asked, _)| *asked == family);
            is_addressed
                || (family == Family::V6
                    && (has_key("gateway6")
                        || has_key("ipv6-address-generation")
                        || self.dns.iter().any(|server| is_of(server.value))))
        };
        let (has_four, has_six) = (has(Family::V4), has(Family::V6));
        let mut lost = Vec::new();
        self.routes.retain(|route| {
            let Some(family) = route.family().filter(|_| route.key.is_none()) else { return true };
            let is_kept = if family == Family::V4 { has_four } else { has_six };
            if !is_kept {
                lost.push(Lost { place: route.place, family: Some(family) });
            }
            is_kept
        });
        if !has_four && !has_six {
            lost.extend(self.search.first().map(|domain| Lost { place: domain.place, family: None }));
            self.search.clear();
        }
        self.lost = lost;
    }

    /// Its first address of a family.
    pub(super) fn first_of(&self, family: Family) -> Option<&ReadAddress> {
        self.addresses.iter().find(|address| Family::of(address.at.value) == family)
    }

    /// The size of its packets.
    pub(super) fn mtu(&self) -> Option<Written<u32>> {
        let written = self.definition.body.text("mtu")?;
        let number = number(&written.value)?;
        // netplan takes 0 as nothing said.
        Some(written.with(u32::try_from(number).ok().filter(|mtu| *mtu > 0)?))
    }

    /// A parameter of a bond or bridge.
    pub(super) fn parameter(&self, key: &str) -> Option<Written<String>> {
        self.definition.body.map("parameters")?.text(key)
    }
}

/// What a link is called on the host.
fn name_of(definition: &Definition) -> (Written<String>, bool) {
    if !definition.kind.is_port() || !definition.has_match() {
        return (definition.id.clone(), true);
    }
    if let Some(name) = definition.body.text("set-name") {
        return (name, true);
    }
    let by_name = definition.body.map("match").and_then(|matched| matched.text("name"));
    match by_name.filter(|name| !name.value.contains(['*', '?', '[', '!'])) {
        Some(name) => (name, true),
        None => (definition.id.clone(), false),
    }
}

fn addresses(body: &Map) -> Vec<ReadAddress> {
    let texts = body.list("addresses").iter().filter_map(|item| match &item.value {
        Value::Scalar(text) => Some(Written::new(text.clone(), item.place)),
        Value::Map(map) => map.entries.first().map(|(key, _)| key.clone()),
        Value::List(_) => None,
    });
    let read = |written: Written<String>| {
        let (address, length) = written.value.rsplit_once('/')?;
        let at = written.with(parse_address(address, None).ok()?);
        let length = length.parse().ok().filter(|length| IpNet::new(at.value, *length).is_ok());
        Some(ReadAddress { at, length, text: written.value })
    };
    let mut addresses: Vec<ReadAddress> = Vec::new();
    for address in texts.filter_map(read) {
        if !addresses.iter().any(|known| known.text == address.text) {
            addresses.push(address);
        }
    }
    addresses
}

fn routes(definition: &Definition, version: NetplanVersion) -> Vec<ReadRoute> {
    let body = &definition.body;
    // Those of a VRF are of its table.
    let own_table = (definition.kind == Kind::Vrf).then(|| definition.number("table")).flatten();
    let own_table = own_table.and_then(|table| u32::try_from(table).ok());
    // Before 1.0 a larger one is written with a sign, and the largest of all means none.
    let is_signed = version < NetplanVersion::new(1, 0);
    let largest_metric = if is_signed { i32::MAX.unsigned_abs() } else { u32::MAX - 1 };
    let mut routes: Vec<ReadRoute> = Vec::new();
    for key in ["gateway4", "gateway6"] {
        let Some(written) = body.text(key) else { continue };
        let Ok(via) = parse_address(&written.value, None) else { continue };
        routes.push(ReadRoute {
            place: written.place,
            to: Some(written.with("default".to_owned())),
            via: Some(written.with(via)),
            metric: None,
            metric_ignored: None,
            table: None,
            from: None,
            kind: "unicast".to_owned(),
            scope: None,
            mtu: None,
            is_on_link: false,
            key: Some(key),
        });
    }
    for item in body.list("routes") {
        let Some(map) = item.value.map() else { continue };
        let small = |key: &str| map.text(key).map(|text| text.value.to_ascii_lowercase());
        let counted = |key: &str| map.text(key).and_then(|text| u32::try_from(number(&text.value)?).ok());
        let route = ReadRoute {
            place: item.place,
            to: map.text("to"),
            via: map.text("via").and_then(|text| {
                let address = text.value.rsplit_once('/').map_or(text.value.as_str(), |(address, _)| address);
                Some(text.with(parse_address(address, None).ok()?))
            }),
            metric: counted("metric").filter(|metric| *metric <= largest_metric),
            metric_ignored: map.text("metric").filter(|_| {
                counted("metric").is_some_and(|metric| metric > largest_metric && metric != u32::MAX)
            }),
            table: counted("table").filter(|table| *table != u32::MAX).or(own_table),
            from: map.text("from").map(|text| text.value),
            kind: small("type").unwrap_or_else(|| "unicast".to_owned()),
            scope: small("scope"),
            mtu: counted("mtu").filter(|mtu| *mtu > 0),
            is_on_link: map.flag("on-link") == Some(true),
            key: None,
        };
        let is_there = routes.iter().any(|other| {
            other.key.is_none()
                && other.table == route.table
                && other.metric == route.metric
                && other.from == route.from
                && other.via.as_ref().map(|via| via.value) == route.via.as_ref().map(|via| via.value)
                && other.network().is_some()
                && other.network() == route.network()
        });
        if !is_there {
            routes.push(route);
        }
    }
    routes
}

/// The tag of a VLAN.
pub(super) fn tag(definition: &Definition) -> Option<Written<u64>> {
    let written = definition.body.text("id")?;
    Some(written.with(leading_number(&written.value)?))
}
