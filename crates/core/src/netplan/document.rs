//! The part of netplan's YAML that is written here, key by key in the order in which it is written.

use std::collections::BTreeMap;

use serde::Serialize;

#[derive(Debug, Serialize)]
pub(super) struct Document {
    pub(super) network: Network,
}

#[derive(Debug, Serialize)]
pub(super) struct Network {
    pub(super) version: u8,
    pub(super) renderer: &'static str,
    pub(super) ethernets: BTreeMap<String, Ethernet>,
}

#[derive(Debug, Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct Ethernet {
    pub(super) dhcp4: bool,
    pub(super) dhcp6: bool,
    pub(super) accept_ra: bool,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) addresses: Vec<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) routes: Vec<Route>,
    #[serde(skip_serializing_if = "Nameservers::is_empty")]
    pub(super) nameservers: Nameservers,
}

#[derive(Debug, Serialize)]
pub(super) struct Route {
    pub(super) to: &'static str,
    pub(super) via: String,
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
