//! Links from the connections of `NetworkManager` (`nm-settings-keyfile(5)`).

use std::net::IpAddr;

use ipnet::IpNet;

use super::found_host::{FoundHost, FoundKind};
use super::host_files::HostFiles;
use super::ini::{Section, sections, values};

const FOLDER: &str = "etc/NetworkManager/system-connections";

/// Reads the connections. Whether they make links.
pub(super) fn read(files: &dyn HostFiles, host: &mut FoundHost) -> bool {
    let before = host.links.len();
    for name in files.list(FOLDER) {
        if let Some(text) = files.text(&format!("{FOLDER}/{name}")) {
            take(&name, &sections(&text), host);
        }
    }
    host.links.len() > before
}

fn take(file: &str, connection: &[Section], host: &mut FoundHost) {
    let get = |section: &'static str, key: &'static str| values(connection, section, key).last();
    let kind = match get("connection", "type") {
        Some("ethernet" | "802-3-ethernet") => FoundKind::Ethernet,
        Some("wifi" | "802-11-wireless") => FoundKind::Wifi(get("wifi", "ssid").map(str::to_owned)),
        Some("vlan") => FoundKind::Vlan(
            get("vlan", "parent").unwrap_or_default().to_owned(),
            get("vlan", "id").and_then(|tag| tag.parse().ok()),
        ),
        other => {
            host.left_out
                .push(format!("{FOLDER}/{file}, a connection of kind {}", other.unwrap_or("unknown")));
            return;
        }
    };
    let is_wifi = matches!(kind, FoundKind::Wifi(_));
    let mac = get("ethernet", "mac-address").or_else(|| get("wifi", "mac-address")).map(str::to_lowercase);
    let name = get("connection", "interface-name").map(str::to_owned);
    let has_name = name.is_some();
    let name =
        name.unwrap_or_else(|| format!("{}{}", if is_wifi { "wifi" } else { "lan" }, host.links.len()));
    let link = host.link(&name);
    link.kind = kind;
    link.mac = mac;
    let mut rest = Vec::new();
    for section in ["ipv4", "ipv6"] {
        link.has_dhcp |= section == "ipv4" && matches!(get(section, "method"), Some("auto") | None);
        let own = connection.iter().filter(|one| one.name == section).flat_map(|one| &one.keys);
        for (key, value) in own {
            let list = || value.split([';', ',']).map(str::trim).filter(|part| !part.is_empty());
            if key
                .strip_prefix("address")
                .is_some_and(|rest| !rest.is_empty() && rest.bytes().all(|b| b.is_ascii_digit()))
            {
                let mut parts = value.split(',').map(str::trim);
                if let Some(Ok(address)) = parts.next().map(str::parse::<IpNet>) {
                    link.add_address(address);
                }
                if let Some(Ok(gateway)) = parts.next().map(str::parse::<IpAddr>) {
                    link.add_gateway(gateway);
                }
            } else if key
                .strip_prefix("route")
                .is_some_and(|rest| !rest.is_empty() && rest.bytes().all(|b| b.is_ascii_digit()))
            {
                let parts: Vec<&str> = value.split(',').map(str::trim).collect();
                if let (Some(Ok(to)), Some(Ok(via))) =
                    (parts.first().map(|to| to.parse()), parts.get(1).map(|via| via.parse()))
                {
                    link.routes.push((to, via, parts.get(2).and_then(|metric| metric.parse().ok())));
                }
            } else if key == "gateway" {
                if let Ok(gateway) = value.parse() {
                    link.add_gateway(gateway);
                }
            } else if key == "dns" {
                link.dns.extend(list().map(str::to_owned));
            } else if key == "dns-search" {
                link.search.extend(list().map(str::to_owned));
            } else if !["method", "addr-gen-mode", "may-fail", "ignore-auto-dns"].contains(&key.as_str()) {
                rest.push(format!("{key} in [{section}]"));
            }
        }
    }
    link.has_dhcp &= link.addresses.is_empty();
    if !has_name && link.mac.is_none() {
        link.name = String::new();
    }
    host.left_out.extend(rest.into_iter().map(|what| format!("{what} of {FOLDER}/{file}")));
}
