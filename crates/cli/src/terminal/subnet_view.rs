//! A prefix for people: its spellings, and, from a sheet, a map with a letter for each address.

use std::fmt::Write as _;
use std::net::{IpAddr, Ipv4Addr};

use anstyle::Style;
use impostazione_core::views::subnet_map::{AddressMap, AddressPurpose, PrefixFacts};
use impostazione_text::visible::harmless;

use super::screen::wrapping;
use super::theme::{APART, BAD, DOUBTFUL, FOREIGN, GOOD, INFORMED, STRONG};

/// Addresses in a row of the map.
const ROW: u32 = 32;
/// Rows of the map: those of a /22.
const MOST_ROWS: u32 = 32;
/// Taken addresses that are listed.
const MOST_LISTED: usize = 256;

/// The letters of the map, and what they stand for.
const LETTERS: [(char, &str, Style); 9] = [
    ('o', "a machine in the sheet", GOOD),
    ('v', "shared by a cluster", GOOD),
    ('g', "gateway", INFORMED),
    ('s', "a server that machines use", INFORMED),
    ('x', "in use by something else", BAD),
    ('d', "leased by DHCP", DOUBTFUL),
    ('k', "kept free", FOREIGN),
    ('=', "network and broadcast address", APART),
    ('.', "free", Style::new()),
];

fn letter(purpose: &AddressPurpose) -> char {
    match purpose {
        AddressPurpose::Static { .. } => 'o',
        AddressPurpose::Shared { .. } => 'v',
        AddressPurpose::Gateway { .. } => 'g',
        AddressPurpose::Server { .. } => 's',
        AddressPurpose::InUse { .. } => 'x',
        AddressPurpose::Leased => 'd',
        AddressPurpose::KeptFree => 'k',
        AddressPurpose::Reserved => '=',
        AddressPurpose::Free => '.',
    }
}

/// Everything about a prefix; with a plan, how the sheet uses it.
pub(crate) fn show_subnet(
    facts: &PrefixFacts,
    plan: Option<&AddressMap<'_>>,
    free_shown: usize,
    width: usize,
) -> String {
    let mut text = String::new();
    // Writing to a String does not fail.
    let _ = writeln!(text, "{STRONG}{}{STRONG:#}", facts.prefix);
    let none = || "none".to_owned();
    let mut line = |title: &str, value: String| {
        let _ = writeln!(text, "  {title:12}  {value}");
    };
    if let (Some(netmask), Some(hexadecimal)) = (&facts.netmask, &facts.hexadecimal) {
        line("mask", format!("/{}  {netmask}  {hexadecimal}", facts.prefix.prefix_len()));
    }
    line("first, last", format!("{}  {}", facts.first, facts.last));
    let addresses = if facts.hosts == "1" { "address" } else { "addresses" };
    line("for machines", format!("{} {addresses}", facts.hosts));
    if facts.netmask.is_some() {
        line("broadcast", facts.broadcast.map_or_else(none, |address| address.to_string()));
    }
    let Some(plan) = plan else { return text };
    let subnets = plan.subnets();
    if subnets.is_empty() {
        let _ = writeln!(text, "\nNo subnet in the sheet overlaps with it.");
        return text;
    }
    let free = plan.next_free(free_shown);
    let free: Vec<String> = free.iter().map(IpAddr::to_string).collect();
    let _ = writeln!(text, "\nIn the sheet: {}.", harmless(&subnets.join(", ")));
    let free = if free.is_empty() { none() } else { free.join(" ") };
    let _ = writeln!(
        text,
        "{}",
        textwrap::fill(&format!("free next: {free}"), wrapping(width).subsequent_indent("           "))
    );
    if let (IpAddr::V4(first), IpAddr::V4(last)) = (facts.prefix.network(), facts.prefix.broadcast()) {
        map(&mut text, plan, first.to_bits(), last.to_bits(), width);
    }
    list(&mut text, plan);
    text
}

/// A letter for each address, in rows; rows that are wholly free are ignored where there are many.
fn map(text: &mut String, plan: &AddressMap<'_>, first: u32, last: u32, width: usize) {
    let per_row = if width < 60 { ROW / 2 } else { ROW };
    let rows = u64::from(last - first) / u64::from(per_row) + 1;
    if rows > u64::from(MOST_ROWS) {
        let _ = writeln!(text, "It is too large for a map.");
        return;
    }
    let ruler = (0..per_row / 8).fold(String::new(), |ruler, group| ruler + &format!(" +{:<7}", group * 8));
    let _ = writeln!(text, "\n  {:15} {}", "", ruler.trim_end());
    let mut seen = [false; LETTERS.len()];
    for row in 0..=(last - first) / per_row {
        let start = first + row * per_row;
        let _ = write!(text, "  {:15} ", Ipv4Addr::from_bits(start).to_string());
        for (column, address) in (start..=last.min(start + (per_row - 1))).enumerate() {
            let letter = letter(&plan.purpose(IpAddr::V4(Ipv4Addr::from_bits(address))));
            if column % 8 == 0 {
                text.push(' ');
            }
            if let Some(index) = LETTERS.iter().position(|(known, ..)| *known == letter) {
                seen[index] = true;
                let style = LETTERS[index].2;
                let _ = write!(text, "{style}{letter}{style:#}");
            }
        }
        text.push('\n');
    }
    text.push('\n');
    for ((letter, meaning, style), _) in LETTERS.iter().zip(seen).filter(|(_, seen)| *seen) {
        let _ = writeln!(text, "  {style}{letter}{style:#}  {meaning}");
    }
}

fn list(text: &mut String, plan: &AddressMap<'_>) {
    let taken = plan.taken();
    if taken.is_empty() {
        return;
    }
    text.push('\n');
    let widest = taken.iter().map(|(address, _)| address.to_string().len()).max().unwrap_or(0);
    for (address, purpose) in taken.iter().take(MOST_LISTED) {
        let whose = match purpose {
            AddressPurpose::Static { machine, link } => format!("{machine}, {link}"),
            AddressPurpose::Shared { cluster } => format!("cluster {cluster}"),
            AddressPurpose::Gateway { subnet } => format!("gateway of {subnet}"),
            AddressPurpose::Server { role } => (*role).to_owned(),
            AddressPurpose::InUse { user } => format!("in use: {user}"),
            _ => continue,
        };
        let _ = writeln!(text, "  {:widest$}  {}", address.to_string(), harmless(&whose));
    }
    if taken.len() > MOST_LISTED {
        let _ = writeln!(text, "  and {} more (--format json lists all)", taken.len() - MOST_LISTED);
    }
}
