//! Rules on told values whose meaning is not certain: they are checked against what they look like.

use std::net::IpAddr;

use impostazione_net::{Family, MaskFault, ZoneName, broadcast_of, network_of, parse_address, parse_mask};
use impostazione_ovf::Meaning;

use super::super::check::Check;
use super::super::judge::Judge;
use super::example::answered;
use super::value::{report_told, subnet_with};
use crate::appliance::{Origin, ToldAppliance, ToldValue};
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{Site, key_fault};

pub(crate) const CHECKS: &[Check] =
    &[Check::new(&ANSWER_ADDRESS_TAKEN, check_addresses), Check::new(&ANSWER_LOOKS_WRONG, check_forms)];

/// An address that somebody has.
static ANSWER_ADDRESS_TAKEN: Rule = Rule {
    name: "answer-address-taken",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "an appliance gets an address of the site that belongs to another machine, or to none",
    explanation: "The meaning of the property is not certain, and the value is an address in one of the site's \
        subnets. The address of another machine is right only if you mean that machine: write { take = \"address\", \
        of = \"NAME\" }, which follows the machine when its address changes. Network and broadcast addresses belong \
        to no machine, and a DHCP address belongs to another one tomorrow.",
    wrong: answered!("\"remark\" = \"10.64.10.11\""),
    right: answered!("\"remark\" = { take = \"address\", of = \"gauge-01\" }"),
    ..Rule::PLAIN
};

/// Something that was meant to be something.
static ANSWER_LOOKS_WRONG: Rule = Rule {
    name: "answer-looks-wrong",
    severity: Severity::Note,
    nature: Nature::Judgment,
    summary: "an appliance gets what looks like an address, a mask, a zone or a key, but is not valid",
    explanation: "The meaning of the property is not certain, so this may be right. An unknown time zone, a mask \
        that is not contiguous, an address with a letter in it and a truncated public key are usually mistakes.",
    wrong: answered!("\"remark\" = \"Europe/Lodnon\""),
    right: answered!("\"remark\" = \"Europe/London\""),
    ..Rule::PLAIN
};

/// The values of which it is not certain what they mean.
fn uncertain<'a>(
    judge: &Judge<'a>,
) -> impl Iterator<Item = (&'a ToldAppliance<'a>, &'a ToldValue<'a>)> + use<'a> {
    judge.told_values().filter(|(_, told)| {
        told.meaning == Meaning::Other
            && !told.is_confidential
            && matches!(told.origin, Origin::Literal | Origin::Default)
            && !told.text.reveal().is_empty()
    })
}

fn check_addresses(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (appliance, told) in uncertain(judge) {
        let items = told.text.reveal().split([',', ';', ' ']).filter(|item| !item.is_empty());
        for address in items.filter_map(|item| item.parse::<IpAddr>().ok()) {
            let Some((message, fix)) = taken(site, appliance, told, address) else { continue };
            report_told(judge, &ANSWER_ADDRESS_TAKEN, appliance.machine, told, &message, fix);
        }
    }
}

/// Why an address is not one that a machine is told, and what to write.
fn taken(
    site: &Site,
    appliance: &ToldAppliance<'_>,
    told: &ToldValue<'_>,
    address: IpAddr,
) -> Option<(String, String)> {
    let subnet = subnet_with(site, address)?;
    let (name, prefix) = (&subnet.name.value, subnet.family(Family::of(address))?.prefix.value);
    let mut owners = site.address_uses().get(&address).into_iter().flatten();
    let owner = owners.find_map(|used| site.owning_link(used.owner));
    let otherwise = "write another address, or waive the rule if you mean this one";
    if let Some((other, link)) = owner {
        // A default that happens to be somebody's was not meant.
        let is_server = site.asked_servers().contains_key(&address) || other.serves.dns || other.serves.ntp;
        let is_mate = other.cluster.as_ref().is_some_and(|theirs| {
            appliance.machine.cluster.as_ref().is_some_and(|own| own.value == theirs.value)
        });
        if std::ptr::eq(other, appliance.machine) || is_mate || (is_server && told.is_answered()) {
            return None;
        }
        let of_link =
            if other.links.len() > 1 { format!(", link = \"{}\"", link.name.value) } else { String::new() };
        let word = if address.is_ipv4() { "address" } else { "address6" };
        return Some((
            format!("{address} is the address of {}.", other.called()),
            format!(
                "write {{ take = \"{word}\", of = \"{}\"{of_link} }} if you mean that machine, or another address",
                other.called()
            ),
        ));
    }
    if network_of(prefix) == Some(address) {
        // A network is asked for by its first address often enough.
        let asks_for_network = told.called().to_lowercase();
        let is_network = ["network", "subnet", "prefix", "netz", "rete", "reseau", "réseau", "red"]
            .iter()
            .any(|word| asks_for_network.contains(word));
        return (!is_network).then(|| {
            (format!("{address} is the network address of subnet {name} ({prefix})."), otherwise.to_owned())
        });
    }
    if broadcast_of(prefix) == Some(address) {
        let message = format!("{address} is the broadcast address of subnet {name} ({prefix}).");
        return Some((message, otherwise.to_owned()));
    }
    let range = subnet.dhcp_ranges.iter().find(|range| range.value.contains(address))?;
    Some((format!("{address} is in {}, a DHCP range of subnet {name}.", range.value), otherwise.to_owned()))
}

