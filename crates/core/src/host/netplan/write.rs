//! From a host's links to its netplan file.

use std::collections::BTreeMap;
use std::net::IpAddr;

use impostazione_net::Family;
use impostazione_secret::wifi_key;
use impostazione_text::{FileBytes, Stated};
use zeroize::Zeroizing;

use super::document::{
    AccessPoint, Auth, Device, Document, ForNetworkManager, Match, Nameservers, Network, Parameters, Route,
    RoutingRule,
};
use crate::host::header::HEADER;
use crate::host::unwritable::Unwritable;
use crate::machine::{Bond, Choices, Ipv6Mode, Link, LinkKind, Machine, Renderer, Site, Wifi};

/// Where the file lies on the host. Netplan reads files in the order of their names, the last word winning, so that
/// this one wins over an image's usual `50-…`.
pub const NETPLAN_PATH: &str = "etc/netplan/60-impostazione.yaml";

/// What the kernel calls ethernet ports, by whatever scheme: `eth0`, `enp1s0`, `end0`.
const ANY_ETHERNET: &str = "e[nt]*";

/// The kernel's main routing table.
const MAIN_TABLE: u32 = 254;
/// Rules for the answers of a link with a table of its own: first the neighbors, as the main table has them, then
/// everything else. Both come before the rule of the main table, 32766.
const NEIGHBOR_PRIORITY: u32 = 30_000;
const ANSWER_PRIORITY: u32 = 30_001;

/// The netplan file of a host.
///
/// Default routes are written as `0.0.0.0/0` and `::/0`, which every version of netplan takes. DHCP is off, and router
/// advertisements are too unless the sheet asks for them: nothing on the network adds other addresses or gateways.
pub fn netplan_file(site: &Site, machine: &Machine) -> Result<FileBytes, Unwritable> {
    let renderer = machine.settings.renderer();
    let mut network = Network { version: 2, renderer: renderer.word(), ..Network::default() };
    for link in &machine.links {
        let device = device(site, machine, link)?;
        let kind = match &link.kind {
            LinkKind::Ethernet => &mut network.ethernets,
            LinkKind::Wifi => &mut network.wifis,
            LinkKind::Bond(_) => &mut network.bonds,
            LinkKind::Bridge(_) => &mut network.bridges,
            LinkKind::Vlan(_) => &mut network.vlans,
            LinkKind::Unreadable(_) => {
                return Err(Unwritable::new(machine, NETPLAN_PATH, "the kind of a link could not be read"));
            }
        };
        kind.insert(link.name.value.to_string(), device);
    }
    let yaml = serde_saphyr::to_string(&Document { network })
        .map_err(|error| Unwritable::new(machine, NETPLAN_PATH, error.to_string()))?;
    let yaml = Zeroizing::new(yaml);
    Ok(FileBytes::new(format!("{HEADER}{}", yaml.as_str())))
}

