//! Rules on who can log in.

use impostazione_net::NameFault;
use impostazione_text::{Written, nearest};

use super::{Check, Judge, Nature, Rule};
use crate::finding::{Finding, Severity};
use crate::machine::{Account, Machine, Site, StockLogins};

pub(super) const RULES: &[&Rule] = &[
    &HOST_WITHOUT_LOGIN,
    &ACCOUNT_WITHOUT_LOGIN,
    &ACCOUNT_NAME_INVALID,
    &ACCOUNT_SETTING_INVALID,
    &ACCOUNT_UNUSED,
    &CHANGE_WITHOUT_PASSWORD,
    &STOCK_LOGIN_KEPT,
    &SSH_KEY_MALFORMED,
];

/// Nobody can log in.
static HOST_WITHOUT_LOGIN: Rule = Rule {
    name: "host-without-login",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "no account can log in on a host",
    explanation: "A headless host that nobody can log in on has to be fetched. At least one account with an SSH key must \
        be for it: an [account.NAME] table without `hosts` is for every host, one with `hosts` for those whose names match. \
        A password counts where ssh.password_login is true, and root where ssh.root_login is.",
    wrong: "[account.keeper]\nssh_keys = [\"keys/keeper.pub\"]\nhosts = [\"buoy-*\"]\n",
    right: "[account.keeper]\nssh_keys = [\"keys/keeper.pub\"]\nhosts = [\"buoy-*\", \"gauge-*\"]\n",
    about_absence: true,
    check: Check::Site(check_host_without_login),
};

/// A login that nothing opens.
static ACCOUNT_WITHOUT_LOGIN: Rule = Rule {
    name: "account-without-login",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an account has neither a key nor a password",
    explanation: "Nobody can log in on it. ssh_keys names its public keys, password a secret.",
    wrong: "[account.pilot]\nfull_name = \"Pilot on duty\"\n",
    right: "[account.pilot]\nfull_name = \"Pilot on duty\"\nssh_keys = [\"keys/keeper.pub\"]\n",
    about_absence: true,
    check: Check::Site(check_account_without_login),
};

/// A group or a shell that is none.
static ACCOUNT_SETTING_INVALID: Rule = Rule {
    name: "account-setting-invalid",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a group or the shell of an account is written in a way that a host cannot hold",
    explanation: "A group is spelled as a login is: small letters, digits, underscores and hyphens. A shell is an absolute \
        path without blanks (passwd(5)).",
    wrong: "[account.keeper]\nshell = \"bash\"\n",
    right: "[account.keeper]\nshell = \"/bin/bash\"\n",
    about_absence: false,
    check: Check::Reading,
};

/// A change of what there is not.
static CHANGE_WITHOUT_PASSWORD: Rule = Rule {
    name: "change-without-password",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a password is to be changed at the first login, and there is none",
    explanation: "A password that has run out stops every login until it is changed, one with a key too, and who has no \
        password cannot change it: the login stays shut. Give it a password, or do not ask for a change.",
    wrong: "[account.keeper]\nchange_at_first_login = true\n",
    right: "[account.keeper]\nchange_at_first_login = true\npassword = { from_secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\n",
    about_absence: true,
    check: Check::Site(check_change),
};

/// Logins that everybody knows.
static STOCK_LOGIN_KEPT: Rule = Rule {
    name: "stock-login-kept",
    severity: Severity::Warning,
    nature: Nature::Credential,
    summary: "logins that a host's image brings along are kept",
    explanation: "Images come with a login whose name and password stand in their papers, and everybody who reaches the host \
        can use it. lock leaves the files and shuts the login; refuse does not take such an image. A login that you want to \
        keep is best named in an [account.NAME] table, with a password or keys of your own.",
    wrong: "[common]\nstock_logins = \"keep\"\n",
    right: "[common]\nstock_logins = \"lock\"\n",
    about_absence: false,
    check: Check::Site(check_stock),
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
        sshd passes over a line that it cannot read, or whose options it does not know, without a word, and the login stays \
        shut. A private key never belongs \
        on a host: name the file that ends in .pub.",
    wrong: "[account.keeper]\nssh_keys = [\"keys/keper.pub\"]\n",
    right: "[account.keeper]\nssh_keys = [\"keys/keeper.pub\"]\n",
    about_absence: false,
    check: Check::Reading,
};

