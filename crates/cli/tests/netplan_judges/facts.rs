//! What is compared: what is shown of each link, and what the units say of it.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::net::IpAddr;

/// Links by what the files call them.
pub(crate) type Facts = BTreeMap<String, LinkFacts>;

/// One link.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct LinkFacts {
    pub(crate) addresses: BTreeSet<String>,
    pub(crate) dhcp: BTreeSet<&'static str>,
    /// Each as `to via … metric … table …` and so on, what is not said being left out.
    pub(crate) routes: BTreeSet<String>,
    pub(crate) dns: BTreeSet<String>,
    pub(crate) search: BTreeSet<String>,
    pub(crate) mtu: Option<String>,
    pub(crate) tag: Option<String>,
    pub(crate) over: Option<String>,
    pub(crate) member_of: BTreeSet<String>,
    pub(crate) mode: Option<String>,
}

/// An address, alone or with its length, in the one spelling in which addresses are compared (RFC 5952).
pub(crate) fn address(text: &str) -> String {
    let (address, length) = text.split_once('/').map_or((text, ""), |(address, length)| (address, length));
    let slash = if length.is_empty() { "" } else { "/" };
    address.parse::<IpAddr>().map_or_else(|_| text.to_owned(), |address| format!("{address}{slash}{length}"))
}

/// A route in the one spelling in which routes are compared.
pub(crate) fn route(parts: &[(&str, Option<&str>)]) -> String {
    let mut text = String::new();
    for (word, value) in parts {
        let Some(value) = value.filter(|value| !value.is_empty()) else { continue };
        let value = address(value);
        let value = match (*word, value.as_str()) {
            ("to", "0.0.0.0/0" | "::/0") => "default",
            ("type", "unicast") | ("on-link", "false") => continue,
            // No number without a sign, which systemd ignores.
            ("metric", value) if value.starts_with('-') => continue,
            (_, value) => value,
        };
        let _ = write!(text, "{word} {value} ");
    }
    text
}

/// Every field in which two links are not the same.
pub(crate) fn differences(shown: &LinkFacts, units: &LinkFacts) -> Vec<String> {
    let mut found = Vec::new();
    let all = |addresses: &BTreeSet<String>| -> BTreeSet<String> {
        addresses.iter().map(|text| address(text)).collect()
    };
    let mut compare = |field: &str, ours: String, theirs: String| {
        if ours != theirs {
            found.push(format!("{field}: shown {ours}, the units say {theirs}"));
        }
    };
    compare("addresses", format!("{:?}", all(&shown.addresses)), format!("{:?}", all(&units.addresses)));
    compare("dhcp", format!("{:?}", shown.dhcp), format!("{:?}", units.dhcp));
    compare("routes", format!("{:?}", shown.routes), format!("{:?}", units.routes));
    compare("dns", format!("{:?}", all(&shown.dns)), format!("{:?}", all(&units.dns)));
    compare("search", format!("{:?}", shown.search), format!("{:?}", units.search));
    compare("mtu", format!("{:?}", shown.mtu), format!("{:?}", units.mtu));
    compare("tag", format!("{:?}", shown.tag), format!("{:?}", units.tag));
    compare("over", format!("{:?}", shown.over), format!("{:?}", units.over));
    compare("member of", format!("{:?}", shown.member_of), format!("{:?}", units.member_of));
    compare("mode", format!("{:?}", shown.mode), format!("{:?}", units.mode));
    found
}
