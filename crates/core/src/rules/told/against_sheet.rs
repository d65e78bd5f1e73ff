//! Rules on told values that are right by themselves, and not what the sheet says.

use std::net::IpAddr;

use impostazione_net::{Family, broadcast_of, host_range, network_of};
use impostazione_ovf::Meaning;
use impostazione_text::Stated;

use super::super::check::Check;
use super::super::judge::Judge;
use super::super::set_apart::purpose;
use super::example::answered;
use super::value::{report_told, told_subnet};
use crate::appliance::{AboutLink, Origin, ReadValue, SheetValue, ToldAppliance, ToldValue, TypedValue};
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{Choices, Gateway, Ipv6Mode, Link, Site, Subnet, SubnetFamily};

pub(crate) const CHECKS: &[Check] = &[
    Check::new(&ANSWER_OF_ANOTHER_KIND, check_kind),
    Check::new(&ANSWER_WITHOUT_LINK, check_without_link),
    // Last, since it is silent where something else is wrong with the value.
    Check::new(&ANSWER_DIFFERS_FROM_SHEET, check_differs),
];

/// A value of the sheet in the place of another.
static ANSWER_OF_ANOTHER_KIND: Rule = Rule {
    name: "answer-of-another-kind",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "an answer takes a different value from the sheet than its property asks for",
    explanation: "The meaning of a property comes from its texts, or from the meanings file. A gateway in place of a \
        mask is most likely on the wrong line. If the answer is right, the meaning is wrong: correct it in a \
        meanings file, which `inspect PACKAGE --save-meanings FILE` writes.",
    wrong: answered!("\"net.netmask\" = { take = \"gateway\" }"),
    right: answered!("\"net.netmask\" = { take = \"netmask\" }"),
    ..Rule::PLAIN
};

/// An address that nothing can be checked against.
static ANSWER_WITHOUT_LINK: Rule = Rule {
    name: "answer-without-link",
    severity: Severity::Note,
    nature: Nature::Judgment,
    summary: "an appliance gets an address for a link that the sheet does not have",
    explanation: "The address is in no subnet of the sheet, and it is not clear which link it is for, so it cannot \
        be checked. Add its subnet to the sheet, and the link if you want it described.",
    wrong: concat!(
        "[[appliance]]\nname = \"logbook\"\npackage = \"packages/two-groups.ovf\"\n",
        "link.public = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n",
        "\"oob.address\" = \"10.64.40.61\"\n\"oob.netmask\" = \"255.255.255.0\"\n\"oob.gateway\" = \"\"\n"
    ),
    right: concat!(
        "[subnet.watch]\nprefix = \"10.64.40.0/24\"\ngateway = \"none\"\n",
        "[[appliance]]\nname = \"logbook\"\npackage = \"packages/two-groups.ovf\"\n",
        "link.public = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n",
        "\"oob.address\" = \"10.64.40.61\"\n\"oob.netmask\" = \"255.255.255.0\"\n\"oob.gateway\" = \"\"\n"
    ),
    ..Rule::PLAIN
};

/// Another value than the sheet's.
static ANSWER_DIFFERS_FROM_SHEET: Rule = Rule {
    name: "answer-differs-from-sheet",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "an appliance gets a different value than the sheet says",
    explanation: "The appliance gets the answer, while all other files, names and checks use what the sheet says \
        about the machine and its links. Remove the answer, or change the sheet; if the difference is intended, \
        waive the rule.",
    wrong: answered!("\"net.address\" = \"10.64.10.62\""),
    right: answered!("\"net.address\" = \"10.64.10.61\""),
    ..Rule::PLAIN
};

fn check_kind(judge: &mut Judge<'_>) {
    for (appliance, told) in judge.told_values().filter(|(_, told)| told.is_of_another_kind) {
        let Some(take) = told.take() else { continue };
        let message = format!(
            "It takes the {}, but the property asks for the {}.",
            take.word.value.text().replace('-', " "),
            told.meaning.called()
        );
        let fix = match told.meaning.take_word() {
            Some(word) => format!("write {{ take = \"{}\" }}, or remove the line", word.text()),
            None => "write the value itself in quotes".to_owned(),
        };
        report_told(judge, &ANSWER_OF_ANOTHER_KIND, appliance.machine, told, &message, fix);
    }
}

