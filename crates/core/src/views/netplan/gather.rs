//! What several files come to: netplan's definitions, in the way in which netplan gathers them.
//!
//! netplan reads one file after the other. Within a file it begins again while names that were unknown turn up further down,
//! so that a link may stand behind what is made of it, but never in a later file. What a link needs is looked at after each
//! file that mentions it.

use impostazione_text::{Sources, Written};

use super::definitions::{Backend, Definition, Definitions};
use super::references::{self, Reference, Role};
use super::section::Kind;
use super::yaml::{Map, Node, Value};
use super::{join, needs, sentences};
use crate::finding::Finding;
use crate::machine::NetplanVersion;

impl Definitions {
    /// Whether netplan will begin a file a second time.
    pub(super) fn begins_again(&self, root: &Node) -> bool {
        let network = root.value.map().and_then(|root| root.map("network"));
        network.is_some_and(|network| references::begins_again(network, &|id| self.get(id).is_some()))
    }

    /// Adds a file.
    pub(super) fn add(&mut self, root: &Node, sources: &Sources, findings: &mut Vec<Finding>) {
        let Some(network) = root.value.map().and_then(|root| root.map("network")) else { return };
        let mut spoken_of: Vec<String> = Vec::new();
        let mut looked_at: Vec<String> = Vec::new();
        let known_before = self.all.len();
        let mut unknown: Vec<Reference> = Vec::new();
        let begins_again = self.begins_again(root);
        for (section, value) in &network.entries {
            let name = section.value.as_str();
            match (name, &value.value) {
                ("renderer", Value::Scalar(text)) => {
                    self.renderer = Some(Written::new(text.clone(), value.place));
                }
                ("openvswitch", Value::Map(map)) => {
                    self.add_switch_ports(map);
                    let id = section.with("openvswitch".to_owned());
                    references::data_twice(&self.switches, &id, map, findings);
                    join::join(&mut self.switches, map.clone(), None, sources, findings);
                }
                (section, Value::Map(map)) => {
                    let Some(kind) = Kind::of_section(section) else { continue };
                    let mut renderer = None;
                    for (id, link) in &map.entries {
                        if id.value == "renderer" {
                            renderer = link.value.text().map(str::to_owned);
                            continue;
                        }
                        let Value::Map(body) = &link.value else { continue };
                        self.speak_of(id, kind, renderer.clone(), body, sources, findings);
                        spoken_of.push(id.value.clone());
                        let unknown_before = unknown.len();
                        for reference in references::of(kind, id, body) {
                            if self.get(&reference.to.value).is_some() {
                                self.take(&reference, findings);
                            } else {
                                unknown.push(reference);
                            }
                        }
                        if unknown_before == 0 && unknown.is_empty() {
                            self.look_at_manager(&id.value, findings);
                            looked_at.push(id.value.clone());
                        }
                    }
                }
                _ => {}
            }
        }
        // Once more, for what was unknown when it was first met.
        for reference in &unknown {
            // netplan keeps a place for the last link that names what is missing, and comes to grief over the others, unless
            // the port itself filters them.
            let last = unknown.iter().rev().find(|other| other.to.value == reference.to.value);
            let is_last = last.is_some_and(|last| last.of.value == reference.of.value);
            let is_filtered = self
                .get(&reference.of.value)
                .is_some_and(|of| of.body.text("renderer").is_some_and(|renderer| renderer.value == "sriov"));
            if self.get(&reference.to.value).is_some() {
                self.take(reference, findings);
            } else if !((is_last || is_filtered) && self.may_be_missing(reference)) {
                findings.push(sentences::link_undefined(&reference.of, &reference.to, self.known_ids()));
            }
        }
        if begins_again {
            self.meet_again(network, known_before, findings);
        }
        spoken_of.sort_unstable();
        spoken_of.dedup();
        for id in spoken_of {
            if !looked_at.contains(&id) {
                self.look_at_manager(&id, findings);
            }
            if let Some(definition) = self.get(&id) {
                needs::check(self, definition, findings);
            }
        }
    }

