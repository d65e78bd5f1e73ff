//! Questions about the links of hosts.

use std::net::IpAddr;

use impostazione_net::{Family, MacAddress};
use ipnet::IpNet;

use super::common::explanation_of;
use super::desk::Desk;
use super::hosts::{count_of, name_of, table_of};
use super::map_line::{free_run, map_line, pattern_from};
use super::put::{Reply, put, refusal_of};
use super::question::{Choice, Question, Refusal};
use super::rows;
use super::state::State;
use super::topic::{LinkKey, Topic};
use crate::edit::{TablePath, quoted, quoted_list};
use crate::machine::Site;
use crate::sheet::HOST_LINK;
use crate::views::subnet_map::{AddressMap, AddressPurpose};

/// The kinds of links that are asked about.
const KINDS: [(&str, &str); 5] = [
    ("ethernet", "one port with a cable"),
    ("wifi", "one wireless interface"),
    ("bond", "two or more ports as one link"),
    ("vlan", "a tagged network on another link"),
    ("bridge", "a switch inside the host, as for virtual machines"),
];

/// What is asked about a link, in order.
const LINK_KEYS: [LinkKey; 8] = [
    LinkKey::Port,
    LinkKey::Name,
    LinkKey::Members,
    LinkKey::Over,
    LinkKey::Mode,
    LinkKey::Subnet,
    LinkKey::Address,
    LinkKey::Address6,
];

fn link_table(state: &State, host: usize, number: usize) -> Option<TablePath> {
    let name = state.links.get(&(host, number))?;
    Some(table_of(host).inner(&["link", name]))
}

/// What kind of link was chosen.
fn kind_of(state: &State, host: usize, number: usize) -> String {
    match link_table(state, host, number) {
        Some(table) => state.text.string(&table, "kind").unwrap_or_else(|| "ethernet".to_owned()),
        None => state.reply_to(&Topic::NextLink(host, number).id()).unwrap_or("ethernet").to_owned(),
    }
}

/// What is asked next about a link.
pub(super) fn next_key(state: &State, host: usize, number: usize) -> Option<LinkKey> {
    LINK_KEYS.into_iter().find(|key| is_open(state, host, number, *key))
}

fn is_open(state: &State, host: usize, number: usize, key: LinkKey) -> bool {
    let kind = kind_of(state, host, number);
    let table = link_table(state, host, number);
    let has = |key: &str| table.as_ref().is_some_and(|table| state.text.literal(table, key).is_some());
    let subnet_has = |key: &str| table.as_ref().is_some_and(|table| subnet_has(state, table, key));
    let is_wanted = match key {
        LinkKey::Port => kind == "ethernet" || kind == "wifi",
        LinkKey::Members => kind == "bond" || kind == "bridge",
        LinkKey::Mode => kind == "bond",
        LinkKey::Over => kind == "vlan",
        LinkKey::Name => matches!(kind.as_str(), "bond" | "vlan" | "bridge"),
        // A bond or a VLAN has what makes it first.
        LinkKey::Subnet => table.is_some() && !has("subnet") && !state.subnet_names().is_empty(),
        LinkKey::Address => {
            subnet_has("prefix") && !has("address") && !rows::has_field(state, host, "address")
        }
        LinkKey::Address6 => {
            subnet_has("prefix6") && !has("address6") && !rows::has_field(state, host, "address6")
        }
    };
    is_wanted && !state.is_settled(&Topic::Link(host, number, key).id())
}

/// Whether a host has another link.
pub(super) fn question_next(state: &State, host: usize, number: usize) -> Question {
    let id = Topic::NextLink(host, number).id();
    let name = name_of(state, host);
    let explanation = explanation_of(HOST_LINK.key("kind"));
    if number == 1 {
        return Question::new(id, format!("How is {name} connected?"))
            .proposing(Some("ethernet".to_owned()))
            .choosing(&KINDS)
            .explained(explanation);
    }
    Question::new(id, format!("Does {name} have another link?"))
        .proposing(Some("none".to_owned()))
        .choosing(&KINDS)
        .or_none()
        .explained(explanation)
}

