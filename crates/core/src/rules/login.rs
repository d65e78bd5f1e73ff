//! Rules on who can log in.

use impostazione_text::nearest;

use super::check::Check;
use super::judge::Judge;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{Account, Machine, Site, StockLogins};

pub(super) const CHECKS: &[Check] = &[
    Check::new(&HOST_WITHOUT_LOGIN, check_host_without_login),
    Check::new(&ACCOUNT_WITHOUT_LOGIN, check_account_without_login),
    Check::new(&ACCOUNT_UNUSED, check_unused),
    Check::new(&SSH_KEY_EXPIRED, check_expired),
    Check::new(&LOGIN_BY_CERTIFICATE_ONLY, check_certificates),
    Check::new(&PASSWORD_CHANGE_WITHOUT_PASSWORD, check_change),
    Check::new(&STOCK_LOGIN_KEPT, check_stock),
    Check::new(&ACCOUNT_OF_SYSTEM, check_of_system),
];

/// Nobody can log in.
static HOST_WITHOUT_LOGIN: Rule = Rule {
    name: "host-without-login",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "no account can log in on a host",
    explanation: "If nobody can log in on a headless host, somebody has to fetch it. At least one account with an \
        SSH key must be for it: an [account.NAME] table without `hosts` is for every host, one with `hosts` for the \
        hosts whose names match. A password counts if ssh.password_login is true, and root counts if ssh.root_login \
        is true.",
    wrong: "[account.keeper]\nssh_keys = [\"keys/keeper.pub\"]\nhosts = [\"buoy-*\"]\n",
    right: "[account.keeper]\nssh_keys = [\"keys/keeper.pub\"]\nhosts = [\"buoy-*\", \"gauge-*\"]\n",
    about_absence: true,
    about_credentials: true,
    ..Rule::PLAIN
};

