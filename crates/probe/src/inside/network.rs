//! Addresses, links, routes and rules of routing.

use impostazione_core::network::inside_rules::{ADDRESSES, LINKS, ROUTES, ROUTING_RULES};
use impostazione_net::Family;
use serde_json::Value;

use super::expected::{Host, route_text, rule_text};
use super::fact::{InsideFact, InsideState};
use super::said::{Said, Unsaid};

/// Priorities of the rules that every kernel has.
const USUAL_PRIORITIES: [u64; 3] = [0, 32_766, 32_767];

/// What `ip -j` said; `None` where that cannot be read.
fn json(said: &Said, part: &str) -> Result<Vec<Value>, Unsaid> {
    let text = said.of(part)?;
    if text.is_empty() {
        return Ok(Vec::new());
    }
    match serde_json::from_str(text) {
        Ok(Value::Array(values)) => Ok(values),
        _ => Err(Unsaid::Failed),
    }
}

fn text<'v>(value: &'v Value, key: &str) -> Option<&'v str> {
    value.get(key).and_then(Value::as_str)
}

/// All that is judged of the network.
pub(super) fn facts(host: Host<'_>, said: &Said) -> Vec<InsideFact> {
    let mut facts = vec![addresses(host, said), links(host, said), routes(host, said)];
    facts.extend(rules(host, said));
    facts
}

fn no_ip(rule: &'static impostazione_core::finding::Rule, about: &str) -> InsideFact {
    let fix = "look with `ip address` and `ip route` on the host; its iproute2 may be older than 4.18";
    InsideFact::not_looked(rule, about, "`ip -j` did not answer there", fix)
}

fn addresses(host: Host<'_>, said: &Said) -> InsideFact {
    let Ok(shown) = json(said, "addresses") else { return no_ip(&ADDRESSES, "addresses") };
    let (mut found, mut failed) = (Vec::new(), Vec::new());
    for link in &shown {
        let Some(name) = text(link, "ifname").filter(|name| *name != "lo") else { continue };
        for address in link.get("addr_info").and_then(Value::as_array).into_iter().flatten() {
            let is_flagged = |flag: &str| address.get(flag).and_then(Value::as_bool) == Some(true);
            let is_advertised = is_flagged("dynamic") && text(address, "family") == Some("inet6");
            if text(address, "scope") != Some("global") || (is_advertised && host.takes_advertisements()) {
                continue;
            }
            let (Some(local), Some(length)) =
                (text(address, "local"), address.get("prefixlen").and_then(Value::as_u64))
            else {
                continue;
            };
            found.push(format!("{name} {local}/{length}"));
            if is_flagged("dadfailed") {
                failed.push(format!("{local} on {name}"));
            }
        }
    }
    let links = host.machine.links.iter();
    let expected: Vec<String> = links
        .flat_map(|link| {
            let name = link.name.value.as_str();
            host.addresses(link).into_iter().map(move |address| format!("{name} {address}"))
        })
        .collect();
    if let Some(first) = failed.first() {
        let says = format!("does not use {first}, since somebody else answered for it");
        return InsideFact::wrong(&ADDRESSES, "addresses", found, says, "find who else has that address");
    }
    let fix = "`ip address` on the host shows who gave it; place the host's output again and boot it, or take the change back";
    InsideFact::compared(&ADDRESSES, "addresses", (found, expected), "the address", fix)
}

/// Whether the links of the sheet are set up.
fn links(host: Host<'_>, said: &Said) -> InsideFact {
    let (part, program) =
        if host.is_by_manager() { ("manager", "NetworkManager") } else { ("links", "systemd-networkd") };
    let Ok(shown) = said.of(part) else {
        let why = format!("{program} did not answer there");
        let fix = "look with `networkctl` or `nmcli device` on the host";
        return InsideFact::not_looked(&LINKS, "links", why, fix);
    };
    let states: Vec<(String, String)> = shown
        .lines()
        .filter_map(|line| {
            if host.is_by_manager() {
                let mut fields = line.split(':');
                Some((fields.next()?.to_owned(), fields.next()?.to_owned()))
            } else {
                let mut fields = line.split_whitespace().skip(1);
                let name = fields.next()?.to_owned();
                Some((name, fields.last()?.to_owned()))
            }
        })
        .collect();
    let is_set_up = |state: &str| state == "configured" || state == "connected";
    let is_under_way = |state: &str| {
        matches!(state, "configuring" | "pending" | "initialized") || state.starts_with("connecting")
    };
    let (mut found, mut wrong, mut waits) = (Vec::new(), Vec::new(), false);
    for link in &host.machine.links {
        let name = link.name.value.as_str();
        let state = states.iter().find(|(known, _)| known == name).map(|(_, state)| state.as_str());
        let state = state.unwrap_or("missing");
        found.push(format!("{name} {state}"));
        waits |= is_under_way(state);
        if !is_set_up(state) {
            wrong.push(format!("{name} is {state}"));
        }
    }
    if wrong.is_empty() {
        return InsideFact::right(&LINKS, "links", found);
    }
    let says = format!("has links that {program} does not call set up: {}", crate::judge::listed(&wrong));
    let fix = "look with `networkctl status` or `nmcli device` on the host";
    let fact = InsideFact::wrong(&LINKS, "links", found, says, fix);
    let state = if waits { InsideState::NotYet } else { InsideState::Wrong };
    InsideFact { state, ..fact }
}

