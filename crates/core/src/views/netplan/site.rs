//! From the links of netplan files to the model that rules read.
//!
//! The rules speak of a site whose subnets have one gateway each. Routes are checked separately
//! (`ways`).

use std::collections::HashSet;
use std::net::IpAddr;
use std::sync::Arc;

use impostazione_net::{Country, DomainName, Family, LinkName, MacAddress};
use impostazione_text::{Place, Stated, Written};

use super::definitions::Definitions;
use super::links::{ReadAddress, ReadLink, ReadRoute, tag};
use super::section::Kind;
use super::sentences;
use super::yaml::Node;
use crate::finding::Finding;
use crate::machine::{
    AddressChoice, Bond, BondMode, Bridge, Choices, DomainServers, Gateway, Host, Link, LinkAddress,
    LinkKind, LinkOptions, Machine, Renderer, Role, Serves, Settings, Site, Subnet, SubnetFamily, Wifi,
};

/// The keys of a link that are shown or judged, or that say nothing about addresses, names or ways.
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

/// Bytes of an address of an InfiniBand port (RFC 4391, section 9.1.1), which is no MAC address.
const INFINIBAND_BYTES: usize = 20;

/// The site of one host that these links make.
pub(super) fn site_of(
    name: &str,
    definitions: &Definitions,
    links: &[ReadLink<'_>],
    findings: &mut Vec<Finding>,
) -> Site {
    let mut site = Site::default();
    if links.is_empty() {
        return site;
    }
    let mut settings = Settings {
        renderer: definitions
            .renderer
            .as_ref()
            .and_then(|written| {
                let found = Renderer::ALL.iter().find(|(word, _)| *word == written.value)?;
                Some(written.with(found.1))
            })
            .map_or(Stated::Absent, Stated::Value),
        ..Settings::default()
    };
    let mut servers = Servers::default();
    let mut judged = Vec::new();
    // Where nothing leads out, one link is asked for its gateway.
    let leads_out = links.iter().any(leads_out);
    let mut is_asked = leads_out;
    let refused: HashSet<Place> = findings.iter().map(|finding| finding.place).collect();
    for read in links {
        not_judged(read, &refused, findings);
        if read.name.value == "lo" {
            // The loopback interface leads nowhere, whatever addresses it has.
            continue;
        }
        let Some(name) = link_name(read, findings) else { continue };
        servers.add(read, &mut settings, findings);
        let mut link = Link {
            kind: kind_of(read, links),
            network: None,
            subnet: Stated::Absent,
            address: choice(read, Family::V4),
            address6: choice(read, Family::V6),
            replaces: None,
            default_route: false,
            options: Some(Box::new(options(read))),
            name,
        };
        let vlan = vlan(read, findings);
        let wifi = wifi(read);
        let has_own_table = read.routes.iter().any(|route| !route.is_in_main_table() && route.is_default());
        let gateways: Vec<&Written<IpAddr>> =
            Family::BOTH.into_iter().filter_map(|family| gateway_of(read, family)).collect();
        let should_lead_out = !is_asked && !has_own_table && !read.addresses.is_empty();
        is_asked |= should_lead_out;
        link.default_route = should_lead_out || gateway_in_main(read).is_some();
        if !read.addresses.is_empty() || vlan.value().is_some() || wifi.value().is_some() {
            let side = |family: Family| {
                let address = read.first_of(family)?;
                let gateway = gateways.iter().find(|gateway| Family::of(gateway.value) == family);
                Some(SubnetFamily {
                    prefix: address.at.with(address.network()?),
                    gateway: match gateway {
                        Some(gateway) => Stated::Value(Gateway::At((*gateway).clone())),
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
                gateway_on_link: false,
                wifi,
                dhcp_ranges: Vec::new(),
                kept_free: Vec::new(),
                in_use: Vec::new(),
                settings: None,
            };
            link.subnet = Stated::Value(link.name.with(shared_subnet(&mut site, subnet)));
        }
        judged.push(link);
    }
    servers.settle(&mut settings);
    let place = links.first().map(|link| link.definition.id.place).unwrap_or_default();
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
        links: judged,
        role: Role::Host(Host::default()),
    });
    site
}

/// Whether the host reaches everything else over a link.
fn leads_out(link: &ReadLink<'_>) -> bool {
    !link.dhcp.is_empty()
        || link.definition.body.flag("accept-ra") == Some(true)
        || link
            .routes
            .iter()
            .any(|route| route.is_default() && route.is_in_main_table() && route.is_unicast())
}

/// The router that a link reaches everything else by, by the table that its answers leave by.
fn gateway_of<'r>(link: &'r ReadLink<'_>, family: Family) -> Option<&'r Written<IpAddr>> {
    let of_main = default_routers(link).filter(|route| route.is_in_main_table());
    let of_own = default_routers(link).filter(|route| !route.is_in_main_table());
    let all = of_main.chain(of_own).filter(|route| !route.is_on_link).filter_map(|route| route.via.as_ref());
    let mut all = all.filter(|via| Family::of(via.value) == family);
    all.next()
}

/// The first router of the main table.
fn gateway_in_main<'r>(link: &'r ReadLink<'_>) -> Option<&'r ReadRoute> {
    default_routers(link).find(|route| route.is_in_main_table())
}

fn default_routers<'r>(link: &'r ReadLink<'_>) -> impl Iterator<Item = &'r ReadRoute> {
    link.routes.iter().filter(|route| route.is_default() && route.is_unicast() && route.via.is_some())
}

/// Says of a link what is taken by netplan and looked at by nobody here.
fn not_judged(link: &ReadLink<'_>, refused: &HashSet<Place>, findings: &mut Vec<Finding>) {
    let definition = link.definition;
    let is_judged = matches!(
        definition.kind,
        Kind::Ethernet | Kind::Wifi | Kind::Bond | Kind::Bridge | Kind::Vlan | Kind::Dummy
    );
    if !is_judged {
        findings.push(sentences::link_unjudged(&definition.id, definition.kind.word()));
        return;
    }
    // A key that netplan refuses has its finding, and so has a bond or bridge of Open vSwitch.
    let is_made_of_links = matches!(definition.kind, Kind::Bond | Kind::Bridge);
    let is_told = |key: &Written<String>| {
        refused.contains(&key.place) || (is_made_of_links && key.value == "openvswitch")
    };
    let keys = definition.body.entries.iter().map(|(key, _)| key);
    for key in keys.filter(|key| !UNDERSTOOD.contains(&key.value.as_str()) && !is_told(key)) {
        findings.push(sentences::key_unread(key, &definition.id.value));
    }
}

/// Its name on the host. One that the files alone have stands for itself.
fn link_name(read: &ReadLink<'_>, findings: &mut Vec<Finding>) -> Option<Written<LinkName>> {
    if !read.is_interface_name {
        return Some(read.name.with(LinkName::standing_for(&read.name.value)));
    }
    match LinkName::parse(&read.name.value) {
        Ok(name) => Some(read.name.with(name)),
        Err(fault) => {
            findings.push(sentences::name_invalid(&read.name, &fault));
            None
        }
    }
}

fn options(read: &ReadLink<'_>) -> LinkOptions {
    let body = &read.definition.body;
    let mut options = LinkOptions {
        mtu: read.mtu(),
        wake_on_lan: body
            .get("wakeonlan")
            .and_then(|node| Some(Written::new(node.value.flag()?, node.place))),
        routing_table: own_table(read),
        more_addresses: more_addresses(read),
        ..LinkOptions::default()
    };
    let mac = |node: &Node| {
        let written = Written::new(node.value.text()?.to_owned(), node.place);
        if written.value.split(':').count() == INFINIBAND_BYTES {
            return None;
        }
        Some(written.with(MacAddress::parse(&written.value).ok()?))
    };
    if let Some(node) = body.get("macaddress").filter(|_| !read.definition.kind.is_port()) {
        options.mac = mac(node).map_or(Stated::Faulty, Stated::Value);
    }
    let Some(matched) = body.map("match") else { return options };
    if let Some(node) = matched.get("macaddress") {
        options.mac = mac(node).map_or(Stated::Faulty, Stated::Value);
    } else if let Some(name) = matched.text("name").filter(|name| name.value.contains(['*', '?', '['])) {
        options.only_port = Some(name.place);
    }
    options
}

/// A routing table with a way out of it, which is for the answers of the link.
fn own_table(read: &ReadLink<'_>) -> Option<Written<u32>> {
    let mut ways = default_routers(read).filter(|route| !route.is_in_main_table());
    ways.find_map(|route| Some(Written::new(route.table?, route.place)))
}

/// The first address of a family. What belongs to another network than it is for netplan's own rules.
fn choice(read: &ReadLink<'_>, family: Family) -> Stated<AddressChoice> {
    match read.first_of(family) {
        Some(address) if address.length.is_some() => Stated::Value(AddressChoice::Static(as_link(address))),
        Some(_) => Stated::Faulty,
        None => Stated::Value(AddressChoice::Declined),
    }
}

fn as_link(address: &ReadAddress) -> LinkAddress {
    LinkAddress { address: address.at.clone(), own_length: None, is_outside_subnet: false }
}

/// The others of the same networks.
fn more_addresses(read: &ReadLink<'_>) -> Vec<LinkAddress> {
    let others = read.addresses.iter().filter(|address| {
        read.first_of(Family::of(address.at.value))
            .is_some_and(|first| first.at.place != address.at.place && first.network() == address.network())
    });
    others.map(as_link).collect()
}

/// The name on the host of a link that the files call so.
fn named<'l>(links: &'l [ReadLink<'_>], id: &Written<String>) -> Option<Written<String>> {
    let link = links.iter().find(|link: &&'l ReadLink<'_>| link.definition.id.value == id.value)?;
    Some(id.with(link.name.value.clone()))
}

fn kind_of(read: &ReadLink<'_>, links: &[ReadLink<'_>]) -> LinkKind {
    let body = &read.definition.body;
    let members = || body.texts("interfaces").iter().filter_map(|id| named(links, id)).collect::<Vec<_>>();
    let has_faulty_members = body.list("interfaces").len() != members().len();
    match read.definition.kind {
        Kind::Wifi => LinkKind::Wifi,
        Kind::Vlan => LinkKind::Vlan(
            body.text("link").and_then(|id| named(links, &id)).map_or(Stated::Faulty, Stated::Value),
        ),
        Kind::Bridge => LinkKind::Bridge(Box::new(Bridge {
            members: members(),
            has_faulty_members,
            // The kernel's default is off, netplan's is on.
            spanning_tree: body.map("parameters").and_then(|parameters| parameters.flag("stp"))
                != Some(false),
        })),
        Kind::Bond => LinkKind::Bond(Box::new(Bond {
            members: members(),
            has_faulty_members,
            mode: match read.parameter("mode") {
                None => Stated::Absent,
                Some(written) => match BondMode::ALL.iter().find(|(word, _)| *word == written.value) {
                    Some((_, mode)) => Stated::Value(written.with(*mode)),
                    None => Stated::Faulty,
                },
            },
            primary: read.parameter("primary").and_then(|id| named(links, &id)),
            link_check_ms: read
                .parameter("mii-monitor-interval")
                .and_then(|word| word.value.trim_end_matches("ms").parse().ok())
                .unwrap_or(0),
            is_lacp_fast: read.parameter("lacp-rate").map(|word| word.with(word.value == "fast")),
            hash_policy: None,
        })),
        Kind::Ethernet => LinkKind::Ethernet,
        _ => LinkKind::Unreadable(Vec::new()),
    }
}

/// The tag of a VLAN. netplan takes 0, which is no tag.
fn vlan(read: &ReadLink<'_>, findings: &mut Vec<Finding>) -> Stated<Written<u16>> {
    if read.definition.kind != Kind::Vlan {
        return Stated::Absent;
    }
    // One that is missing has its finding.
    let Some(written) = tag(read.definition) else { return Stated::Faulty };
    match u16::try_from(written.value).ok().filter(|tag| (1..=4094).contains(tag)) {
        Some(tag) => Stated::Value(written.with(tag)),
        None => {
            findings.push(sentences::tag_out_of_range(&written));
            Stated::Faulty
        }
    }
}

fn wifi(read: &ReadLink<'_>) -> Stated<Wifi> {
    if read.definition.kind != Kind::Wifi {
        return Stated::Absent;
    }
    let body = &read.definition.body;
    let Some((ssid, _)) = body.map("access-points").and_then(|points| points.entries.first()) else {
        return Stated::Faulty;
    };
    Stated::Value(Wifi {
        ssid: Stated::Value(ssid.clone()),
        passphrase: Stated::Value(None),
        country: body.text("regulatory-domain").map_or(Stated::Absent, |word| {
            Country::parse(&word.value).map_or(Stated::Faulty, |country| Stated::Value(word.with(country)))
        }),
        is_hidden: false,
        sae: None,
    })
}

/// The index of a subnet, which is one that is there already if that has the same prefixes and nothing speaks against it.
fn shared_subnet(site: &mut Site, subnet: Subnet) -> usize {
    let side = |subnet: &Subnet, family| subnet.family(family).cloned();
    let same = site.subnets.iter().position(|other| {
        let prefix = |subnet: &Subnet, family| side(subnet, family).map(|side| side.prefix.value);
        Family::BOTH.into_iter().all(|family| prefix(other, family) == prefix(&subnet, family))
            && subnet.vlan.is_absent()
            && subnet.wifi.is_absent()
            && Family::BOTH.into_iter().any(|family| prefix(&subnet, family).is_some())
    });
    if let Some(same) = same {
        // A gateway that the first link does not name is that of both.
        for family in Family::BOTH {
            let theirs =
                subnet.family(family).filter(|side| matches!(side.gateway, Stated::Value(Gateway::At(_))));
            let Some(known) = site.subnets.get_mut(same) else { continue };
            let known = match family {
                Family::V4 => &mut known.v4,
                Family::V6 => &mut known.v6,
            };
            if let (Some(theirs), Stated::Value(known)) = (theirs, known)
                && !matches!(known.gateway, Stated::Value(Gateway::At(_)))
            {
                known.gateway = theirs.gateway.clone();
            }
        }
        return same;
    }
    site.subnets.push(subnet);
    site.subnets.len() - 1
}

/// The DNS servers and search domains of all links.
#[derive(Default)]
struct Servers {
    dns: Vec<Written<IpAddr>>,
    search: Vec<Written<DomainName>>,
}

impl Servers {
    /// Adds those of a link. Those of a link with `~domain` and nothing else are asked for these domains alone
    /// (`systemd.network(5)`, `Domains=`).
    fn add(&mut self, read: &ReadLink<'_>, settings: &mut Settings, findings: &mut Vec<Finding>) {
        let (mut search, mut only_for) = (Vec::new(), Vec::new());
        let mut asked_for_all = false;
        for written in &read.search {
            let routed = written.value.strip_prefix('~');
            if routed == Some(".") {
                asked_for_all = true;
                continue;
            }
            match DomainName::parse(routed.unwrap_or(&written.value)) {
                Ok(domain) if routed.is_some() => only_for.push(written.with(domain)),
                Ok(domain) => search.push(written.with(domain)),
                Err(fault) => findings.push(sentences::search_malformed(written, &fault)),
            }
        }
        if only_for.is_empty() || asked_for_all || !search.is_empty() {
            // The same server on two links is asked by both.
            for server in &read.dns {
                let is_of_this = |place: Place| read.dns.iter().any(|own| own.place == place);
                let is_there =
                    self.dns.iter().any(|known| known.value == server.value && !is_of_this(known.place));
                if !is_there {
                    self.dns.push(server.clone());
                }
            }
            self.search.extend(search);
        } else if let Some(first) = read.dns.first().map(|item| item.place) {
            let servers = Arc::new(Choices {
                place: first,
                items: read.dns.clone(),
                ends_with_none: true,
                has_faulty_items: false,
            });
            let for_domain = |domain| DomainServers { domain, servers: Arc::clone(&servers) };
            settings.dns_for.extend(only_for.into_iter().map(for_domain));
        }
    }

    fn settle(self, settings: &mut Settings) {
        if let Some(first) = self.dns.first().map(|item| item.place) {
            let choices =
                Choices { place: first, items: self.dns, ends_with_none: true, has_faulty_items: false };
            settings.dns = Stated::Value(Arc::new(choices));
        }
        if let Some(first) = self.search.first().map(|item| item.place) {
            let choices =
                Choices { place: first, items: self.search, ends_with_none: false, has_faulty_items: false };
            settings.search = Stated::Value(Arc::new(choices));
        }
    }
}
