//! A network namespace of a test's own, in which all its addresses live.

use std::sync::atomic::{AtomicU32, Ordering};

use crate::shell::{ask, run};

/// A namespace, which goes when this is dropped.
pub(crate) struct Network {
    pub(crate) name: String,
}

/// Several tests of one run have networks at once.
static COUNT: AtomicU32 = AtomicU32::new(0);

impl Network {
    pub(crate) fn new() -> Self {
        let number = COUNT.fetch_add(1, Ordering::Relaxed);
        let name = format!("capovetro-{}-{number}", std::process::id());
        run("ip", &["netns", "add", &name]);
        let network = Self { name };
        network.ip("link set lo up");
        network
    }

    /// A namespace with bridges that have addresses.
    pub(crate) fn with_bridges(bridges: &[(&str, &[&str])]) -> Self {
        let network = Self::new();
        for (bridge, addresses) in bridges {
            network.ip(&format!("link add {bridge} type bridge"));
            network.add_addresses(bridge, addresses);
            network.ip(&format!("link set {bridge} up"));
        }
        network
    }

    /// Gives a link addresses, which may be used at once.
    pub(crate) fn add_addresses(&self, link: &str, addresses: &[&str]) {
        for address in addresses {
            let nodad = if address.contains(':') { " nodad" } else { "" };
            self.ip(&format!("addr add {address} dev {link}{nodad}"));
        }
    }

    /// Changes something about it.
    pub(crate) fn ip(&self, command: &str) {
        let words: Vec<&str> = command.split_whitespace().collect();
        run("ip", &[&["-n", &self.name], words.as_slice()].concat());
    }

    /// Whether a link is in it.
    pub(crate) fn has(&self, link: &str) -> bool {
        ask("ip", &["-n", &self.name, "link", "show", link], "").0 == 0
    }

    /// Bytes that came in on a link.
    pub(crate) fn received(&self, link: &str) -> u64 {
        let shown = run("ip", &["-n", &self.name, "-s", "-j", "link", "show", link]);
        let shown: serde_json::Value = serde_json::from_str(&shown).unwrap();
        shown[0]["stats64"]["rx"]["bytes"].as_u64().unwrap()
    }

    /// Words that run a program in it; `ip netns exec` would put another /sys in place.
    pub(crate) fn within(&self) -> [String; 2] {
        ["nsenter".to_owned(), format!("--net=/run/netns/{}", self.name)]
    }
}

impl Drop for Network {
    fn drop(&mut self) {
        ask("ip", &["netns", "del", &self.name], "");
    }
}