fn routes(host: Host<'_>, said: &Said) -> InsideFact {
    let (mut found, mut expected) = (Vec::new(), Vec::new());
    for family in Family::BOTH {
        let part = if family == Family::V4 { "routes4" } else { "routes6" };
        let Ok(shown) = json(said, part) else { return no_ip(&ROUTES, "routes") };
        expected.extend(host.routes(family));
        found.extend(shown.iter().filter_map(|route| route_of(host, route, family)));
    }
    found.sort();
    found.dedup();
    expected.sort();
    expected.dedup();
    let fix = "`ip route show table all` on the host shows who set it; place the host's output again and boot it, or take the change back";
    InsideFact::compared(&ROUTES, "routes", (found, expected), "the route", fix)
}

/// A route that somebody has set; `None` for those that the kernel makes itself.
fn route_of(host: Host<'_>, route: &Value, family: Family) -> Option<String> {
    let is_usual = text(route, "type").is_none_or(|kind| kind == "unicast");
    let (to, device) = (text(route, "dst")?, text(route, "dev").unwrap_or("several links"));
    let protocol = text(route, "protocol").unwrap_or_default();
    let table = text(route, "table").unwrap_or("main");
    let is_advertised = protocol == "ra" && family == Family::V6 && host.takes_advertisements();
    let is_kernels = protocol == "kernel" || is_advertised || table == "local" || device == "lo";
    let is_multicast = to.starts_with("ff00") || to.starts_with("multicast");
    // The kernel keeps a route by a link without a cable, and does not take it.
    let flags = route.get("flags").and_then(Value::as_array);
    let is_dead = flags.is_some_and(|flags| flags.iter().any(|flag| flag == "dead"));
    if !is_usual || is_kernels || is_multicast || is_dead {
        return None;
    }
    Some(route_text(to, text(route, "gateway"), device, table))
}

fn rules(host: Host<'_>, said: &Said) -> Option<InsideFact> {
    let (mut found, mut expected) = (Vec::new(), Vec::new());
    for family in Family::BOTH {
        let part = if family == Family::V4 { "rules4" } else { "rules6" };
        expected.extend(host.rules(family));
        // A kernel without IPv6 has none.
        let shown = match json(said, part) {
            Ok(shown) => shown,
            Err(_) if family == Family::V6 => Vec::new(),
            Err(_) => return Some(no_ip(&ROUTING_RULES, "routing rules")),
        };
        found.extend(shown.iter().filter_map(rule_of));
    }
    if expected.is_empty() && found.is_empty() {
        return None;
    }
    let fix = "`ip rule` on the host shows them; place the host's output again and boot it, or take the change back";
    Some(InsideFact::compared(&ROUTING_RULES, "routing rules", (found, expected), "the rule", fix))
}

fn rule_of(rule: &Value) -> Option<String> {
    let priority = rule.get("priority").and_then(Value::as_u64);
    let from = text(rule, "src").unwrap_or("all");
    if priority.is_some_and(|priority| USUAL_PRIORITIES.contains(&priority)) && from == "all" {
        return None;
    }
    let to = text(rule, "dst").map(|to| match rule.get("dstlen").and_then(Value::as_u64) {
        Some(length) => format!("{to}/{length}"),
        None => to.to_owned(),
    });
    let from = match rule.get("srclen").and_then(Value::as_u64) {
        Some(length) => format!("{from}/{length}"),
        None => from.to_owned(),
    };
    Some(rule_text(&from, to.as_deref(), text(rule, "table").unwrap_or("?")))
}
