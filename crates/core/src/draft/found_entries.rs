//! Hosts that were found, as entries of a sheet.

use std::collections::BTreeMap;

use impostazione_net::Family;
use ipnet::IpNet;

use super::found::{FoundHost, FoundKind, FoundLink, FoundSsh, groups, name_of};
use super::map_line::pattern_from;
use super::state::State;
use super::topic::{AccountKey, CommonKey, LinkKey, SubnetKey, Topic};
use crate::edit::{TablePath, quoted, quoted_list};

/// What the subnet of the only link is called, and of those that have no better name.
const SUBNET: &str = "lan";

/// Writes hosts into a sheet: subnets and common settings once, hosts that run in step as one entry. Says what was taken and
/// what was not.
pub(super) fn write_hosts(state: &mut State, hosts: &[FoundHost]) -> Vec<String> {
    let mut told = Vec::new();
    let common = common_settings(state, hosts);
    state.pass(&Topic::Common(CommonKey::Purpose).id());
    for group in groups(hosts) {
        if let Some(first) = group.first() {
            write_group(state, group, first, &common);
        }
    }
    write_logins(state, hosts);
    // More of a kind can be added from the summary.
    let logins = state.text.names("account").len();
    state.pass(&Topic::NextSubnet(state.text.names("subnet").len() + 1).id());
    state.pass(&Topic::NextHost(state.text.entries("host") + 1).id());
    if logins > 0 {
        state.pass(&Topic::NextAccount(logins + 1).id());
    }
    for host in hosts {
        let links: Vec<String> = host.links.iter().map(in_words).collect();
        let name = host.name.as_deref().unwrap_or("a host without a name");
        told.push(format!(
            "{}: {name}, {}",
            host.from,
            if links.is_empty() { "no link".to_owned() } else { links.join(", ") }
        ));
        told.extend(host.left_out.iter().map(|what| format!("not taken from {}: {what}", host.from)));
    }
    told
}

fn in_words(link: &FoundLink) -> String {
    let name = if link.name.is_empty() { "its only port" } else { link.name.as_str() };
    let addresses: Vec<String> = link.addresses.iter().map(ToString::to_string).collect();
    match (addresses.is_empty(), link.has_dhcp) {
        (false, _) => format!("{name} {}", addresses.join(" ")),
        (true, true) => format!("{name} by DHCP"),
        (true, false) => name.to_owned(),
    }
}

/// The settings of a host, by their keys, as they are written.
fn settings_of(host: &FoundHost) -> BTreeMap<&'static str, String> {
    let list = |items: &[String]| quoted_list(items.iter().map(String::as_str));
    let mut settings = BTreeMap::new();
    let mut add = |key: &'static str, value: Option<String>| {
        if let Some(value) = value {
            settings.insert(key, value);
        }
    };
    add("domain", host.domain.as_deref().map(quoted));
    add("dns", (!host.dns.is_empty()).then(|| list(&host.dns)));
    add("search", (!host.search.is_empty()).then(|| list(&host.search)));
    add("ntp", (!host.ntp.is_empty()).then(|| list(&host.ntp)));
    add("timezone", host.timezone.as_deref().map(quoted));
    add("locale", host.locale.as_deref().map(quoted));
    add("keyboard", host.keyboard.as_deref().map(quoted));
    add("renderer", host.is_for_manager.then(|| quoted("NetworkManager")));
    add("ipv6", host.ipv6.map(quoted));
    add("llmnr", host.llmnr.map(|flag| flag.to_string()));
    add("multicast_dns", host.multicast_dns.map(|flag| flag.to_string()));
    add("ssh", ssh_of(&host.ssh));
    add("time_service", host.has_chrony.then(|| quoted("chrony")));
    settings
}

/// The SSH service, as it is written where it is not as usual.
fn ssh_of(ssh: &FoundSsh) -> Option<String> {
    let mut parts = Vec::new();
    parts.extend(ssh.port.map(|port| format!("port = {port}")));
    parts.extend(ssh.has_password_login.then(|| "password_login = true".to_owned()));
    parts.extend(ssh.has_root_login.then(|| "root_login = true".to_owned()));
    parts.extend(ssh.has_host_key.then(|| "host_key = true".to_owned()));
    (!parts.is_empty()).then(|| format!("{{ {} }}", parts.join(", ")))
}

