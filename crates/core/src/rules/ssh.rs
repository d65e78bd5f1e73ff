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
    explanation: "An RSA key has 3072 bits or more (NIST SP 800-57, part 1, table 2); shorter ones are on their way \
        out, and sshd refuses DSA. A key of type ed25519 is short, fast and strong: ssh-keygen -t ed25519 \
        makes one.",
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
    explanation: "Every machine has a login called root, so an attacker has half of what is needed, and the log does \
        not say who it was. Log in on an account of your own that is admin = true, and act as root from \
        there.",
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
    explanation: "A headless host without its SSH service is reached over a cable to its console, if it has one. Where \
        it is managed in another way, a waiver says so.",
    wrong: "[common]\nssh = { enabled = false }\n",
    right: "[common]\nssh = { enabled = true }\n",
    ..Rule::PLAIN
};

/// Nobody may change anything.
static HOST_WITHOUT_ADMINISTRATOR: Rule = Rule {
    name: "host-without-administrator",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "nobody on a host may act as root",
    explanation: "A host on which no login is admin = true, and on which root may not log in, can be looked at and \
        never changed: no update, no other address. At least one account should be an administrator's.",
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
                "have its owner make another with ssh-keygen -t ed25519, and name that one",
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
            "write enabled = true, unless there is another way onto the machine",
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
        2 => " and one more host".to_owned(),
        more => format!(" and {} more hosts", more - 1),
    };
    judge.on_machine(
        &HOST_WITHOUT_ADMINISTRATOR,
        first,
        first.place,
        format!("Nobody may act as root on {}{who}.", first.called()),
        "write admin = true on the account of an administrator",
    );
}
