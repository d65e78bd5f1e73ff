//! What the links of netplan files name each other for, and what netplan refuses when it meets something twice.

use impostazione_text::Written;

use super::section::Kind;
use super::sentences;
use super::yaml::{Map, Value};
use crate::finding::Finding;
use crate::machine::NetplanVersion;

/// A link that names another.
#[derive(Clone, Debug)]
pub(super) struct Reference {
    /// The link that names it.
    pub(super) of: Written<String>,
    /// What it names.
    pub(super) to: Written<String>,
    pub(super) role: Role,
}

/// What for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Role {
    BondMember,
    BridgeMember,
    VrfMember,
    /// It stands on that link.
    Stands,
    /// Something is said of that link.
    Named,
}

/// The keys of a tunnel that are its VXLAN's.
pub(super) const OF_VXLAN: [&str; 15] = [
    "link",
    "ageing",
    "aging",
    "id",
    "limit",
    "type-of-service",
    "flow-label",
    "do-not-fragment",
    "short-circuit",
    "arp-proxy",
    "mac-learning",
    "notifications",
    "checksums",
    "extensions",
    "port-range",
];

/// The links that a link names.
pub(super) fn of(kind: Kind, id: &Written<String>, body: &Map) -> Vec<Reference> {
    let mut references = Vec::new();
    let mut name = |to: Written<String>, role| references.push(Reference { of: id.clone(), to, role });
    for (key, value) in &body.entries {
        let member = match kind {
            Kind::Bond => Some(Role::BondMember),
            Kind::Bridge => Some(Role::BridgeMember),
            Kind::Vrf => Some(Role::VrfMember),
            _ => None,
        };
        match (key.value.as_str(), &value.value, member) {
            ("interfaces", Value::List(items), Some(role)) => {
                for item in items {
                    if let Value::Scalar(text) = &item.value {
                        name(Written::new(text.clone(), item.place), role);
                    }
                }
            }
            ("parameters", Value::Map(parameters), Some(_)) => {
                for (parameter, value) in &parameters.entries {
                    match (parameter.value.as_str(), &value.value) {
                        ("primary", Value::Scalar(text)) if kind == Kind::Bond => {
                            name(Written::new(text.clone(), value.place), Role::Named);
                        }
                        ("path-cost" | "port-priority", Value::Map(of_ports)) if kind == Kind::Bridge => {
                            for (port, _) in &of_ports.entries {
                                name(port.clone(), Role::Named);
                            }
                        }
                        _ => {}
                    }
                }
            }
            ("link", Value::Scalar(text), None) => {
                let role = match kind {
                    Kind::Vlan => Role::Stands,
                    Kind::Ethernet | Kind::Manager | Kind::Tunnel => Role::Named,
                    _ => continue,
                };
                name(Written::new(text.clone(), value.place), role);
            }
            ("peer", Value::Scalar(text), None) if kind == Kind::Veth => {
                name(Written::new(text.clone(), value.place), Role::Named);
            }
            _ => {}
        }
    }
    references
}

/// Whether netplan begins a file a second time, because a link comes after what names it. `is_known` tells the links of
/// earlier files.
pub(super) fn begins_again(network: &Map, is_known: &dyn Fn(&str) -> bool) -> bool {
    let (mut seen, mut unknown): (Vec<&str>, Vec<String>) = (Vec::new(), Vec::new());
    for (section, links) in &network.entries {
        let (Some(kind), Some(links)) = (Kind::of_section(&section.value), links.value.map()) else {
            continue;
        };
        for (id, link) in &links.entries {
            if unknown.contains(&id.value) {
                return true;
            }
            seen.push(&id.value);
            let Some(body) = link.value.map() else { continue };
            let named = of(kind, id, body).into_iter().map(|reference| reference.to.value);
            unknown.extend(named.filter(|to| !is_known(to) && !seen.contains(&to.as_str())));
        }
    }
    false
}

