//! Keys that people bring from elsewhere, and where what they say belongs.

use std::net::IpAddr;

use impostazione_net::{Family, parse_mask};
use ipnet::IpNet;
use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::keys::{APPLIANCE, APPLIANCE_LINK, HOST, HOST_LINK, ROOT, SECRET, SECRET_VALUE, TableSpec, WIFI};

/// What was meant by a key that a table does not have.
pub(super) struct Familiar {
    /// The key of the table that it stands for, which is then not missing.
    pub(super) stands_for: Option<&'static str>,
    /// What to write in its place.
    pub(super) fix: String,
}

/// What was meant by a key that this table does not have, with the value that was written, where that is no secret.
pub(super) fn familiar(spec: &TableSpec, key: &str, table: &DeTable<'_>) -> Option<Familiar> {
    let key = key.to_ascii_lowercase().replace('-', "_");
    let is = |known: &[&TableSpec]| known.iter().any(|one| one.header == spec.header);
    if is(&[&HOST_LINK, &APPLIANCE_LINK]) {
        of_link(&key, table)
    } else if is(&[&HOST, &APPLIANCE]) {
        of_machine(&key, table)
    } else if is(&[&WIFI]) {
        of_wifi(&key, table)
    } else if is(&[&SECRET, &SECRET_VALUE]) {
        of_secret(&key, is(&[&SECRET]))
    } else if is(&[&ROOT]) && key == "link" {
        of_sheet(table)
    } else {
        None
    }
}

/// A header of a link without the word of the machine before it.
fn of_sheet(table: &DeTable<'_>) -> Option<Familiar> {
    let inner = table.get("link")?.get_ref().as_table()?;
    let named = inner.keys().next()?.get_ref();
    let fix = format!(
        "write [host.link.{named}] below its [[host]], or [appliance.link.{named}] below its [[appliance]]"
    );
    Some(Familiar { stands_for: None, fix })
}

const INTERFACE_WORDS: [&str; 4] = ["interface", "iface", "nic", "port"];
const ADDRESS_WORDS: [&str; 5] = ["ip", "ipv4", "ip_address", "ipaddr", "addr"];

fn of_link(key: &str, table: &DeTable<'_>) -> Option<Familiar> {
    let value = table.get(key);
    let address =
        |value, usual: &str| addresses(value).into_iter().next().unwrap_or_else(|| usual.to_owned());
    let subnet = subnet_of(table);
    let fix = match key {
        _ if ADDRESS_WORDS.contains(&key) => {
            let fix = format!("write address = \"{}\"", address(value, "10.64.10.11"));
            return Some(Familiar { stands_for: Some("address"), fix });
        }
        // What is no address is meant for the machine's key of that name.
        "ipv6" if addresses(value).is_empty() => return None,
        "ipv6" | "ip6" | "ipv6_address" => {
            let fix = format!("write address6 = \"{}\"", address(value, "fd64:10::11"));
            return Some(Familiar { stands_for: Some("address6"), fix });
        }
        "mask" | "netmask" | "subnet_mask" | "prefix_length" | "cidr" => {
            let prefix = network_of(table, value).unwrap_or_else(|| "10.64.10.0/24".to_owned());
            format!("write the mask in {subnet}, after the slash: prefix = \"{prefix}\"")
        }
        "gateway" | "gateway4" | "gw" | "router" | "default_gateway" => {
            format!("write gateway = \"{}\" in {subnet}", address(value, "10.64.10.1"))
        }
        "gateway6" => format!("write gateway6 = \"{}\" in {subnet}", address(value, "fd64:10::1")),
        "nameserver" | "nameservers" | "dns_server" | "dns_servers" | "resolvers" => {
            let given = addresses(value);
            let given = if given.is_empty() {
                vec!["10.64.10.53".to_owned(), "10.64.10.54".to_owned()]
            } else {
                given
            };
            format!("write dns = [\"{}\"] in [common] or on the machine", given.join("\", \""))
        }
        _ => return None,
    };
    Some(Familiar { stands_for: None, fix })
}

