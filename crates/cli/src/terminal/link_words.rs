//! What is said of a link, in a few words each.

use impostazione_core::views::link_details::LinkDetails;

/// How it is found, what it is made of, and what else is said of it.
pub(super) fn link_words(kind: &str, details: &LinkDetails) -> Vec<String> {
    let or_unknown = |text: &Option<String>| text.clone().unwrap_or_else(|| "unknown".to_owned());
    let members = details.members.join(", ");
    let mut words = Vec::new();
    match kind {
        "bond" => words.push(format!("bond of {members}, {}", or_unknown(&details.mode))),
        "bridge" if members.is_empty() => words.push("bridge".to_owned()),
        "bridge" => words.push(format!("bridge of {members}")),
        "vlan" => {
            let tag = details.vlan.map_or_else(|| "unknown".to_owned(), |tag| tag.to_string());
            words.push(format!("vlan {tag} over {}", or_unknown(&details.over)));
        }
        "wifi" => words.push(format!("wifi {}", or_unknown(&details.ssid))),
        _ => {}
    }
    words.extend(details.mac.clone());
    if details.only_port {
        words.push("the only port of its kind".to_owned());
    }
    words.extend(details.mtu_bytes.map(|mtu| format!("MTU {mtu}")));
    for route in &details.routes {
        let metric = route.metric.map_or_else(String::new, |metric| format!(", metric {metric}"));
        let on_link = if route.on_link { " on-link" } else { "" };
        words.push(format!("{} via {}{metric}{on_link}", route.to, route.via));
    }
    if let Some(table) = details.routing_table {
        let gateways = details.routing_table_gateways.join(", ");
        words.push(format!("replies via {gateways} (table {table})"));
    }
    if let Some(before) = &details.replaces {
        words.push(format!("replaces {before}"));
    }
    if let Some(speed) = details.speed_mbit_per_s {
        let duplex = if details.full_duplex.unwrap_or(true) { "full" } else { "half" };
        words.push(format!("{speed} Mbit/s, {duplex} duplex, fixed"));
    }
    let flags = [
        (details.wake_on_lan, "wake-on-LAN"),
        (details.link_local4, "IPv4 link-local address"),
        (!details.gateways_on_link.is_empty(), "gateway on the link"),
    ];
    words.extend(flags.into_iter().filter(|(is_set, _)| *is_set).map(|(_, text)| text.to_owned()));
    words
}
