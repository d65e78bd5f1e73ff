//! Typing of links.

use std::net::IpAddr;

use impostazione_net::{Family, LinkName, MacAddress, parse_address, parse_mask, parse_prefix, respelled};
use impostazione_text::{Stated, Written};
use ipnet::IpNet;

use super::host_number::{HostNumberFault, address_of};
use super::link::{AddressChoice, Bond, BondMode, Bridge, Link, LinkAddress, LinkKind, LinkOptions, Route};
use super::resolve::{Names, Resolver};
use super::rules;
use crate::sheet::rules::form;
use crate::sheet::{FurtherAddressEntry, HOST_LINK, LinkEntry, MoreOfLink, RouteEntry};

#[derive(Clone, Copy)]
enum KindWord {
    Ethernet,
    Wifi,
    Bond,
    Vlan,
    Bridge,
}

const KINDS: [(&str, KindWord); 5] = [
    ("ethernet", KindWord::Ethernet),
    ("wifi", KindWord::Wifi),
    ("bond", KindWord::Bond),
    ("vlan", KindWord::Vlan),
    ("bridge", KindWord::Bridge),
];

const SPREADS: [(&str, &str); 5] = [
    ("layer2", "layer2"),
    ("layer2+3", "layer2+3"),
    ("layer3+4", "layer3+4"),
    ("encap2+3", "encap2+3"),
    ("encap3+4", "encap3+4"),
];

/// What a bond does that the sheet does not say otherwise of: a bond that never looks does not notice a cut cable.
const USUAL_WATCH: u32 = 100;

