//! Holds a file against netplan's keys.

use std::net::IpAddr;

use impostazione_net::{Family, MacAddress, parse_address};
use impostazione_text::{Place, Written, nearest};

use super::super::sentences;
use super::super::yaml::{Map, Node, Value};
use super::kind::{Kind, leading_number, number, without_length};
use super::tables::{ADDRESS_OPTIONS, FILE, Key, RENDERER, Shape, Table, Together};
use crate::finding::Finding;
use crate::machine::NetplanVersion;

/// Finds each key and each value of a file that netplan of that version refuses, and gives the places that nobody may see.
/// `begins_again` says whether netplan reads the file twice.
pub(crate) fn check(
    root: &Node,
    version: NetplanVersion,
    begins_again: bool,
    findings: &mut Vec<Finding>,
) -> Vec<Place> {
    let mut check =
        Check { version, begins_again, owner: None, within: Vec::new(), secrets: Vec::new(), findings };
    check.shape(Shape::Table(&FILE), None, root);
    check.secrets
}

struct Check<'c> {
    version: NetplanVersion,
    begins_again: bool,
    /// The link that is looked at.
    owner: Option<String>,
    /// The keys below which it is looked at.
    within: Vec<&'static str>,
    /// What holds a secret, or may.
    secrets: Vec<Place>,
    findings: &'c mut Vec<Finding>,
}

