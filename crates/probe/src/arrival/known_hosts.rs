//! Lists of host keys (`sshd(8)`, `SSH_KNOWN_HOSTS FILE FORMAT`): those by which hosts are known, and what stands in the user's own.

use std::net::IpAddr;

use impostazione_core::finding::Finding;
use impostazione_core::machine::{Link, Machine, Ssh};
use impostazione_core::network::rules::KNOWN_HOSTS_OLD;
use ring::hmac;
use ssh_key::known_hosts::{Entry, HostPatterns, Marker};
use ssh_key::{KnownHosts, PublicKey};

use crate::question::{ArrivalPlan, ExpectedMachine, HostKeys, Way};

/// A list of host keys.
#[derive(Debug)]
pub struct HostKeyList {
    /// What messages call the file.
    name: String,
    /// Its entries, each with its line from 1.
    entries: Vec<(usize, Entry)>,
}

impl HostKeyList {
    /// Reads a list. Lines that are none are ignored, as OpenSSH does.
    pub fn read(name: &str, text: &str) -> Self {
        let lines = text.lines().enumerate();
        let entry = |(at, line): (usize, &str)| Some((at + 1, KnownHosts::new(line).next()?.ok()?));
        Self { name: name.to_owned(), entries: lines.filter_map(entry).collect() }
    }

    /// How many entries it has.
    pub fn len(&self) -> usize {
        self.entries.len()
    }

    /// Whether it has none.
    pub fn is_empty(&self) -> bool {
        self.entries.is_empty()
    }

    /// The entries for one of some names.
    fn of<'l>(&'l self, names: &'l [String]) -> impl Iterator<Item = (usize, &'l Entry, &'l String)> {
        self.entries.iter().filter_map(|(line, entry)| {
            let name = names.iter().find(|name| is_for(entry.host_patterns(), name))?;
            Some((*line, entry, name))
        })
    }

    /// The keys by which a host is known here.
    pub fn keys_of(&self, machine: &Machine) -> HostKeys {
        let names = names(machine);
        let usual = self.of(&names).filter(|(_, entry, _)| entry.marker().is_none());
        let keys: Vec<PublicKey> = usual.map(|(_, entry, _)| entry.public_key().clone()).collect();
        if keys.is_empty() {
            return HostKeys::NotLooked(format!("{} has no key for it", self.name));
        }
        HostKeys::Known(keys)
    }
}

/// What a host may be called in such a list; with its port where that is not the usual one.
fn names(machine: &Machine) -> Vec<String> {
    let hostname = machine.hostname.value().map(ToString::to_string);
    let addresses: Vec<IpAddr> =
        machine.links.iter().flat_map(Link::addresses).map(|own| own.address.value).collect();
    let all = hostname.into_iter().chain(machine.fqdn()).chain(addresses.iter().map(ToString::to_string));
    let port = machine.settings.ssh.port();
    let named = |name: String| if port == Ssh::USUAL_PORT { name } else { format!("[{name}]:{port}") };
    let mut names: Vec<String> = all.map(named).collect();
    names.dedup();
    names
}

/// Whether an entry is for a name.
fn is_for(patterns: &HostPatterns, name: &str) -> bool {
    match patterns {
        HostPatterns::HashedName { salt, hash } => {
            let key = hmac::Key::new(hmac::HMAC_SHA1_FOR_LEGACY_USE_ONLY, salt);
            hmac::sign(&key, name.as_bytes()).as_ref() == hash
        }
        HostPatterns::Patterns(patterns) => {
            let matches = |pattern: &str| is_like(pattern.as_bytes(), name.to_ascii_lowercase().as_bytes());
            let denied = patterns.iter().filter_map(|pattern| pattern.strip_prefix('!'));
            patterns.iter().any(|pattern| !pattern.starts_with('!') && matches(&pattern.to_ascii_lowercase()))
                && !denied.into_iter().any(|pattern| matches(&pattern.to_ascii_lowercase()))
        }
    }
}