fn check_without_link(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (appliance, told) in judge.told_values().filter(|(_, told)| told.is_own_word()) {
        let AboutLink::Unclear(why) = &told.link else { continue };
        let is_address =
            matches!(told.meaning, Meaning::Address | Meaning::Address6 | Meaning::AddressWithPrefix);
        let Some(address) = told.typed().and_then(TypedValue::address).filter(|_| is_address) else {
            continue;
        };
        if told_subnet(site, appliance, told).is_none() {
            let message = format!("{address} is in no subnet of the sheet, and {why}.");
            let fix = "correct it, or add its subnet to the sheet".to_owned();
            report_told(judge, &ANSWER_WITHOUT_LINK, appliance.machine, told, &message, fix);
        }
    }
}

/// Gateways that are told in place of the subnet's.
fn told_gateways<'a>(
    judge: &Judge<'a>,
) -> Vec<(&'a ToldAppliance<'a>, &'a ToldValue<'a>, IpAddr, &'a Subnet)> {
    let site = judge.site;
    let gateways = judge.told_values().filter(|(_, told)| {
        matches!(told.meaning, Meaning::Gateway | Meaning::Gateway6) && told.is_own_word()
    });
    gateways
        .filter_map(|(appliance, told)| {
            let address = told.typed()?.address()?;
            Some((appliance, told, address, told_subnet(site, appliance, told)?))
        })
        .collect()
}

fn gateway_of(side: &SubnetFamily) -> Option<IpAddr> {
    side.gateway_address().map(|gateway| gateway.value)
}

fn is_link_local(address: IpAddr) -> bool {
    matches!(address, IpAddr::V6(v6) if v6.is_unicast_link_local())
}

/// Gateways that the subnet does not hold.
pub(crate) fn check_gateway_outside(judge: &mut Judge<'_>, rule: &'static Rule) {
    for (appliance, told, gateway, subnet) in told_gateways(judge) {
        let name = &subnet.name.value;
        let family = Family::of(gateway);
        let (message, fix) = match subnet.side(family) {
            Stated::Value(side) => {
                let prefix = side.prefix.value;
                let is_set_apart = purpose(gateway).is_some();
                let is_the_subnets = gateway_of(side) == Some(gateway);
                if prefix.contains(&gateway) || is_set_apart || is_the_subnets {
                    continue;
                }
                let (first, last) = host_range(prefix);
                (
                    format!("The gateway {gateway} is not in subnet {name} ({prefix})."),
                    format!("write the router's address in the subnet, from {first} to {last}"),
                )
            }
            Stated::Absent => (
                format!(
                    "The gateway {gateway} is an {} address, but subnet {name} has no such prefix.",
                    family.name()
                ),
                "write the router's address in the subnet".to_owned(),
            ),
            Stated::Faulty => continue,
        };
        report_told(judge, rule, appliance.machine, told, &message, fix);
    }
}

/// Gateways that are the subnet's first address, or its last, or set apart, or the machine's own.
pub(crate) fn check_gateway_is(
    judge: &mut Judge<'_>,
    rule: &'static Rule,
    wrong: impl Fn(&ToldAppliance<'_>, IpAddr, &SubnetFamily) -> Option<String>,
) {
    for (appliance, told, gateway, subnet) in told_gateways(judge) {
        let Some(side) = subnet.family(Family::of(gateway)) else { continue };
        if gateway_of(side) == Some(gateway) {
            continue;
        }
        if let Some(what) = wrong(appliance, gateway, side) {
            let message = format!("The gateway {gateway} {what}.");
            let fix = "write the router's address in the subnet".to_owned();
            report_told(judge, rule, appliance.machine, told, &message, fix);
        }
    }
}

/// The first address of the subnet, as the end of a sentence about a gateway.
pub(crate) fn names_subnet(gateway: IpAddr, side: &SubnetFamily) -> Option<String> {
    let prefix = side.prefix.value;
    (network_of(prefix) == Some(gateway)).then(|| format!("is the network address of {prefix}"))
}

/// The last address of the subnet.
pub(crate) fn reaches_all(gateway: IpAddr, side: &SubnetFamily) -> Option<String> {
    let prefix = side.prefix.value;
    (broadcast_of(prefix) == Some(gateway)).then(|| format!("is the broadcast address of {prefix}"))
}

/// The machine's own address, by its link or by what it is told.
pub(crate) fn is_itself(appliance: &ToldAppliance<'_>, gateway: IpAddr) -> Option<String> {
    let is_link = |link: &Link| link.addresses().any(|found| found.address.value == gateway);
    let is_told = |told: &ToldValue<'_>| {
        matches!(told.meaning, Meaning::Address | Meaning::Address6 | Meaning::AddressWithPrefix)
            && told.typed().and_then(TypedValue::address) == Some(gateway)
    };
    (appliance.machine.links.iter().any(is_link) || appliance.values.iter().any(is_told))
        .then(|| format!("is the address of {} itself", appliance.machine.called()))
}