impl Resolver<'_> {
    pub(super) fn link(&mut self, entry: LinkEntry, names: &Names) -> Option<Link> {
        let name = match LinkName::parse(&entry.name.value) {
            Ok(name) => entry.name.with(name),
            Err(fault) => {
                return self.report(rules::link::name_invalid(self.machine.clone(), &entry.name, &fault));
            }
        };
        let subnet = entry.subnet.and_then(|written| self.subnet_named(&written, names));
        let address = entry.address.and_then(|written| self.link_address("address", Family::V4, &written));
        let address6 = entry.address6.and_then(|written| self.link_address("address6", Family::V6, &written));
        let address = self.or_numbered(address, entry.host_number, Family::V4, &subnet, names);
        let address6 = self.or_numbered(address6, entry.host_number6, Family::V6, &subnet, names);
        let mut link = Link {
            name,
            kind: LinkKind::Ethernet,
            network: entry.network.into_value().map(Box::new),
            subnet,
            address,
            address6,
            replaces: entry
                .replaces
                .and_then(|written| self.address("replaces", None, &written))
                .into_value()
                .map(Box::new),
            default_route: entry.default_route.value().is_none_or(|flag| flag.value),
            options: None,
        };
        if let Some(more) = entry.more {
            self.more_of_link(&mut link, *more);
        }
        Some(link)
    }

    /// The address that is written, or else the one that a host number makes.
    fn or_numbered(
        &mut self,
        address: Stated<AddressChoice>,
        number: Stated<Written<String>>,
        family: Family,
        subnet: &Stated<Written<usize>>,
        names: &Names,
    ) -> Stated<AddressChoice> {
        let written = match number {
            Stated::Absent => return address,
            Stated::Faulty => return address.or(Stated::Faulty),
            Stated::Value(written) => written,
        };
        // A subnet, or a prefix, that cannot be read has its own finding.
        let Some(index) = subnet.value().map(|written| written.value) else { return Stated::Faulty };
        let prefix = names.prefixes.get(index).map_or(&Stated::Faulty, |[v4, v6]| match family {
            Family::V4 => v4,
            Family::V6 => v6,
        });
        let made = match (address.is_absent(), prefix) {
            (false, _) => Err(HostNumberFault::BesideAddress),
            (true, Stated::Value(prefix)) => address_of(*prefix, &written.value),
            (true, Stated::Faulty) => return Stated::Faulty,
            (true, Stated::Absent) => {
                let mut named = names.subnets.iter().filter(|(_, known)| **known == index);
                Err(HostNumberFault::NoPrefix(named.next().map(|(name, _)| name.clone()).unwrap_or_default()))
            }
        };
        match made {
            Ok(address) => Stated::Value(AddressChoice::Static(LinkAddress {
                address: written.with(address),
                own_length: None,
                is_outside_subnet: false,
            })),
            Err(fault) => {
                let key = if family == Family::V4 { "host_number" } else { "host_number6" };
                self.findings.push(rules::host_number::invalid(
                    self.machine.clone(),
                    key,
                    family,
                    &written,
                    &fault,
                ));
                Stated::Faulty
            }
        }
    }

    fn more_of_link(&mut self, link: &mut Link, more: MoreOfLink) {
        let kind = more.kind.clone().and_then(|written| self.one_of(&written, &KINDS, &HOST_LINK, "kind"));
        let word = match &kind {
            Stated::Absent => Some(KindWord::Ethernet),
            Stated::Faulty => None,
            Stated::Value(written) => Some(written.value),
        };
        if let Some(word) = word {
            self.refuse_keys_of_other_kinds(link, word, &more);
        }
        let options = LinkOptions {
            is_kind_stated: !kind.is_absent(),
            mac: more.mac.and_then(|written| match MacAddress::parse(&written.value) {
                Ok(mac) => Some(written.with(mac)),
                Err(fault) => self.report(rules::mac::malformed(self.machine.clone(), &written, &fault)),
            }),
            only_port: more
                .port
                .and_then(|written| self.one_of(&written, &[("only", ())], &HOST_LINK, "port"))
                .into_value()
                .map(|written| written.place),
            more_addresses: more
                .more_addresses
                .into_value()
                .into_iter()
                .flatten()
                .filter_map(|written| self.further_address(&written))
                .collect(),
            routes: more
                .routes
                .into_value()
                .into_iter()
                .flatten()
                .filter_map(|entry| self.route(entry))
                .collect(),
            routing_table: self.number(more.routing_table, "routing_table", 1..=252),
            mtu: more.mtu.and_then(|written| self.mtu(&written)).into_value(),
            wake_on_lan: more.wake_on_lan.into_value(),
            speed: self.number(more.speed, "speed", 10..=400_000),
            is_full_duplex: more
                .duplex
                .and_then(|written| {
                    self.one_of(&written, &[("full", true), ("half", false)], &HOST_LINK, "duplex")
                })
                .into_value(),
            link_local4: more.link_local4.into_value(),
        };
        link.default_route &= options.routing_table.is_none();
        link.kind = match word {
            None => LinkKind::Unreadable(more.members.into_value().unwrap_or_default()),
            Some(KindWord::Ethernet) => LinkKind::Ethernet,
            Some(KindWord::Wifi) => LinkKind::Wifi,
            Some(KindWord::Vlan) => {
                if more.over.is_absent() {
                    self.findings.push(form::link_key_missing(self.machine.clone(), &link.name, "over"));
                }
                LinkKind::Vlan(more.over)
            }
            Some(KindWord::Bridge) => LinkKind::Bridge(Box::new(Bridge {
                has_faulty_members: matches!(more.members, Stated::Faulty),
                members: more.members.into_value().unwrap_or_default(),
                spanning_tree: more.spanning_tree.value().is_some_and(|flag| flag.value),
            })),
            Some(KindWord::Bond) => {
                if more.mode.is_absent() {
                    self.findings.push(form::link_key_missing(self.machine.clone(), &link.name, "mode"));
                }
                LinkKind::Bond(Box::new(Bond {
                    has_faulty_members: matches!(more.members, Stated::Faulty),
                    members: more.members.into_value().unwrap_or_default(),
                    mode: more.mode.and_then(|written| {
                        let modes = BondMode::ALL;
                        match modes.iter().find(|(word, _)| *word == written.value) {
                            Some((_, mode)) => Some(written.with(*mode)),
                            None => self.report(rules::bond::mode_unknown(self.machine.clone(), &written)),
                        }
                    }),
                    primary: more.primary.into_value(),
                    link_check_ms: self
                        .number(more.link_check_ms, "link_check_ms", 1..=60_000)
                        .map_or(USUAL_WATCH, |written| written.value),
                    is_lacp_fast: more
                        .lacp_rate
                        .and_then(|written| {
                            let rates = [("fast", true), ("slow", false)];
                            self.one_of(&written, &rates, &HOST_LINK, "lacp_rate")
                        })
                        .into_value(),
                    hash_policy: more
                        .hash_policy
                        .and_then(|written| self.one_of(&written, &SPREADS, &HOST_LINK, "hash_policy"))
                        .into_value(),
                }))
            }
        };
        link.options = Some(Box::new(options));
    }

    /// A key that the kind of the link does not have would be lost without a word.
    fn refuse_keys_of_other_kinds(&mut self, link: &Link, kind: KindWord, more: &MoreOfLink) {
        fn place<T>(stated: &Stated<Written<T>>) -> Option<impostazione_text::Place> {
            stated.value().map(|written| written.place)
        }
        use KindWord::{Bond, Bridge, Ethernet, Vlan, Wifi};
        let members =
            more.members.value().map(|list| list.first().map_or(link.name.place, |first| first.place));
        let keys = [
            ("port", place(&more.port), matches!(kind, Ethernet | Wifi)),
            ("mac", place(&more.mac), !matches!(kind, Vlan)),
            ("wake_on_lan", place(&more.wake_on_lan), matches!(kind, Ethernet)),
            ("speed", place(&more.speed), matches!(kind, Ethernet)),
            ("duplex", place(&more.duplex), matches!(kind, Ethernet)),
            ("members", members, matches!(kind, Bond | Bridge)),
            ("mode", place(&more.mode), matches!(kind, Bond)),
            ("primary", place(&more.primary), matches!(kind, Bond)),
            ("link_check_ms", place(&more.link_check_ms), matches!(kind, Bond)),
            ("lacp_rate", place(&more.lacp_rate), matches!(kind, Bond)),
            ("hash_policy", place(&more.hash_policy), matches!(kind, Bond)),
            ("over", place(&more.over), matches!(kind, Vlan)),
            ("spanning_tree", place(&more.spanning_tree), matches!(kind, Bridge)),
        ];
        let word =
            KINDS.iter().find(|(_, other)| std::mem::discriminant(other) == std::mem::discriminant(&kind));
        for (key, place, is_right) in keys {
            if let Some(place) = place.filter(|_| !is_right) {
                let word = word.map_or("", |(word, _)| word);
                self.findings.push(form::key_of_other_kind(
                    self.machine.clone(),
                    place,
                    link.name.value.as_str(),
                    key,
                    word,
                ));
            }
        }
    }

    /// A number within bounds, which the key's specification names.
    fn number(
        &mut self,
        stated: Stated<Written<i64>>,
        key: &str,
        bounds: std::ops::RangeInclusive<u32>,
    ) -> Option<Written<u32>> {
        let written = stated.into_value()?;
        match u32::try_from(written.value).ok().filter(|number| bounds.contains(number)) {
            Some(number) => Some(written.with(number)),
            None => {
                let found = written.value.to_string();
                let spec = HOST_LINK.key(key)?;
                self.report(form::value_wrong_type(self.machine.clone(), written.place, spec, &found))
            }
        }
    }

    fn route(&mut self, entry: RouteEntry) -> Option<Route> {
        let via = entry.via.and_then(|written| self.address("via", None, &written)).into_value();
        let to = entry.to.and_then(|written| self.destination(&written)).into_value();
        let metric = entry.metric.and_then(|written| match u32::try_from(written.value) {
            Ok(metric) => Some(written.with(metric)),
            Err(_) => {
                let spec = crate::sheet::ROUTE.key("metric")?;
                let found = "a number that is not a metric (0 to 4294967295)";
                self.report(form::value_wrong_type(self.machine.clone(), written.place, spec, found))
            }
        });
        Some(Route { to: to?, via: via?, metric: metric.into_value() })
    }

    fn destination(&mut self, written: &Written<String>) -> Option<Written<IpNet>> {
        if written.value.eq_ignore_ascii_case("default") {
            return self.report(rules::route::to_default(self.machine.clone(), written));
        }
        let family = if written.value.contains(':') { Family::V6 } else { Family::V4 };
        match parse_prefix(&written.value, family) {
            Ok(prefix) => Some(written.with(prefix)),
            Err(fault) => {
                let mut finding = rules::subnet::prefix_faulty("to", family, written, &fault);
                finding.machine.clone_from(&self.machine);
                self.report(finding)
            }
        }
    }

    fn further_address(&mut self, entry: &FurtherAddressEntry) -> Option<LinkAddress> {
        let written = &entry.address;
        let family = if written.value.contains(':') { Family::V6 } else { Family::V4 };
        // Elsewhere "none" is an answer; in a list it must not be dropped without a word.
        if written.value == "none" {
            self.address("more_addresses", None, written);
            return None;
        }
        match self.link_address("more_addresses", family, written)? {
            AddressChoice::Static(address) => {
                Some(LinkAddress { is_outside_subnet: entry.outside_subnet, ..address })
            }
            AddressChoice::Declined => None,
        }
    }

    pub(super) fn link_address(
        &mut self,
        key: &str,
        family: Family,
        written: &Written<String>,
    ) -> Option<AddressChoice> {
        if written.value == "none" {
            return Some(AddressChoice::Declined);
        }
        if let Some(usual) = respelled(&written.value)
            && let Some((text, mask)) = usual.split_once('/')
            && parse_address(text, Some(family)).is_ok()
            && parse_mask(mask, family).is_ok()
        {
            return self.report(rules::subnet::address_respelled(self.machine.clone(), key, written, &usual));
        }
        let (text, own_length) = match written.value.split_once('/') {
            None => (written.value.as_str(), None),
            Some((text, mask)) => match parse_mask(mask, family) {
                Ok(length) => (text, Some(length)),
                Err(fault) => {
                    return self.report(rules::subnet::address_mask_faulty(
                        self.machine.clone(),
                        key,
                        written,
                        &fault,
                    ));
                }
            },
        };
        let address: Written<IpAddr> = self.address(key, Some(family), &written.with(text.to_owned()))?;
        Some(AddressChoice::Static(LinkAddress { address, own_length, is_outside_subnet: false }))
    }
}
