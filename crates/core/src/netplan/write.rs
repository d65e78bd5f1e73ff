//! From a host's links to its netplan file.

use super::document::{Document, Ethernet, Nameservers, Network, Route};
use crate::files::{HEADER, Unwritable};
use crate::machine::{Link, Machine, Site};
use crate::net::Family;

/// Where the file lies on the host. Netplan reads files in the order of their names, the last word winning, so that
/// this one wins over an image's usual `50-…`.
pub const NETPLAN_PATH: &str = "etc/netplan/60-impostazione.yaml";

/// The netplan file of a host.
///
/// Default routes are written as `0.0.0.0/0` and `::/0`, which every version of netplan takes. DHCP and router
/// advertisements are off: addresses are static, and nothing on the network adds others or another gateway.
pub fn netplan_file(site: &Site, machine: &Machine) -> Result<Vec<u8>, Unwritable> {
    let ethernets = machine
        .links
        .iter()
        .map(|link| (link.name.value.to_string(), ethernet(site, machine, link)))
        .collect();
    let document = Document { network: Network { version: 2, renderer: "networkd", ethernets } };
    let yaml = serde_saphyr::to_string(&document)
        .map_err(|error| Unwritable::new(machine, NETPLAN_PATH, error.to_string()))?;
    Ok(format!("{HEADER}{yaml}").into_bytes())
}

fn ethernet(site: &Site, machine: &Machine, link: &Link) -> Ethernet {
    let addresses: Vec<String> = Family::BOTH
        .into_iter()
        .filter_map(|family| site.interface_address(link, family))
        .map(|address| address.to_string())
        .collect();
    let routes = Family::BOTH
        .into_iter()
        .filter_map(|family| {
            let via = site.default_gateway(link, family)?.value.to_string();
            Some(Route { to: if family == Family::V4 { "0.0.0.0/0" } else { "::/0" }, via })
        })
        .collect();
    let nameservers = if carries_name_servers(machine, link) {
        let settings = &machine.settings;
        Nameservers {
            search: settings
                .search
                .value()
                .map(|list| list.values().map(ToString::to_string).collect())
                .unwrap_or_default(),
            addresses: settings
                .dns
                .value()
                .map(|list| list.values().map(ToString::to_string).collect())
                .unwrap_or_default(),
        }
    } else {
        Nameservers::default()
    };
    Ethernet { dhcp4: false, dhcp6: false, accept_ra: false, addresses, routes, nameservers }
}

/// The name servers stand on one link: the first that the default route may lead through, or else the first.
fn carries_name_servers(machine: &Machine, link: &Link) -> bool {
    let first = machine.links.iter().find(|link| link.default_route).or_else(|| machine.links.first());
    first.is_some_and(|first| std::ptr::eq(first, link))
}