/// An address that no router has.
pub(crate) fn is_set_apart(gateway: IpAddr) -> Option<String> {
    purpose(gateway).filter(|_| !is_link_local(gateway)).map(str::to_owned)
}

fn check_differs(judge: &mut Judge<'_>) {
    let site = judge.site;
    let mut wrong = Vec::new();
    for (appliance, told) in judge.told_values() {
        if told.origin != Origin::Literal || judge.is_wrong_value(appliance.machine, told.place) {
            continue;
        }
        let Some(sheet) = differs(site, appliance, told) else { continue };
        // Where the package does not take what the sheet has, something else has to be chosen.
        if told.choices().is_empty() || told.choices().contains(&sheet) {
            wrong.push((appliance, told, sheet));
        }
    }
    for (appliance, told, sheet) in wrong {
        let message = match told.read {
            ReadValue::Empty => format!("The value is empty, but the sheet has {sheet}."),
            _ => format!("The value is {}, but the sheet has {sheet}.", told.shown()),
        };
        let fix = "write what the sheet has, or remove the line".to_owned();
        report_told(judge, &ANSWER_DIFFERS_FROM_SHEET, appliance.machine, told, &message, fix);
    }
}

/// What the sheet has where a value differs from it, as the end of "the sheet has".
fn differs(site: &Site, appliance: &ToldAppliance<'_>, told: &ToldValue<'_>) -> Option<String> {
    let machine = appliance.machine;
    let settings = &machine.settings;
    let typed = match &told.read {
        ReadValue::Typed(typed) => typed,
        ReadValue::Empty => return left_empty(told),
        ReadValue::Wrong(_) | ReadValue::Unread => return None,
    };
    match (told.meaning, typed) {
        (Meaning::Address | Meaning::Address6 | Meaning::AddressWithPrefix, typed) => {
            differs_from_link(told, typed.address()?)
        }
        (Meaning::Gateway | Meaning::Gateway6, TypedValue::Address(gateway)) => {
            differs_from_gateway(site, appliance, told, *gateway)
        }
        (Meaning::VirtualAddress, TypedValue::Address(address)) => {
            let cluster = site.cluster_of(machine)?;
            let addresses: Vec<IpAddr> = cluster.addresses().map(|found| found.address.value).collect();
            let first = addresses.first()?;
            (!addresses.contains(address)).then(|| format!("{first} for the cluster {}", cluster.name.value))
        }
        (Meaning::Hostname, TypedValue::Hostname(name)) => {
            let own = machine.hostname.value()?;
            (own != name).then(|| own.to_string())
        }
        (Meaning::Hostname | Meaning::Fqdn, TypedValue::Domain(name)) => {
            let own = machine.fqdn()?;
            (own != name.as_str()).then_some(own)
        }
        (Meaning::Domain, TypedValue::Domain(name)) => {
            let own = machine.domain()?;
            (own != name.as_str()).then(|| own.to_owned())
        }
        (Meaning::Search, TypedValue::Domains(names)) => {
            lacks(settings.search.value()?, names.iter(), |own, name| own == name, "search domain")
        }
        (Meaning::Dns | Meaning::Dns1 | Meaning::Dns2, TypedValue::NameServers(servers)) => {
            lacks(settings.dns.value()?, servers.iter(), |own, server| own == server, "DNS server")
        }
        (Meaning::Ntp | Meaning::Ntp1 | Meaning::Ntp2, TypedValue::TimeServers(servers)) => {
            lacks(settings.ntp.value()?, servers.iter(), |own, server| own.server == *server, "time server")
        }
        (Meaning::NtpEnabled, TypedValue::Switch(is_on)) => {
            let list = settings.ntp.value()?;
            let has_servers = !list.items.is_empty();
            (has_servers != *is_on && (has_servers || list.is_declined())).then(|| {
                if has_servers { "time servers".to_owned() } else { "no time server (\"none\")".to_owned() }
            })
        }
        (Meaning::Ipv6Enabled, TypedValue::Switch(true)) => {
            (settings.ipv6.value()?.value == Ipv6Mode::Off).then(|| "ipv6 = \"off\"".to_owned())
        }
        (Meaning::Timezone, TypedValue::Zone(zone)) => {
            let own = &settings.timezone.value()?.value;
            (own != zone).then(|| own.to_string())
        }
        (Meaning::Locale, TypedValue::Locale(name)) => {
            let own = settings.locale.value()?.value.as_str();
            (!own.replace('_', "-").starts_with(&name.replace('_', "-"))).then(|| own.to_owned())
        }
        (Meaning::Keyboard, TypedValue::Keyboard(layout)) => {
            let own = &settings.keyboard.value()?.value;
            (own != layout).then(|| own.as_str().to_owned())
        }
        (Meaning::ClusterName, TypedValue::Text) => {
            let own = &site.cluster_of(machine)?.name.value;
            (own != told.text.reveal()).then(|| own.clone())
        }
        (Meaning::Vlan, TypedValue::Number(tag)) => {
            let subnet = told_subnet(site, appliance, told)?;
            let own = u64::from(subnet.vlan.value()?.value);
            // Without a tag, where the hypervisor puts it on.
            (own != *tag && *tag != 0).then(|| format!("{own} for subnet {}", subnet.name.value))
        }
        (Meaning::Mtu, TypedValue::Number(mtu)) => {
            let AboutLink::Link(link) = &told.link else { return None };
            let own = u64::from(site.mtu_of(link)?.value);
            (own != *mtu).then(|| format!("{own} for the link {}", link.name.value))
        }
        _ => None,
    }
}