/// Takes the kind of a link. The link is written once it has a name; the rows of a file have its MAC address.
pub(super) fn take_next(
    state: &mut State,
    desk: &Desk<'_>,
    host: usize,
    number: usize,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let kind = reply.word();
    let is_port = kind == "ethernet" || kind == "wifi";
    if number != 1 || !is_port || !rows::has_field(state, host, "mac") {
        return Ok(Vec::new());
    }
    let name = free_link_name(state, host, if kind == "wifi" { "wifi" } else { "lan" });
    let table = begin_link(state, host, number, &name, true).ok_or_else(|| taken_name(&name))?;
    if kind == "wifi" {
        state.text.set(&table, "kind", &quoted("wifi"), None);
    }
    state.pass(&Topic::Link(host, number, LinkKey::Port).id());
    settle_link(state, desk, host, number, reply)
}

/// The question about a link.
pub(super) fn question(state: &State, desk: &Desk<'_>, host: usize, number: usize, key: LinkKey) -> Question {
    let id = Topic::Link(host, number, key).id();
    let name = name_of(state, host);
    let kind = kind_of(state, host, number);
    let ask =
        |line: String| Question::new(id.clone(), line).explained(explanation_of(HOST_LINK.key(key.name())));
    match key {
        LinkKey::Port => {
            let is_row = count_of(state, host) > 1;
            let (what, only, default) = if kind == "wifi" {
                ("wireless interface", "its only wireless interface, whatever it is called", "wlan0")
            } else {
                ("port", "its only wired port, whatever it is called", "eth0")
            };
            let or_name = if is_row {
                "or what the system calls it"
            } else {
                "a MAC address, or what the system calls it"
            };
            let mut question = ask(format!("Which {what} of {name}? One of these, {or_name}"))
                .proposing(Some(if state.is_site() { default } else { "only" }.to_owned()))
                .explained(
                    "A MAC address is surest: it finds the port whatever the system calls it. A name, such as enp1s0, is right where the \
                        system is known to call it so. The word only stands for the one port that the machine has.",
                );
            question.is_free = true;
            question.choices.push(Choice::new("only", only));
            if !state.is_site() && kind == "ethernet" {
                question.choices.push(Choice::new("wifi", "its only wireless interface"));
            }
            question
        }
        LinkKey::Members => ask(format!("Which ports make up the {kind} of {name}? MAC addresses or names")),
        LinkKey::Name => {
            let proposal = match kind.as_str() {
                "bond" => "uplink".to_owned(),
                "bridge" => "switch".to_owned(),
                _ => format!("vlan{number}"),
            };
            ask(format!("What is this link of {name} called?"))
                .proposing(Some(proposal))
                .explained("The host's system calls the link so. Up to 15 letters, digits and hyphens.")
        }
        LinkKey::Mode => ask(format!("Which bond mode should {name} use?"))
            .proposing(Some("active-backup".to_owned()))
            .choosing(&[
                ("active-backup", "one works, the others wait; the switch needs no settings"),
                ("802.3ad", "all work together; the switch has to be set up for it (LACP)"),
                ("balance-xor", "all work together by address; the switch groups the ports by hand"),
            ]),
        LinkKey::Over => {
            let is_before = |of: usize, other: usize| of == host && other < number;
            let over: Vec<&String> = state
                .links
                .iter()
                .filter(|((of, other), _)| is_before(*of, *other))
                .map(|(_, name)| name)
                .collect();
            ask(format!("Which link of {name} carries the tagged network?"))
                .proposing(over.last().map(|name| (*name).clone()))
        }
        LinkKey::Subnet => {
            let names = state.subnet_names();
            let has_key = |name: &&String, key: &str| state.subnet_says(name, key).is_some();
            let likely = match kind.as_str() {
                "vlan" => names.iter().find(|name| has_key(name, "vlan")),
                "wifi" => names.iter().find(|name| has_key(name, "wifi")),
                _ => None,
            };
            let choices: Vec<Choice> = names
                .iter()
                .map(|name| {
                    let prefix = state.subnet_says(name, "prefix");
                    Choice::new(name.clone(), prefix.unwrap_or_default())
                })
                .collect();
            let proposal =
                rows::likely_subnet(state, host).or_else(|| likely.or_else(|| names.first()).cloned());
            let mut question = ask(format!("In which subnet is this link of {name}?")).proposing(proposal);
            question.choices = choices;
            question
        }
        LinkKey::Address | LinkKey::Address6 => {
            let count = count_of(state, host);
            let family = if key == LinkKey::Address { Family::V4 } else { Family::V6 };
            let (shown, proposal) = proposal_of(state, desk, host, number, family);
            let line = match (count, family) {
                (1, Family::V4) => format!("What is the address of {name}?"),
                (1, Family::V6) => format!("What is the IPv6 address of {name}?"),
                (_, Family::V4) => {
                    format!("What are the addresses of {name}? The first of them, or a pattern")
                }
                (_, Family::V6) => {
                    format!("What are the IPv6 addresses of {name}? The first of them, or a pattern")
                }
            };
            let question = ask(line).showing(shown).or_none();
            let is_v6 = family == Family::V6;
            question.proposing(if is_v6 && proposal.is_none() { Some("none".to_owned()) } else { proposal })
        }
    }
}

