//! Rules: each has a name that never changes meaning, a severity, an explanation and two examples. One file holds
//! one family; the registry below lists the families.

mod address;
mod gateway;
mod judge;
mod link;
mod login;
mod naming;
mod package;
mod rule;
mod servers;
mod sheet;
mod subnet;
mod timezone;

pub use judge::Judge;
pub use rule::{Check, Rule};

pub(crate) mod report {
    //! The findings that reading and typing a sheet make, family by family.

    pub(crate) use super::address::{fix_address, malformed as address_malformed};
    pub(crate) use super::link::name_invalid as link_name_invalid;
    pub(crate) use super::login::{account_name_invalid, full_name_invalid, ssh_key_malformed};
    pub(crate) use super::naming::{domain_malformed, hostname_faulty, search_malformed};
    pub(crate) use super::package::{reference_dangling, take_word_unknown};
    pub(crate) use super::servers::{dns_not_an_address, ntp_malformed};
    pub(crate) use super::sheet::{
        empty, format_unknown, key_misplaced, key_missing, key_unknown, syntax, value_wrong_type,
    };
    pub(crate) use super::subnet::{prefix_faulty, range_malformed, undefined as subnet_undefined};
    pub(crate) use super::timezone::unknown as timezone_unknown;
}

const FAMILIES: &[&[&Rule]] = &[
    sheet::RULES,
    subnet::RULES,
    gateway::RULES,
    link::RULES,
    address::RULES,
    naming::RULES,
    servers::RULES,
    timezone::RULES,
    login::RULES,
    package::RULES,
];

/// Every rule, family by family.
pub fn all() -> impl Iterator<Item = &'static Rule> {
    FAMILIES.iter().flat_map(|family| family.iter().copied())
}

/// The rule of this name.
pub fn by_name(name: &str) -> Option<&'static Rule> {
    all().find(|rule| rule.name == name)
}

/// Runs every rule that looks at the finished site, and adds what they find.
pub(crate) fn run(judge: &mut Judge<'_>) {
    for rule in all() {
        if let Check::Site(check) = rule.check {
            check(judge);
        }
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use super::*;
    use crate::testing::{assess_example, names_of};

    #[test]
    fn names_are_kebab_case_and_unique() {
        let mut seen = BTreeSet::new();
        for rule in all() {
            assert!(seen.insert(rule.name), "{} twice", rule.name);
            assert!(rule.name.chars().all(|c| c.is_ascii_lowercase() || c == '-'), "{}", rule.name);
            assert!(rule.summary.len() < 100 && !rule.summary.ends_with('.'), "{}", rule.name);
            assert!(rule.explanation.ends_with('.'), "{}", rule.name);
        }
    }

    #[test]
    fn each_wrong_example_breaks_its_rule_alone_and_each_right_one_breaks_none() {
        for rule in all() {
            let wrong: BTreeSet<&str> = names_of(&assess_example(rule.wrong)).into_iter().collect();
            assert_eq!(wrong, BTreeSet::from([rule.name]), "wrong example of {}:\n{}", rule.name, rule.wrong);
            let right = names_of(&assess_example(rule.right));
            assert!(right.is_empty(), "right example of {} gives {right:?}:\n{}", rule.name, rule.right);
        }
    }
}
