//! Rules on told values whose meaning is not certain: they are held against what they look like.

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
    summary: "an appliance is told an address of the site that another machine has, or that no machine can have",
    explanation: "It is not certain what the property means, and the value is an address in one of the site's subnets. One that \
        another machine has is right only where that machine is meant: { take = \"address\", of = \"…\" } says so, and goes with \
        the machine when its address changes. A subnet's first and last address are nobody's, and one that a DHCP server leases \
        is somebody else's tomorrow.",
    wrong: answered!("\"remark\" = \"10.64.10.11\""),
    right: answered!("\"remark\" = { take = \"address\", of = \"gauge-01\" }"),
    ..Rule::PLAIN
};

/// Something that was meant to be something.
static ANSWER_LOOKS_WRONG: Rule = Rule {
    name: "answer-looks-wrong",
    severity: Severity::Note,
    nature: Nature::Judgment,
    summary: "an appliance is told something that looks like an address, a mask, a zone or a key, and is none",
    explanation: "It is not certain what the property means, so that this may be right. A zone that the zone database does not \
        have, a mask with a hole, an address of the site with a letter in it and a public key that is cut off are slips as a \
        rule.",
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
    let otherwise = "write another address, or waive the rule if this one is meant";
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
                "write {{ take = \"{word}\", of = \"{}\"{of_link} }} if that machine is meant, or another address",
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
        return (!is_network)
            .then(|| (format!("{address} is the first address of subnet {name} ({prefix}), which names the subnet itself."), otherwise.to_owned()));
    }
    if broadcast_of(prefix) == Some(address) {
        let message = format!(
            "{address} is the last address of subnet {name} ({prefix}), which reaches all its machines at once."
        );
        return Some((message, otherwise.to_owned()));
    }
    let range = subnet.dhcp_ranges.iter().find(|range| range.value.contains(address))?;
    Some((
        format!(
            "{address} lies in {}, which the DHCP server of subnet {name} leases to others.",
            range.value
        ),
        otherwise.to_owned(),
    ))
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
        format!("\"{text}\" looks like a time zone, and there is none of that name."),
        match near.first() {
            Some(near) => format!("write \"{near}\" if that was meant"),
            None => "write a zone of the zone database, if one is meant".to_owned(),
        },
    ))
}

fn mask(text: &str) -> Option<(String, String)> {
    let looks_like_one = text.starts_with("255.") && text.split('.').count() == 4;
    match parse_mask(text, Family::V4) {
        Err(MaskFault::NotContiguous) if looks_like_one => Some((
            format!("\"{text}\" looks like a mask, and has zeros among its ones."),
            "write a mask such as 255.255.255.0, if one is meant".to_owned(),
        )),
        Err(MaskFault::Malformed) if looks_like_one => Some((
            format!("\"{text}\" looks like a mask, and is none."),
            "write a mask such as 255.255.255.0, if one is meant".to_owned(),
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
        format!("The value looks like a public key, which {reason}."),
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
            format!("\"{text}\" looks like an address of the site, and {}.", fault.reason),
            match fault.meant {
                Some(meant) => format!("write \"{meant}\" if that was meant"),
                None => "write the whole address, if one is meant".to_owned(),
            },
        )
    })
}
