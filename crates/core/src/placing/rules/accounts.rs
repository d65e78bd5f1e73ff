//! What on a root filesystem speaks against the output's logins.

use super::case::RootfsCase;
use super::found::RootfsFindings;
use super::network::{handled, weight_of_handled};
use crate::finding::{Examples, Nature, Rule, Severity};
use crate::host::{HostAccount, HostAccounts};
use crate::machine::StockLogins;
use crate::placing::plan::Concern;
use crate::placing::survey::{FoundPassword, SshSetting};

pub(super) static ACCOUNT_CONFLICT: Rule = Rule {
    name: "rootfs-account-conflict",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an account clashes with the users of a root filesystem",
    explanation: "The image uses the name for a service, etc/passwd has a user twice, a group or a shell is missing, \
        or a user file is damaged: then the people in the sheet could not log in, or would become somebody else. An \
        ordinary user of the same name is not a conflict: it keeps its user ID and home, and gets the password and \
        keys of the sheet.",
    wrong: "# a root filesystem\n\"etc/passwd\" = \"root:x:0:0:root:/root:/bin/bash\\nkeeper:x:110:110::/var/lib/keeper:/usr/sbin/nologin\\n\"\n",
    right: "# a root filesystem\n\"etc/passwd\" = \"root:x:0:0:root:/root:/bin/bash\\nkeeper:x:1000:1000::/home/keeper:/bin/bash\\n\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static STOCK_LOGIN: Rule = Rule {
    name: "rootfs-stock-login",
    severity: Severity::Warning,
    nature: Nature::Credential,
    summary: "a root filesystem has a login that the sheet does not name",
    explanation: "Images come with logins whose passwords are published. stock_logins in the sheet says what happens \
        to them: \"lock\" locks password and keys, \"keep\" leaves them, and \"refuse\" makes this an error, so that \
        such an image is not used.",
    wrong: "# a root filesystem\n\"etc/passwd\" = \"root:x:0:0:root:/root:/bin/bash\\nimage:x:1000:1000::/home/image:/bin/bash\\n\"\n\"etc/shadow\" = \"root:*:19000::::::\\nimage:$y$j9T$abc$def:19000:0:99999:7:::\\n\"\n",
    right: "# a root filesystem\n\"etc/passwd\" = \"root:x:0:0:root:/root:/bin/bash\\nimage:x:1000:1000::/home/image:/bin/bash\\n\"\n\"etc/shadow\" = \"root:*:19000::::::\\nimage:!:19000:0:99999:7:::\\n\"\n",
    about_credentials: true,
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static SSH_CONFLICT: Rule = Rule {
    name: "rootfs-ssh-conflict",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "an SSH server setting on a root filesystem would override ours",
    explanation: "sshd uses the first value it reads. So a main file that sets a value before it includes the \
        drop-ins, a main file that does not include them, or a drop-in that sorts before ours wins. `place` makes \
        sshd read our file first. Ports add up instead, so lines that name one are set aside. Lists of users and groups that may log in are left unchanged; they are an error \
        where they leave out somebody in the sheet.",
    wrong: "# a root filesystem\n\"etc/ssh/sshd_config\" = \"PasswordAuthentication yes\\nInclude /etc/ssh/sshd_config.d/*.conf\\n\"\n",
    right: "# a root filesystem\n\"etc/ssh/sshd_config\" = \"Include /etc/ssh/sshd_config.d/*.conf\\nPasswordAuthentication yes\\n\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) fn check(case: &RootfsCase<'_>, found: &mut RootfsFindings) {
    if let Some((_, plan)) = case.placing {
        for obstacle in &plan.obstacles {
            let severity = (!obstacle.is_grave).then_some(Severity::Warning);
            let place = (obstacle.path.as_str(), obstacle.line);
            let rule = match obstacle.concerns {
                Concern::Account => &ACCOUNT_CONFLICT,
                Concern::Path => &super::writable::ODD_PATH,
            };
            found.push(rule, case.view, place, obstacle.message.clone(), obstacle.fix.clone(), severity);
        }
    }
    stock(case, found);
    ssh(case, found);
}

fn stock(case: &RootfsCase<'_>, found: &mut RootfsFindings) {
    let accounts = case.output().map(|output| &output.accounts);
    for account in case.survey.accounts.iter().filter(|account| account.is_stock) {
        if accounts.is_some_and(|accounts| accounts.account(&account.name).is_some()) {
            continue;
        }
        let mut how = Vec::new();
        match account.password {
            FoundPassword::Set => how.push("a password".to_owned()),
            FoundPassword::Empty => how.push("no password at all".to_owned()),
            FoundPassword::Locked => {}
        }
        match account.ssh_keys {
            0 => {}
            1 => how.push("an SSH key".to_owned()),
            count => how.push(format!("{count} SSH keys")),
        }
        let admin = if account.is_admin && account.uid != 0 { ", and may act as root" } else { "" };
        let message = format!("{} can log in with {}{admin}.", account.name, how.join(" and with "));
        let (fix, severity) = match accounts.map(|accounts| accounts.stock_logins) {
            None => ("add it to the sheet as an account, or let place lock it".to_owned(), None),
            Some(StockLogins::Lock) => (handled(case, "locks it"), weight_of_handled(case)),
            Some(StockLogins::Keep) => (
                "stock_logins is \"keep\": write \"lock\", or add it to the sheet as an account".to_owned(),
                None,
            ),
            Some(StockLogins::Refuse) => (
                "stock_logins is \"refuse\": use an image without it, or write \"lock\"".to_owned(),
                Some(Severity::Error),
            ),
        };
        found.push(&STOCK_LOGIN, case.view, ("etc/passwd", account.line), message, fix, severity);
    }
}

fn ssh(case: &RootfsCase<'_>, found: &mut RootfsFindings) {
    let ssh = &case.survey.ssh;
    if !ssh.is_there {
        return;
    }
    for setting in &ssh.winning {
        let message = format!("/{} has {:?} before our file is read.", setting.path, setting.text);
        let fix = handled(case, "makes sshd read our file first");
        let place = (setting.path.as_str(), setting.line);
        found.push(&SSH_CONFLICT, case.view, place, message, fix, weight_of_handled(case));
    }
    if !ssh.reads_drop_ins {
        let message =
            "/etc/ssh/sshd_config does not include the folder sshd_config.d, where our file is.".to_owned();
        let fix = handled(case, "makes sshd read our file first");
        let place = ("etc/ssh/sshd_config", 0);
        found.push(&SSH_CONFLICT, case.view, place, message, fix, weight_of_handled(case));
    }
    let Some(output) = case.output() else { return };
    for setting in &ssh.limits {
        if let Some((own, found_port)) = output.ssh_port().zip(setting.port()) {
            if found_port != own.to_string() {
                let message = format!(
                    "/{} says {:?}, so sshd would listen on that port; in the sheet it is {own}.",
                    setting.path, setting.text
                );
                let fix = handled(case, "sets the line aside");
                let place = (setting.path.as_str(), setting.line);
                found.push(&SSH_CONFLICT, case.view, place, message, fix, weight_of_handled(case));
            }
            continue;
        }
        let Some((why, severity)) = shut_out(setting, &output.accounts) else { continue };
        let message = format!("/{} says {:?}, {why}.", setting.path, setting.text);
        let fix = "remove the line from the image, or change it so that the accounts in the sheet get in";
        let place = (setting.path.as_str(), setting.line);
        found.push(&SSH_CONFLICT, case.view, place, message, fix.to_owned(), severity);
    }
}

/// Whom a line of the server's settings keeps out, as the end of a sentence, and how grave that is (`sshd_config(5)`).
fn shut_out(setting: &SshSetting, accounts: &HostAccounts) -> Option<(String, Option<Severity>)> {
    let mut words = setting.text.split_whitespace();
    let keyword = words.next()?.to_ascii_lowercase();
    let listed: Vec<&str> = words.collect();
    let lists = |name: &str| listed.iter().any(|word| is_of(word, name));
    let in_group = |account: &HostAccount| {
        std::iter::once(account.name.as_str()).chain(account.groups.iter().map(String::as_str)).any(lists)
    };
    let of = |keeps_out: &dyn Fn(&HostAccount) -> bool| -> Vec<&str> {
        accounts
            .accounts
            .iter()
            .filter(|account| keeps_out(account))
            .map(|account| account.name.as_str())
            .collect()
    };
    let out = match keyword.as_str() {
        "allowusers" => of(&|account| !lists(&account.name)),
        "denyusers" => of(&|account| lists(&account.name)),
        "allowgroups" => of(&|account| !in_group(account)),
        "denygroups" => of(&in_group),
        "authenticationmethods" if listed.iter().all(|method| method.contains(',')) => {
            return Some(("which asks for more than one way to authenticate".to_owned(), None));
        }
        "listenaddress" if !listed.iter().any(|address| matches!(*address, "0.0.0.0" | "::" | "*")) => {
            return Some(("so it listens only if the host has that address".to_owned(), None));
        }
        _ => return None,
    };
    (!out.is_empty()).then(|| (format!("which keeps {} out", out.join(" and ")), Some(Severity::Error)))
}

/// Whether a word of a list of users stands for a name (`ssh_config(5)`, PATTERNS); what comes from where does not count.
fn is_of(word: &str, name: &str) -> bool {
    let word = word.split('@').next().unwrap_or(word);
    globset::Glob::new(word).is_ok_and(|glob| glob.compile_matcher().is_match(name))
}
