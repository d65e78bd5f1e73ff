//! Rules on who can log in.

use impostazione_net::NameFault;
use impostazione_text::Written;

use crate::finding::{Finding, Nature, Rule, Severity};

/// The rules that are broken while it is read.
pub(crate) const RULES: &[&Rule] = &[&ACCOUNT_NAME_INVALID, &ACCOUNT_SETTING_INVALID, &SSH_KEY_MALFORMED];

/// A group or a shell that is none.
pub(crate) static ACCOUNT_SETTING_INVALID: Rule = Rule {
    name: "account-setting-invalid",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the name of a group or the shell of an account is not valid",
    explanation: "A group name has small letters, digits, underscores and hyphens, like a login. A shell is an \
        absolute path without spaces (passwd(5)).",
    wrong: "[account.keeper]\nshell = \"bash\"\n",
    right: "[account.keeper]\nshell = \"/bin/bash\"\n",
    ..Rule::PLAIN
};

/// A login name that is none.
pub(crate) static ACCOUNT_NAME_INVALID: Rule = Rule {
    name: "account-name-invalid",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the name of an account is not valid",
    explanation: "A login starts with a small letter or an underscore, followed by small letters, digits, \
        underscores and hyphens, 32 characters at most. A full name must not have a colon, which separates fields in \
        /etc/passwd (passwd(5)).",
    wrong: "[account.\"Harbor Keeper\"]\nssh_keys = [\"keys/keeper.pub\"]\n",
    right: "[account.keeper]\nssh_keys = [\"keys/keeper.pub\"]\n",
    ..Rule::PLAIN
};

/// A key that opens nothing.
pub(crate) static SSH_KEY_MALFORMED: Rule = Rule {
    name: "ssh-key-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an SSH public key is missing or cannot be read",
    explanation: "ssh_keys names files that hold public keys, a line each as in authorized_keys, or holds such lines \
        itself. sshd silently ignores a line that it cannot read or whose options it does not know, and the login \
        stays closed. A private key must never be on a host: name the file that ends in .pub.",
    wrong: "[account.keeper]\nssh_keys = [\"keys/keper.pub\"]\n",
    right: "[account.keeper]\nssh_keys = [\"keys/keeper.pub\"]\n",
    about_credentials: true,
    ..Rule::PLAIN
};

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
        format!("\"{}\", a group of account {account}, is not a valid group name.", written.value),
        "write small letters, digits, underscores and hyphens, as in groups = [\"dialout\"]",
    )
}

pub(crate) fn shell_invalid(written: &Written<String>, account: &str) -> Finding {
    Finding::on_sheet(
        &ACCOUNT_SETTING_INVALID,
        written.place,
        format!("\"{}\", the shell of account {account}, is not an absolute path.", written.value),
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
