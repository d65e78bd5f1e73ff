//! Questions about subnets.

use std::net::IpAddr;

use impostazione_net::{Family, PrefixFault, respelled};
use ipnet::IpNet;

use super::common::explanation_of;
use super::desk::Desk;
use super::put::{Reply, put};
use super::question::{Question, Refusal};
use super::state::{Scope, State};
use super::topic::{SubnetKey, Topic};
use crate::edit::{TablePath, quoted, quoted_list};
use crate::sheet::{SUBNET_TABLE, WIFI};
use crate::views::subnet_map::{PrefixFacts, facts_of, prefix_facts};

/// What is asked about a subnet, in order.
pub(super) const KEYS: [SubnetKey; 9] = [
    SubnetKey::Prefix,
    SubnetKey::Gateway,
    SubnetKey::Prefix6,
    SubnetKey::Gateway6,
    SubnetKey::Vlan,
    SubnetKey::DhcpRanges,
    SubnetKey::HypervisorNetwork,
    SubnetKey::WifiName,
    SubnetKey::WifiCountry,
];

/// Name of the subnet where there is but one machine.
const ONLY: &str = "lan";

/// The subnets, in the order of the sheet; the one of a single machine before it is written.
pub(super) fn names(state: &State) -> Vec<String> {
    let names = state.text.names("subnet");
    if names.is_empty() && !state.is_site() { vec![ONLY.to_owned()] } else { names }
}

fn table_of(name: &str) -> TablePath {
    TablePath::named("subnet", name)
}

/// The next question about the subnets.
pub(super) fn next(state: &State) -> Option<Topic> {
    let names = names(state);
    for name in &names {
        if let Some(key) = KEYS.into_iter().find(|key| is_open(state, name, *key)) {
            return Some(Topic::Subnet(name.clone(), key));
        }
    }
    let another = Topic::NextSubnet(names.len() + 1);
    (state.is_site() && !state.is_settled(&another.id())).then_some(another)
}

/// Whether a key of a subnet is still to be asked about.
pub(super) fn is_open(state: &State, name: &str, key: SubnetKey) -> bool {
    let table = table_of(name);
    let has = |key: &str| state.text.literal(&table, key).is_some();
    let is_wanted = match key {
        SubnetKey::Prefix => !has("prefix6") || has("prefix"),
        SubnetKey::Gateway => has("prefix"),
        SubnetKey::Prefix6 => state.is_site() && has("prefix"),
        SubnetKey::Gateway6 => has("prefix6"),
        SubnetKey::Vlan => state.is_site(),
        SubnetKey::DhcpRanges => true,
        // They are asked when a machine needs them.
        SubnetKey::HypervisorNetwork | SubnetKey::WifiName | SubnetKey::WifiCountry => {
            return is_called_for(state, name, key);
        }
    };
    is_wanted && !state.is_key_settled(&Topic::Subnet(name.to_owned(), key).id(), &table, key.name())
}

/// Whether a machine of the sheet needs something of its subnet that nobody has said yet.
fn is_called_for(state: &State, name: &str, key: SubnetKey) -> bool {
    let table = table_of(name);
    if state.is_settled(&Topic::Subnet(name.to_owned(), key).id()) {
        return false;
    }
    let links = |kind: &'static str| {
        (0..state.text.entries(kind)).flat_map(move |index| {
            let entry = TablePath::entry(kind, index).inner(&["link"]);
            state.text.keys_of(&entry).into_iter().map(move |link| entry.inner(&[&link]))
        })
    };
    let is_here = |link: &TablePath| state.text.string(link, "subnet").as_deref() == Some(name);
    match key {
        SubnetKey::HypervisorNetwork => {
            state.text.literal(&table, "hypervisor_network").is_none()
                && links("appliance").any(|link| is_here(&link))
        }
        SubnetKey::WifiName => {
            state.text.literal(&table, "wifi").is_none()
                && links("host")
                    .any(|link| is_here(&link) && state.text.string(&link, "kind").as_deref() == Some("wifi"))
        }
        SubnetKey::WifiCountry => {
            let wifi = table.inner(&["wifi"]);
            state.text.has(&wifi) && state.text.literal(&wifi, "country").is_none()
        }
        _ => false,
    }
}