/// A name that is given already.
static ACCOUNT_OF_SYSTEM: Rule = Rule {
    name: "account-of-system",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an account has the name of a system account",
    explanation: "Names such as daemon, sshd or www-data exist on every system or come with a package, and a service \
        runs under them. A person with such a name would share the service's user ID and files. Write another name.",
    wrong: "[account.backup]\nadmin = true\nssh_keys = [\"keys/keeper.pub\"]\n",
    right: "[account.keeper]\nadmin = true\nssh_keys = [\"keys/keeper.pub\"]\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// Accounts of services: those of Debian's and Fedora's base, and of the packages that hosts have for what a sheet says.
const OF_SYSTEMS: [&str; 49] = [
    "_apt",
    "_chrony",
    "adm",
    "avahi",
    "backup",
    "bin",
    "chrony",
    "colord",
    "daemon",
    "dbus",
    "dnsmasq",
    "ftp",
    "games",
    "gnats",
    "halt",
    "irc",
    "list",
    "lp",
    "mail",
    "man",
    "messagebus",
    "mysql",
    "news",
    "nobody",
    "ntp",
    "ntpsec",
    "operator",
    "polkitd",
    "postfix",
    "postgres",
    "proxy",
    "rpc",
    "rtkit",
    "shutdown",
    "sshd",
    "statd",
    "sync",
    "sys",
    "syslog",
    "systemd-coredump",
    "systemd-network",
    "systemd-resolve",
    "systemd-timesync",
    "tcpdump",
    "tss",
    "usbmux",
    "uucp",
    "uuidd",
    "www-data",
];

fn check_of_system(judge: &mut Judge<'_>) {
    let site = judge.site;
    for account in &site.accounts {
        let name = account.name.value.as_str();
        if OF_SYSTEMS.binary_search(&name).is_ok() {
            judge.on_sheet(
                &ACCOUNT_OF_SYSTEM,
                account.name.place,
                format!("{name} is a system account, for a service."),
                "write another name, as in [account.keeper]",
            );
        }
    }
}

/// A login that nothing opens.
static ACCOUNT_WITHOUT_LOGIN: Rule = Rule {
    name: "account-without-login",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an account has neither a key nor a password",
    explanation: "Nobody can log in with it. ssh_keys lists its public keys, password names a secret.",
    wrong: "[account.pilot]\nfull_name = \"Pilot on duty\"\n",
    right: "[account.pilot]\nfull_name = \"Pilot on duty\"\nssh_keys = [\"keys/keeper.pub\"]\n",
    about_absence: true,
    about_credentials: true,
    ..Rule::PLAIN
};

/// A key that has run out.
static SSH_KEY_EXPIRED: Rule = Rule {
    name: "ssh-key-expired",
    severity: Severity::Error,
    nature: Nature::Credential,
    summary: "the expiry-time of an SSH key has passed",
    explanation: "sshd accepts a key with expiry-time only before that time, and ignores it afterwards. Replace the \
        key, or remove it from the sheet.",
    wrong: "[account.keeper]\nssh_keys = [\"keys/expired.pub\"]\n",
    right: "[account.keeper]\nssh_keys = [\"keys/keeper.pub\"]\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// A login that no key opens by itself.
static LOGIN_BY_CERTIFICATE_ONLY: Rule = Rule {
    name: "login-by-certificate-only",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "all SSH keys of an account are certificate authorities",
    explanation: "A key with cert-authority before it signs certificates, and only these certificates open the \
        login, not the key itself. If nobody has a certificate, nobody can log in. Waive the rule if you have the \
        certificates.",
    wrong: "[account.keeper]\nssh_keys = [\"keys/authority.pub\"]\n",
    right: "[account.keeper]\nssh_keys = [\"keys/keeper.pub\", \"keys/authority.pub\"]\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// A change of what there is not.
static PASSWORD_CHANGE_WITHOUT_PASSWORD: Rule = Rule {
    name: "password-change-without-password",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a password must be changed at the first login, and there is none",
    explanation: "An expired password blocks every login until it is changed, even one with a key, and without a \
        password it cannot be changed: the login stays closed. Add a password, or do not ask for a change.",
    wrong: "[account.keeper]\nchange_at_first_login = true\n",
    right: "[account.keeper]\nchange_at_first_login = true\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\n",
    about_absence: true,
    about_credentials: true,
    ..Rule::PLAIN
};

/// Logins that everybody knows.
static STOCK_LOGIN_KEPT: Rule = Rule {
    name: "stock-login-kept",
    severity: Severity::Warning,
    nature: Nature::Credential,
    summary: "the logins of a host's image are kept",
    explanation: "Images come with a login whose name and password are in their documentation, and everybody who \
        reaches the host can use it. lock keeps the files and locks the login; refuse rejects such an image. A login \
        that you want to keep is best listed in an [account.NAME] table, with a password or keys of your own.",
    wrong: "[common]\nstock_logins = \"keep\"\n",
    right: "[common]\nstock_logins = \"lock\"\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// A login that no host gets.
static ACCOUNT_UNUSED: Rule = Rule {
    name: "account-unused",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "an account is for no host of the sheet",
    explanation: "`hosts` of the account matches no host, so no host gets the login. A name was mistyped, or the \
        account is no longer needed.",
    wrong: "[account.pilot]\nssh_keys = [\"keys/keeper.pub\"]\nhosts = [\"signal-towr\"]\n",
    right: "[account.pilot]\nssh_keys = [\"keys/keeper.pub\"]\nhosts = [\"gauge-01\"]\n",
    about_absence: true,
    ..Rule::PLAIN
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
                    "add a personal account, as in [account.keeper] with admin = true".to_owned(),
                )
            } else {
                (
                    format!("{name} has only a password, and SSH does not accept passwords"),
                    format!("add an SSH key for {name}, or write ssh = {{ password_login = true }}"),
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
            "add ssh_keys = [\"keys/keeper.pub\"], or password = { secret = \"…\" }",
        );
    }
}

fn check_expired(judge: &mut Judge<'_>) {
    let Some(today) = judge.today else { return };
    for account in &judge.site.accounts {
        for key in &account.keys {
            let Some(expires) = key.expires.filter(|time| time.date() <= today) else { continue };
            let name = &account.name.value;
            judge.on_sheet(
                &SSH_KEY_EXPIRED,
                key.place,
                format!("A key of account {name} expired on {}, so sshd refuses it.", expires.date()),
                "write a later expiry-time, remove the key, or name another",
            );
        }
    }
}

fn check_certificates(judge: &mut Judge<'_>) {
    for account in &judge.site.accounts {
        let Some(first) = account.keys.first() else { continue };
        let is_open = account.has_faulty_keys || account.keys.iter().any(|key| !key.is_authority);
        if is_open {
            continue;
        }
        let name = &account.name.value;
        judge.on_sheet(
            &LOGIN_BY_CERTIFICATE_ONLY,
            first.place,
            format!("No key opens account {name}: all of them have cert-authority, so only certificates do."),
            "add a personal public key, or waive the rule if you have certificates",
        );
    }
}

fn check_change(judge: &mut Judge<'_>) {
    for account in
        judge.site.accounts.iter().filter(|account| account.changes_password() && !account.has_password())
    {
        let Some(flag) = &account.change_at_first_login else { continue };
        judge.on_sheet(
            &PASSWORD_CHANGE_WITHOUT_PASSWORD,
            flag.place,
            format!(
                "{} has no password, but must change it at the first login, even with a key.",
                account.name.value
            ),
            "add password = { secret = \"…\" }, or write change_at_first_login = false",
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
            "The logins of the image stay open, with their well-known passwords.",
            "write stock_logins = \"lock\", and add the logins you want as [account.NAME]",
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
                Some(close) => format!("write \"{close}\" if you mean that, or remove the account"),
                None => "write host names, with * for any characters, or remove the account".to_owned(),
            },
        );
    }
}
