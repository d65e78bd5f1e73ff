//! From joined netplan files to the model that rules and the review read.

use std::net::IpAddr;
use std::sync::Arc;

use impostazione_net::{Country, DomainName, Family, LinkName, MacAddress, parse_address};
use impostazione_text::{Place, Stated, Written};
use ipnet::IpNet;

use super::netplan_rules;
use super::yaml::{Map, Node, Value};
use crate::finding::Finding;
use crate::machine::{
    AddressChoice, Bond, BondMode, Bridge, Choices, DomainServers, Gateway, Host, Link, LinkAddress,
    LinkKind, LinkOptions, Machine, Renderer, Role, Route, Serves, Settings, Site, Subnet, SubnetFamily,
    Wifi, rules,
};

/// The keys of a link that are understood, or that say nothing about addresses, names or ways.
const UNDERSTOOD: &[&str] = &[
    "match",
    "set-name",
    "dhcp4",
    "dhcp6",
    "accept-ra",
    "link-local",
    "addresses",
    "gateway4",
    "gateway6",
    "routes",
    "routing-policy",
    "nameservers",
    "mtu",
    "macaddress",
    "wakeonlan",
    "interfaces",
    "parameters",
    "id",
    "link",
    "access-points",
    "regulatory-domain",
    "renderer",
    "optional",
    "critical",
    "ignore-carrier",
    "networkmanager",
    "dhcp-identifier",
    "dhcp4-overrides",
    "dhcp6-overrides",
    "ra-overrides",
    "ipv6-privacy",
    "emit-lldp",
];

/// The sections of links, and what they hold.
const SECTIONS: [&str; 5] = ["ethernets", "wifis", "bonds", "bridges", "vlans"];

/// Sections of links of which only what every link has is looked at.
const OTHER_SECTIONS: [&str; 6] =
    ["tunnels", "vrfs", "modems", "dummy-devices", "virtual-ethernets", "nm-devices"];

/// Bytes of an address of an InfiniBand port (RFC 4391, section 9.1.1), which is no MAC address.
const INFINIBAND_BYTES: usize = 20;

/// What a link says, before the links are looked at together.
struct Draft {
    link: Link,
    extras: NetplanExtras,
    /// The default gateways of the main table.
    gateways: Vec<Written<IpAddr>>,
    /// The default gateways of a table of the link's own.
    own_gateways: Vec<Written<IpAddr>>,
    names: NameServers,
    vlan: Stated<Written<u16>>,
    wifi: Stated<Wifi>,
    /// Addresses with the prefixes that they were written with.
    addresses: Vec<(Written<IpAddr>, IpNet)>,
}

/// What a link has beside what a sheet could say of it.
#[derive(Clone, Debug, Default)]
pub struct NetplanExtras {
    /// Addresses of further networks.
    pub addresses: Vec<IpNet>,
    /// The families in which it asks a DHCP server.
    pub dhcp: Vec<Family>,
    /// Networks that are reached through a router outside the link's own (`on-link`), and that router.
    pub on_link: Vec<(IpNet, IpAddr)>,
    /// The metrics of its default routes in the main table, by family; 0 where none is given.
    pub metrics: Vec<(Family, u32)>,
}

impl NetplanExtras {
    /// Whether the host reaches everything else over it.
    fn leads_out(&self) -> bool {
        !self.dhcp.is_empty() || self.on_link.iter().any(|(network, _)| network.prefix_len() == 0)
    }
}