/// Whether there is another subnet.
pub(super) fn question_next(state: &State, number: usize) -> Question {
    let id = Topic::NextSubnet(number).id();
    if names(state).is_empty() {
        return Question::new(id, "What is the first subnet called? A short word, such as lan or quay")
            .proposing(Some(ONLY.to_owned()))
            .explained("Machines are in it by this name. It is a word of the sheet alone; nothing on the network is called so.");
    }
    Question::new(id, "Another subnet? Its name, or none").proposing(Some("none".to_owned())).or_none()
        .explained("A machine may have links in several subnets, and other machines may be in others. Each has a name of its own, such as breakwater.")
}

/// Takes the name of another subnet.
pub(super) fn take_next(state: &mut State, reply: Reply<'_>) -> Result<Vec<String>, Refusal> {
    let Some(name) = reply.text else { return Ok(Vec::new()) };
    if names(state).iter().any(|known| known == name) {
        return Err(Refusal::new(
            format!("The sheet has a subnet {name} already."),
            "give this one another name",
        ));
    }
    refuse_odd_name(name)?;
    state.text.add_table(&table_of(name));
    Ok(Vec::new())
}

/// Refuses a name that has to stand in quotes wherever it is written.
pub(super) fn refuse_odd_name(name: &str) -> Result<(), Refusal> {
    let is_bare = !name.is_empty() && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '-' || c == '_');
    if is_bare {
        return Ok(());
    }
    let bare: String =
        name.chars().map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' }).collect();
    let bare = bare.split('-').filter(|part| !part.is_empty()).collect::<Vec<_>>().join("-");
    let refusal =
        Refusal::new(format!("\"{name}\" cannot be a name here."), "use letters, digits and hyphens");
    Err(if bare.is_empty() { refusal } else { refusal.proposing(bare) })
}

/// The question about a key of a subnet.
pub(super) fn question(state: &State, name: &str, key: SubnetKey) -> Question {
    let table = table_of(name);
    let id = Topic::Subnet(name.to_owned(), key).id();
    let so_far = match state.text.strings(&table, key.name()) {
        Some(items) => Some(items.join(", ")),
        None => state
            .text
            .string(&table, key.name())
            .or_else(|| state.text.literal(&table, key.name()).map(str::to_owned)),
    };
    let of = if state.is_site() { format!(" of {name}") } else { String::new() };
    let ask = |line: String, proposal: Option<String>| {
        Question::new(id.clone(), line)
            .proposing(so_far.clone().or(proposal))
            .explained(explanation_of(SUBNET_TABLE.key(key.name())))
    };
    match key {
        SubnetKey::Prefix => {
            let line = match state.scope {
                Some(Scope::Host) => "What is the host's address, with its mask? (10.64.10.21/24)".to_owned(),
                Some(Scope::Appliance) => "What is the appliance's address, with its mask? (10.64.10.21/24)".to_owned(),
                _ => format!("What is the address of any machine in {name}, with its mask? (10.64.10.21/24)"),
            };
            ask(line, None).explained(
                "The mask may be a length (/24), dotted (255.255.255.0) or hexadecimal (0xffffff00); the network follows from it. \
                    An IPv6 address will do as well. In the sheet: prefix = \"10.64.10.0/24\"",
            )
        }
        SubnetKey::Gateway => {
            ask(format!("What is the gateway{of}?"), likely_gateway(state, &table, "prefix")).or_none()
        }
        SubnetKey::Prefix6 => {
            ask(format!("Which IPv6 prefix{of}? (fd64:10::/64)"), Some("none".to_owned())).or_none()
        }
        SubnetKey::Gateway6 => {
            ask(format!("What is the IPv6 gateway{of}?"), likely_gateway(state, &table, "prefix6")).or_none()
        }
        SubnetKey::Vlan => {
            ask(format!("What is the VLAN ID of {name}, where it is tagged?"), Some("none".to_owned())).or_none()
        }
        SubnetKey::DhcpRanges => ask(
            format!("Which addresses{of} does a DHCP server lease? (10.64.10.200-10.64.10.239)"),
            Some("none".to_owned()),
        )
        .or_none()
        .explained(
            "A DHCP server gives these addresses to whoever asks. No machine of the sheet gets one of them, so that no address is \
                used twice. The settings of the DHCP server say which they are. In the sheet: dhcp_ranges = \
                [\"10.64.10.200-10.64.10.239\"]",
        ),
        SubnetKey::HypervisorNetwork => {
            ask(format!("What does the hypervisor call the network{of}?"), None).or_none()
        }
        SubnetKey::WifiName => Question::new(id, format!("What is the Wi-Fi network of {name} called (SSID)?"))
            .explained(format!(
                "{} Its passphrase is typed at the end and kept in the encrypted store.",
                explanation_of(WIFI.key("ssid"))
            )),
        SubnetKey::WifiCountry => Question::new(id, format!("In which country is the Wi-Fi of {name}? Two letters, such as IT"))
            .explained(explanation_of(WIFI.key("country"))),
    }
}