fn of_machine(key: &str, table: &DeTable<'_>) -> Option<Familiar> {
    let value = table.get(key);
    let stands_for_link = |fix| Some(Familiar { stands_for: Some("link"), fix });
    if let Some(DeValue::Table(inner)) = value.map(Spanned::get_ref) {
        let is_link = ["subnet", "address", "address6"].iter().any(|known| inner.contains_key(*known));
        return if is_link { stands_for_link(format!("write link.{key} in its place")) } else { None };
    }
    let is_one = |words: &[&str]| words.contains(&key);
    if !(is_one(&INTERFACE_WORDS) || is_one(&ADDRESS_WORDS) || is_one(&["address", "address6"])) {
        return None;
    }
    let named = INTERFACE_WORDS.iter().find_map(|word| name(table.get(*word))).unwrap_or("eth0");
    let mut given = ["address"].iter().chain(&ADDRESS_WORDS).flat_map(|word| addresses(table.get(*word)));
    let given = given.next().unwrap_or_else(|| "10.64.10.11".to_owned());
    let given_key = if given.contains(':') { "address6" } else { "address" };
    stands_for_link(format!("write link.{named} = {{ subnet = \"…\", {given_key} = \"{given}\" }}"))
}

fn of_wifi(key: &str, table: &DeTable<'_>) -> Option<Familiar> {
    if !["psk", "password", "passwd", "pass", "key", "secret"].contains(&key) {
        return None;
    }
    let fix = match table.get(key).map(Spanned::get_ref) {
        Some(DeValue::Table(_)) => format!("write passphrase in place of {key}"),
        _ => "write passphrase = { secret = \"NAME\" }, and keep the passphrase itself in [secret.NAME]"
            .to_owned(),
    };
    Some(Familiar { stands_for: Some("passphrase"), fix })
}

fn of_secret(key: &str, is_table: bool) -> Option<Familiar> {
    if !["value", "password", "passwd", "passphrase", "key", "text"].contains(&key) {
        return None;
    }
    let fix = if is_table {
        "remove the line: no secret stands in a sheet. Write from = \"store\", and type the value after `impostazione secret \
            enter SHEET NAME`"
    } else {
        "remove it: no secret stands in a sheet. [secret.NAME] says where the value is kept"
    };
    Some(Familiar { stands_for: Some(if is_table { "from" } else { "secret" }), fix: fix.to_owned() })
}

/// The addresses of a text or a list, as far as they are some: what is not may be a secret.
fn addresses(value: Option<&Spanned<DeValue<'_>>>) -> Vec<String> {
    let text = |value: &DeValue<'_>| match value {
        DeValue::String(text) => Some(text.to_string()),
        _ => None,
    };
    let is_address = |text: &String| {
        text.parse::<IpAddr>().is_ok()
            || text.split_once('/').is_some_and(|(address, _)| address.parse::<IpAddr>().is_ok())
    };
    match value.map(Spanned::get_ref) {
        Some(DeValue::Array(items)) => {
            items.iter().filter_map(|item| text(item.get_ref())).filter(is_address).collect()
        }
        Some(one) => text(one).filter(is_address).into_iter().collect(),
        None => Vec::new(),
    }
}

/// A text that may be the name of a link or a subnet.
fn name<'t>(value: Option<&'t Spanned<DeValue<'_>>>) -> Option<&'t str> {
    let text = value?.get_ref().as_str()?;
    let is_name = !text.is_empty()
        && text.len() <= 15
        && text.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"-_.".contains(&byte));
    is_name.then_some(text)
}

fn subnet_of(table: &DeTable<'_>) -> String {
    name(table.get("subnet"))
        .map_or_else(|| "the link's subnet".to_owned(), |subnet| format!("[subnet.{subnet}]"))
}

/// The network that an address and a mask of one table make.
fn network_of(table: &DeTable<'_>, mask: Option<&Spanned<DeValue<'_>>>) -> Option<String> {
    let address: IpAddr =
        ["address", "ip"].iter().find_map(|key| table.get(*key)?.get_ref().as_str()?.parse().ok())?;
    let mask = match mask?.get_ref() {
        DeValue::String(text) => text.trim_start_matches('/').to_owned(),
        DeValue::Integer(number) => number.to_string(),
        _ => return None,
    };
    let length = parse_mask(&mask, Family::of(address)).ok()?;
    Some(IpNet::new(address, length).ok()?.trunc().to_string())
}
