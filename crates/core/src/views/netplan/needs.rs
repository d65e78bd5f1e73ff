//! What netplan wants a link of each kind to have.

use std::net::IpAddr;

use super::definitions::{Backend, Definition, Definitions};
use super::grammar::number;
use super::section::Kind;
use super::sentences;
use super::yaml::{Map, Value};
use crate::finding::Finding;
use crate::machine::NetplanVersion;

/// From here on a tunnel of `WireGuard` may lack its key and its peers.
const V1_0: NetplanVersion = NetplanVersion::new(1, 0);

/// Looks at one link, as it is after a file that spoke of it.
pub(super) fn check(definitions: &Definitions, definition: &Definition, findings: &mut Vec<Finding>) {
    let needs = Needs { version: definitions.version, definition };
    let found = match definition.kind {
        Kind::Wifi => needs.wifi(),
        Kind::Vlan => needs.vlan(),
        Kind::Vrf => needs.has("table"),
        Kind::Tunnel => needs.tunnel(),
        Kind::Veth => needs.has("peer"),
        Kind::Manager => needs.manager(),
        _ => None,
    };
    findings.extend(needs.any().or(found));
}

/// Looks at settings for `NetworkManager`. From 1.0 on the renderer has to be that when netplan comes to the link: one that is
/// named for all further down in the file comes too late.
pub(super) fn check_manager(definitions: &Definitions, definition: &Definition, findings: &mut Vec<Finding>) {
    let of_points = definition.body.map("access-points").into_iter().flat_map(|points| &points.entries);
    let has = |body: &Map| body.map("networkmanager").is_some_and(|manager| !manager.entries.is_empty());
    let has = has(&definition.body) || of_points.filter_map(|(_, point)| point.value.map()).any(has);
    if has && definitions.version >= V1_0 && definitions.backend(definition) != Backend::NetworkManager {
        findings.push(sentences::settings_clash(
            definition.id.place,
            &definition.id.value,
            "has settings for NetworkManager, but another renderer",
            "write renderer: NetworkManager for it or for all links, or remove them",
        ));
    }
}

struct Needs<'d> {
    version: NetplanVersion,
    definition: &'d Definition,
}

