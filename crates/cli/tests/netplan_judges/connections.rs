//! The connections that netplan writes for `NetworkManager`.

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;

use crate::facts::{Facts, LinkFacts, route};

/// What the connections in a folder say of each link. A wireless port has one for each network, with the same addresses.
pub(crate) fn read(folder: &Path) -> Facts {
    let mut facts = Facts::new();
    let mut uuids = BTreeMap::new();
    for entry in fs::read_dir(folder).into_iter().flatten() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            // The name of a wireless network may have a slash in it.
            facts.extend(read(&path));
            continue;
        }
        let text = fs::read_to_string(path).unwrap();
        let sections = sections(&text);
        let get = |section: &str, key: &str| sections.get(section).and_then(|lines| lines.get(key)).cloned();
        let Some(id) = get("connection", "id").and_then(|id| Some(id.strip_prefix("netplan-")?.to_owned()))
        else {
            continue;
        };
        let id = match get("wifi", "ssid") {
            Some(ssid) => id.strip_suffix(&format!("-{}", plain(&ssid))).unwrap_or(&id).to_owned(),
            None => id,
        };
        uuids.extend(get("connection", "uuid").map(|uuid| (uuid, id.clone())));
        let link = facts.entry(id).or_default();
        for (family, asked) in [("ipv4", "IPv4"), ("ipv6", "IPv6")] {
            let Some(lines) = sections.get(family) else { continue };
            of_family(lines, asked, link);
        }
        let mtus = ["ethernet", "wifi", "infiniband", "gsm", "cdma"];
        link.mtu = mtus.iter().find_map(|section| get(section, "mtu"));
        link.tag = get("vlan", "id");
        link.over = get("vlan", "parent");
        link.mode = get("bond", "mode");
        link.member_of.extend(get("connection", "master"));
    }
    // A link that others stand on goes by its number where it is found by something else than its name.
    for link in facts.values_mut() {
        if let Some(carrier) = link.over.as_ref().and_then(|over| uuids.get(over)) {
            link.over = Some(carrier.clone());
        }
    }
    facts
}

/// An SSID as it is, where it is written as bytes with semicolons.
fn plain(ssid: &str) -> String {
    let bytes: Option<Vec<u8>> =
        ssid.strip_suffix(';').map(|list| list.split(';').map(|byte| byte.parse().unwrap_or(0)).collect());
    bytes.map_or_else(|| ssid.to_owned(), |bytes| String::from_utf8_lossy(&bytes).into_owned())
}

fn sections(text: &str) -> BTreeMap<&str, BTreeMap<&str, String>> {
    let mut sections: BTreeMap<&str, BTreeMap<&str, String>> = BTreeMap::new();
    let mut here = "";
    for line in text.lines() {
        if let Some(name) = line.strip_prefix('[').and_then(|line| line.strip_suffix(']')) {
            here = name;
        } else if let Some((key, value)) = line.split_once('=') {
            sections.entry(here).or_default().insert(key, value.to_owned());
        }
    }
    sections
}

fn of_family(lines: &BTreeMap<&str, String>, asked: &'static str, link: &mut LinkFacts) {
    let list = |key: &str| -> Vec<String> {
        let items = lines.get(key).map(|items| items.split(';').map(str::to_owned).collect());
        let items: Vec<String> = items.unwrap_or_default();
        items.into_iter().filter(|item| !item.is_empty()).collect()
    };
    let method = lines.get("method").map(String::as_str);
    if method == Some("auto") && asked == "IPv4" || matches!(method, Some("auto" | "dhcp")) && asked == "IPv6"
    {
        link.dhcp.insert(asked);
    }
    link.dns.extend(list("dns"));
    link.search.extend(list("dns-search"));
    if let Some(gateway) = lines.get("gateway") {
        link.routes.insert(route(&[("to", Some("default")), ("via", Some(gateway))]));
    }
    for (key, value) in lines {
        if key.starts_with("address") && !key.contains("data") {
            link.addresses.insert(value.clone());
        }
        if !key.starts_with("route") || key.contains('_') || *key == "route-metric" {
            continue;
        }
        let options = lines.get(format!("{key}_options").as_str()).cloned().unwrap_or_default();
        let option = |name: &str| {
            options.split(',').find_map(|option| option.strip_prefix(&format!("{name}=")).map(str::to_owned))
        };
        let mut parts = value.split(',');
        let (to, via, metric) = (parts.next(), parts.next(), parts.next());
        link.routes.insert(route(&[
            ("to", to),
            ("via", via),
            ("metric", metric),
            ("table", option("table").as_deref().filter(|table| *table != "254")),
            ("from", option("src").as_deref()),
            ("mtu", option("mtu").as_deref()),
            ("on-link", option("onlink").as_deref()),
        ]));
    }
}
