//! The SSH service.

use super::header::HEADER;
use super::known_hosts::HOST_KEY_PATH;
use crate::machine::{Machine, Site, Ssh};

/// Where the file lies on the host. sshd takes the first value that it reads, so this one sorts before all others.
pub const SSHD_PATH: &str = "etc/ssh/sshd_config.d/00-impostazione.conf";

/// The link that has systemd start the service, and what it leads to.
pub const SSH_WANTED: (&str, &str) =
    ("etc/systemd/system/multi-user.target.wants/ssh.service", "/lib/systemd/system/ssh.service");

/// The links that keep systemd from starting it, and what they lead to.
pub const SSH_MASKED: [(&str, &str); 2] =
    [("etc/systemd/system/ssh.service", "/dev/null"), ("etc/systemd/system/ssh.socket", "/dev/null")];

/// The drop-in of the socket that some distributions have systemd listen on in place of the service. It sorts after the
/// image's, since each adds to what was said before it.
pub const SSH_SOCKET_PATH: &str = "etc/systemd/system/ssh.socket.d/zz-impostazione.conf";

/// Has the socket listen where the service would, and nowhere else (`systemd.socket(5)`): an empty value takes back all that
/// were said before. Nothing where the port is the usual one, which is the socket's too.
pub fn ssh_socket_file(machine: &Machine) -> Option<String> {
    let port = machine.settings.ssh.port();
    let is_own = port != Ssh::USUAL_PORT && machine.settings.ssh.is_enabled();
    is_own.then(|| format!("{HEADER}[Socket]\nListenStream=\nListenStream={port}\n"))
}

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
    let port = ssh.port();
    let own_key = if ssh.has_made_key() { format!("HostKey /{HOST_KEY_PATH}\n") } else { String::new() };
    format!(
        "{HEADER}Port {port}\nPubkeyAuthentication yes\nPasswordAuthentication {0}\nKbdInteractiveAuthentication {0}\n\
         PermitRootLogin {root}\n{own_key}{NO_OTHER_WAY}",
        word(ssh.allows_passwords()),
    )
}