/// What a second word on a link may not say again: `known` is what was said of it before.
pub(super) fn meets_itself(
    version: NetplanVersion,
    known: &Map,
    id: &Written<String>,
    body: &Map,
    findings: &mut Vec<Finding>,
) {
    let mut networks: Vec<&str> = Vec::new();
    if version < NetplanVersion::new(1, 0)
        && let Some(known) = known.map("access-points")
    {
        networks.extend(known.entries.iter().map(|(ssid, _)| ssid.value.as_str()));
    }
    for (_, points) in body.entries.iter().filter(|(key, _)| key.value == "access-points") {
        for (ssid, _) in points.value.map().iter().flat_map(|points| &points.entries) {
            if networks.contains(&ssid.value.as_str()) {
                findings.push(sentences::said_twice(ssid, "the wireless network", &id.value));
            }
            networks.push(&ssid.value);
        }
        if version >= NetplanVersion::new(1, 0) {
            networks.clear();
        }
    }
    for key in ["gateway4", "gateway6"] {
        let mut first = known.text(key);
        for (_, value) in body.entries.iter().filter(|(written, _)| written.value == key) {
            let Some(text) = value.value.text() else { continue };
            match &first {
                Some(first) if version < NetplanVersion::new(1, 0) && first.value != text => {
                    findings.push(sentences::gateway_twice(value.place, key, &first.value, text));
                }
                Some(_) => {}
                None => first = Some(Written::new(text.to_owned(), value.place)),
            }
        }
    }
    said_of_ports(known, id, body, findings);
    data_of_switches(known, id, body, findings);
    let mut primary = known.map("parameters").and_then(|known| known.text("primary"));
    for (_, value) in body.entries.iter().filter(|(key, _)| key.value == "parameters") {
        for (_, named) in
            value.value.map().iter().flat_map(|map| &map.entries).filter(|(key, _)| key.value == "primary")
        {
            let Some(text) = named.value.text() else { continue };
            match &primary {
                Some(known) if known.value != text => {
                    let named = Written::new(text.to_owned(), named.place);
                    findings.push(sentences::said_twice(&named, "a primary member", &id.value));
                }
                Some(_) => {}
                None => primary = Some(Written::new(text.to_owned(), named.place)),
            }
        }
    }
}

/// Costs and priorities of a bridge's ports, each of which may be said once. 0 counts as not said.
fn said_of_ports(known: &Map, id: &Written<String>, body: &Map, findings: &mut Vec<Finding>) {
    let costs = |body: &Map, what: &str| -> Vec<(Written<String>, bool)> {
        let parameters = body.entries.iter().filter(|(key, _)| key.value == "parameters");
        parameters
            .filter_map(|(_, value)| value.value.map())
            .flat_map(|parameters| parameters.entries.iter().filter(|(key, _)| key.value == what))
            .filter_map(|(_, value)| value.value.map())
            .flat_map(|map| &map.entries)
            .map(|(port, cost)| {
                (port.clone(), cost.value.text().is_none_or(|text| !text.trim_matches('0').is_empty()))
            })
            .collect()
    };
    for what in ["path-cost", "port-priority"] {
        let mut known = costs(known, what);
        for (port, counts) in costs(body, what) {
            if known.iter().any(|(other, counts)| *counts && other.value == port.value) {
                findings.push(sentences::said_twice(&port, &format!("`{what}`"), &id.value));
            }
            known.push((port, counts));
        }
    }
}

/// Data for Open vSwitch, of which one key may not have two values.
fn data_of_switches(known: &Map, id: &Written<String>, body: &Map, findings: &mut Vec<Finding>) {
    let mut known = known.map("openvswitch").cloned().unwrap_or_default();
    for switch in body.entries.iter().filter(|(key, _)| key.value == "openvswitch") {
        let Some(switch) = switch.1.value.map() else { continue };
        data_twice(&known, id, switch, findings);
        known.entries.extend(switch.entries.iter().cloned());
    }
}

/// The same below `openvswitch` itself.
pub(super) fn data_twice(known: &Map, id: &Written<String>, switch: &Map, findings: &mut Vec<Finding>) {
    for what in ["external-ids", "other-config"] {
        let data = |switch: &Map| -> Vec<(Written<String>, Value)> {
            let maps = switch.entries.iter().filter(|(key, _)| key.value == what);
            maps.filter_map(|(_, value)| value.value.map())
                .flat_map(|map| map.entries.iter().map(|(key, value)| (key.clone(), value.value.clone())))
                .collect()
        };
        let mut known = data(known);
        for (key, value) in data(switch) {
            if known.iter().any(|(other, said)| other.value == key.value && *said != value) {
                findings.push(sentences::said_twice(&key, &format!("`{what}`"), &id.value));
            }
            known.push((key, value));
        }
    }
}

/// What netplan meets again when it begins a file a second time: the costs and priorities of ports that it knew the first
/// time already, and before 1.0 wireless networks.
pub(super) fn meets_again(
    version: NetplanVersion,
    kind: Kind,
    id: &Written<String>,
    body: &Map,
    known_before: &dyn Fn(&str) -> bool,
    findings: &mut Vec<Finding>,
) {
    let networks =
        body.map("access-points").filter(|_| kind == Kind::Wifi && version < NetplanVersion::new(1, 0));
    if let Some((ssid, _)) = networks.and_then(|networks| networks.entries.first()) {
        findings.push(sentences::met_again(ssid, "wireless networks", &id.value));
    }
    let Some(parameters) = body.map("parameters").filter(|_| kind == Kind::Bridge) else { return };
    for what in ["path-cost", "port-priority"] {
        for (port, cost) in parameters.map(what).iter().flat_map(|map| &map.entries) {
            let counts = cost.value.text().is_none_or(|text| !text.trim_matches('0').is_empty());
            if counts && known_before(&port.value) {
                findings.push(sentences::met_again(port, &format!("`{what}`"), &id.value));
            }
        }
    }
}