/// The router that a subnet has most often: its first address, or its last where the first is named as a machine's.
fn likely_gateway(state: &State, table: &TablePath, key: &str) -> Option<String> {
    let facts = prefix_facts(&state.text.string(table, key)?).ok()?;
    if facts.first == facts.last {
        return None;
    }
    let first = match facts.first {
        // The first of an IPv6 subnet is for its routers as a group (RFC 4291, section 2.6.1).
        IpAddr::V6(first) if first == facts.prefix.network() => IpAddr::V6((u128::from(first) + 1).into()),
        first => first,
    };
    let is_named = state.named_address == Some(first);
    Some(if is_named { facts.last } else { first }.to_string())
}

/// What follows from a prefix, in lines.
fn facts_in_words(facts: &PrefixFacts) -> Vec<String> {
    let mut lines = Vec::new();
    let mask = match (&facts.netmask, &facts.hexadecimal) {
        (Some(dotted), Some(hexadecimal)) => format!(", mask {dotted} ({hexadecimal})"),
        _ => String::new(),
    };
    lines.push(format!("network {}{mask}", facts.prefix));
    lines.push(if facts.first == facts.last {
        format!("machines may have {} alone", facts.first)
    } else {
        format!("machines may have {} to {}: {} addresses", facts.first, facts.last, facts.hosts)
    });
    lines
}

/// Takes a reply about a subnet.
pub(super) fn take(
    state: &mut State,
    desk: &Desk<'_>,
    name: &str,
    key: SubnetKey,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let table = table_of(name);
    let Some(text) = reply.text else {
        return match key {
            SubnetKey::Gateway | SubnetKey::Gateway6 => {
                put(state, desk, &table, key.name(), &quoted("none"), reply)
            }
            _ => {
                state.text.remove(&table, key.name());
                Ok(Vec::new())
            }
        };
    };
    match key {
        SubnetKey::Prefix | SubnetKey::Prefix6 => take_prefix(state, desk, name, key, reply),
        SubnetKey::Gateway | SubnetKey::Gateway6 => take_gateway(state, desk, &table, key, reply),
        SubnetKey::Vlan => put(state, desk, &table, "vlan", &number_or_quoted(text), reply),
        SubnetKey::DhcpRanges => put(
            state,
            desk,
            &table,
            "dhcp_ranges",
            &quoted_list(ranges(text).iter().map(String::as_str)),
            reply,
        ),
        SubnetKey::HypervisorNetwork => put(state, desk, &table, key.name(), &quoted(text), reply),
        SubnetKey::WifiName => {
            let secret = format!("{name}-wifi");
            let secret_table = TablePath::named("secret", &secret);
            if !state.text.has(&secret_table) {
                state.text.set(&secret_table, "from", &quoted("store"), None);
                state.typed_secrets.push(secret.clone());
            }
            let wifi =
                format!("{{ ssid = {}, passphrase = {{ secret = {} }} }}", quoted(text), quoted(&secret));
            put(state, desk, &table, "wifi", &wifi, reply)
        }
        SubnetKey::WifiCountry => {
            put(state, desk, &table.inner(&["wifi"]), "country", &quoted(&text.to_uppercase()), reply)
        }
    }
}

