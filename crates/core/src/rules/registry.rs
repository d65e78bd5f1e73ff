//! The families of checks, in the order in which they run.

use super::check::Check;
use super::judge::Judge;
use super::{
    address, address_taken, bond, cluster, deployment, gateway, link, login, mac, mtu, naming, package,
    property, reach, reference, renderer, replaced, route, secret, servers, special, ssh, subnet, timezone,
    told, vlan, wifi,
};

/// Every check of a finished site, family by family.
pub(crate) const FAMILIES: &[&[Check]] = &[
    subnet::CHECKS,
    gateway::CHECKS,
    route::CHECKS,
    link::CHECKS,
    mac::CHECKS,
    bond::CHECKS,
    vlan::CHECKS,
    mtu::CHECKS,
    wifi::CHECKS,
    address::CHECKS,
    address_taken::CHECKS,
    replaced::CHECKS,
    special::CHECKS,
    naming::CHECKS,
    servers::CHECKS,
    reach::CHECKS,
    timezone::CHECKS,
    login::CHECKS,
    ssh::CHECKS,
    secret::source::CHECKS,
    secret::value::CHECKS,
    secret::reuse::CHECKS,
    secret::typing::CHECKS,
    secret::appliance::CHECKS,
    renderer::CHECKS,
    package::CHECKS,
    deployment::CHECKS,
    property::CHECKS,
    cluster::CHECKS,
    reference::CHECKS,
    told::reading::CHECKS,
    told::servers::CHECKS,
    told::switches::CHECKS,
    told::in_cluster::CHECKS,
    told::unsure::CHECKS,
    told::against_sheet::CHECKS,
];

/// Runs every rule that looks at the finished site, and adds what they find.
pub(crate) fn run(judge: &mut Judge<'_>) {
    for check in FAMILIES.iter().copied().flatten() {
        check.run(judge);
    }
}

/// Runs the rules on what appliances are told that need no sheet: whether each value can be read as what it means, and whether
/// those of a machine agree with each other.
pub(crate) fn run_on_told_values(judge: &mut Judge<'_>) {
    let families = [
        gateway::CHECKS,
        address::CHECKS,
        address_taken::CHECKS,
        special::CHECKS,
        naming::CHECKS,
        servers::CHECKS,
        property::CHECKS,
        told::reading::CHECKS,
        told::servers::CHECKS,
        told::switches::CHECKS,
        told::in_cluster::CHECKS,
        told::unsure::CHECKS,
    ];
    for check in families.into_iter().flatten().filter(|check| !check.rule.about_absence) {
        check.run(judge);
    }
}

/// Runs the rules that hold for any host, whoever wrote its files.
pub(crate) fn run_on_any_host(judge: &mut Judge<'_>) {
    for check in FAMILIES.iter().copied().flatten().filter(|check| check.rule.of_any_host) {
        check.run(judge);
    }
}
