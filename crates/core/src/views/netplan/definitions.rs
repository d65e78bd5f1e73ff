//! Netplan's definitions: links with what all files together say of them.

use impostazione_text::Written;

use super::grammar::number;
use super::section::Kind;
use super::yaml::Map;
use crate::machine::NetplanVersion;

/// A link of some kind, as all files together have it.
#[derive(Clone, Debug)]
pub(super) struct Definition {
    /// What the files call it, which is its name where nothing else is said.
    pub(super) id: Written<String>,
    pub(super) kind: Kind,
    /// What is said of it.
    pub(super) body: Map,
    /// What its section said last, before it was first mentioned.
    section_renderer: Option<String>,
    /// The bond, the bridge and the VRF that it is a member of.
    pub(super) bond: Option<String>,
    pub(super) bridge: Option<String>,
    pub(super) vrf: Option<String>,
}

/// Who sets a link up.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Backend {
    Networkd,
    NetworkManager,
    OpenVSwitch,
}

/// All definitions.
#[derive(Debug)]
pub(super) struct Definitions {
    pub(super) version: NetplanVersion,
    pub(super) all: Vec<Definition>,
    /// The renderer of all links that name none.
    pub(super) renderer: Option<Written<String>>,
    /// What is said of Open vSwitch as a whole.
    pub(super) switches: Map,
}

impl Definitions {
    pub(super) fn new(version: NetplanVersion) -> Self {
        Self { version, all: Vec::new(), renderer: None, switches: Map::default() }
    }

    pub(super) fn get(&self, id: &str) -> Option<&Definition> {
        self.all.iter().find(|definition| definition.id.value == id)
    }

    pub(super) fn index(&self, id: &str) -> Option<usize> {
        self.all.iter().position(|definition| definition.id.value == id)
    }

    /// Who sets a link up.
    pub(super) fn backend(&self, definition: &Definition) -> Backend {
        if self.is_switched(definition, 0) {
            return Backend::OpenVSwitch;
        }
        if definition.kind == Kind::Manager && self.version >= NetplanVersion::new(1, 0) {
            return Backend::NetworkManager;
        }
        let own = definition.body.text("renderer").map(|written| written.value);
        // `sriov` is the renderer of a VLAN that the port itself filters, which is no renderer.
        let own = own.filter(|own| own != "sriov").or_else(|| definition.section_renderer.clone());
        let word = own.or_else(|| self.renderer.as_ref().map(|written| written.value.clone()));
        if word.as_deref() == Some("NetworkManager") { Backend::NetworkManager } else { Backend::Networkd }
    }

    /// Whether Open vSwitch has a link. Links that are made of such a link are its as well.
    fn is_switched(&self, definition: &Definition, depth: usize) -> bool {
        if definition.kind == Kind::SwitchPort {
            return true;
        }
        let is_made_of_links = matches!(definition.kind, Kind::Bond | Kind::Bridge);
        if let Some(switch) = definition.body.map("openvswitch") {
            let is_data = |key: &str| matches!(key, "external-ids" | "other-config");
            let is_only_data = !is_made_of_links
                && !switch.entries.is_empty()
                && switch.entries.iter().all(|(key, _)| is_data(&key.value));
            if !is_only_data {
                return true;
            }
        }
        if depth > 8 {
            return false;
        }
        let mode = definition.body.map("parameters").and_then(|parameters| parameters.text("mode"));
        let is_switch_mode =
            mode.is_some_and(|mode| matches!(mode.value.as_str(), "balance-tcp" | "balance-slb"));
        let is_member_of = |member: &&Definition| match definition.kind {
            Kind::Bond => member.bond.as_deref() == Some(&definition.id.value),
            Kind::Bridge => member.bridge.as_deref() == Some(&definition.id.value),
            _ => false,
        };
        (definition.kind == Kind::Bond && is_switch_mode)
            || (is_made_of_links
                && self.all.iter().filter(is_member_of).any(|member| self.is_switched(member, depth + 1)))
            || (definition.kind == Kind::Vlan
                && definition
                    .body
                    .text("link")
                    .and_then(|link| self.get(&link.value))
                    .is_some_and(|link| self.is_switched(link, depth + 1)))
    }
}

impl Definition {
    pub(super) fn new(id: Written<String>, kind: Kind, section_renderer: Option<String>) -> Self {
        Self { id, kind, body: Map::default(), section_renderer, bond: None, bridge: None, vrf: None }
    }

    /// A number of its own, where it has one.
    pub(super) fn number(&self, key: &str) -> Option<u64> {
        number(&self.body.text(key)?.value)
    }

    /// Whether a port is found by more than its name.
    pub(super) fn has_match(&self) -> bool {
        self.body.get("match").is_some()
    }
}