/// A number as it is, anything else as a text, which the sheet's own rules then refuse.
fn number_or_quoted(text: &str) -> String {
    if text.parse::<u32>().is_ok() { text.to_owned() } else { quoted(text) }
}

/// The ranges of a list, with a hyphen and no blanks in each.
fn ranges(text: &str) -> Vec<String> {
    let close = text.replace(" - ", "-").replace('\u{2013}', "-").replace(" to ", "-");
    close.split([',', ';', ' ', '[', ']', '"']).filter(|part| !part.is_empty()).map(str::to_owned).collect()
}

fn take_prefix(
    state: &mut State,
    desk: &Desk<'_>,
    name: &str,
    key: SubnetKey,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let text = reply.word();
    let table = table_of(name);
    let facts = match prefix_facts(text) {
        Ok(facts) => facts,
        Err(fault) => return Err(refuse_prefix(state, desk, &table, reply, &fault)),
    };
    let family = Family::of(facts.asked);
    if key == SubnetKey::Prefix6 && family == Family::V4 {
        return Err(Refusal::new(
            format!("{text} is an IPv4 prefix."),
            "reply with an IPv6 prefix, such as fd64:10::/64, or none",
        ));
    }
    let key = if family == Family::V4 { "prefix" } else { "prefix6" };
    let mut told = put(state, desk, &table, key, &quoted(&facts.prefix.to_string()), reply)?;
    let is_machine = facts.network != Some(facts.asked)
        && facts.broadcast != Some(facts.asked)
        && facts.asked != facts.prefix.network();
    if is_machine || facts.first == facts.last {
        state.named_address = Some(facts.asked);
    }
    told.extend(facts_in_words(&facts));
    Ok(told)
}

/// Refuses an address whose network cannot be told, by what the sheet's own rules say of it.
fn refuse_prefix(
    state: &mut State,
    desk: &Desk<'_>,
    table: &TablePath,
    reply: Reply<'_>,
    fault: &PrefixFault,
) -> Refusal {
    let text = reply.word();
    if let (PrefixFault::NoMask, Ok(address)) = (fault, text.parse::<IpAddr>()) {
        let length = if address.is_ipv4() { 24 } else { 64 };
        return Refusal::new(
            format!("{text} has no mask, so its network cannot be told."),
            "add the mask that the machines there have, such as /24 or 255.255.255.0",
        )
        .proposing(format!("{text}/{length}"));
    }
    let usual = respelled(text).unwrap_or_else(|| text.to_owned());
    match put(state, desk, table, "prefix", &quoted(&usual), reply) {
        Err(refusal) => Refusal {
            fix: "reply with an address and its mask, such as 10.64.10.21/24 or 10.64.10.21 255.255.255.0"
                .to_owned(),
            ..refusal
        },
        Ok(_) => Refusal::new(format!("{text} is not an address with a mask."), "write it as 10.64.10.21/24"),
    }
}

fn take_gateway(
    state: &mut State,
    desk: &Desk<'_>,
    table: &TablePath,
    key: SubnetKey,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let text = reply.word();
    let prefix = state.text.string(table, if key == SubnetKey::Gateway { "prefix" } else { "prefix6" });
    let prefix: Option<IpNet> = prefix.and_then(|prefix| prefix.parse().ok());
    // A single rented address has its router elsewhere.
    let is_alone = prefix.is_some_and(|prefix| {
        let facts = facts_of(prefix, prefix.addr());
        facts.first == facts.last
    });
    let is_outside =
        text.parse::<IpAddr>().is_ok_and(|gateway| prefix.is_some_and(|prefix| !prefix.contains(&gateway)));
    let mut told = Vec::new();
    if is_alone && is_outside {
        state.text.set(table, "gateway_on_link", "true", None);
        told.push("the gateway is outside the prefix: gateway_on_link = true says that it answers on the link itself".to_owned());
    }
    told.extend(put(state, desk, table, key.name(), &quoted(text), reply)?);
    Ok(told)
}
