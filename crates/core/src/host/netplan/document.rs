//! The part of netplan's YAML that is written here, key by key in the order in which it is written.

use std::collections::BTreeMap;

use impostazione_text::Hidden;
use serde::Serialize;

#[derive(Debug, Serialize)]
pub(super) struct Document {
    pub(super) network: Network,
}

#[derive(Debug, Default, Serialize)]
pub(super) struct Network {
    pub(super) version: u8,
    pub(super) renderer: &'static str,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub(super) ethernets: BTreeMap<String, Device>,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub(super) wifis: BTreeMap<String, Device>,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub(super) bonds: BTreeMap<String, Device>,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub(super) bridges: BTreeMap<String, Device>,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub(super) vlans: BTreeMap<String, Device>,
}

/// A link of any kind: which keys are there depends on it.
#[derive(Debug, Default, Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct Device {
    #[serde(rename = "match", skip_serializing_if = "Option::is_none")]
    pub(super) found_by: Option<Match>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) set_name: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) id: Option<u16>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) link: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) interfaces: Option<Vec<String>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) parameters: Option<Parameters>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) macaddress: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) mtu: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) wakeonlan: Option<bool>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) regulatory_domain: Option<String>,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub(super) access_points: BTreeMap<String, AccessPoint>,
    pub(super) dhcp4: bool,
    pub(super) dhcp6: bool,
    pub(super) accept_ra: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) link_local: Option<Vec<&'static str>>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) addresses: Vec<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) routes: Vec<Route>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) routing_policy: Vec<RoutingRule>,
    #[serde(skip_serializing_if = "Nameservers::is_empty")]
    pub(super) nameservers: Nameservers,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) networkmanager: Option<ForNetworkManager>,
}

/// How a port is found, where that is not by the link's name.
#[derive(Debug, Serialize)]
#[serde(rename_all = "lowercase")]
pub(super) enum Match {
    MacAddress(String),
    Name(&'static str),
}

#[derive(Debug, Serialize)]
#[serde(untagged)]
pub(super) enum Parameters {
    #[serde(rename_all = "kebab-case")]
    Bond {
        mode: &'static str,
        mii_monitor_interval: u32,
        #[serde(skip_serializing_if = "Option::is_none")]
        primary: Option<String>,
        #[serde(skip_serializing_if = "Option::is_none")]
        lacp_rate: Option<&'static str>,
        #[serde(skip_serializing_if = "Option::is_none")]
        transmit_hash_policy: Option<&'static str>,
    },
    Bridge {
        stp: bool,
    },
}

#[derive(Debug, Default, Serialize)]
pub(super) struct AccessPoint {
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) hidden: Option<bool>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) auth: Option<Auth>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) networkmanager: Option<ForNetworkManager>,
}

/// Writes a hidden text into the one file that it belongs into.
fn revealed<S: serde::Serializer>(hidden: &Hidden, serializer: S) -> Result<S::Ok, S::Error> {
    serializer.serialize_str(hidden.reveal())
}

#[derive(Debug, Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct Auth {
    pub(super) key_management: &'static str,
    #[serde(serialize_with = "revealed")]
    pub(super) password: Hidden,
}

#[derive(Debug, Serialize)]
pub(super) struct Route {
    pub(super) to: String,
    pub(super) via: String,
    /// Whether the router is reached on the link although no network of the link holds it.
    #[serde(rename = "on-link", skip_serializing_if = "std::ops::Not::not")]
    pub(super) is_on_link: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) metric: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) table: Option<u32>,
}

#[derive(Debug, Serialize)]
pub(super) struct RoutingRule {
    pub(super) from: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) to: Option<String>,
    pub(super) table: u32,
    pub(super) priority: u32,
}

#[derive(Debug, Default, Serialize)]
pub(super) struct Nameservers {
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) search: Vec<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) addresses: Vec<String>,
}

impl Nameservers {
    fn is_empty(&self) -> bool {
        self.search.is_empty() && self.addresses.is_empty()
    }
}

/// Settings that netplan hands to `NetworkManager` as they are.
#[derive(Clone, Debug, Serialize)]
pub(super) struct ForNetworkManager {
    pub(super) passthrough: BTreeMap<&'static str, &'static str>,
}