fn check_forms(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (appliance, told) in uncertain(judge) {
        let text = told.text.reveal();
        let wrong = zone(text).or_else(|| mask(text)).or_else(|| key(text)).or_else(|| address(site, text));
        if let Some((message, fix)) = wrong {
            report_told(judge, &ANSWER_LOOKS_WRONG, appliance.machine, told, &message, fix);
        }
    }
}

fn zone(text: &str) -> Option<(String, String)> {
    const AREAS: [&str; 11] = [
        "Africa",
        "America",
        "Antarctica",
        "Arctic",
        "Asia",
        "Atlantic",
        "Australia",
        "Europe",
        "Indian",
        "Pacific",
        "Etc",
    ];
    let (area, place) = text.split_once('/')?;
    let is_like_one = AREAS.contains(&area) && place.starts_with(|first: char| first.is_ascii_alphabetic());
    let is_one = text.chars().all(|c| c.is_ascii_alphanumeric() || "/_+-".contains(c));
    if !is_like_one || !is_one || ZoneName::parse(text).is_some() {
        return None;
    }
    let near = impostazione_net::nearest_zones(text);
    Some((
        format!("\"{text}\" looks like a time zone, but there is none with that name."),
        match near.first() {
            Some(near) => format!("write \"{near}\" if you mean that"),
            None => "write a time zone such as \"Europe/Rome\", if you mean one".to_owned(),
        },
    ))
}

fn mask(text: &str) -> Option<(String, String)> {
    let looks_like_one = text.starts_with("255.") && text.split('.').count() == 4;
    match parse_mask(text, Family::V4) {
        Err(MaskFault::NotContiguous) if looks_like_one => Some((
            format!("\"{text}\" looks like a mask, but is not contiguous."),
            "write a mask such as 255.255.255.0, if you mean one".to_owned(),
        )),
        Err(MaskFault::Malformed) if looks_like_one => Some((
            format!("\"{text}\" looks like a mask, but is not valid."),
            "write a mask such as 255.255.255.0, if you mean one".to_owned(),
        )),
        _ => None,
    }
}

fn key(text: &str) -> Option<(String, String)> {
    let looks_like_one = ["ssh-rsa ", "ssh-ed25519 ", "ecdsa-sha2-", "sk-ssh-", "sk-ecdsa-"]
        .iter()
        .any(|kind| text.starts_with(kind));
    let reason = key_fault(text).filter(|_| looks_like_one)?;
    Some((
        format!("The value looks like a public key, but {reason}."),
        "write the line of a file that ends in .pub, with its type and the whole key".to_owned(),
    ))
}

/// An address with a slip in it that begins as those of a subnet of the site do.
fn address(site: &Site, text: &str) -> Option<(String, String)> {
    let fault = parse_address(text, Some(Family::V4)).err()?;
    let start =
        |text: &str| text.match_indices('.').nth(1).and_then(|(at, _)| text.get(..at)).map(str::to_owned);
    let own = start(text)?;
    let is_alike = site.subnets.iter().filter_map(|subnet| subnet.family(Family::V4)).any(|side| {
        side.prefix.value.prefix_len() >= 16
            && start(&side.prefix.value.addr().to_string()).as_ref() == Some(&own)
    });
    let looks_like_one = text.len() <= 16
        && text.chars().all(|c| c.is_ascii_digit() || ".,OoIl".contains(c))
        && (3..=5).contains(&text.split('.').count());
    (is_alike && looks_like_one).then(|| {
        (
            format!("\"{text}\" looks like an address of the site, but {}.", fault.reason),
            match fault.meant {
                Some(meant) => format!("write \"{meant}\" if you mean that"),
                None => "write the whole address, if you mean one".to_owned(),
            },
        )
    })
}