fn device(site: &Site, machine: &Machine, link: &Link) -> Result<Device, Unwritable> {
    let settings = &machine.settings;
    let by_manager = settings.renderer() == Renderer::NetworkManager;
    let ipv6 = settings.ipv6();
    let mut device = Device {
        mtu: site.mtu_of(link).map(|mtu| mtu.value),
        // For networkd an advertisement itself says whether DHCPv6 is to be asked; for NetworkManager this is the switch.
        dhcp6: ipv6 == Ipv6Mode::Auto && by_manager && machine.parent_of(link).is_none(),
        accept_ra: ipv6 == Ipv6Mode::Auto && machine.parent_of(link).is_none(),
        link_local: link_local(machine, link),
        addresses: site.interface_addresses(link).map(|address| address.to_string()).collect(),
        routes: routes(site, link),
        nameservers: nameservers(site, machine, link),
        ..Device::default()
    };
    let routing_table = link.options.as_ref().and_then(|options| options.routing_table.as_ref());
    if let Some(table) = routing_table {
        answer_by_itself(&mut device, site, link, table.value);
    }
    let for_manager = if by_manager { for_network_manager(machine, link) } else { None };
    if by_manager {
        // A server of a family that is not there makes NetworkManager refuse the whole connection.
        let has = |family: Family| link.has_family(family) || (family == Family::V6 && device.accept_ra);
        device
            .nameservers
            .addresses
            .retain(|server| has(if server.contains(':') { Family::V6 } else { Family::V4 }));
    }
    let mac = link.mac().map(|mac| mac.value.to_string());
    match &link.kind {
        LinkKind::Ethernet => {
            if let Some(mac) = mac {
                device.found_by = Some(Match::MacAddress(mac));
                device.set_name = Some(link.name.value.to_string());
            } else if link.is_only_port() {
                device.found_by = Some(Match::Name(ANY_ETHERNET));
            }
            device.wakeonlan =
                link.options.as_ref().and_then(|options| Some(options.wake_on_lan.as_ref()?.value));
            device.networkmanager = for_manager;
        }
        LinkKind::Wifi => {
            let wifi = site.subnet_of(link).and_then(|subnet| subnet.wifi.value());
            let wifi = wifi.ok_or_else(|| {
                Unwritable::new(machine, NETPLAN_PATH, "a Wi-Fi link has no network to join")
            })?;
            device.regulatory_domain = wifi.country.value().map(|country| country.value.as_str().to_owned());
            device.access_points = access_points(site, machine, wifi, for_manager)?;
        }
        LinkKind::Vlan(over) => {
            device.id = site.subnet_of(link).and_then(|subnet| subnet.vlan.value()).map(|vlan| vlan.value);
            device.link = over.value().map(|over| over.value.clone());
            device.networkmanager = for_manager;
        }
        LinkKind::Bond(bond) => {
            device.interfaces = Some(bond.members.iter().map(|member| member.value.clone()).collect());
            device.parameters = bond_parameters(bond);
            device.macaddress = mac.or_else(|| first_mac(machine, link));
            device.networkmanager = for_manager;
        }
        LinkKind::Bridge(bridge) => {
            device.interfaces = Some(bridge.members.iter().map(|member| member.value.clone()).collect());
            device.parameters = Some(Parameters::Bridge { stp: bridge.spanning_tree });
            device.macaddress = mac.or_else(|| first_mac(machine, link));
            device.networkmanager = for_manager;
        }
        LinkKind::Unreadable(_) => {}
    }
    Ok(device)
}

/// The address of the first member that has one in the sheet. Without it a bond or a bridge has another one at each boot,
/// and a switch that knows the old one answers nobody for a while.
fn first_mac(machine: &Machine, link: &Link) -> Option<String> {
    let mut members = link.members().iter().filter_map(|member| machine.link_named(&member.value));
    members.find_map(Link::mac).map(|mac| mac.value.to_string())
}

/// What `NetworkManager` is to do with a family in which a link has no address: netplan by itself would write a connection
/// that is refused, or an IPv4 link-local address.
fn for_network_manager(machine: &Machine, link: &Link) -> Option<ForNetworkManager> {
    if machine.parent_of(link).is_some() {
        return None;
    }
    let mut passthrough = BTreeMap::new();
    let options = link.options.as_ref();
    let has_local4 = options.and_then(|options| options.link_local4.as_ref()).is_some_and(|flag| flag.value);
    if !link.has_family(Family::V4) && !has_local4 {
        passthrough.insert("ipv4.method", "disabled");
    }
    match machine.settings.ipv6() {
        Ipv6Mode::Off => drop(passthrough.insert("ipv6.method", "disabled")),
        Ipv6Mode::Static if !link.has_family(Family::V6) => {
            passthrough.insert("ipv6.method", "link-local");
        }
        Ipv6Mode::Static | Ipv6Mode::Auto => {}
    }
    (!passthrough.is_empty()).then_some(ForNetworkManager { passthrough })
}

/// Nothing where netplan's own default, an IPv6 link-local address alone, is what is meant.
fn link_local(machine: &Machine, link: &Link) -> Option<Vec<&'static str>> {
    let has_v4 =
        link.options.as_ref().and_then(|options| options.link_local4.as_ref()).is_some_and(|flag| flag.value);
    let has_v6 = machine.settings.ipv6() != Ipv6Mode::Off;
    match (has_v4, has_v6) {
        (false, true) => None,
        (false, false) => Some(Vec::new()),
        (true, false) => Some(vec!["ipv4"]),
        (true, true) => Some(vec!["ipv4", "ipv6"]),
    }
}

fn everywhere(family: Family) -> &'static str {
    match family {
        Family::V4 => "0.0.0.0/0",
        Family::V6 => "::/0",
    }
}