impl Needs<'_> {
    fn body(&self) -> &Map {
        &self.definition.body
    }

    #[allow(clippy::unnecessary_wraps, reason = "each check ends with it, or with nothing")]
    fn lacks(&self, what: &str, fix: &str) -> Option<Finding> {
        Some(sentences::setting_missing(&self.definition.id, what, fix))
    }

    #[allow(clippy::unnecessary_wraps, reason = "each check ends with it, or with nothing")]
    fn refuses(&self, key: &str, why: &str, fix: &str) -> Option<Finding> {
        let at = self.body().get(key).map_or(self.definition.id.place, |node| node.place);
        Some(sentences::settings_clash(at, &self.definition.id.value, why, fix))
    }

    fn has(&self, key: &str) -> Option<Finding> {
        match self.body().get(key) {
            Some(_) => None,
            None => self.lacks(&format!("`{key}`"), &format!("write {key}")),
        }
    }

    fn any(&self) -> Option<Finding> {
        let body = self.body();
        if body.get("set-name").is_some() && !self.definition.has_match() {
            return self.lacks(
                "`match` for its `set-name`",
                "write match: {macaddress: …} with the interface's address, or remove set-name",
            );
        }
        if body.get("ipv6-address-generation").is_some() && body.get("ipv6-address-token").is_some() {
            return self.refuses(
                "ipv6-address-token",
                "has both `ipv6-address-generation` and `ipv6-address-token`",
                "remove one of them",
            );
        }
        if self.definition.kind != Kind::Wifi
            && body.text("macaddress").is_some_and(|word| word.value == "stable-ssid")
        {
            return self.refuses(
                "macaddress",
                "has macaddress: stable-ssid, but is not a Wi-Fi interface",
                "write permanent, random, stable or preserve, or an address",
            );
        }
        None
    }

    fn wifi(&self) -> Option<Finding> {
        match self.body().map("access-points") {
            Some(points) if !points.entries.is_empty() => None,
            _ => self.lacks("`access-points`", "write access-points: with the SSID and its password"),
        }
    }

    fn vlan(&self) -> Option<Finding> {
        if self.body().get("link").is_none() {
            return self.lacks("`link`", "write link: with the link that the VLAN is on");
        }
        if self.body().get("id").is_none() {
            return self.lacks("`id`", "write id: with the VLAN ID, from 1 to 4094");
        }
        None
    }

    fn manager(&self) -> Option<Finding> {
        let settings = self.body().map("networkmanager").and_then(|manager| manager.map("passthrough"));
        match settings.and_then(|settings| settings.get("connection.type")) {
            Some(_) => None,
            None => self.lacks(
                "`connection.type` below `networkmanager: passthrough`",
                "write connection.type there",
            ),
        }
    }

    fn tunnel(&self) -> Option<Finding> {
        let body = self.body();
        let Some(mode) = body.text("mode") else {
            return self.lacks("`mode`", "write mode: with the kind of tunnel, as in gre");
        };
        match mode.value.as_str() {
            "wireguard" => self.wireguard(),
            "vxlan" => self.vxlan(),
            mode => self.between_two(mode),
        }
    }

    fn vxlan(&self) -> Option<Finding> {
        let body = self.body();
        match self.definition.number("id") {
            None | Some(0) => {
                return self.lacks("`id`", "write id: with the VXLAN ID, from 1 to 16777215");
            }
            Some(16_777_216..) => {
                return self.refuses("id", "has an `id` over 16777215", "write one from 1 to 16777215");
            }
            Some(_) => {}
        }
        if self
            .definition
            .number("flow-label")
            .is_some_and(|label| label > 1_048_575 && label != u64::from(u32::MAX))
        {
            return self.refuses("flow-label", "has a `flow-label` over 1048575", "write one up to 1048575");
        }
        let address = |key: &str| body.text(key).and_then(|text| text.value.parse::<IpAddr>().ok());
        if let (Some(local), Some(remote)) = (address("local"), address("remote"))
            && local.is_ipv4() != remote.is_ipv4()
        {
            return self.refuses(
                "remote",
                "has ends of different address families",
                "write `local` and `remote` of the same family",
            );
        }
        self.keys().or_else(|| self.lifetime())
    }

    fn between_two(&self, mode: &str) -> Option<Finding> {
        if let Some(found) = self.keys() {
            return Some(found);
        }
        let is_six = matches!(mode, "ipip6" | "ip6ip6" | "ip6gre" | "ip6gretap" | "vti6");
        let family = if is_six { "IPv6" } else { "IPv4" };
        for key in ["local", "remote"] {
            let Some(text) = self.body().text(key) else {
                if key == "remote" || self.version < V1_0 {
                    return self
                        .lacks(&format!("`{key}`"), &format!("write {key}: with an {family} address"));
                }
                continue;
            };
            let address = text.value.parse::<IpAddr>().ok();
            if address.is_some_and(|address| address.is_ipv6() != is_six) {
                let why = format!("has a `{key}` that is not an {family} address, which mode {mode} needs");
                return self.refuses(key, &why, &format!("write an {family} address"));
            }
        }
        self.lifetime()
    }

    fn lifetime(&self) -> Option<Finding> {
        let is_over = self.definition.number("ttl").is_some_and(|ttl| ttl > 255);
        is_over.then(|| self.refuses("ttl", "has a `ttl` over 255", "write one from 1 to 255")).flatten()
    }

    /// Keys of tunnels but `WireGuard`'s: a number, or four numbers with dots.
    fn keys(&self) -> Option<Finding> {
        let is_key = |text: &str| {
            number(text).is_some_and(|number| u32::try_from(number).is_ok())
                || text.parse::<std::net::Ipv4Addr>().is_ok()
        };
        for name in ["key", "keys"] {
            let keys: Vec<&str> = match self.body().get(name).map(|node| &node.value) {
                Some(Value::Scalar(text)) => vec![text],
                Some(Value::Map(keys)) => {
                    let keys = keys.entries.iter().filter(|(key, _)| key.value != "private");
                    keys.filter_map(|(_, value)| value.value.text()).collect()
                }
                _ => continue,
            };
            if keys.iter().any(|key| !is_key(key)) {
                let why = format!("has a `{name}` that is neither a number nor a dotted quad");
                return self.refuses(name, &why, "write a number, as in 7");
            }
        }
        None
    }

    fn wireguard(&self) -> Option<Finding> {
        match private_key(self.body()) {
            None if self.version < V1_0 => {
                return self.lacks(
                    "its private key",
                    "write key: with the key, or with the path of a file that holds it",
                );
            }
            Some(key) if !key.starts_with('/') && !is_wireguard_key(key) => {
                return self.refuses(
                    if self.body().get("keys").is_some() { "keys" } else { "key" },
                    "has an invalid WireGuard private key",
                    "write the 44 characters that `wg genkey` prints",
                );
            }
            _ => {}
        }
        let peers = self.body().list("peers");
        if peers.is_empty() && self.version < V1_0 {
            return self.lacks("`peers`", "write peers: with at least one");
        }
        for peer in peers.iter().filter_map(|peer| peer.value.map()) {
            let keys = peer.map("keys");
            let key = |name: &str| keys.and_then(|keys| keys.text(name));
            let Some(public) = key("public") else {
                return self.lacks("`keys: public` of a peer", "write the peer's public key");
            };
            if !is_wireguard_key(&public.value) {
                return self.refuses(
                    "peers",
                    "has a peer with an invalid WireGuard public key",
                    "write the 44 characters that `wg pubkey` prints",
                );
            }
            if key("shared").is_some_and(|key| !key.value.starts_with('/') && !is_wireguard_key(&key.value)) {
                return self.refuses(
                    "peers",
                    "has a peer with an invalid WireGuard shared key",
                    "write the 44 characters that `wg genpsk` prints",
                );
            }
            if peer.list("allowed-ips").is_empty() && self.version < V1_0 {
                return self.lacks("`allowed-ips` of a peer", "write the networks behind the peer");
            }
            let keepalive = peer.text("keepalive").and_then(|text| number(&text.value));
            if keepalive.is_some_and(|keepalive| keepalive > 65535) {
                return self.refuses(
                    "peers",
                    "has a peer with a `keepalive` over 65535",
                    "write one up to 65535",
                );
            }
        }
        None
    }
}

/// The private key of a tunnel, from whichever key speaks last.
pub(super) fn private_key(body: &Map) -> Option<&str> {
    let keys = body.entries.iter().rev().filter(|(key, _)| matches!(key.value.as_str(), "key" | "keys"));
    let mut texts = keys.filter_map(|(_, value)| match &value.value {
        Value::Scalar(text) => Some(text.as_str()),
        Value::Map(keys) => keys.get("private").and_then(|node| node.value.text()),
        Value::List(_) => None,
    });
    texts.next()
}

/// 32 bytes in Base64.
pub(super) fn is_wireguard_key(key: &str) -> bool {
    let is_base64 = |byte: u8| byte.is_ascii_alphanumeric() || byte == b'+' || byte == b'/';
    key.len() == 44 && key.ends_with('=') && key.bytes().take(43).all(is_base64)
}
