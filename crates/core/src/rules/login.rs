//! Rules on who can log in.

use super::{Check, Judge, Rule};
use crate::finding::{Finding, Severity};
use crate::names::NameFault;
use crate::source::Written;

pub(super) const RULES: &[&Rule] = &[&HOST_WITHOUT_LOGIN, &ACCOUNT_NAME_INVALID, &SSH_KEY_MALFORMED];

/// Nobody can log in.
static HOST_WITHOUT_LOGIN: Rule = Rule {
    name: "host-without-login",
    severity: Severity::Error,
    summary: "no account can log in on a host",
    explanation: "A headless host that nobody can log in on has to be fetched. At least one account with an SSH key must \
        be for it: an [account.NAME] table without `hosts` is for every host, one with `hosts` for those whose names match.",
    wrong: "[account.keeper]\nssh_keys = [\"keys/keeper.pub\"]\nhosts = [\"buoy-*\"]\n",
    right: "[account.keeper]\nssh_keys = [\"keys/keeper.pub\"]\nhosts = [\"buoy-*\", \"gauge-*\"]\n",
    about_absence: true,
    check: Check::Site(check_host_without_login),
};

/// A login name that is none.
static ACCOUNT_NAME_INVALID: Rule = Rule {
    name: "account-name-invalid",
    severity: Severity::Error,
    summary: "an account has a name that no login can have",
    explanation: "A login begins with a small letter or an underscore and goes on with small letters, digits, underscores \
        and hyphens, 32 characters at most.",
    wrong: "[account.\"Harbor Keeper\"]\nssh_keys = [\"keys/keeper.pub\"]\n",
    right: "[account.keeper]\nssh_keys = [\"keys/keeper.pub\"]\n",
    about_absence: false,
    check: Check::Reading,
};

/// A key that opens nothing.
static SSH_KEY_MALFORMED: Rule = Rule {
    name: "ssh-key-malformed",
    severity: Severity::Error,
    summary: "an SSH public key cannot be read",
    explanation: "ssh_keys names files that hold public keys, a line each as in authorized_keys, or holds such lines itself. \
        sshd passes over a line that it cannot read without a word, and the login stays shut. A private key never belongs \
        on a host: name the file that ends in .pub.",
    wrong: "[account.keeper]\nssh_keys = [\"keys/keper.pub\"]\n",
    right: "[account.keeper]\nssh_keys = [\"keys/keeper.pub\"]\n",
    about_absence: false,
    check: Check::Reading,
};

fn check_host_without_login(judge: &mut Judge<'_>) {
    let site = judge.site;
    if site.accounts_in_doubt {
        return;
    }
    for machine in &site.machines {
        let Some(host) = machine.host() else { continue };
        let mut accounts = host.accounts.iter().filter_map(|index| site.accounts.get(*index));
        if machine.hostname.value().is_none()
            || accounts.any(|account| !account.keys.is_empty() || account.has_faulty_keys)
        {
            continue;
        }
        let for_others: Vec<&str> = site
            .accounts
            .iter()
            .filter(|account| !account.is_on(machine.label()))
            .map(|account| account.name.value.as_str())
            .collect();
        let (message, fix) = match for_others.as_slice() {
            [] => (
                format!(
                    "Nobody could log in on {}: the sheet has no account with an SSH key for it.",
                    machine.label()
                ),
                "add an account, as in [account.keeper] with ssh_keys = [\"keys/keeper.pub\"]".to_owned(),
            ),
            [first, ..] => (
                format!(
                    "Nobody could log in on {}: `hosts` of {} does not match its name.",
                    machine.label(),
                    for_others.join(", ")
                ),
                format!(
                    "add \"{}\" to `hosts` of account {first}, or add an account for it",
                    machine.label()
                ),
            ),
        };
        judge.on_machine(&HOST_WITHOUT_LOGIN, machine, machine.place, message, fix);
    }
}

pub(crate) fn account_name_invalid(written: &Written<String>, fault: &NameFault) -> Finding {
    Finding::on_sheet(
        &ACCOUNT_NAME_INVALID,
        written.place,
        format!("The account name \"{}\" {}.", written.value, fault.reason),
        match &fault.meant {
            Some(meant) => format!("write [account.{meant}]"),
            None => "write small letters, digits, underscores and hyphens, as in [account.keeper]".to_owned(),
        },
    )
}

/// A key, or a file of keys, that cannot be read. The message never repeats the key.
pub(crate) fn ssh_key_malformed(
    written: &Written<String>,
    account: &str,
    reason: &str,
    fix: &str,
) -> Finding {
    Finding::on_sheet(
        &SSH_KEY_MALFORMED,
        written.place,
        format!("A key of account {account} cannot be used: {reason}."),
        fix,
    )
}