/// Writes what most hosts share into `[common]`, where nothing else stands there. Gives what stands there then.
fn common_settings(state: &mut State, hosts: &[FoundHost]) -> BTreeMap<&'static str, String> {
    let table = TablePath::top("common");
    let all: Vec<BTreeMap<&str, String>> = hosts.iter().map(settings_of).collect();
    let mut common = BTreeMap::new();
    let keys = [
        "domain",
        "dns",
        "search",
        "ntp",
        "timezone",
        "ssh",
        "time_service",
        "renderer",
        "ipv6",
        "llmnr",
        "multicast_dns",
        "locale",
        "keyboard",
    ];
    for key in keys {
        if let Some(known) = state.text.literal(&table, key) {
            common.insert(key, known.to_owned());
            continue;
        }
        let stated: Vec<&String> = all.iter().filter_map(|settings| settings.get(key)).collect();
        let count = |value: &String| stated.iter().filter(|other| **other == value).count();
        // Of several that are as frequent, that of the first host.
        let most = stated.iter().map(|value| count(value)).max().unwrap_or(0);
        let Some(value) = stated.iter().find(|value| count(value) == most).copied() else { continue };
        // A host that says nothing of it must not get what the others have.
        // A table of a host is merged with the common one, which is therefore that of all.
        let is_merged = key == "ssh";
        if stated.len() == hosts.len() && (most == hosts.len() || !is_merged) {
            state.text.set(&table, key, value, None);
            common.insert(key, value.clone());
        }
    }
    common
}

fn write_group(
    state: &mut State,
    group: &[FoundHost],
    first: &FoundHost,
    common: &BTreeMap<&'static str, String>,
) {
    let index = state.text.entries("host");
    let entry = TablePath::entry("host", index);
    let name = name_of(group);
    let written = name.clone().unwrap_or_else(|| format!("host-{}", index + 1));
    state.text.set(&entry, "name", &quoted(&written), None);
    if name.is_none() {
        state.nameless.insert(index);
    }
    state.pass(&Topic::NextHost(index + 1).id());
    state.counts.insert(index, group.len());
    for (key, value) in settings_of(first) {
        if common.get(key) != Some(&value) {
            state.text.set(&entry, key, &value, None);
        }
    }
    let names = link_names(first);
    let members: Vec<String> = first.links.iter().flat_map(members_of).collect();
    let leads_out = first.links.iter().any(|link| !link.gateways.is_empty() && link.table.is_none());
    // The subnet of the way out comes first.
    let mut in_turn: Vec<(&FoundLink, &String)> = first.links.iter().zip(&names).collect();
    in_turn.sort_by_key(|(link, _)| link.gateways.is_empty() || link.table.is_some());
    for (link, name) in in_turn {
        subnet_for(state, link, name);
    }
    // Tables stand in the order of the links, where one of them needs a table.
    let is_short = first
        .links
        .iter()
        .all(|link| matches!(link.kind, FoundKind::Ethernet | FoundKind::Wifi(_)) && link.routes.is_empty());
    let mut number = 0;
    for (link, name) in first.links.iter().zip(&names) {
        write_link(state, &entry, link, name, group.len(), is_short);
        if members.contains(&link.name) {
            continue;
        }
        number += 1;
        let is_addressed = !link.addresses.is_empty();
        let table = entry.inner(&["link", name]);
        if is_addressed && leads_out && (link.gateways.is_empty() || link.table.is_some()) {
            state.text.set(&table, "default_route", "false", None);
        }
        state.links.insert((index, number), name.clone());
        state.pass(&Topic::NextLink(index, number).id());
        for key in [LinkKey::Name, LinkKey::Port, LinkKey::Members, LinkKey::Over, LinkKey::Mode] {
            state.pass(&Topic::Link(index, number, key).id());
        }
        // What has an address of one family need not have one of the other; what has none may carry others.
        if is_addressed || !link.has_dhcp {
            for key in [LinkKey::Subnet, LinkKey::Address, LinkKey::Address6] {
                state.pass(&Topic::Link(index, number, key).id());
            }
        }
    }
    // Where nothing was found, the first link is asked for.
    if number > 0 {
        state.decline(&Topic::NextLink(index, number + 1).id());
    }
}

fn members_of(link: &FoundLink) -> Vec<String> {
    match &link.kind {
        FoundKind::Bond(members, _) | FoundKind::Bridge(members) => members.clone(),
        FoundKind::Ethernet | FoundKind::Wifi(_) | FoundKind::Vlan(..) => Vec::new(),
    }
}

