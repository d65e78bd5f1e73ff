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