impl Check<'_> {
    fn shape(&mut self, shape: Shape, key: Option<&Written<String>>, node: &Node) {
        match (shape, &node.value) {
            (Shape::One(kind) | Shape::OneOrList(kind) | Shape::OneOrTable(kind, _), Value::Scalar(text)) => {
                self.value(kind, key, &Written::new(text.clone(), node.place));
            }
            (Shape::OneOrList(kind), Value::List(items)) => {
                if items.is_empty() {
                    self.findings.push(sentences::empty(node.place, name(key), self.owner()));
                }
                self.items(Shape::One(kind), key, items);
            }
            (Shape::List(item), Value::List(items)) => self.items(*item, key, items),
            (Shape::Pair(item), Value::List(items)) => {
                self.items(*item, key, items);
                if items.len() != 2 {
                    self.findings.push(sentences::no_pair(node.place, name(key), self.owner()));
                }
            }
            (Shape::Addresses { from_zero }, Value::List(items)) => {
                let mut is_done = false;
                for item in items {
                    let before = self.findings.len();
                    self.address(from_zero, key, item);
                    let is_refused = self.findings.len() > before;
                    // The second time, netplan leaves the list at the first address whose options it has already.
                    if is_refused && is_done {
                        self.findings.truncate(before);
                        self.findings.push(sentences::address_passed_over(item.place, self.owner()));
                    }
                    is_done |= self.begins_again && !is_refused && item.value.map().is_some();
                }
            }
            (Shape::Table(table) | Shape::OneOrTable(_, table), Value::Map(map)) => {
                self.table(table, node.place, map);
            }
            (Shape::Named(shape), Value::Map(map)) => {
                for (key, value) in &map.entries {
                    self.shape(*shape, Some(key), value);
                }
            }
            (Shape::ByLink(kind), Value::Map(map)) => {
                for (key, value) in &map.entries {
                    self.shape(Shape::One(kind), Some(key), value);
                }
            }
            (Shape::Section(table), Value::Map(map)) => self.section(table, map),
            (shape, _) => {
                let is_hidden = is_confidential(shape) && !node.value.text().is_some_and(is_plain);
                if is_hidden {
                    self.hide(node);
                }
                let found = sentences::Found::of(&node.value, is_hidden);
                let wanted = match shape {
                    Shape::One(_) => "one value",
                    Shape::List(Shape::Table(_)) => "a list of mappings",
                    Shape::List(_) | Shape::Addresses { .. } => "a list",
                    Shape::Pair(_) => "a list of two",
                    Shape::Table(_) | Shape::Named(_) | Shape::ByLink(_) | Shape::Section(_) => "a mapping",
                    Shape::OneOrList(_) => "one value or a list",
                    Shape::OneOrTable(..) => "one value or a mapping",
                };
                self.findings.push(sentences::wrong_shape(
                    node.place,
                    name(key),
                    self.owner(),
                    &found,
                    wanted,
                ));
            }
        }
    }

    /// Hides all that a value holds.
    fn hide(&mut self, node: &Node) {
        match &node.value {
            Value::Scalar(_) => self.secrets.push(node.place),
            Value::List(items) => items.iter().for_each(|item| self.hide(item)),
            Value::Map(map) => map.entries.iter().for_each(|(_, value)| self.hide(value)),
        }
    }

    fn owner(&self) -> Option<&str> {
        self.owner.as_deref()
    }

    fn items(&mut self, shape: Shape, key: Option<&Written<String>>, items: &[Node]) {
        for item in items {
            self.shape(shape, key, item);
        }
    }

    fn table(&mut self, table: &'static Table, place: Place, map: &Map) {
        for (written, value) in &map.entries {
            match table.key(&written.value) {
                Some(key) if key.since <= self.version => {
                    self.within.push(key.name);
                    self.shape(key.shape, Some(written), value);
                    self.within.pop();
                }
                Some(key) => {
                    self.findings.push(sentences::key_too_new(
                        written,
                        self.owner(),
                        self.version,
                        key.since,
                    ));
                }
                None => {
                    let holds_secrets = table.keys().any(|key| is_secret(key.shape));
                    let known = table.keys().filter(|key| key.since <= self.version);
                    let known: Vec<&str> = known.map(|key: &Key| key.name).collect();
                    if holds_secrets {
                        self.hide(value);
                    }
                    // What resembles no key may be somebody's passphrase.
                    if holds_secrets && nearest(&written.value, known.iter().copied(), 1).is_empty() {
                        self.secrets.push(written.place);
                    }
                    let unknown =
                        sentences::key_unknown(written, self.owner(), self.version, &known, holds_secrets);
                    self.findings.push(unknown);
                }
            }
        }
        match table.together {
            Together::Whatever => {}
            Together::Route => self.route(place, map),
            Together::Policy => self.policy(place, map),
        }
    }

    /// The links of one kind. Among them may stand the renderer of all that follow.
    fn section(&mut self, table: &'static Table, map: &Map) {
        for (id, link) in &map.entries {
            if id.value == "renderer" {
                self.shape(RENDERER, Some(id), link);
                continue;
            }
            if !Kind::Name.takes(&id.value, self.version) || id.value.contains(['*', '[', ']', '?']) {
                self.findings.push(sentences::id_refused(id));
            }
            self.owner = Some(id.value.clone());
            match &link.value {
                Value::Map(map) => self.table(table, link.place, map),
                _ => self.findings.push(sentences::link_without_mapping(id, link.place)),
            }
            self.owner = None;
        }
    }

    fn value(&mut self, kind: Kind, key: Option<&Written<String>>, written: &Written<String>) {
        if kind.is_confidential() {
            self.secrets.push(written.place);
        }
        if kind.takes(&written.value, self.version) {
            return;
        }
        let place = if written.place.span.is_empty() {
            key.map_or(written.place, |key| key.place)
        } else {
            written.place
        };
        let written = Written::new(written.value.clone(), place);
        let finding = self.wrong_value(kind, name(key), &written);
        self.findings.push(finding);
    }

    /// What is said of a value: by a rule of its own where there is one for any host.
    fn wrong_value(&self, kind: Kind, key: &str, written: &Written<String>) -> Finding {
        let fault = || parse_address(&written.value, None).err();
        match kind {
            Kind::Mac | Kind::SetMac => {
                if let Err(fault) = MacAddress::parse(&written.value) {
                    let wanted = kind.wanted(self.version);
                    return sentences::mac_malformed(written, self.owner(), &fault, &wanted);
                }
            }
            Kind::Address | Kind::Address4 | Kind::Address6 if !written.value.contains('/') => {
                if let Some(fault) = fault() {
                    return if self.within.contains(&"nameservers") {
                        sentences::dns_not_an_address(written, self.owner(), &fault)
                    } else {
                        sentences::address_malformed(written, key, self.owner(), &fault)
                    };
                }
            }
            Kind::Network | Kind::Destination if key == "via" => {
                if let Some(fault) = fault() {
                    return sentences::address_malformed(written, key, self.owner(), &fault);
                }
            }
            Kind::Word(words) if words.iter().any(|word| word.word == "active-backup") => {
                let wanted = kind.wanted(self.version);
                return sentences::bond_mode_unknown(written, self.owner(), &wanted);
            }
            _ => {}
        }
        let found = sentences::Found::of(&Value::Scalar(written.value.clone()), kind.is_confidential());
        sentences::wrong_value(written.place, key, self.owner(), &found, &kind.wanted(self.version))
    }

    /// One of `addresses`: a text, or a mapping from a text to options. netplan looks at the first key of such a mapping
    /// alone, and at no length there.
    fn address(&mut self, from_zero: bool, key: Option<&Written<String>>, item: &Node) {
        let (written, options) = match &item.value {
            Value::Scalar(text) => (Written::new(text.clone(), item.place), None),
            Value::Map(map) if !map.entries.is_empty() => {
                let (text, options) = &map.entries[0];
                (text.clone(), Some(options))
            }
            other => {
                let found = sentences::Found::of(other, false);
                let wanted = "an address with its prefix length";
                self.findings.push(sentences::wrong_shape(
                    item.place,
                    name(key),
                    self.owner(),
                    &found,
                    wanted,
                ));
                return;
            }
        };
        let Some((text, length)) = written.value.rsplit_once('/') else {
            self.findings.push(sentences::address_without_length(&written, name(key), self.owner()));
            return;
        };
        let Ok(address) = text.parse::<IpAddr>() else {
            let address = written.with(text.to_owned());
            let finding = self.wrong_value(Kind::Address, name(key), &address);
            self.findings.push(finding);
            return;
        };
        if let Some(options) = options {
            self.shape(ADDRESS_OPTIONS, Some(&written), options);
            return;
        }
        let length = leading_number(length).unwrap_or(0);
        let longest = if address.is_ipv4() { 32 } else { 128 };
        if length > longest || (length == 0 && !from_zero) {
            self.findings.push(sentences::address_without_length(&written, name(key), self.owner()));
        }
    }

    fn route(&mut self, place: Place, map: &Map) {
        self.one_family(map, &["from", "to", "via"]);
        let text = |key: &str| map.text(key).map(|written| written.value.to_ascii_lowercase());
        let kind = text("type").unwrap_or_else(|| "unicast".to_owned());
        let has = |key: &str| map.get(key).is_some();
        let scope = text("scope").unwrap_or_else(|| {
            match kind.as_str() {
                "local" | "nat" => "host",
                "unicast" if !has("via") => "link",
                "broadcast" | "multicast" | "anycast" => "link",
                _ => "global",
            }
            .to_owned()
        });
        let needs_router = kind == "unicast" && scope == "global";
        if !has("to") && (scope != "global" || needs_router || kind != "unicast") {
            self.findings.push(sentences::route_without(place, "to", self.owner()));
        } else if needs_router && !has("via") {
            self.findings.push(sentences::route_without(place, "via", self.owner()));
        }
    }

    fn policy(&mut self, place: Place, map: &Map) {
        self.one_family(map, &["from", "to"]);
        if map.get("from").is_none() && map.get("to").is_none() {
            self.findings.push(sentences::policy_for_nobody(place, self.owner()));
        }
    }

    /// Addresses of IPv4 and of IPv6 beside each other.
    fn one_family(&mut self, map: &Map, keys: &[&str]) {
        let mut first: Option<(Family, &str)> = None;
        for (key, value) in map.entries.iter().filter(|(key, _)| keys.contains(&key.value.as_str())) {
            let Some(text) = value.value.text() else { continue };
            let Ok(address) = without_length(text).parse::<IpAddr>() else { continue };
            let family = Family::of(address);
            match first {
                None => first = Some((family, &key.value)),
                Some((known, other)) if known != family => {
                    let other = other.to_owned();
                    self.findings.push(sentences::two_families(
                        value.place,
                        &key.value,
                        text,
                        &other,
                        self.owner(),
                    ));
                }
                Some(_) => {}
            }
        }
    }
}