fn routes(site: &Site, link: &Link) -> Vec<Route> {
    let default = Family::BOTH.into_iter().filter_map(|family| {
        let via = site.default_gateway(link, family)?.value;
        Some(Route {
            to: everywhere(family).to_owned(),
            via: via.to_string(),
            is_on_link: site.has_router_on_link(link, via),
            metric: None,
            table: None,
        })
    });
    let others = link.routes().iter().map(|route| Route {
        to: route.to.value.to_string(),
        via: route.via.value.to_string(),
        is_on_link: site.has_router_on_link(link, route.via.value),
        metric: route.metric.as_ref().map(|metric| metric.value),
        table: None,
    });
    default.chain(others).collect()
}

/// A table with the gateway of the link's subnet, for what is sent from its addresses to others than its neighbors.
fn answer_by_itself(device: &mut Device, site: &Site, link: &Link, table: u32) {
    for family in Family::BOTH {
        let Some(gateway) = site.gateway_of(link, family) else { continue };
        device.routes.push(Route {
            to: everywhere(family).to_owned(),
            via: gateway.value.to_string(),
            is_on_link: site.has_router_on_link(link, gateway.value),
            metric: None,
            table: Some(table),
        });
        for address in site.interface_addresses(link).filter(|found| Family::of(found.addr()) == family) {
            let from = address.addr().to_string();
            device.routing_policy.push(RoutingRule {
                from: from.clone(),
                to: Some(address.trunc().to_string()),
                table: MAIN_TABLE,
                priority: NEIGHBOR_PRIORITY,
            });
            device.routing_policy.push(RoutingRule { from, to: None, table, priority: ANSWER_PRIORITY });
        }
    }
}

/// What is asked at servers of its own goes to the link that leads to them; everything else to the link that leads out,
/// unless the general servers stand in a file of systemd-resolved.
fn nameservers(site: &Site, machine: &Machine, link: &Link) -> Nameservers {
    let settings = &machine.settings;
    if !settings.dns_for.is_empty() {
        let mut nameservers = Nameservers::default();
        for special in &settings.dns_for {
            let towards = site.link_towards(machine, &special.servers);
            if towards.is_some_and(|towards| std::ptr::eq(towards, link)) {
                nameservers.search.push(format!("~{}", special.domain.value));
                if nameservers.addresses.is_empty() {
                    nameservers.addresses = texts(Some(&*special.servers));
                }
            }
        }
        return nameservers;
    }
    if !site.way_out(machine).is_some_and(|way_out| std::ptr::eq(way_out, link)) {
        return Nameservers::default();
    }
    Nameservers {
        search: settings
            .search
            .value()
            .map(|list| list.values().map(ToString::to_string).collect())
            .unwrap_or_default(),
        addresses: texts(settings.dns.value().map(|list| &**list)),
    }
}

fn texts(list: Option<&Choices<IpAddr>>) -> Vec<String> {
    list.map(|list| list.values().map(IpAddr::to_string).collect()).unwrap_or_default()
}

fn bond_parameters(bond: &Bond) -> Option<Parameters> {
    let mode = bond.mode.value()?.value;
    Some(Parameters::Bond {
        mode: mode.word(),
        mii_monitor_interval: bond.link_check_ms,
        primary: bond.primary.as_ref().map(|primary| primary.value.clone()),
        lacp_rate: bond.is_lacp_fast.as_ref().map(|fast| if fast.value { "fast" } else { "slow" }),
        transmit_hash_policy: bond.hash_policy.as_ref().map(|spread| spread.value),
    })
}

fn access_points(
    site: &Site,
    machine: &Machine,
    wifi: &Wifi,
    for_manager: Option<ForNetworkManager>,
) -> Result<BTreeMap<String, AccessPoint>, Unwritable> {
    let unwritable = |reason: &str| Unwritable::new(machine, NETPLAN_PATH, reason);
    let ssid = wifi.ssid.value().ok_or_else(|| unwritable("a wireless network has no name"))?;
    let auth = match &wifi.passphrase {
        Stated::Value(None) => None,
        Stated::Value(Some(secret)) => {
            let secret = site.secrets.get(secret.value);
            let value = secret.and_then(|secret| secret.value_for(site, machine).value());
            let value = value.ok_or_else(|| unwritable("a passphrase is not available"))?;
            Some(if wifi.sae.is_some() {
                Auth { key_management: "sae", password: value.clone() }
            } else {
                Auth { key_management: "psk", password: wifi_key(value, &ssid.value) }
            })
        }
        Stated::Absent | Stated::Faulty => return Err(unwritable("a wireless network has no passphrase")),
    };
    let point = AccessPoint { hidden: wifi.is_hidden.then_some(true), auth, networkmanager: for_manager };
    Ok(BTreeMap::from([(ssid.value.clone(), point)]))
}
