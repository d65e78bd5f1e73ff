//! How many files were looked at, and what came of it.

use std::collections::BTreeMap;

use serde_json::Value;

use crate::facts::differences;
use crate::ours::{errors, inspected, says_refused, shown};
use crate::release::Release;

/// What came of files.
#[derive(Default)]
pub(crate) struct Counts {
    pub(crate) refused: usize,
    pub(crate) accepted: usize,
    /// Links that were compared with their units, and those that cannot be.
    pub(crate) compared: usize,
    pub(crate) not_compared: usize,
    /// Refused by netplan without an error finding.
    pub(crate) missed: Vec<String>,
    /// Taken by netplan, and called malformed, unknown or undefined.
    pub(crate) called_wrong: Vec<String>,
    /// Shown otherwise than the units say.
    pub(crate) shown_otherwise: Vec<String>,
}

impl Counts {
    /// Has netplan and the program look at the same files.
    pub(crate) fn look_at(&mut self, what: &str, release: Release, files: &BTreeMap<String, String>) {
        let judgment = release.judge(files);
        let found = inspected(files, release.netplan);
        let errors = errors(&found);
        let whole = || {
            let texts: Vec<String> = files.iter().map(|(path, text)| format!("# {path}\n{text}\n")).collect();
            texts.concat()
        };
        if judgment.is_refused {
            self.refused += 1;
            if errors.is_empty() {
                self.missed.push(format!("{what}: netplan says {}\n{}", judgment.said, whole()));
            }
            return;
        }
        self.accepted += 1;
        let called: Vec<&String> = errors.iter().filter(|rule| says_refused(rule)).collect();
        if !called.is_empty() {
            self.called_wrong.push(format!("{what}: {called:?}\n{}\n{}", found["findings"], whole()));
            return;
        }
        let shown = shown(&found);
        for (id, facts) in &judgment.facts {
            let Some(ours) = shown.get(id).filter(|_| is_comparable(&found, id)) else {
                self.not_compared += 1;
                continue;
            };
            self.compared += 1;
            let differences = differences(ours, facts);
            if !differences.is_empty() {
                self.shown_otherwise.push(format!("{what}: {id}: {}\n{}", differences.join("\n  "), whole()));
            }
        }
    }

    /// Prints the counts, and some of what is wrong.
    pub(crate) fn print(&self, name: &str) {
        println!(
            "{name}: {} files, {} accepted and {} refused by netplan\n  refused without an error finding: {}\n  \
             accepted and called malformed, unknown or undefined: {}\n  links compared with their units: {} ({} not comparable)\n  \
             shown otherwise than the units say: {}",
            self.accepted + self.refused,
            self.accepted,
            self.refused,
            self.missed.len(),
            self.called_wrong.len(),
            self.compared,
            self.not_compared,
            self.shown_otherwise.len(),
        );
        for list in [&self.missed, &self.called_wrong, &self.shown_otherwise] {
            for one in list.iter().take(8) {
                println!("-- {one}");
            }
        }
    }

    /// That nothing is wrong, and that so much was looked at.
    pub(crate) fn assert(&self, at_least_accepted: usize, at_least_refused: usize, at_least_compared: usize) {
        assert!(self.missed.is_empty(), "{} refused without an error", self.missed.len());
        assert!(self.called_wrong.is_empty(), "{} called malformed and accepted", self.called_wrong.len());
        assert!(self.shown_otherwise.is_empty(), "{} shown otherwise", self.shown_otherwise.len());
        assert!(self.accepted >= at_least_accepted, "{} accepted", self.accepted);
        assert!(self.refused >= at_least_refused, "{} refused", self.refused);
        assert!(self.compared >= at_least_compared, "{} compared", self.compared);
    }
}

/// Whether the unit of a link is made from what is said of it and from nothing else: what is passed through to
/// `NetworkManager` may change all.
fn is_comparable(found: &Value, id: &str) -> bool {
    let links = found["host"]["links"].as_array().unwrap();
    let link = links.iter().find(|link| link["id"] == id).unwrap();
    link["kind"] != "nm-device" && link["passthrough"] != true && link["renderer"] != "Open vSwitch"
}