fn name(key: Option<&Written<String>>) -> &str {
    key.map_or("the file", |key| key.value.as_str())
}

/// Whether a secret belongs here.
fn is_secret(shape: Shape) -> bool {
    match shape {
        Shape::One(kind) | Shape::OneOrList(kind) | Shape::OneOrTable(kind, _) | Shape::ByLink(kind) => {
            kind.is_confidential()
        }
        _ => false,
    }
}

/// Whether a secret belongs here or below.
fn is_secret_below(shape: Shape) -> bool {
    match shape {
        Shape::Table(table) => table.keys().any(|key| is_secret(key.shape)),
        Shape::Named(shape) | Shape::List(shape) => is_secret_below(*shape),
        _ => is_secret(shape),
    }
}

/// Whether what stands in such a place may be a secret.
fn is_confidential(shape: Shape) -> bool {
    match shape {
        // Somebody's password may have slipped in here.
        Shape::Table(_) | Shape::Section(_) | Shape::Named(_) => true,
        Shape::List(shape) | Shape::Pair(shape) => is_secret_below(*shape),
        Shape::Addresses { .. } => false,
        shape => is_secret(shape),
    }
}

/// The length of the shortest passphrase of a wireless network, which may be digits alone.
const SHORTEST_PHRASE: usize = 8;

/// Whether a text is too plain to be a secret.
fn is_plain(text: &str) -> bool {
    let address = text.split('/').next().unwrap_or_default();
    address.parse::<IpAddr>().is_ok()
        || ["", "~", "null", "default"].contains(&text)
        || (number(text).is_some() && text.len() < SHORTEST_PHRASE)
        || Kind::Flag.takes(text, NetplanVersion::new(0, 106))
}