/// The map of the link's subnet, and the addresses that are next free.
fn proposal_of(
    state: &State,
    desk: &Desk<'_>,
    host: usize,
    number: usize,
    family: Family,
) -> (Option<String>, Option<String>) {
    let Some(table) = link_table(state, host, number) else { return (None, None) };
    let Some(subnet) = state.text.string(&table, "subnet") else { return (None, None) };
    let key = if family == Family::V4 { "prefix" } else { "prefix6" };
    let prefix = state.subnet_says(&subnet, key);
    let Some(prefix) = prefix.and_then(|prefix| prefix.parse::<IpNet>().ok()) else { return (None, None) };
    let assessment = desk.judge(state.text.as_str());
    let count = count_of(state, host);
    let named = state.named_address.filter(|named| {
        prefix.contains(named) && count == 1 && !assessment.site.address_uses().contains_key(named)
    });
    let alike = like_the_other(state, &table, prefix)
        .filter(|first| !(0..count).any(|nth| is_taken(&assessment.site, prefix, *first, nth)));
    let first = named.or(alike).or_else(|| free_run(&assessment.site, prefix, count));
    let shown = state.is_site().then(|| map_line(&assessment.site, prefix));
    (shown, first.map(|first| pattern_from(first, count)))
}

/// The IPv6 address that ends in the digits of the IPv4 address: `fd64:10::11` beside `10.64.10.11`.
fn like_the_other(state: &State, link: &TablePath, prefix: IpNet) -> Option<IpAddr> {
    let IpNet::V6(prefix) = prefix else { return None };
    let written = state.text.string(link, "address")?;
    // The first of a pattern.
    let last = written.split('/').next()?.rsplit('.').next()?;
    let digits: String = last.trim_start_matches('{').chars().take_while(char::is_ascii_digit).collect();
    let number = u128::from_str_radix(&digits, 16).ok()?;
    let address = (u128::from(prefix.network()) + number).into();
    prefix.contains(&address).then_some(IpAddr::V6(address))
}

/// Whether an address, so many behind another, is somebody's.
fn is_taken(site: &Site, prefix: IpNet, first: IpAddr, nth: usize) -> bool {
    let IpAddr::V6(first) = first else { return true };
    let nth = u128::try_from(nth).unwrap_or(u128::MAX);
    let address = IpAddr::V6(u128::from(first).saturating_add(nth).into());
    !prefix.contains(&address) || AddressMap::new(site, prefix).purpose(address) != AddressPurpose::Free
}

/// Takes a reply about a link.
pub(super) fn take(
    state: &mut State,
    desk: &Desk<'_>,
    (host, number): (usize, usize),
    key: LinkKey,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    match key {
        LinkKey::Port => take_port(state, desk, host, number, reply),
        LinkKey::Members => take_members(state, desk, host, number, reply),
        LinkKey::Name => take_name(state, desk, host, number, reply),
        LinkKey::Over => {
            let Some(table) = link_table(state, host, number) else { return Ok(Vec::new()) };
            put(state, desk, &table, "over", &quoted(reply.word()), reply)
        }
        LinkKey::Subnet => {
            let Some(table) = link_table(state, host, number) else { return Ok(Vec::new()) };
            let mut told = put(state, desk, &table, "subnet", &quoted(reply.word()), reply)?;
            told.extend(put_rows(state, desk, host, number, reply)?);
            Ok(told)
        }
        LinkKey::Mode => {
            let Some(table) = link_table(state, host, number) else { return Ok(Vec::new()) };
            put(state, desk, &table, "mode", &quoted(reply.word()), reply)
        }
        LinkKey::Address | LinkKey::Address6 => take_address(state, desk, host, number, key, reply),
    }
}

/// Makes the table of a link, in braces where it is short.
fn begin_link(
    state: &mut State,
    host: usize,
    number: usize,
    name: &str,
    is_short: bool,
) -> Option<TablePath> {
    let table = table_of(host).inner(&["link", name]);
    if state.text.has(&table) {
        return None;
    }
    if is_short {
        state.text.add_braces(&table_of(host), &["link", name]);
    } else {
        state.text.add_table(&table);
    }
    state.links.insert((host, number), name.to_owned());
    Some(table)
}

