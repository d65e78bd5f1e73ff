//! Rules on the SSH service, its keys, and who may act as root.

use super::check::Check;
use super::judge::Judge;
use crate::finding::{Nature, Rule, Severity};

pub(super) const CHECKS: &[Check] = &[
    Check::new(&SSH_KEY_WEAK, check_weak),
    Check::new(&SSH_ROOT_LOGIN_ALLOWED, check_root),
    Check::new(&SSH_DISABLED, check_disabled),
    Check::new(&HOST_WITHOUT_ADMINISTRATOR, check_admin),
];

/// A key that can be broken, or is refused.
static SSH_KEY_WEAK: Rule = Rule {
    name: "ssh-key-weak",
    severity: Severity::Error,
    nature: Nature::Credential,
    summary: "an SSH key is too weak",
    explanation: "An RSA key should have at least 3072 bits (NIST SP 800-57, part 1, table 2), and sshd refuses DSA. \
        An ed25519 key is short, fast and strong: ssh-keygen -t ed25519 makes one.",
    wrong: "[account.keeper]\nssh_keys = [\"keys/weak.pub\"]\n",
    right: "[account.keeper]\nssh_keys = [\"keys/keeper.pub\"]\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// A login that everybody knows of.
static SSH_ROOT_LOGIN_ALLOWED: Rule = Rule {
    name: "ssh-root-login-allowed",
    severity: Severity::Warning,
    nature: Nature::Credential,
    summary: "root may log in over SSH",
    explanation: "Every machine has a login called root, so an attacker needs only the password, and the log does \
        not show who logged in. Log in with a personal account with admin = true, and become root from there.",
    wrong: "[common]\nssh = { root_login = true }\n",
    right: "[common]\nssh = { root_login = false }\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// A host that nobody reaches.
static SSH_DISABLED: Rule = Rule {
    name: "ssh-disabled",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "the SSH service is switched off on a host",
    explanation: "A headless host without SSH can be reached only at its console, if it has one. If it is managed in \
        another way, waive the rule.",
    wrong: "[common]\nssh = { enabled = false }\n",
    right: "[common]\nssh = { enabled = true }\n",
    ..Rule::PLAIN
};

/// Nobody may change anything.
static HOST_WITHOUT_ADMINISTRATOR: Rule = Rule {
    name: "host-without-administrator",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "nobody can become root on a host",
    explanation: "A host without an account with admin = true, where root cannot log in either, can never be \
        changed: no update, no new address. At least one account should be an administrator.",
    wrong: "[account.keeper]\nadmin = false\n",
    right: "[account.keeper]\nadmin = true\n",
    ..Rule::PLAIN
};

fn check_weak(judge: &mut Judge<'_>) {
    for account in &judge.site.accounts {
        for key in &account.keys {
            let Some(weakness) = &key.weakness else { continue };
            judge.on_sheet(
                &SSH_KEY_WEAK,
                key.place,
                format!("A key of account {} {weakness}.", account.name.value),
                "ask its owner to make a new one with ssh-keygen -t ed25519, and use that",
            );
        }
    }
}

fn check_root(judge: &mut Judge<'_>) {
    for machine in judge.site.machines.iter().filter(|machine| machine.host().is_some()) {
        let Some(flag) = machine.settings.ssh.root_login.value().filter(|flag| flag.value) else { continue };
        judge.on_setting(
            &SSH_ROOT_LOGIN_ALLOWED,
            machine,
            flag.place,
            flag.place,
            "Root may log in over SSH.",
            "write root_login = false, and admin = true on an account",
        );
    }
}

fn check_disabled(judge: &mut Judge<'_>) {
    for machine in judge.site.machines.iter().filter(|machine| machine.host().is_some()) {
        let Some(flag) = machine.settings.ssh.enabled.value().filter(|flag| !flag.value) else { continue };
        judge.on_setting(
            &SSH_DISABLED,
            machine,
            flag.place,
            flag.place,
            "The SSH service is switched off.",
            "write enabled = true, or waive the rule if there is another way to manage it",
        );
    }
}

fn check_admin(judge: &mut Judge<'_>) {
    let site = judge.site;
    if site.accounts_in_doubt {
        return;
    }
    let cannot = |machine: &&crate::machine::Machine| {
        let Some(host) = machine.host() else { return false };
        let accounts: Vec<_> = host.accounts.iter().filter_map(|index| site.accounts.get(*index)).collect();
        // A host without any login has a finding of its own.
        let has_login = accounts.iter().any(|account| super::login::opens(account, machine));
        has_login
            && !machine.settings.ssh.allows_root()
            && !accounts.iter().any(|account| account.is_admin || account.has_faulty_keys)
    };
    let hosts: Vec<_> = site.machines.iter().filter(cannot).collect();
    let Some(first) = hosts.first() else { return };
    let who = match hosts.len() {
        1 => String::new(),
        2 => " and 1 more host".to_owned(),
        more => format!(" and {} more hosts", more - 1),
    };
    judge.on_machine(
        &HOST_WITHOUT_ADMINISTRATOR,
        first,
        first.place,
        format!("Nobody can become root on {}{who}.", first.called()),
        "write admin = true in the account of an administrator",
    );
}
