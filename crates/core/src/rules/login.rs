//! Rules on who can log in.

use super::{Check, Judge, Nature, Rule};
use crate::finding::{Finding, Severity};
use crate::machine::{Machine, Site};
use crate::names::{NameFault, nearest};
use crate::source::{Place, Written};

pub(super) const RULES: &[&Rule] =
    &[&HOST_WITHOUT_LOGIN, &ACCOUNT_NAME_INVALID, &ACCOUNT_UNUSED, &SSH_KEY_MALFORMED];

/// Nobody can log in.
static HOST_WITHOUT_LOGIN: Rule = Rule {
    name: "host-without-login",
    severity: Severity::Error,
    nature: Nature::Fault,
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
    nature: Nature::Fault,
    summary: "an account has a name that a list of users cannot hold",
    explanation: "A login begins with a small letter or an underscore and goes on with small letters, digits, underscores \
        and hyphens, 32 characters at most. A full name has no colon, which ends it in the list of users (passwd(5)).",
    wrong: "[account.\"Harbor Keeper\"]\nssh_keys = [\"keys/keeper.pub\"]\n",
    right: "[account.keeper]\nssh_keys = [\"keys/keeper.pub\"]\n",
    about_absence: false,
    check: Check::Reading,
};

/// A login that no host gets.
static ACCOUNT_UNUSED: Rule = Rule {
    name: "account-unused",
    severity: Severity::Warning,
    nature: Nature::Judgement,
    summary: "an account is for no host of the sheet",
    explanation: "`hosts` of the account matches the name of no host, so nobody gets the login. A name was mistyped, or the \
        account has had its day.",
    wrong: "[account.pilot]\nssh_keys = [\"keys/keeper.pub\"]\nhosts = [\"signal-towr\"]\n",
    right: "[account.pilot]\nssh_keys = [\"keys/keeper.pub\"]\nhosts = [\"gauge-01\"]\n",
    about_absence: true,
    check: Check::Site(check_unused),
};

/// A key that opens nothing.
static SSH_KEY_MALFORMED: Rule = Rule {
    name: "ssh-key-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an SSH public key is missing or cannot be read",
    explanation: "ssh_keys names files that hold public keys, a line each as in authorized_keys, or holds such lines itself. \
        sshd passes over a line that it cannot read without a word, and the login stays shut. A private key never belongs \
        on a host: name the file that ends in .pub.",
    wrong: "[account.keeper]\nssh_keys = [\"keys/keper.pub\"]\n",
    right: "[account.keeper]\nssh_keys = [\"keys/keeper.pub\"]\n",
    about_absence: false,
    check: Check::Reading,
};

/// Whether nobody can log in on a host, as far as the sheet could be read.
fn lacks_login(site: &Site, machine: &Machine) -> bool {
    let Some(host) = machine.host() else { return false };
    let mut accounts = host.accounts.iter().filter_map(|index| site.accounts.get(*index));
    machine.hostname.value().is_some()
        && accounts.all(|account| account.keys.is_empty() && !account.has_faulty_keys)
}

fn check_host_without_login(judge: &mut Judge<'_>) {
    let site = judge.site;
    if site.accounts_in_doubt {
        return;
    }
    for machine in site.machines.iter().filter(|machine| lacks_login(site, machine)) {
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

fn check_unused(judge: &mut Judge<'_>) {
    let site = judge.site;
    // Where a host lacks a login, that finding names the accounts that are for others.
    if site.machines.iter().any(|machine| lacks_login(site, machine)) {
        return;
    }
    let hosts: Vec<&Machine> = site.machines.iter().filter(|machine| machine.host().is_some()).collect();
    for account in &site.accounts {
        let Some(globs) = &account.hosts else { continue };
        if hosts.iter().any(|host| account.is_on(host.label())) {
            continue;
        }
        let wanted: Vec<String> = globs.iter().map(|glob| format!("\"{}\"", glob.glob().glob())).collect();
        let close = globs.iter().find_map(|glob| {
            nearest(glob.glob().glob(), hosts.iter().map(|host| host.label()), 1).first().copied()
        });
        judge.on_sheet(
            &ACCOUNT_UNUSED,
            account.name.place,
            if wanted.is_empty() {
                format!("No host gets the login {}: `hosts` is an empty list.", account.name.value)
            } else {
                format!("No host gets the login {}: `hosts` is {}.", account.name.value, wanted.join(", "))
            },
            match close {
                Some(close) => format!("write \"{close}\" if that was meant, or take the account out"),
                None => "write names of hosts, with * for any letters, or take the account out".to_owned(),
            },
        );
    }
}

/// A full name that the list of users (`passwd(5)`) cannot hold.
pub(crate) fn full_name_invalid(written: &Written<String>, account: &str) -> Finding {
    Finding::on_sheet(
        &ACCOUNT_NAME_INVALID,
        written.place,
        format!("The full name of account {account} has a colon or a control character in it."),
        "write it without, as in full_name = \"Harbor keeper\"",
    )
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

/// An account with an empty list of keys, which opens to nobody.
pub(crate) fn ssh_keys_empty(place: Place, account: &str) -> Finding {
    let message = format!("Account {account} has no key: `ssh_keys` is an empty list.");
    Finding::on_sheet(&SSH_KEY_MALFORMED, place, message, "add a key, as in ssh_keys = [\"keys/keeper.pub\"]")
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
