//! What netplan refuses because the program that it writes for cannot do it.

use super::definitions::{Backend, Definition, Definitions};
use super::links::{ReadLink, ReadRoute};
use super::needs::{is_wireguard_key, private_key};
use super::section::Kind;
use super::sentences;
use super::yaml::Map;
use crate::finding::Finding;
use crate::machine::NetplanVersion;

const V1_0: NetplanVersion = NetplanVersion::new(1, 0);

/// The channels of 5 GHz that netplan takes.
const CHANNELS_OF_5_GHZ: [u64; 57] = [
    7, 8, 9, 11, 12, 16, 32, 34, 36, 38, 40, 42, 44, 46, 48, 50, 52, 54, 56, 58, 60, 62, 64, 68, 96, 100,
    102, 104, 106, 108, 110, 112, 114, 116, 118, 120, 122, 124, 126, 128, 132, 134, 136, 138, 140, 142, 144,
    149, 151, 153, 155, 157, 159, 161, 165, 169, 173,
];

/// Looks at all links, once every file is read.
pub(super) fn check(definitions: &Definitions, links: &[ReadLink<'_>], findings: &mut Vec<Finding>) {
    for definition in &definitions.all {
        let link = links.iter().find(|link| std::ptr::eq(link.definition, definition));
        let check = Check { definitions, definition, link };
        let found = check.routes_of_vrf().or_else(|| check.virtual_functions());
        let found = found.or_else(|| check.peer()).or_else(|| check.channel()).or_else(|| match definitions
            .backend(definition)
        {
            Backend::Networkd => check.networkd(),
            Backend::NetworkManager => check.manager(),
            Backend::OpenVSwitch => check.switch(),
        });
        findings.extend(found);
    }
    let is_switched = |definition: &&Definition| definitions.backend(definition) == Backend::OpenVSwitch;
    let switched: Vec<_> =
        definitions.all.iter().filter(is_switched).map(|definition| &definition.id).collect();
    findings.extend(sentences::wants_openvswitch(&switched));
}

struct Check<'d> {
    definitions: &'d Definitions,
    definition: &'d Definition,
    /// What is read of it.
    link: Option<&'d ReadLink<'d>>,
}