/// The site of one host that these files make, and what its links have beside it, in their order.
pub(super) fn site_of(name: &str, joined: &Map, findings: &mut Vec<Finding>) -> (Site, Vec<NetplanExtras>) {
    let mut site = Site::default();
    let Some(network) = joined.get("network") else {
        if let Some((key, _)) = joined.entries.first() {
            findings
                .push(netplan_rules::malformed(key.place, "it has no key `network`, below which all stands"));
        }
        return (site, Vec::new());
    };
    let Some(network) = network.value.map() else {
        findings.push(netplan_rules::malformed(network.place, "`network` holds no mapping"));
        return (site, Vec::new());
    };
    let mut drafts = Vec::new();
    for (key, section) in &network.entries {
        let known = SECTIONS.contains(&key.value.as_str());
        let is_other = OTHER_SECTIONS.contains(&key.value.as_str());
        if !known && !matches!(key.value.as_str(), "version" | "renderer") {
            findings.push(netplan_rules::key_unread(key, None, if is_other { &[] } else { &SECTIONS }));
        }
        let holds_links = known || is_other;
        for (id, link) in section.value.map().filter(|_| holds_links).map_or(&[][..], |map| &map.entries) {
            let mut reader = LinkReader { section: &key.value, id, findings };
            match &link.value {
                Value::Map(map) => drafts.extend(reader.draft(map)),
                Value::Null => drafts.extend(reader.draft(&Map::default())),
                _ => findings.push(netplan_rules::malformed(link.place, "a link holds no mapping")),
            }
        }
    }
    let renderer = network.get("renderer").and_then(|node| {
        let found = Renderer::ALL.iter().find(|(word, _)| Some(*word) == node.value.text())?;
        Some(Written::new(found.1, node.place))
    });
    let extras = drafts.iter().map(|draft| draft.extras.clone()).collect();
    assemble(&mut site, name, drafts, renderer);
    (site, extras)
}

/// Puts the links into subnets, and the host together.
fn assemble(site: &mut Site, name: &str, drafts: Vec<Draft>, renderer: Option<Written<Renderer>>) {
    let leads_out = drafts.iter().any(|draft| !draft.gateways.is_empty() || draft.extras.leads_out());
    let mut settings =
        Settings { renderer: renderer.map_or(Stated::Absent, Stated::Value), ..Settings::default() };
    let mut dns = Vec::new();
    let mut search = Vec::new();
    let mut links = Vec::new();
    let mut is_asked = false;
    for draft in drafts {
        let Draft { mut link, gateways, own_gateways, names, vlan, wifi, addresses, .. } = draft;
        // Where nothing leads out, one link is asked for its gateway.
        let should_lead_out = !leads_out && !is_asked && own_gateways.is_empty() && !addresses.is_empty();
        is_asked |= should_lead_out;
        link.default_route = !gateways.is_empty() || should_lead_out;
        if names.only_for.is_empty() {
            dns.extend(names.addresses);
            search.extend(names.search);
        } else if let Some(first) = names.addresses.first().map(|item| item.place) {
            let items = names.addresses;
            let servers =
                Arc::new(Choices { place: first, items, ends_with_none: true, has_faulty_items: false });
            let for_domain = |domain| DomainServers { domain, servers: Arc::clone(&servers) };
            settings.dns_for.extend(names.only_for.into_iter().map(for_domain));
        }
        if !addresses.is_empty() || vlan.value().is_some() || wifi.value().is_some() {
            let side = |family: Family| {
                let (written, prefix) = addresses.iter().find(|(at, _)| Family::of(at.value) == family)?;
                let mut known = gateways.iter().chain(&own_gateways);
                let gateway = known.find(|gateway| Family::of(gateway.value) == family);
                Some(SubnetFamily {
                    prefix: written.with(*prefix),
                    gateway: match gateway {
                        Some(gateway) => Stated::Value(Gateway::At(gateway.clone())),
                        None if leads_out => Stated::Value(Gateway::Declined),
                        None => Stated::Absent,
                    },
                })
            };
            let subnet = Subnet {
                name: link.name.with(link.name.value.to_string()),
                v4: side(Family::V4).map_or(Stated::Absent, Stated::Value),
                v6: side(Family::V6).map_or(Stated::Absent, Stated::Value),
                vlan,
                mtu: None,
                hypervisor_network: None,
                wifi,
                dhcp_ranges: Vec::new(),
                kept_free: Vec::new(),
                in_use: Vec::new(),
            };
            link.subnet = Stated::Value(link.name.with(shared_subnet(site, subnet)));
        }
        links.push(link);
    }
    if let Some(first) = dns.first().map(|item| item.place) {
        let choices = Choices { place: first, items: dns, ends_with_none: true, has_faulty_items: false };
        settings.dns = Stated::Value(Arc::new(choices));
    }
    if let Some(first) = search.first().map(|item| item.place) {
        let choices = Choices { place: first, items: search, ends_with_none: false, has_faulty_items: false };
        settings.search = Stated::Value(Arc::new(choices));
    }
    let place = links.first().map(|link| link.name.place).unwrap_or_default();
    site.machines.push(Machine {
        label: Some(name.into()),
        place,
        header: place,
        hostname: Stated::Absent,
        name_place: place,
        full_name: None,
        serves: Serves::default(),
        cluster: None,
        settings: Arc::new(settings),
        links,
        role: Role::Host(Host::default()),
    });
}