    fn look_at_manager(&self, id: &str, findings: &mut Vec<Finding>) {
        if let Some(definition) = self.get(id) {
            needs::check_manager(self, definition, findings);
        }
    }

    fn known_ids(&self) -> Vec<&str> {
        self.all.iter().map(|definition| definition.id.value.as_str()).collect()
    }

    /// Whether `NetworkManager` may bring what a link stands on.
    fn may_be_missing(&self, reference: &Reference) -> bool {
        let Some(of) = self.get(&reference.of.value) else { return false };
        self.version >= NetplanVersion::new(1, 0)
            && matches!(of.kind, Kind::Vlan | Kind::Veth)
            && self.backend(of) == Backend::NetworkManager
    }

    fn add_switch_ports(&mut self, switches: &Map) {
        for pair in switches.list("ports") {
            for port in pair.value.list().unwrap_or_default() {
                let Some(text) = port.value.text() else { continue };
                if self.get(text).is_none() {
                    let id = Written::new(text.to_owned(), port.place);
                    self.all.push(Definition::new(id, Kind::SwitchPort, None));
                }
            }
        }
    }

    fn speak_of(
        &mut self,
        id: &Written<String>,
        kind: Kind,
        renderer: Option<String>,
        body: &Map,
        sources: &Sources,
        findings: &mut Vec<Finding>,
    ) {
        let index = self.index(&id.value).unwrap_or_else(|| {
            self.all.push(Definition::new(id.clone(), kind, renderer));
            self.all.len() - 1
        });
        let version = self.version;
        let Some(known) = self.all.get_mut(index) else { return };
        if known.kind != kind {
            let is_switch_port = known.kind == Kind::SwitchPort;
            findings.push(sentences::kind_changes(id, known.kind.word(), kind.word(), is_switch_port));
            return;
        }
        references::meets_itself(version, &known.body, id, body, findings);
        if kind == Kind::Tunnel {
            // What is said of a VXLAN is forgotten when the tunnel is mentioned again.
            known.body.entries.retain(|(key, _)| !references::OF_VXLAN.contains(&key.value.as_str()));
        }
        join::join(&mut known.body, body.clone(), Some(&id.value), sources, findings);
    }

    /// Notes who is a member of what.
    fn take(&mut self, reference: &Reference, findings: &mut Vec<Finding>) {
        let Some(index) = self.index(&reference.to.value) else { return };
        let of = reference.of.value.clone();
        let Some(member) = self.all.get_mut(index) else { return };
        let taken = |by: &Option<String>| by.as_ref().filter(|by| **by != of).cloned();
        let other = match reference.role {
            Role::BondMember => member.bridge.clone().or_else(|| taken(&member.bond)),
            Role::BridgeMember => taken(&member.bridge).or_else(|| member.bond.clone()),
            Role::VrfMember => taken(&member.vrf),
            _ => None,
        };
        if let Some(other) = other {
            findings.push(sentences::taken_twice(&reference.of, &reference.to, &other));
            return;
        }
        match reference.role {
            Role::BondMember => member.bond = Some(of),
            Role::BridgeMember => member.bridge = Some(of),
            Role::VrfMember => member.vrf = Some(of),
            Role::Stands | Role::Named => {}
        }
    }

    /// What netplan meets a second time because it begins a file again, and refuses then. `before` is how many definitions
    /// there were ahead of the file.
    fn meet_again(&self, network: &Map, before: usize, findings: &mut Vec<Finding>) {
        let mut known: Vec<&str> =
            self.all.iter().take(before).map(|known| known.id.value.as_str()).collect();
        for (section, links) in &network.entries {
            let (Some(kind), Some(links)) = (Kind::of_section(&section.value), links.value.map()) else {
                continue;
            };
            for (id, link) in &links.entries {
                known.push(&id.value);
                if let Value::Map(body) = &link.value {
                    references::meets_again(
                        self.version,
                        kind,
                        id,
                        body,
                        &|id| known.contains(&id),
                        findings,
                    );
                }
            }
        }
    }
}
