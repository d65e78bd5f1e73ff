//! A host as its netplan files make it, for people: its name servers, its links, and what is special about them.

use std::fmt::Write as _;

use anstyle::Style;
use comfy_table::ColumnConstraint;
use impostazione_core::views::netplan::{InspectedHost, InspectedLink};
use impostazione_core::views::review::ReviewedValue;
use impostazione_text::visible::harmless;

use super::link_words::link_words;
use super::review_view::{dns_for_words, new_table, stated, trimmed};

const STRONG: Style = Style::new().bold();

/// The whole host, which so many files make.
pub(crate) fn show_netplan_host(host: &InspectedHost, files: usize, width: usize) -> String {
    let mut text = String::new();
    let from = if files > 1 { format!(", from {files} files") } else { String::new() };
    // Writing to a String does not fail.
    let _ = writeln!(text, "{STRONG}{}{STRONG:#}{from}\n", harmless(&host.name));
    let renderer = host
        .renderer
        .map_or(ReviewedValue::Unreadable, |renderer| ReviewedValue::Values(vec![renderer.to_owned()]));
    let special = dns_for_words(&host.dns_for);
    let special = (special != ReviewedValue::Nothing).then_some(("special names", &special));
    let always = [("name servers", &host.dns), ("search", &host.search), ("renderer", &renderer)];
    for (title, value) in always.into_iter().chain(special) {
        let _ = writeln!(text, "  {title:13} {}", stated(value, ", "));
    }
    let mut table = new_table(width);
    table.set_header(["link", "kind", "address", "gateway", "details"]);
    for link in &host.links {
        table.add_row([
            harmless(&link.name),
            link.kind.to_owned(),
            match &link.member_of {
                Some(parent) => format!("in {}", harmless(parent)),
                None => addresses_of(link).join("\n"),
            },
            match (&link.member_of, link.gateways.is_empty()) {
                (None, true) => "none".to_owned(),
                _ => link.gateways.join("\n"),
            },
            harmless(&link_words(link.kind, &link.details).join("; ")),
        ]);
    }
    table.set_constraints((0..4).map(|_| ColumnConstraint::ContentWidth));
    let _ = writeln!(text, "\n{}", trimmed(&table));
    text
}

/// Its addresses, a line each, or that it has none.
fn addresses_of(link: &InspectedLink) -> Vec<String> {
    let mut lines = match &link.addresses {
        ReviewedValue::Values(addresses) => addresses.clone(),
        ReviewedValue::None | ReviewedValue::Nothing | ReviewedValue::Unreadable => Vec::new(),
    };
    match link.dhcp.as_slice() {
        [] if lines.is_empty() => lines.push("none".to_owned()),
        [] => {}
        families => lines.push(format!("by DHCP ({})", families.join(", "))),
    }
    lines
}