/// What follows for a link that has its name: its subnet where there is but one, and what the rows of a file have for it.
fn settle_link(
    state: &mut State,
    desk: &Desk<'_>,
    host: usize,
    number: usize,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let names = state.subnet_names();
    let [only] = names.as_slice() else { return Ok(Vec::new()) };
    if let Some(table) = link_table(state, host, number) {
        state.text.set(&table, "subnet", &quoted(only), None);
    }
    put_rows(state, desk, host, number, reply)
}

/// Puts what the rows of a file have for the first link of their hosts.
fn put_rows(
    state: &mut State,
    desk: &Desk<'_>,
    host: usize,
    number: usize,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let mut told = Vec::new();
    let Some(table) = link_table(state, host, number).filter(|_| number == 1) else { return Ok(told) };
    for (key, value) in rows::of_link(state, host) {
        let has_prefix = key != "address6" || subnet_has(state, &table, "prefix6");
        if state.text.literal(&table, key).is_none() && has_prefix {
            told.extend(put(state, desk, &table, key, &quoted(&value), reply)?);
        }
    }
    Ok(told)
}

/// Whether the subnet of a link says something.
fn subnet_has(state: &State, link: &TablePath, key: &str) -> bool {
    state.text.string(link, "subnet").is_some_and(|name| state.subnet_says(&name, key).is_some())
}

fn taken_name(name: &str) -> Refusal {
    Refusal::new(format!("There is a link {name} already."), "reply with another name")
}

/// A MAC address, in whatever groups its digits are.
fn mac_of(word: &str) -> Option<MacAddress> {
    let is_in_groups = word.contains([':', '-', '.']);
    let digits: String = word.chars().filter(char::is_ascii_hexdigit).collect();
    let is_mac = word.chars().all(|c| c.is_ascii_hexdigit() || matches!(c, ':' | '-' | '.'));
    if !(is_mac && is_in_groups && digits.len() == 12) {
        return None;
    }
    let pairs: Vec<&str> = (0..6).filter_map(|pair| digits.get(2 * pair..2 * pair + 2)).collect();
    MacAddress::parse(&pairs.join(":")).ok()
}

fn take_port(
    state: &mut State,
    desk: &Desk<'_>,
    host: usize,
    number: usize,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let word = reply.word();
    let is_wifi = kind_of(state, host, number) == "wifi" || (word == "wifi" && !state.is_site());
    let mac = mac_of(word);
    let is_only = word == "only" || word == "wifi";
    let base = if is_wifi { "wifi" } else { "lan" };
    let name = match mac {
        Some(_) => free_link_name(state, host, base),
        None if is_only => free_link_name(state, host, base),
        None => word.to_owned(),
    };
    // What was to be a MAC address is no name.
    if mac.is_none() && word.matches([':', '-']).count() == 5 {
        return Err(Refusal::new(
            format!("{word} is not a MAC address."),
            "a MAC address has six pairs of hexadecimal digits, such as 02:64:10:00:00:21",
        ));
    }
    let mut refused = None;
    if !name.is_empty() && name.chars().any(|c| c.is_whitespace() || c == ',') {
        refused = Some(Refusal::new(
            format!("\"{word}\" is not the name of one port."),
            "reply with one name or one MAC address",
        ));
    }
    if let Some(refusal) = refused {
        return Err(refusal);
    }
    let table = begin_link(state, host, number, &name, true).ok_or_else(|| taken_name(&name))?;
    let mut told = Vec::new();
    if is_wifi {
        state.text.set(&table, "kind", &quoted("wifi"), None);
    }
    told.extend(settle_link(state, desk, host, number, reply)?);
    if let Some(mac) = mac {
        told.extend(put(state, desk, &table, "mac", &quoted(&mac.to_string()), reply)?);
        told.push(format!("the link is called {name}"));
    } else if is_only {
        told.extend(put(state, desk, &table, "port", &quoted("only"), reply)?);
    } else {
        refuse_by_name(state, desk, &table)?;
    }
    Ok(told)
}

/// Refuses a link whose name is against a rule. Such findings stand at the name.
fn refuse_by_name(state: &State, desk: &Desk<'_>, table: &TablePath) -> Result<(), Refusal> {
    let after = desk.judge(state.text.as_str());
    let Some(extent) = state.text.name_span(table) else { return Ok(()) };
    let error = after.findings.iter().find(|finding| {
        finding.is_in_the_way()
            && !finding.rule.about_absence
            && finding.place.span.meets(extent.clone().into())
    });
    error.map_or(Ok(()), |error| Err(refusal_of(error)))
}