/// What the sheet has where nothing is told.
fn left_empty(told: &ToldValue<'_>) -> Option<String> {
    let is_needed = matches!(told.meaning, Meaning::Address | Meaning::Address6 | Meaning::AddressWithPrefix);
    match &told.of_sheet {
        SheetValue::Is(right) if !right.is_empty() && (is_needed || !told.may_be_empty) => {
            Some(right.clone())
        }
        _ => None,
    }
}

fn differs_from_link(told: &ToldValue<'_>, address: IpAddr) -> Option<String> {
    let AboutLink::Link(link) = &told.link else { return None };
    if link.addresses().any(|found| found.address.value == address) {
        return None;
    }
    let of_family = link.address_in(Family::of(address)).or_else(|| link.addresses().next())?;
    Some(format!("{} for the link {}", of_family.address.value, link.name.value))
}

fn differs_from_gateway(
    site: &Site,
    appliance: &ToldAppliance<'_>,
    told: &ToldValue<'_>,
    gateway: IpAddr,
) -> Option<String> {
    let subnet = told_subnet(site, appliance, told)?;
    let name = &subnet.name.value;
    match subnet.family(Family::of(gateway))?.gateway.value()? {
        Gateway::At(own) if own.value == gateway => None,
        Gateway::At(own) => Some(format!("{} for subnet {name}", own.value)),
        Gateway::Declined => Some(format!("no gateway (\"none\") for subnet {name}")),
    }
}

/// Whether a list of the sheet lacks one of these values: what it has in their place.
fn lacks<'v, T, V: 'v>(
    list: &Choices<T>,
    mut values: impl Iterator<Item = &'v V>,
    is_same: impl Fn(&T, &V) -> bool,
    what: &str,
) -> Option<String>
where
    T: ToString,
{
    if list.has_faulty_items {
        return None;
    }
    if list.is_declined() {
        return values.next().map(|_| format!("no {what} (\"none\")"));
    }
    let is_listed = |value: &V| list.values().any(|own| is_same(own, value));
    if list.items.is_empty() || values.all(is_listed) {
        return None;
    }
    Some(list.values().map(T::to_string).collect::<Vec<_>>().join(", "))
}