/// Whether an account opens on a host, as far as the sheet could be read.
pub(super) fn opens(account: &Account, machine: &Machine) -> bool {
    let ssh = &machine.settings.ssh;
    if account.name.value.as_str() == "root" && ssh.is_enabled() && !ssh.allows_root() {
        return false;
    }
    // Without the SSH service, for which there is a rule, somebody comes in another way.
    account.has_key() || (account.has_password() && (ssh.allows_passwords() || !ssh.is_enabled()))
}

/// Whether nobody can log in on a host, as far as the sheet could be read.
fn lacks_login(site: &Site, machine: &Machine) -> bool {
    let Some(host) = machine.host() else { return false };
    let mut accounts = host.accounts.iter().filter_map(|index| site.accounts.get(*index));
    machine.hostname.value().is_some() && !accounts.any(|account| opens(account, machine))
}

fn check_host_without_login(judge: &mut Judge<'_>) {
    let site = judge.site;
    if site.accounts_in_doubt {
        return;
    }
    for machine in site.machines.iter().filter(|machine| lacks_login(site, machine)) {
        let own: Vec<&Account> = machine
            .host()
            .into_iter()
            .flat_map(|host| host.accounts.iter().filter_map(|index| site.accounts.get(*index)))
            .collect();
        // An account that opens nowhere has a finding of its own.
        if own.iter().any(|account| !account.has_key() && !account.has_password()) {
            continue;
        }
        if let Some(account) = own.first() {
            let name = &account.name.value;
            let is_root = name.as_str() == "root";
            let (why, fix) = if is_root && !machine.settings.ssh.allows_root() {
                (
                    "the only account is root, which may not log in over SSH".to_owned(),
                    "add an account of somebody's own, as in [account.keeper] with admin = true".to_owned(),
                )
            } else {
                (
                    format!("{name} has a password alone, and the SSH service takes none"),
                    format!("give {name} an SSH key, or write ssh = {{ password_login = true }}"),
                )
            };
            let message = format!("Nobody could log in on {}: {why}.", machine.label());
            judge.on_machine(&HOST_WITHOUT_LOGIN, machine, machine.place, message, fix);
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

fn check_account_without_login(judge: &mut Judge<'_>) {
    for account in judge.site.accounts.iter().filter(|account| !account.has_key() && !account.has_password())
    {
        let name = &account.name.value;
        judge.on_sheet(
            &ACCOUNT_WITHOUT_LOGIN,
            account.name.place,
            format!("Nobody can log in as {name}: the account has neither a key nor a password."),
            "add ssh_keys = [\"keys/keeper.pub\"], or password = { from_secret = \"…\" }",
        );
    }
}

fn check_change(judge: &mut Judge<'_>) {
    for account in
        judge.site.accounts.iter().filter(|account| account.changes_password() && !account.has_password())
    {
        let Some(flag) = &account.change_at_first_login else { continue };
        judge.on_sheet(
            &CHANGE_WITHOUT_PASSWORD,
            flag.place,
            format!(
                "{} has no password, and would have to change it before the first login, by key too.",
                account.name.value
            ),
            "add password = { from_secret = \"…\" }, or write change_at_first_login = false",
        );
    }
}

fn check_stock(judge: &mut Judge<'_>) {
    for machine in judge.site.machines.iter().filter(|machine| machine.host().is_some()) {
        let Some(kept) = machine.settings.stock_logins.value().filter(|kept| kept.value == StockLogins::Keep)
        else {
            continue;
        };
        judge.on_setting(
            &STOCK_LOGIN_KEPT,
            machine,
            kept.place,
            kept.place,
            "Logins that the image brings along stay open, with the passwords that everybody knows.",
            "write stock_logins = \"lock\", and name in [account.NAME] those that are wanted",
        );
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

pub(crate) fn group_invalid(written: &Written<String>, account: &str) -> Finding {
    Finding::on_sheet(
        &ACCOUNT_SETTING_INVALID,
        written.place,
        format!("\"{}\", a group of account {account}, is not spelled as groups are.", written.value),
        "write small letters, digits, underscores and hyphens, as in groups = [\"dialout\"]",
    )
}

pub(crate) fn shell_invalid(written: &Written<String>, account: &str) -> Finding {
    Finding::on_sheet(
        &ACCOUNT_SETTING_INVALID,
        written.place,
        format!("\"{}\", the shell of account {account}, is no absolute path.", written.value),
        "write the whole path, as in shell = \"/bin/bash\"",
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