/// The index of a subnet, which is one that is there already if that has the same prefixes.
fn shared_subnet(site: &mut Site, subnet: Subnet) -> usize {
    let prefix = |subnet: &Subnet, family| subnet.family(family).map(|side| side.prefix.value);
    let same = site.subnets.iter().position(|other| {
        Family::BOTH.into_iter().all(|family| prefix(other, family) == prefix(&subnet, family))
            && subnet.vlan.is_absent()
            && subnet.wifi.is_absent()
            && Family::BOTH.into_iter().any(|family| prefix(&subnet, family).is_some())
    });
    same.unwrap_or_else(|| {
        site.subnets.push(subnet);
        site.subnets.len() - 1
    })
}

struct LinkReader<'r> {
    section: &'r str,
    id: &'r Written<String>,
    findings: &'r mut Vec<Finding>,
}

impl LinkReader<'_> {
    fn report<T>(&mut self, finding: Finding) -> Option<T> {
        self.findings.push(finding);
        None
    }

    fn draft(&mut self, map: &Map) -> Option<Draft> {
        if self.id.value == "lo" {
            // The loopback interface leads nowhere, whatever addresses it has.
            return None;
        }
        let is_known = SECTIONS.contains(&self.section);
        let understood = |key: &Written<String>| UNDERSTOOD.contains(&key.value.as_str()) || !is_known;
        for (key, _) in map.entries.iter().filter(|(key, _)| !understood(key)) {
            self.findings.push(netplan_rules::key_unread(key, Some(&self.id.value), UNDERSTOOD));
        }
        let text = |key: &str| {
            let node = map.get(key)?;
            Some(Written::new(node.value.text()?.to_owned(), node.place))
        };
        let name = text("set-name").unwrap_or_else(|| self.id.clone());
        let name = match LinkName::parse(&name.value) {
            Ok(parsed) => name.with(parsed),
            Err(fault) => return self.report(rules::link::name_invalid(None, &name, &fault)),
        };
        let addresses = self.addresses(map);
        let mut gateways = Vec::new();
        for key in ["gateway4", "gateway6"] {
            let Some(written) = text(key) else { continue };
            self.findings
                .push(netplan_rules::gateway_key(map.get(key).map_or(written.place, |node| node.place), key));
            gateways.extend(self.address(key, &written));
        }
        let mut own_gateways = Vec::new();
        let mut extras = NetplanExtras { dhcp: self.dhcp(map, &addresses), ..NetplanExtras::default() };
        extras.metrics = gateways.iter().map(|gateway| (Family::of(gateway.value), 0)).collect();
        let (routes, routing_table) = self.routes(map, &mut gateways, &mut own_gateways, &mut extras);
        // A table without a way out of it is for one network, and nothing that a link of a sheet has.
        let routing_table = routing_table.filter(|_| !own_gateways.is_empty());
        for (index, gateway) in gateways.iter().enumerate() {
            let family = Family::of(gateway.value);
            let earlier = gateways.iter().take(index).find(|other| Family::of(other.value) == family);
            if let Some(earlier) = earlier.filter(|earlier| earlier.value != gateway.value) {
                self.findings.push(rules::gateway::default_route_twice(
                    gateway,
                    earlier.value,
                    &name.value.to_string(),
                ));
            }
        }
        let mut options = LinkOptions {
            mtu: text("mtu").and_then(|written| Some(written.with(written.value.parse().ok()?))),
            wake_on_lan: map
                .get("wakeonlan")
                .and_then(|node| Some(Written::new(node.value.flag()?, node.place))),
            routes,
            routing_table,
            ..LinkOptions::default()
        };
        self.found_by(map, &mut options);
        let kind = self.kind(map);
        let (link_addresses, more) = choices(&addresses);
        options.more_addresses = more;
        let first_of = |family: Family| addresses.iter().find(|(other, _)| Family::of(other.value) == family);
        let others = addresses
            .iter()
            .filter(|(at, prefix)| first_of(Family::of(at.value)).is_some_and(|(_, first)| first != prefix));
        if let Some((extra, prefix)) = others.clone().next() {
            self.findings.push(netplan_rules::second_network(extra.place, &name.value.to_string(), *prefix));
        }
        extras.addresses =
            others.filter_map(|(at, prefix)| IpNet::new(at.value, prefix.prefix_len()).ok()).collect();
        let [address, address6] = link_addresses;
        let names = self.name_servers(map);
        Some(Draft {
            extras,
            gateways,
            own_gateways,
            names,
            vlan: self.vlan(map),
            wifi: self.wifi(map),
            addresses,
            link: Link {
                name,
                kind,
                network: None,
                subnet: Stated::Absent,
                address,
                address6,
                default_route: false,
                options: Some(Box::new(options)),
            },
        })
    }

    fn address(&mut self, key: &str, written: &Written<String>) -> Option<Written<IpAddr>> {
        match parse_address(&written.value, None) {
            Ok(address) => Some(written.with(address)),
            Err(fault) => self.report(rules::address::malformed(None, key, written, &fault)),
        }
    }

    /// The families in which a DHCP server is asked.
    fn dhcp(&mut self, map: &Map, addresses: &[(Written<IpAddr>, IpNet)]) -> Vec<Family> {
        let keys = [("dhcp4", Family::V4), ("dhcp6", Family::V6)];
        let asked = keys.into_iter().filter_map(|(key, family)| {
            map.get(key).filter(|node| node.value.flag() == Some(true)).map(|node| (key, family, node.place))
        });
        let asked: Vec<_> = asked.collect();
        if let Some((key, family, place)) = asked.first() {
            let own = addresses.iter().find(|(at, _)| Family::of(at.value) == *family);
            let own = own.map(|(address, _)| address.value);
            self.findings.push(netplan_rules::asks_dhcp(*place, &self.id.value, key, own));
        }
        asked.into_iter().map(|(_, family, _)| family).collect()
    }

    /// Addresses with their prefixes. A mapping in place of a text holds options of the address that is its key.
    fn addresses(&mut self, map: &Map) -> Vec<(Written<IpAddr>, IpNet)> {
        let items = map.get("addresses").and_then(|node| node.value.list()).unwrap_or_default();
        let mut addresses = Vec::new();
        for item in items {
            let written = match &item.value {
                Value::Scalar(text) => Written::new(text.clone(), item.place),
                Value::Map(map) => match map.entries.first() {
                    Some((key, _)) => key.clone(),
                    None => continue,
                },
                _ => continue,
            };
            let Some((text, length)) = written.value.split_once('/') else {
                self.findings.push(netplan_rules::address_without_mask(&written));
                continue;
            };
            let Some(address) = self.address("addresses", &written.with(text.to_owned())) else { continue };
            let whole = length.parse().ok().and_then(|length| IpNet::new(address.value, length).ok());
            match whole {
                Some(whole) => addresses.push((address, whole.trunc())),
                None => self.findings.push(netplan_rules::address_without_mask(&written)),
            }
        }
        addresses
    }

    /// Routes of the main table, and the number of another, if there is one. Default routes are gateways.
    fn routes(
        &mut self,
        map: &Map,
        gateways: &mut Vec<Written<IpAddr>>,
        own_gateways: &mut Vec<Written<IpAddr>>,
        extras: &mut NetplanExtras,
    ) -> (Vec<Route>, Option<Written<u32>>) {
        let items = map.get("routes").and_then(|node| node.value.list()).unwrap_or_default();
        let (mut routes, mut routing_table) = (Vec::new(), None);
        for route in items.iter().filter_map(|item| item.value.map()) {
            let text = |key: &str| {
                let node = route.get(key)?;
                Some(Written::new(node.value.text()?.to_owned(), node.place))
            };
            let table = text("table").filter(|table| table.value != "254");
            let (Some(to), Some(via)) = (text("to"), text("via")) else { continue };
            let Some(via) = self.address("via", &via) else { continue };
            let leads_everywhere = matches!(to.value.as_str(), "default" | "0.0.0.0/0" | "::/0");
            if let Some(table) = table {
                routing_table = table.value.parse().ok().map(|number| table.with(number)).or(routing_table);
                own_gateways.extend(leads_everywhere.then_some(via));
                continue;
            }
            let is_on_link = route.get("on-link").is_some_and(|node| node.value.flag() == Some(true));
            if leads_everywhere {
                let metric = text("metric").and_then(|metric| metric.value.parse().ok()).unwrap_or(0);
                extras.metrics.push((Family::of(via.value), metric));
            }
            if leads_everywhere && !is_on_link {
                gateways.push(via);
                continue;
            }
            let network = to
                .value
                .parse::<IpNet>()
                .or_else(|error| to.value.parse::<IpAddr>().map(IpNet::from).map_err(|_| error));
            let everywhere = if via.value.is_ipv4() { "0.0.0.0/0" } else { "::/0" };
            let network = if leads_everywhere { everywhere.parse() } else { network };
            match network {
                Ok(network) if is_on_link => extras.on_link.push((network, via.value)),
                Ok(network) => routes.push(Route {
                    to: to.with(network),
                    via,
                    metric: text("metric").and_then(|metric| Some(metric.with(metric.value.parse().ok()?))),
                }),
                Err(_) => self.findings.push(netplan_rules::malformed(
                    to.place,
                    &format!("\"{}\" is no network for a route", to.value),
                )),
            }
        }
        (routes, routing_table)
    }

    fn found_by(&mut self, map: &Map, options: &mut LinkOptions) {
        let mut mac = |node: &Node| {
            let written = Written::new(node.value.text()?.to_owned(), node.place);
            if written.value.split(':').count() == INFINIBAND_BYTES {
                return None;
            }
            match MacAddress::parse(&written.value) {
                Ok(mac) => Some(written.with(mac)),
                Err(fault) => {
                    self.findings.push(rules::mac::malformed(None, &written, &fault));
                    None
                }
            }
        };
        let is_virtual = !matches!(self.section, "ethernets" | "wifis");
        if let Some(node) = map.get("macaddress").filter(|_| is_virtual) {
            options.mac = mac(node).map_or(Stated::Faulty, Stated::Value);
        }
        let Some(found_by) = map.get("match").and_then(|node| node.value.map()) else { return };
        if let Some(node) = found_by.get("macaddress") {
            options.mac = mac(node).map_or(Stated::Faulty, Stated::Value);
        } else if let Some(node) = found_by
            .get("name")
            .filter(|node| node.value.text().is_some_and(|name| name.contains(['*', '?', '['])))
        {
            options.only_port = Some(node.place);
        }
    }

    fn kind(&mut self, map: &Map) -> LinkKind {
        let names = |node: &Node| {
            let items = node.value.list().unwrap_or_default();
            let texts =
                items.iter().filter_map(|item| Some(Written::new(item.value.text()?.to_owned(), item.place)));
            texts.collect::<Vec<_>>()
        };
        let members = map.get("interfaces").map(names).unwrap_or_default();
        let parameters = map.get("parameters").and_then(|node| node.value.map());
        let parameter = |key: &str| parameters.and_then(|parameters| parameters.get(key));
        let text_of = |node: &Node| Some(Written::new(node.value.text()?.to_owned(), node.place));
        match self.section {
            "wifis" => LinkKind::Wifi,
            "vlans" => {
                LinkKind::Vlan(map.get("link").and_then(text_of).map_or(Stated::Absent, Stated::Value))
            }
            "bridges" => LinkKind::Bridge(Box::new(Bridge {
                members,
                has_faulty_members: false,
                // The kernel's default is off, netplan's is on.
                spanning_tree: parameter("stp").is_none_or(|node| node.value.flag() != Some(false)),
            })),
            "bonds" => LinkKind::Bond(Box::new(Bond {
                members,
                has_faulty_members: false,
                mode: match parameter("mode").and_then(text_of) {
                    None => Stated::Absent,
                    Some(written) => match BondMode::ALL.iter().find(|(word, _)| *word == written.value) {
                        Some((_, mode)) => Stated::Value(written.with(*mode)),
                        None => {
                            self.findings.push(rules::bond::mode_unknown(None, &written));
                            Stated::Faulty
                        }
                    },
                },
                primary: parameter("primary").and_then(text_of),
                link_check_ms: parameter("mii-monitor-interval")
                    .and_then(|node| node.value.text()?.trim_end_matches("ms").parse().ok())
                    .unwrap_or(0),
                is_lacp_fast: parameter("lacp-rate")
                    .and_then(|node| Some(Written::new(node.value.text()? == "fast", node.place))),
                hash_policy: None,
            })),
            "ethernets" => LinkKind::Ethernet,
            _ => LinkKind::Unreadable(Vec::new()),
        }
    }

    fn vlan(&mut self, map: &Map) -> Stated<Written<u16>> {
        if self.section != "vlans" {
            return Stated::Absent;
        }
        let Some(node) = map.get("id") else { return Stated::Absent };
        let number = node.value.text().and_then(|text| text.parse::<i64>().ok());
        let tag = number.and_then(|number| u16::try_from(number).ok()).filter(|tag| (1..=4094).contains(tag));
        match (tag, number) {
            (Some(tag), _) => Stated::Value(Written::new(tag, node.place)),
            (None, number) => {
                let written = Written::new(number.unwrap_or_default(), node.place);
                self.findings.push(rules::vlan::out_of_range(&written));
                Stated::Faulty
            }
        }
    }

    fn wifi(&mut self, map: &Map) -> Stated<Wifi> {
        if self.section != "wifis" {
            return Stated::Absent;
        }
        let points = map.get("access-points").and_then(|node| node.value.map());
        let Some((ssid, _)) = points.and_then(|points| points.entries.first()) else { return Stated::Absent };
        Stated::Value(Wifi {
            ssid: Stated::Value(ssid.clone()),
            passphrase: Stated::Value(None),
            country: match map
                .get("regulatory-domain")
                .and_then(|node| Some((node.value.text()?, node.place)))
            {
                None => Stated::Absent,
                Some((text, place)) => Country::parse(text)
                    .map_or(Stated::Faulty, |country| Stated::Value(Written::new(country, place))),
            },
            is_hidden: false,
            sae: None,
        })
    }

    fn name_servers(&mut self, map: &Map) -> NameServers {
        let mut names = NameServers::default();
        let Some(servers) = map.get("nameservers").and_then(|node| node.value.map()) else { return names };
        let texts = |key: &str| -> Vec<Written<String>> {
            let items = servers.get(key).and_then(|node| node.value.list()).unwrap_or_default();
            items
                .iter()
                .filter_map(|item| Some(Written::new(item.value.text()?.to_owned(), item.place)))
                .collect()
        };
        for written in texts("addresses") {
            match parse_address(&written.value, None) {
                Ok(address) => names.addresses.push(written.with(address)),
                Err(fault) => self.findings.push(rules::servers::dns_not_an_address(None, &written, &fault)),
            }
        }
        let mut asked_for_all = false;
        for written in texts("search") {
            let routed = written.value.strip_prefix('~');
            if routed == Some(".") {
                asked_for_all = true;
                continue;
            }
            match DomainName::parse(routed.unwrap_or(&written.value)) {
                Ok(domain) if routed.is_some() => names.only_for.push(written.with(domain)),
                Ok(domain) => names.search.push(written.with(domain)),
                Err(fault) => self.findings.push(rules::naming::search_malformed(None, &written, &fault)),
            }
        }
        if asked_for_all || !names.search.is_empty() {
            names.only_for.clear();
        }
        names
    }
}