/// A name that no other link of the host has.
fn free_link_name(state: &State, host: usize, base: &str) -> String {
    let known = state.text.keys_of(&table_of(host).inner(&["link"]));
    let mut names = (0..).map(|number| format!("{base}{number}"));
    names.find(|name| !known.contains(name)).unwrap_or_else(|| base.to_owned())
}

fn take_members(
    state: &mut State,
    desk: &Desk<'_>,
    host: usize,
    number: usize,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let Some(bond) = link_table(state, host, number) else { return Ok(Vec::new()) };
    let words = reply.words();
    let is_bond = kind_of(state, host, number) == "bond";
    if words.is_empty() || (is_bond && words.len() < 2) {
        return Err(Refusal::new(
            format!(
                "A {} needs {}.",
                kind_of(state, host, number),
                if is_bond { "two ports or more" } else { "a port" }
            ),
            "reply with MAC addresses or names, with a space between them",
        ));
    }
    let mut told = Vec::new();
    let mut members = Vec::new();
    for word in words {
        let mac = mac_of(word);
        let name = if mac.is_some() { free_link_name(state, host, "lan") } else { word.to_owned() };
        let table = table_of(host).inner(&["link", &name]);
        if state.text.has(&table) {
            return Err(taken_name(&name));
        }
        if let Some(mac) = mac {
            state.text.add_table(&table);
            told.extend(put(state, desk, &table, "mac", &quoted(&mac.to_string()), reply)?);
        } else {
            state.text.add_braces(&table_of(host), &["link", &name]);
            refuse_by_name(state, desk, &table)?;
        }
        members.push(name);
    }
    let members = quoted_list(members.iter().map(String::as_str));
    told.extend(put(state, desk, &bond, "members", &members, reply)?);
    Ok(told)
}

fn take_name(
    state: &mut State,
    desk: &Desk<'_>,
    host: usize,
    number: usize,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let name = reply.word();
    let kind = kind_of(state, host, number);
    let table = begin_link(state, host, number, name, false).ok_or_else(|| taken_name(name))?;
    state.text.set(&table, "kind", &quoted(&kind), None);
    let told = settle_link(state, desk, host, number, reply)?;
    refuse_by_name(state, desk, &table)?;
    Ok(told)
}

fn take_address(
    state: &mut State,
    desk: &Desk<'_>,
    host: usize,
    number: usize,
    key: LinkKey,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let Some(table) = link_table(state, host, number) else { return Ok(Vec::new()) };
    let Some(text) = reply.text else {
        // One family of addresses is enough.
        let other = if key == LinkKey::Address { "prefix6" } else { "prefix" };
        state.text.remove(&table, key.name());
        if key == LinkKey::Address && !subnet_has(state, &table, other) {
            return put(state, desk, &table, key.name(), &quoted("none"), reply);
        }
        return Ok(Vec::new());
    };
    let count = count_of(state, host);
    // The first address of several stands for those behind it.
    let pattern = match text.parse::<IpAddr>() {
        Ok(first) if count > 1 => pattern_from(first, count),
        _ => text.to_owned(),
    };
    let mut told = Vec::new();
    if is_second_way_out(state, host, number) && state.text.literal(&table, "default_route").is_none() {
        state.text.set(&table, "default_route", "false", None);
        told.push("the first link leads out, so this one does not (default_route = false)".to_owned());
    }
    told.extend(put(state, desk, &table, key.name(), &quoted(&pattern), reply)?);
    if pattern != text {
        told.push(format!("that is {pattern}"));
    }
    Ok(told)
}

/// Whether another link of the host leads out already, and this one's subnet has a router too.
fn is_second_way_out(state: &State, host: usize, number: usize) -> bool {
    let has_router = |table: &TablePath| {
        let Some(subnet) = state.text.string(table, "subnet") else { return false };
        ["gateway", "gateway6"]
            .iter()
            .any(|key| state.subnet_says(&subnet, key).is_some_and(|at| at != "none"))
    };
    let leads_out = |other: usize| {
        link_table(state, host, other).is_some_and(|table| {
            has_router(&table)
                && state.text.literal(&table, "default_route") != Some("false")
                && ["address", "address6"].iter().any(|key| state.text.literal(&table, key).is_some())
        })
    };
    link_table(state, host, number).is_some_and(|table| has_router(&table)) && (1..number).any(leads_out)
}