/// Whether a text is like a pattern, in which `*` is any text and `?` any character (`ssh_config(5)`, PATTERNS).
fn is_like(pattern: &[u8], text: &[u8]) -> bool {
    // The last place where a star stood, and how much of the text it has taken.
    let (mut at, mut from) = (0, 0);
    let mut star = None;
    while from < text.len() {
        match pattern.get(at) {
            Some(b'*') => {
                star = Some((at, from));
                at += 1;
            }
            Some(byte) if *byte == b'?' || text.get(from) == Some(byte) => (at, from) = (at + 1, from + 1),
            _ => match star {
                Some((place, taken)) => {
                    star = Some((place, taken + 1));
                    (at, from) = (place + 1, taken + 1);
                }
                None => return false,
            },
        }
    }
    pattern.get(at..).unwrap_or_default().iter().all(|byte| *byte == b'*')
}

/// The entries of a user's own list that stand in the way of the host keys that are meant: a finding for each host.
pub fn own_known_hosts(plan: &ArrivalPlan<'_>, list: &HostKeyList) -> Vec<Finding> {
    let of_host = |expected: &ExpectedMachine<'_>| {
        let Way::Ssh(_, HostKeys::Known(known)) = &expected.way else { return None };
        let names = names(expected.machine);
        let is_same = |key: &PublicKey| known.iter().any(|one| one.key_data() == key.key_data());
        let is_of_kind = |key: &PublicKey| known.iter().any(|one| one.algorithm() == key.algorithm());
        let old: Vec<(usize, &String)> = list
            .of(&names)
            .filter(|(_, entry, _)| !matches!(entry.marker(), Some(Marker::CertAuthority | Marker::Revoked)))
            .filter(|(_, entry, _)| is_of_kind(entry.public_key()) && !is_same(entry.public_key()))
            .map(|(line, _, name)| (line, name))
            .collect();
        let place = expected.addresses.first()?.place;
        let mut lines: Vec<usize> = old.iter().map(|(line, _)| *line).collect();
        lines.dedup();
        let mut commands: Vec<String> = Vec::new();
        for (_, name) in &old {
            let name = if name.starts_with('[') { format!("'{name}'") } else { (*name).clone() };
            let command = format!("ssh-keygen -R {name} -f {}", list.name);
            if !commands.contains(&command) {
                commands.push(command);
            }
        }
        let (what, called) = (if lines.len() == 1 { "Line" } else { "Lines" }, expected.machine.called());
        let has = if lines.len() == 1 { "has" } else { "have" };
        let message = format!(
            "{what} {} of {} {has} another host key for {called} than the one that is meant, so your SSH client will refuse it.",
            crate::judge::listed(&lines),
            list.name
        );
        let label = expected.machine.label.as_deref().map(str::to_owned);
        (!old.is_empty())
            .then(|| Finding::new(&KNOWN_HOSTS_OLD, label, place, message, commands.join(" && ")))
    };
    plan.machines.iter().filter_map(of_host).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns_are_those_of_openssh() {
        let like = |pattern: &str, text: &str| is_like(pattern.as_bytes(), text.as_bytes());
        assert!(
            like("gauge-*", "gauge-01")
                && like("*.example", "a.b.example")
                && like("10.64.10.1?", "10.64.10.11")
        );
        assert!(like("*", "") && like("a*b*c", "aXbYbZc"));
        assert!(!like("gauge-?", "gauge-01") && !like("gauge", "gauge-01") && !like("a*b", "aXc"));
    }

    #[test]
    fn lines_that_are_none_are_ignored() {
        let key = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIPuGZtSiZ5iXSX7ZwtqRyGBx7bzaMe7qyYFXgMGAvEtb";
        let text = format!("# comment\n\nnonsense\n10.64.10.11,gauge-* {key}\n!gauge-02,gauge-* {key} x\n");
        let list = HostKeyList::read("known_hosts", &text);
        let found = |name: &str| {
            let names = [name.to_owned()];
            list.of(&names).map(|(line, ..)| line).collect::<Vec<_>>()
        };
        assert_eq!(found("10.64.10.11"), [4]);
        assert_eq!(found("gauge-01"), [4, 5]);
        assert_eq!(found("gauge-02"), [4]);
        assert!(found("crane").is_empty());
    }
}