/// The name servers of a link. Those of a link with `~domain` and nothing else are asked for these domains alone
/// (`systemd.network(5)`, `Domains=`).
#[derive(Default)]
struct NameServers {
    addresses: Vec<Written<IpAddr>>,
    search: Vec<Written<DomainName>>,
    only_for: Vec<Written<DomainName>>,
}

/// The first address of each family, and the others of the same networks.
fn choices(addresses: &[(Written<IpAddr>, IpNet)]) -> ([Stated<AddressChoice>; 2], Vec<LinkAddress>) {
    let first = |family: Family| addresses.iter().find(|(at, _)| Family::of(at.value) == family);
    let as_link = |(at, _): &(Written<IpAddr>, IpNet)| LinkAddress { address: at.clone(), own_length: None };
    let choice = |family: Family| match first(family) {
        Some(found) => Stated::Value(AddressChoice::Static(as_link(found))),
        None => Stated::Value(AddressChoice::Declined),
    };
    let more = addresses
        .iter()
        .filter(|(at, prefix)| {
            first(Family::of(at.value))
                .is_some_and(|(other, first)| first == prefix && place_of(other) != place_of(at))
        })
        .map(as_link);
    ([choice(Family::V4), choice(Family::V6)], more.collect())
}

fn place_of(written: &Written<IpAddr>) -> Place {
    written.place
}
