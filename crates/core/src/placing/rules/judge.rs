//! The order in which a root filesystem is judged.

use std::collections::HashMap;

use impostazione_text::{Source, Sources};

use super::case::RootfsCase;
use super::found::RootfsFindings;
use super::{accounts, identity, lacks, network, placement, ways_in, writable};
use crate::finding::{Finding, Rule};

/// Judges a root filesystem. What is no Linux system, or the running one, is judged no further.
pub fn judge_rootfs(case: &RootfsCase<'_>) -> (Sources, Vec<Finding>) {
    let mut sources = Sources::default();
    sources.add(Source::new(case.name, ""));
    let mut found = RootfsFindings {
        name: case.name.trim_end_matches('/').to_owned(),
        machine: case.output().map(|output| output.machine.clone()),
        sources,
        read: HashMap::new(),
        findings: Vec::new(),
    };
    writable::check(case, &mut found);
    if found.findings.is_empty() {
        lacks::check(case, &mut found);
        network::check(case, &mut found);
        accounts::check(case, &mut found);
        ways_in::check(case, &mut found);
        identity::check(case, &mut found);
    }
    placement::check(case, &mut found);
    (found.sources, found.findings)
}

pub(crate) const RULES: &[&Rule] = &[
    &writable::NOT_LINUX,
    &writable::IS_RUNNING_SYSTEM,
    &writable::READ_ONLY,
    &writable::NO_SPACE,
    &writable::ODD_PATH,
    &lacks::NETPLAN,
    &lacks::NETPLAN_TOO_OLD,
    &lacks::RESOLVED,
    &lacks::WIFI,
    &lacks::SSH,
    &lacks::SUDO,
    &lacks::TIME_SERVICE,
    &lacks::ZONE,
    &lacks::LOCALE,
    &network::NETWORK_CONFLICT,
    &network::HOSTNAME_CONFLICT,
    &network::PORT_NAMES,
    &network::REWRITTEN_AT_BOOT,
    &network::SCRIPT_NOT_LOOKED_AT,
    &network::UNIT_OVERRIDE,
    &network::NAME_SERVERS,
    &network::BOOT_PARTITION_UNSEEN,
    &accounts::ACCOUNT_CONFLICT,
    &accounts::STOCK_LOGIN,
    &accounts::SSH_CONFLICT,
    &ways_in::WAY_IN,
    &identity::CLONED_IDENTITY,
    &placement::OF_OTHER_MACHINE,
    &placement::DRIFTED,
];