/// The names of the links in the sheet: their own, or one of ours where any port will do.
fn link_names(host: &FoundHost) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for link in &host.links {
        let base = if matches!(link.kind, FoundKind::Wifi(_)) { "wifi" } else { "lan" };
        let mut free = (0..).map(|number| format!("{base}{number}"));
        let is_taken =
            |name: &String| names.contains(name) || host.links.iter().any(|other| other.name == *name);
        let name =
            if link.name.is_empty() { free.find(|name| !is_taken(name)) } else { Some(link.name.clone()) };
        names.push(name.unwrap_or_default());
    }
    names
}

fn write_link(
    state: &mut State,
    entry: &TablePath,
    link: &FoundLink,
    name: &str,
    count: usize,
    is_short: bool,
) {
    let table = entry.inner(&["link", name]);
    if is_short {
        state.text.add_braces(entry, &["link", name]);
    } else {
        state.text.add_table(&table);
    }
    let mut set = |key: &str, literal: String| state.text.set(&table, key, &literal, None);
    match &link.kind {
        FoundKind::Ethernet => {}
        FoundKind::Wifi(_) => set("kind", quoted("wifi")),
        FoundKind::Bond(members, mode) => {
            set("kind", quoted("bond"));
            set("members", quoted_list(members.iter().map(String::as_str)));
            if let Some(mode) = mode {
                set("mode", quoted(mode));
            }
        }
        FoundKind::Vlan(over, _) => {
            set("kind", quoted("vlan"));
            set("over", quoted(over));
        }
        FoundKind::Bridge(members) => {
            set("kind", quoted("bridge"));
            set("members", quoted_list(members.iter().map(String::as_str)));
        }
    }
    if let Some(mac) = &link.mac {
        set("mac", quoted(&mac.to_lowercase()));
    } else if link.name.is_empty() {
        set("port", quoted("only"));
    }
    let Some(subnet) = subnet_for(state, link, name) else { return };
    let mut set = |key: &str, literal: String| state.text.set(&table, key, &literal, None);
    set("subnet", quoted(&subnet));
    let mut more = Vec::new();
    for (family, key) in [(Family::V4, "address"), (Family::V6, "address6")] {
        let mut of_family = link.addresses.iter().filter(|address| Family::of(address.addr()) == family);
        if let Some(first) = of_family.next() {
            set(key, quoted(&pattern_from(first.addr(), count)));
            more.extend(of_family.map(|further| {
                let text = quoted(&pattern_from(further.addr(), count));
                if further.trunc() == first.trunc() {
                    text
                } else {
                    format!("{{ address = {text}, outside_subnet = true }}")
                }
            }));
        }
    }
    if !more.is_empty() {
        set("more_addresses", format!("[{}]", more.join(", ")));
    }
    for (key, literal) in &link.more {
        set(key, literal.clone());
    }
    if let Some(mtu) = link.mtu {
        set("mtu", mtu.to_string());
    }
    if link.wakes_on_lan {
        set("wake_on_lan", "true".to_owned());
    }
    if let Some(number) = link.table {
        set("routing_table", number.to_string());
    }
    if !link.routes.is_empty() {
        let routes: Vec<String> = link
            .routes
            .iter()
            .map(|(to, via, metric)| {
                let metric = metric.map(|metric| format!(", metric = {metric}")).unwrap_or_default();
                format!("{{ to = {}, via = {}{metric} }}", quoted(&to.to_string()), quoted(&via.to_string()))
            })
            .collect();
        set("routes", format!("[{}]", routes.join(", ")));
    }
}