impl Check<'_> {
    fn body(&self) -> &Map {
        &self.definition.body
    }

    #[allow(clippy::unnecessary_wraps, reason = "each check ends with it, or with nothing")]
    fn refuses(&self, key: &str, why: &str, fix: &str) -> Option<Finding> {
        let at = self.body().get(key).map_or(self.definition.id.place, |node| node.place);
        Some(sentences::settings_clash(at, &self.definition.id.value, why, fix))
    }

    fn is_since(&self, version: NetplanVersion) -> bool {
        self.definitions.version >= version
    }

    /// Routes and rules of a VRF are of its table.
    fn routes_of_vrf(&self) -> Option<Finding> {
        if self.definition.kind != Kind::Vrf {
            return None;
        }
        let own = self.definition.number("table");
        // Before 1.0 rules are looked at beside routes alone.
        let keys: &[&str] = match (self.body().list("routes"), self.body().list("routing-policy")) {
            ([], _) if !self.is_since(V1_0) => return None,
            (_, []) if !self.is_since(V1_0) => {
                return self.refuses(
                    "routes",
                    "is a VRF with `routes` and without `routing-policy`, which ends netplan before 1.0",
                    "add a routing-policy, or install netplan 1.0 on the host",
                );
            }
            _ => &["routes", "routing-policy"],
        };
        for key in keys {
            for item in self.body().list(key).iter().filter_map(|item| item.value.map()) {
                let table = item.text("table").and_then(|table| super::grammar::number(&table.value));
                if table.is_some() && table != own {
                    let why = format!("has a `{key}` for a table other than its own");
                    return self.refuses(key, &why, "remove table from them: they use the VRF's table");
                }
            }
        }
        None
    }

    /// Ports that make further ports of themselves.
    fn virtual_functions(&self) -> Option<Finding> {
        if self.definition.kind != Kind::Ethernet {
            return None;
        }
        let body = self.body();
        let id = &self.definition.id.value;
        let is_parent = body.get("virtual-function-count").is_some()
            || self.definitions.all.iter().any(|other| {
                matches!(other.kind, Kind::Ethernet | Kind::Manager)
                    && other.body.text("link").is_some_and(|link| link.value == *id)
            });
        let mode = body.get("embedded-switch-mode").is_some();
        let waits = body.flag("delay-virtual-functions-rebind") == Some(true);
        let wants_parent = if self.is_since(V1_0) { waits && !mode } else { waits || mode };
        if wants_parent && !is_parent {
            let key = if waits { "delay-virtual-functions-rebind" } else { "embedded-switch-mode" };
            let why = format!("has `{key}`, but creates no virtual function");
            return self.refuses(key, &why, "write virtual-function-count, or remove it");
        }
        None
    }

    /// The two ends of a virtual cable name each other.
    fn peer(&self) -> Option<Finding> {
        if self.definition.kind != Kind::Veth {
            return None;
        }
        let id = &self.definition.id.value;
        let peer = self.body().text("peer")?.value;
        if peer == *id {
            return self.refuses("peer", "is its own peer", "name the other end of the cable");
        }
        let other = self.definitions.get(&peer)?;
        if other.kind != Kind::Veth {
            let why = format!("has the peer {peer}, which is not a virtual ethernet");
            return self.refuses("peer", &why, &format!("add {peer} below virtual-ethernets"));
        }
        let back = other.body.text("peer")?.value;
        if back != *id {
            let why = format!("has the peer {peer}, whose peer is {back}");
            return self.refuses("peer", &why, &format!("write peer: {id} for {peer}"));
        }
        None
    }

    /// A channel that its band has not. Without a band netplan looks at no channel.
    fn channel(&self) -> Option<Finding> {
        if self.definition.kind != Kind::Wifi
            || self.definitions.backend(self.definition) == Backend::OpenVSwitch
        {
            return None;
        }
        for (_, point) in self.body().map("access-points").into_iter().flat_map(|points| &points.entries) {
            let Some(point) = point.value.map() else { continue };
            let (Some(band), Some(written)) = (point.text("band"), point.text("channel")) else { continue };
            let Some(channel) = super::grammar::number(&written.value).filter(|channel| *channel != 0) else {
                continue;
            };
            let is_known = match band.value.as_str() {
                "2.4GHz" | "2.4G" => (1..=14).contains(&channel),
                "5GHz" | "5G" => CHANNELS_OF_5_GHZ.contains(&channel),
                _ => true,
            };
            if !is_known {
                return Some(sentences::settings_clash(
                    written.place,
                    &self.definition.id.value,
                    &format!("has the channel {channel}, which is not in the {} band", band.value),
                    "write another channel, or remove it",
                ));
            }
        }
        None
    }

    fn networkd(&self) -> Option<Finding> {
        let body = self.body();
        match self.definition.kind {
            Kind::Modem => {
                return self.refuses(
                    "",
                    "is a modem, which systemd-networkd does not support",
                    "write renderer: NetworkManager for it",
                );
            }
            Kind::Wifi if self.definition.has_match() => {
                return self.refuses(
                    "match",
                    "is a Wi-Fi interface with `match`, which netplan does not support for systemd-networkd",
                    "use the interface's name as the key, and remove match",
                );
            }
            _ => {}
        }
        self.wireless()
            .or_else(|| self.wired_login())
            .or_else(|| self.unit())
            .or_else(|| self.tunnel(Backend::Networkd))
            .or_else(|| {
                let word = body.text("macaddress")?.value;
                matches!(word.as_str(), "stable" | "preserve" | "stable-ssid")
                    .then(|| {
                        let why = format!("has macaddress: {word}, which systemd-networkd does not support");
                        self.refuses("macaddress", &why, "write permanent, random, or an address")
                    })
                    .flatten()
            })
            .or_else(|| self.switch_data())
    }

    /// What cannot be said in a unit of systemd-networkd, which Open vSwitch's links have too.
    fn unit(&self) -> Option<Finding> {
        let has_no_family = |route: &&ReadRoute| {
            route.to.as_ref().is_some_and(|to| to.value == "default")
                && route.via.is_none()
                && route.from.is_none()
        };
        if let Some(route) = self.link.and_then(|link| link.routes.iter().find(has_no_family)) {
            return Some(sentences::settings_clash(
                route.place,
                &self.definition.id.value,
                "has a route to default without a router, so it is neither IPv4 nor IPv6",
                "write via: with the router, or to: 0.0.0.0/0 or ::/0",
            ));
        }
        let generation = self.body().text("ipv6-address-generation");
        if generation.is_some_and(|word| word.value == "stable-privacy") && !self.is_since(V1_0) {
            return self.refuses(
                "ipv6-address-generation",
                "has stable-privacy, which netplan before 1.0 does not support for systemd-networkd",
                "remove ipv6-address-generation",
            );
        }
        self.overrides()
    }

    fn wireless(&self) -> Option<Finding> {
        if self.definition.kind != Kind::Wifi {
            return None;
        }
        let wakes = self.body().texts("wakeonwlan");
        let wakes_by = |word: &str| wakes.iter().any(|wake| wake.value.eq_ignore_ascii_case(word));
        if wakes_by("tcp") {
            return self.refuses(
                "wakeonwlan",
                "has wake-on-WLAN by tcp, which netplan does not support for systemd-networkd",
                "remove tcp",
            );
        }
        if wakes_by("default") && wakes.iter().any(|wake| !wake.value.eq_ignore_ascii_case("default")) {
            return self.refuses(
                "wakeonwlan",
                "has default together with other words in `wakeonwlan`",
                "write only default, or remove it",
            );
        }
        for (ssid, point) in self.body().map("access-points").into_iter().flat_map(|points| &points.entries) {
            let Some(point) = point.value.map() else { continue };
            if point.text("mode").is_some_and(|mode| mode.value == "ap") {
                return Some(sentences::settings_clash(
                    point.get("mode").map_or(ssid.place, |node| node.place),
                    &self.definition.id.value,
                    "is an access point, which netplan does not support for systemd-networkd",
                    "write renderer: NetworkManager for it",
                ));
            }
            if let Some(found) = self.phrase(pre_shared_key(point, self.is_since(V1_0))) {
                return Some(found);
            }
        }
        None
    }

    /// The login of a wired port, whose pre-shared key is one of a wireless network.
    fn wired_login(&self) -> Option<Finding> {
        let auth = self.body().map("auth").filter(|_| self.definition.kind != Kind::Wifi)?;
        let is_shared = auth.text("key-management").is_some_and(|kind| is_pre_shared(&kind.value));
        self.phrase(auth.get("password").filter(|_| is_shared))
    }

    fn phrase(&self, node: Option<&super::yaml::Node>) -> Option<Finding> {
        let node = node?;
        let phrase = node.value.text()?;
        let why = match phrase.len() {
            64 if phrase.bytes().all(|byte| byte.is_ascii_hexdigit()) => return None,
            64 => "has a key of 64 characters that are not all hexadecimal digits",
            8..=63 => return None,
            _ => "has a passphrase that is not 8 to 63 characters long",
        };
        let fix = "write one of 8 to 63 characters, or a key of 64 hexadecimal digits";
        Some(sentences::settings_clash(node.place, &self.definition.id.value, why, fix))
    }

    /// systemd-networkd has one set of them for both families.
    fn overrides(&self) -> Option<Finding> {
        let body = self.body();
        if body.flag("dhcp4") != Some(true) || body.flag("dhcp6") != Some(true) {
            return None;
        }
        let of = |family: &str, key: &str| body.map(family).and_then(|map| map.get(key));
        for (key, unsaid) in [
            ("use-dns", Some(true)),
            ("use-ntp", Some(true)),
            ("send-hostname", Some(true)),
            ("use-hostname", Some(true)),
            ("use-mtu", Some(true)),
            ("use-routes", Some(true)),
            ("use-domains", None),
            ("hostname", None),
            ("route-metric", None),
        ] {
            let (four, six) = (of("dhcp4-overrides", key), of("dhcp6-overrides", key));
            let are_equal = match unsaid {
                Some(unsaid) => {
                    let flag = |node: Option<&super::yaml::Node>| {
                        node.map_or(Some(unsaid), |node| node.value.flag())
                    };
                    flag(four) == flag(six)
                }
                None => match (four, six) {
                    (None, None) => true,
                    (Some(four), Some(six)) => four.value.says_the_same(&six.value),
                    _ => false,
                },
            };
            if !are_equal {
                let why = format!(
                    "has different values of `{key}` for IPv4 and IPv6, and systemd-networkd has only one"
                );
                let at = if six.is_some() { "dhcp6-overrides" } else { "dhcp4-overrides" };
                return self.refuses(at, &why, "write the same in dhcp4-overrides and dhcp6-overrides");
            }
        }
        None
    }

    fn tunnel(&self, backend: Backend) -> Option<Finding> {
        if self.definition.kind != Kind::Tunnel {
            return None;
        }
        let mode = self.body().text("mode")?.value;
        let is_manager = backend == Backend::NetworkManager;
        if mode == "isatap" && !is_manager {
            return self.refuses(
                "mode",
                "is a tunnel of mode isatap, which netplan does not support for systemd-networkd",
                "write renderer: NetworkManager for it",
            );
        }
        if matches!(mode.as_str(), "gretap" | "ip6gretap") && is_manager && !self.is_since(V1_0) {
            let why = format!(
                "is a tunnel of mode {mode}, which netplan before 1.0 does not support for NetworkManager"
            );
            return self.refuses("mode", &why, "write renderer: networkd for it");
        }
        let mut keyed = vec!["gre", "ip6gre", "wireguard"];
        if !is_manager {
            keyed.extend(["vti", "vti6"]);
        }
        if !is_manager || self.is_since(V1_0) {
            keyed.extend(["gretap", "ip6gretap"]);
        }
        for key in ["key", "keys"] {
            let is_said = match self.body().get(key).map(|node| &node.value) {
                Some(super::yaml::Value::Map(keys)) => {
                    keys.get("input").is_some() || keys.get("output").is_some()
                }
                other => other.is_some(),
            };
            if is_said && !keyed.contains(&mode.as_str()) {
                let why = format!("has a `{key}`, which tunnels of mode {mode} do not have");
                return self.refuses(key, &why, &format!("remove {key}"));
            }
        }
        None
    }

    fn manager(&self) -> Option<Finding> {
        let body = self.body();
        let no = "which netplan does not support for NetworkManager";
        if let Some(matched) = body.map("match")
            && matched.get("driver").is_some()
            && body.get("set-name").is_none()
        {
            return self.refuses(
                "match",
                &format!("is matched by its driver, {no}"),
                "match it by its macaddress",
            );
        }
        if body.list("addresses").iter().any(|address| address.value.map().is_some()) {
            return self.refuses(
                "addresses",
                &format!("has addresses with options, {no}"),
                "write only the addresses",
            );
        }
        if self.definition.number("ipv6-mtu").is_some_and(|mtu| mtu > 0) {
            return self.refuses("ipv6-mtu", &format!("has `ipv6-mtu`, {no}"), "remove ipv6-mtu");
        }
        if body.text("activation-mode").is_some_and(|mode| mode.value == "off") {
            return self.refuses(
                "activation-mode",
                &format!("has activation-mode: off, {no}"),
                "write activation-mode: manual, or remove it",
            );
        }
        if self.link.is_some_and(|link| link.routes.iter().any(|route| !route.is_unicast())) {
            return self.refuses(
                "routes",
                &format!("has a route that is not unicast, {no}"),
                "remove its type",
            );
        }
        if body.text("mode").is_some_and(|mode| mode.value == "wireguard") {
            let is_file = |key: &str| key.starts_with('/') && !is_wireguard_key(key);
            let shared =
                body.list("peers").iter().filter_map(|peer| peer.value.map()?.map("keys")?.text("shared"));
            if private_key(body).is_some_and(is_file) || shared.into_iter().any(|key| is_file(&key.value)) {
                return self.refuses(
                    "peers",
                    &format!("has a key given as a file path, {no}"),
                    "write the key itself",
                );
            }
        }
        self.tunnel(Backend::NetworkManager).or_else(|| self.switch_data())
    }

    /// Data for Open vSwitch on a link that no bridge or bond has.
    fn switch_data(&self) -> Option<Finding> {
        let switch = self.body().map("openvswitch")?;
        let has = |key: &str| switch.map(key).is_some_and(|data| !data.entries.is_empty());
        let is_free = self.definition.bridge.is_none() && self.definition.bond.is_none();
        if (has("external-ids") || has("other-config")) && is_free {
            return self.refuses(
                "openvswitch",
                "has openvswitch settings, but is not in an Open vSwitch bridge or bond",
                "add it to one, or remove openvswitch",
            );
        }
        None
    }

    fn switch(&self) -> Option<Finding> {
        let body = self.body();
        let id = &self.definition.id.value;
        let is_member = self.definition.bridge.is_some() || self.definition.bond.is_some();
        if let Some(found) = self.unit() {
            return Some(found);
        }
        match self.definition.kind {
            Kind::Bond => {
                if self.definition.bridge.is_none() {
                    return self.refuses(
                        "",
                        "is an Open vSwitch bond, but not in a bridge",
                        "add it to the interfaces of a bridge",
                    );
                }
                if self.definitions.all.iter().filter(|other| other.bond.as_ref() == Some(id)).count() < 2 {
                    return self.refuses(
                        "interfaces",
                        "is an Open vSwitch bond with fewer than two members",
                        "add a second member",
                    );
                }
                let mode = body.map("parameters").and_then(|parameters| parameters.text("mode"));
                let known = ["active-backup", "balance-tcp", "balance-slb"];
                if mode.is_some_and(|mode| !known.contains(&mode.value.as_str())) {
                    return self.refuses(
                        "parameters",
                        "is an Open vSwitch bond with a mode that Open vSwitch does not have",
                        "write active-backup, balance-tcp or balance-slb",
                    );
                }
                self.only_for(&["lacp", "external-ids", "other-config"])
            }
            Kind::Bridge => self.controller().or_else(|| {
                let keys = [
                    "fail-mode",
                    "mcast-snooping",
                    "rstp",
                    "protocols",
                    "controller",
                    "external-ids",
                    "other-config",
                ];
                self.only_for(&keys)
            }),
            Kind::SwitchPort if !is_member => self.refuses(
                "",
                "is an Open vSwitch port, but not in a bridge or bond",
                "add it to the interfaces of one",
            ),
            Kind::SwitchPort | Kind::Vlan => None,
            _ => self.refuses(
                "openvswitch",
                "is of a kind that Open vSwitch does not have",
                "remove openvswitch",
            ),
        }
    }

    /// Settings of Open vSwitch that another kind of link has.
    fn only_for(&self, keys: &[&str]) -> Option<Finding> {
        let switch = self.body().map("openvswitch")?;
        let (key, _) = switch.entries.iter().find(|(key, _)| !keys.contains(&key.value.as_str()))?;
        let why = format!("has `{}` below `openvswitch`, which such a link does not have", key.value);
        self.refuses("openvswitch", &why, &format!("remove {}", key.value))
    }

    fn controller(&self) -> Option<Finding> {
        let targets = self.body().map("openvswitch")?.map("controller")?.texts("addresses");
        let tls = self.definitions.switches.map("ssl");
        let has_tls = ["ca-cert", "certificate", "private-key"]
            .iter()
            .all(|key| tls.is_some_and(|tls| tls.get(key).is_some()));
        let wants_tls = targets
            .iter()
            .any(|target| target.value.starts_with("ssl:") || target.value.starts_with("pssl:"));
        if wants_tls && !has_tls {
            return self.refuses(
                "openvswitch",
                "has a controller over TLS, but no certificates are given",
                "write ca-cert, certificate and private-key below network: openvswitch: ssl",
            );
        }
        None
    }
}

fn is_pre_shared(kind: &str) -> bool {
    matches!(kind, "psk" | "psk-sha256" | "sae")
}

/// The key or passphrase that a wireless network is joined with.
fn pre_shared_key(point: &Map, is_since_1_0: bool) -> Option<&super::yaml::Node> {
    let auth = point.map("auth");
    if is_since_1_0 {
        let is_shared =
            auth.and_then(|auth| auth.text("key-management")).is_some_and(|kind| is_pre_shared(&kind.value));
        return point.get("password").or_else(|| auth?.get("password").filter(|_| is_shared));
    }
    let (mut is_shared, mut phrase) = (false, None);
    for (key, value) in &point.entries {
        match key.value.as_str() {
            "password" => (is_shared, phrase) = (true, Some(value)),
            "auth" => {
                for (key, value) in value.value.map().into_iter().flat_map(|auth| &auth.entries) {
                    match key.value.as_str() {
                        "key-management" => is_shared = value.value.text() == Some("psk"),
                        "password" => phrase = Some(value),
                        _ => {}
                    }
                }
            }
            _ => {}
        }
    }
    phrase.filter(|_| is_shared)
}
