//! What the fields of a CSV file hold, told by the words of the header and by the values.

use std::net::IpAddr;

use impostazione_net::{Family, MacAddress, parse_mask};
use impostazione_ovf::{Meaning, Property, Signs, VirtualSystem, read_properties};

use crate::sheet::RowsTable;

/// What a field may be of a host.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum FieldRole {
    Name,
    Address,
    Mask,
    Address6,
    Mac,
}

impl FieldRole {
    /// All of them, with the words for them.
    pub(super) const ALL: [(&'static str, Self); 5] = [
        ("name", Self::Name),
        ("address", Self::Address),
        ("mask", Self::Mask),
        ("address6", Self::Address6),
        ("mac", Self::Mac),
    ];

    /// The word for it.
    pub(super) fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, role)| *role == self).map_or("", |(word, _)| word)
    }
}

/// Words in a header by which a field of MAC addresses is known: no appliance is told its own.
const MAC_WORDS: [&str; 5] = ["mac", "hwaddr", "hardware address", "physical address", "ethernet address"];

/// Finds out what the fields of a table are. A field whose values are of another form is not taken by its name.
pub(super) fn roles_of(table: &RowsTable) -> Vec<(FieldRole, usize)> {
    let system = VirtualSystem {
        properties: table.fields.iter().enumerate().map(|(index, field)| property_of(index, field)).collect(),
        ..VirtualSystem::default()
    };
    let readings = read_properties(&system, Signs::own());
    let mut found: Vec<(FieldRole, usize, f64)> = Vec::new();
    for (index, (reading, header)) in readings.iter().zip(&table.fields).enumerate() {
        let small = header.to_lowercase();
        let is_called_mac = MAC_WORDS.iter().any(|word| small.contains(word));
        let role = match reading.meaning {
            _ if is_called_mac => Some(FieldRole::Mac),
            Meaning::Hostname | Meaning::Fqdn => Some(FieldRole::Name),
            Meaning::Address | Meaning::AddressWithPrefix => Some(FieldRole::Address),
            Meaning::Address6 => Some(FieldRole::Address6),
            Meaning::Netmask | Meaning::PrefixLength => Some(FieldRole::Mask),
            _ => None,
        };
        if let Some(role) = role.filter(|role| values_fit(table, index, *role)) {
            found.push((role, index, reading.confidence + f64::from(u8::from(is_called_mac))));
        }
    }
    // Where the header says nothing, the values may.
    for role in [FieldRole::Mac, FieldRole::Address, FieldRole::Address6] {
        if found.iter().any(|(known, _, _)| *known == role) {
            continue;
        }
        let is_free = |index: &usize| !found.iter().any(|(_, taken, _)| taken == index);
        let fitting: Vec<usize> =
            (0..table.fields.len()).filter(is_free).filter(|index| values_fit(table, *index, role)).collect();
        if let [only] = fitting.as_slice() {
            found.push((role, *only, 0.0));
        }
    }
    if !found.iter().any(|(role, _, _)| *role == FieldRole::Name) {
        let is_free = |index: &usize| !found.iter().any(|(_, taken, _)| taken == index);
        let first =
            (0..table.fields.len()).filter(is_free).find(|index| values_fit(table, *index, FieldRole::Name));
        found.extend(first.map(|index| (FieldRole::Name, index, 0.0)));
    }
    // Each role once: the surest field has it.
    let mut best: Vec<(FieldRole, usize, f64)> = Vec::new();
    for one in found {
        match best.iter_mut().find(|known| known.0 == one.0) {
            Some(known) if known.2 < one.2 => *known = one,
            Some(_) => {}
            None => best.push(one),
        }
    }
    best.sort_by_key(|(role, _, _)| *role);
    best.into_iter().map(|(role, index, _)| (role, index)).collect()
}

/// A property as an appliance would have it, whose label is the header of a field.
fn property_of(index: usize, header: &str) -> Property {
    Property {
        key: format!("field{}", index + 1),
        label: header.to_owned(),
        is_settable: true,
        ..Property::default()
    }
}

/// Whether the values of a field can be what it is taken for: each is, and none is missing where none may be.
pub(super) fn values_fit(table: &RowsTable, field: usize, role: FieldRole) -> bool {
    let address = |text: &str| {
        let bare = text.split('/').next().unwrap_or_default();
        bare.trim().parse::<IpAddr>().ok()
    };
    let fits = |text: &str| match role {
        FieldRole::Name => {
            !text.contains(char::is_whitespace)
                && text.chars().any(char::is_alphabetic)
                && address(text).is_none()
        }
        FieldRole::Address => address(text).is_some_and(|address| address.is_ipv4()),
        FieldRole::Address6 => address(text).is_some_and(|address| address.is_ipv6()),
        FieldRole::Mask => parse_mask(text.trim_start_matches('/'), Family::V4).is_ok(),
        FieldRole::Mac => MacAddress::parse(text).is_ok(),
    };
    let mut values = table.values(field).map(str::trim).peekable();
    values.peek().is_some() && values.all(fits)
}
