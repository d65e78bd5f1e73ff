//! A host as its netplan files make it, for people: its DNS servers, its links, and what is special about them.

use std::fmt::Write as _;

use impostazione_core::views::netplan::{InspectedHost, InspectedLink, InspectedRoute};
use impostazione_core::views::review::ReviewedValue;
use impostazione_text::visible::harmless;

use super::review_view::{dns_for_words, stated};
use super::table::{finished, new_table};
use super::theme::STRONG;

/// The whole host, which so many files make.
pub(crate) fn show_netplan_host(host: &InspectedHost, files: usize, width: usize) -> String {
    let mut text = String::new();
    let from = if files > 1 { format!(", from {files} files") } else { String::new() };
    // Writing to a String does not fail.
    let _ = writeln!(text, "{STRONG}{}{STRONG:#}{from}\n", harmless(&host.name));
    let renderer = ReviewedValue::Values(vec![host.renderer.to_owned()]);
    let special = dns_for_words(&host.dns_for);
    let special = (special != ReviewedValue::Nothing).then_some(("DNS for domains", &special));
    let always = [("DNS servers", &host.dns), ("search", &host.search), ("renderer", &renderer)];
    for (title, value) in always.into_iter().chain(special) {
        let _ = writeln!(text, "  {title:13} {}", stated(value, ", "));
    }
    let mut table = new_table(width);
    table.set_header(["link", "kind", "address", "gateway", "details"]);
    let servers_differ = host.links.iter().filter(|link| !link.dns.is_empty()).count() > 1;
    for link in &host.links {
        let is_member = link.member_of.is_some();
        table.add_row([
            harmless(link.name.as_ref().unwrap_or(&link.id)),
            link.kind.to_owned(),
            match (&link.member_of, addresses_of(link)) {
                (Some(parent), None) => format!("in {}", harmless(parent)),
                (Some(parent), Some(lines)) => format!("in {}\n{}", harmless(parent), lines.join("\n")),
                (None, lines) => lines.map_or_else(|| "none".to_owned(), |lines| lines.join("\n")),
            },
            match gateways_of(link) {
                lines if lines.is_empty() && is_member => String::new(),
                lines if lines.is_empty() => "none".to_owned(),
                lines => lines.join("\n"),
            },
            harmless(&details_of(link, host, servers_differ).join("; ")),
        ]);
    }
    let _ = writeln!(text, "\n{}", finished(table));
    text
}

/// Its addresses, a line each; nothing where it has none.
fn addresses_of(link: &InspectedLink) -> Option<Vec<String>> {
    let mut lines = match &link.addresses {
        ReviewedValue::Values(addresses) => addresses.iter().map(|address| harmless(address)).collect(),
        ReviewedValue::None | ReviewedValue::Nothing | ReviewedValue::Unreadable => Vec::new(),
    };
    if !link.dhcp.is_empty() {
        lines.push(format!("by DHCP ({})", link.dhcp.join(", ")));
    }
    (!lines.is_empty()).then_some(lines)
}

/// Whether the whole of a route is said where it is a gateway.
fn is_gateway(route: &InspectedRoute) -> bool {
    route.to == "default" && route.via.is_some() && route.table.is_none() && route.kind == "unicast"
}

fn gateways_of(link: &InspectedLink) -> Vec<String> {
    let ways = link.routes.iter().filter(|route| is_gateway(route));
    ways.map(|route| {
        let metric = route.metric.map_or_else(String::new, |metric| format!(", metric {metric}"));
        format!("{}{metric}", route.via.as_deref().unwrap_or_default())
    })
    .collect()
}

/// How it is found, what it is made of, and what else is said of it.
fn details_of(link: &InspectedLink, host: &InspectedHost, servers_differ: bool) -> Vec<String> {
    let or_unknown = |text: &Option<String>| text.clone().unwrap_or_else(|| "unknown".to_owned());
    let members = link.members.join(", ");
    let mut words = Vec::new();
    match link.kind {
        "bond" => words.push(format!("of {members}, {}", link.mode.as_deref().unwrap_or("balance-rr"))),
        "bridge" | "vrf" if !members.is_empty() => words.push(format!("of {members}")),
        "vlan" => {
            let tag = link.vlan.map_or_else(|| "unknown".to_owned(), |tag| tag.to_string());
            words.push(format!("tag {tag} over {}", or_unknown(&link.over)));
        }
        "wifi" => words.push(link.ssids.join(", ")),
        "tunnel" => words.push(or_unknown(&link.mode)),
        _ => {}
    }
    if link.name.as_ref().is_some_and(|name| *name != link.id) {
        words.push(format!("{} in the file", link.id));
    }
    words.extend(link.mac.clone());
    let driver = link.found_by_driver.join(", ");
    let found = [
        (link.found_by_name.as_ref().filter(|name| link.name.as_ref() != Some(name)), "any port named "),
        ((!driver.is_empty()).then_some(&driver), "any port with the driver "),
        (link.mac_set.as_ref(), "gets the MAC "),
    ];
    words.extend(found.into_iter().filter_map(|(value, text)| Some(format!("{text}{}", value?))));
    if link.renderer != host.renderer {
        words.push(format!("renderer {}", link.renderer));
    }
    words.extend(link.mtu_bytes.map(|mtu| format!("MTU {mtu}")));
    words.extend(link.parameters.iter().map(|(key, value)| format!("{key} {value}")));
    words.extend(link.routes.iter().filter(|route| !is_gateway(route)).map(route_words));
    if servers_differ && !link.dns.is_empty() {
        words.push(format!("asks {}", link.dns.join(", ")));
    }
    if link.passthrough {
        words.push("has passthrough settings for NetworkManager".to_owned());
    }
    if link.wake_on_lan {
        words.push("wake-on-LAN".to_owned());
    }
    words
}

fn route_words(route: &InspectedRoute) -> String {
    let mut text = match route.kind.as_str() {
        "unicast" => route.to.clone(),
        kind => format!("{kind} {}", route.to),
    };
    let some = [
        (route.via.clone(), " via "),
        (route.metric.map(|metric| metric.to_string()), ", metric "),
        (route.table.map(|table| table.to_string()), ", table "),
        (route.from.clone(), ", from "),
    ];
    for (value, words) in some.into_iter().filter_map(|(value, words)| Some((value?, words))) {
        text += words;
        text += &value;
    }
    if route.on_link {
        text += " on-link";
    }
    text
}