/// The subnet of a link: one of the sheet's with the same prefix, or a new one. Nothing for a link without addresses.
fn subnet_for(state: &mut State, link: &FoundLink, name: &str) -> Option<String> {
    let of = |family: Family| {
        link.addresses.iter().find(|address| Family::of(address.addr()) == family).map(IpNet::trunc)
    };
    let (v4, v6) = (of(Family::V4), of(Family::V6));
    if v4.is_none() && v6.is_none() {
        return None;
    }
    let has = |state: &State, subnet: &str, key: &str, prefix: IpNet| {
        let written = state.text.string(&TablePath::named("subnet", subnet), key);
        written.and_then(|written| written.parse::<IpNet>().ok()) == Some(prefix)
    };
    let known = state.text.names("subnet").into_iter().find(|subnet| {
        v4.is_some_and(|prefix| has(state, subnet, "prefix", prefix))
            || v6.is_some_and(|prefix| has(state, subnet, "prefix6", prefix))
    });
    let subnet = known.unwrap_or_else(|| free_subnet_name(state, link, name));
    let table = TablePath::named("subnet", &subnet);
    for (prefix, key, gateway_key) in [(v4, "prefix", "gateway"), (v6, "prefix6", "gateway6")] {
        let Some(prefix) = prefix else { continue };
        if state.text.literal(&table, key).is_none() {
            state.text.set(&table, key, &quoted(&prefix.to_string()), None);
        }
        let family = Family::of(prefix.addr());
        let gateway = link.gateways.iter().find(|gateway| Family::of(**gateway) == family);
        if let (Some(gateway), None) = (gateway, state.text.literal(&table, gateway_key)) {
            state.text.set(&table, gateway_key, &quoted(&gateway.to_string()), None);
            if !prefix.contains(gateway)
                || (link.is_gateway_on_link && prefix.prefix_len() >= prefix.max_prefix_len() - 1)
            {
                state.text.set(&table, "gateway_on_link", "true", None);
            }
        }
    }
    if let FoundKind::Vlan(_, Some(tag)) = link.kind
        && state.text.literal(&table, "vlan").is_none()
    {
        state.text.set(&table, "vlan", &tag.to_string(), None);
    }
    if let FoundKind::Wifi(Some(ssid)) = &link.kind
        && state.text.literal(&table, "wifi").is_none()
    {
        let secret = format!("{subnet}-wifi");
        state.text.set(&TablePath::named("secret", &secret), "from", &quoted("store"), None);
        state.typed_secrets.push(secret.clone());
        let wifi = format!("{{ ssid = {}, passphrase = {{ secret = {} }} }}", quoted(ssid), quoted(&secret));
        state.text.set(&table, "wifi", &wifi, None);
    }
    for key in [SubnetKey::Vlan, SubnetKey::Prefix6, SubnetKey::Prefix] {
        state.pass(&Topic::Subnet(subnet.clone(), key).id());
    }
    Some(subnet)
}

/// How links are called that say nothing of their subnet.
const PLAIN_NAMES: [&str; 9] = ["eth", "en", "lan", "wl", "wifi", "bond", "br", "uplink", "vlan"];

/// A name for a new subnet: `lan` where it is the way out, and that of the link where that says something.
fn free_subnet_name(state: &State, link: &FoundLink, name: &str) -> String {
    let known = state.text.names("subnet");
    let is_free = |name: &String| !known.contains(name);
    let is_way_out = !link.gateways.is_empty() && link.table.is_none();
    let stem = name.replace(['.', ':'], "-");
    let stem = stem.trim_end_matches(|c: char| c.is_ascii_digit()).trim_end_matches('-').to_owned();
    let says_something = !stem.is_empty() && !PLAIN_NAMES.iter().any(|plain| stem.starts_with(plain));
    let own = Some(stem).filter(|_| says_something && !is_way_out);
    own.filter(is_free)
        .or_else(|| Some(SUBNET.to_owned()).filter(is_free))
        .or_else(|| (2..=known.len() + 2).map(|number| format!("{SUBNET}{number}")).find(is_free))
        .unwrap_or_default()
}

/// Writes logins, each once, and on which hosts it is where not on all.
fn write_logins(state: &mut State, hosts: &[FoundHost]) {
    let mut names: Vec<&str> = Vec::new();
    for login in hosts.iter().flat_map(|host| &host.logins) {
        if !names.contains(&login.name.as_str()) {
            names.push(&login.name);
        }
    }
    for name in names {
        let table = TablePath::named("account", name);
        if state.text.has(&table) {
            continue;
        }
        let on: Vec<&FoundHost> =
            hosts.iter().filter(|host| host.logins.iter().any(|login| login.name == name)).collect();
        let Some(login) = on.first().and_then(|host| host.logins.iter().find(|login| login.name == name))
        else {
            continue;
        };
        state.text.add_table(&table);
        let mut set = |key: &str, literal: String| state.text.set(&table, key, &literal, None);
        if !login.full_name.is_empty() {
            set("full_name", quoted(&login.full_name));
        }
        if login.is_admin {
            set("admin", "true".to_owned());
        }
        if !login.ssh_keys.is_empty() {
            set("ssh_keys", quoted_list(login.ssh_keys.iter().map(String::as_str)));
        }
        if on.len() < hosts.len() {
            let names = on.iter().filter_map(|host| host.name.as_deref());
            set("hosts", quoted_list(names));
        }
        let mut passed =
            vec![AccountKey::FullName, AccountKey::Admin, AccountKey::SshKeys, AccountKey::Hosts];
        // Nobody can read a password back: it is asked for.
        if !login.has_password {
            passed.push(AccountKey::Password);
        }
        for key in passed {
            state.pass(&Topic::Account(name.to_owned(), key).id());
        }
        state.pass(&Topic::NextAccount(state.text.names("account").len()).id());
    }
}
