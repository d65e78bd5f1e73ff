//! Every rule of the tool.

use std::sync::LazyLock;

use crate::finding::Rule;
use crate::{machine, network, placing, rules, sheet, views};

/// The rules that are no checks of a finished site: those that reading and typing a sheet break, those on waivers, on netplan
/// files that somebody else wrote, and on root filesystems.
const OTHERS: &[&[&Rule]] = &[
    sheet::rules::form::RULES,
    sheet::rules::include::RULES,
    sheet::rules::pattern::RULES,
    machine::rules::subnet::RULES,
    machine::rules::link::RULES,
    machine::rules::mac::RULES,
    machine::rules::bond::RULES,
    machine::rules::vlan::RULES,
    machine::rules::wifi::RULES,
    machine::rules::address::RULES,
    machine::rules::host_number::RULES,
    machine::rules::naming::RULES,
    machine::rules::servers::RULES,
    machine::rules::timezone::RULES,
    machine::rules::locale::RULES,
    machine::rules::login::RULES,
    machine::rules::secret::RULES,
    machine::rules::reference::RULES,
    rules::WAIVER_RULES,
    views::netplan::RULES,
    placing::RULES,
    network::rules::RULES,
    network::inside_rules::RULES,
];

static ALL: LazyLock<Vec<&'static Rule>> = LazyLock::new(|| {
    let checks = rules::FAMILIES.iter().copied().flatten().map(|check| check.rule);
    let mut all: Vec<_> = OTHERS.iter().copied().flatten().copied().chain(checks).collect();
    all.sort_unstable_by_key(|rule| rule.name);
    // One may be looked for in several places: in the sheet, and in what appliances are told.
    all.dedup();
    all
});

/// Every rule, in the order of their names.
pub fn all() -> &'static [&'static Rule] {
    &ALL
}

/// The rule of this name.
pub fn by_name(name: &str) -> Option<&'static Rule> {
    ALL.iter().copied().find(|rule| rule.name == name)
}
