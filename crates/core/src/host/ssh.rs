//! The SSH service.

use super::header::HEADER;
use super::known_hosts::HOST_KEY_PATH;
use crate::machine::{Machine, Site};

/// Where the file lies on the host. sshd takes the first value that it reads, so this one sorts before all others.
pub const SSHD_PATH: &str = "etc/ssh/sshd_config.d/00-impostazione.conf";

/// The link that has systemd start the service, and what it leads to.
pub const SSH_WANTED: (&str, &str) =
    ("etc/systemd/system/multi-user.target.wants/ssh.service", "/lib/systemd/system/ssh.service");

/// The links that keep systemd from starting it, and what they lead to.
pub const SSH_MASKED: [(&str, &str); 2] =
    [("etc/systemd/system/ssh.service", "/dev/null"), ("etc/systemd/system/ssh.socket", "/dev/null")];

/// No way in but those that the sheet gives, whatever the files that are read later say.
const NO_OTHER_WAY: &str = "AuthorizedKeysFile .ssh/authorized_keys .ssh/authorized_keys2\nAuthorizedKeysCommand none\n\
    AuthorizedPrincipalsFile none\nAuthorizedPrincipalsCommand none\nTrustedUserCAKeys none\n\
    HostbasedAuthentication no\nPermitEmptyPasswords no\n";

/// Who may log in, and with what (`sshd_config(5)`).
pub fn sshd_file(site: &Site, machine: &Machine) -> String {
    let ssh = &machine.settings.ssh;
    let accounts = machine.host().into_iter().flat_map(|host| &host.accounts);
    let mut accounts = accounts.filter_map(|index| site.accounts.get(*index));
    let root_has_password =
        accounts.any(|account| account.name.value.as_str() == "root" && account.has_password());
    let word = |flag: bool| if flag { "yes" } else { "no" };
    let root = match (ssh.allows_root(), ssh.allows_passwords() && root_has_password) {
        (false, _) => "no",
        // Where root has no password in the sheet, a key is what is meant.
        (true, false) => "prohibit-password",
        (true, true) => "yes",
    };
    // A key that is named is the only one that the service shows.
    let own_key = if ssh.has_made_key() { format!("HostKey /{HOST_KEY_PATH}\n") } else { String::new() };
    format!(
        "{HEADER}PubkeyAuthentication yes\nPasswordAuthentication {0}\nKbdInteractiveAuthentication {0}\n\
         PermitRootLogin {root}\n{own_key}{NO_OTHER_WAY}",
        word(ssh.allows_passwords()),
    )
}
