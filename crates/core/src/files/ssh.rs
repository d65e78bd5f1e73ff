//! The SSH service.

use super::HEADER;
use crate::machine::Machine;

/// Where the file lies on the host. sshd takes the first value that it reads, so this one sorts before all others.
pub const SSHD_PATH: &str = "etc/ssh/sshd_config.d/00-impostazione.conf";

/// The link that has systemd start the service, and what it leads to.
pub const SSH_WANTED: (&str, &str) =
    ("etc/systemd/system/multi-user.target.wants/ssh.service", "/lib/systemd/system/ssh.service");

/// The links that keep systemd from starting it, and what they lead to.
pub const SSH_MASKED: [(&str, &str); 2] =
    [("etc/systemd/system/ssh.service", "/dev/null"), ("etc/systemd/system/ssh.socket", "/dev/null")];

/// Who may log in, and with what (`sshd_config(5)`).
pub fn sshd_file(machine: &Machine) -> String {
    let ssh = &machine.settings.ssh;
    let word = |flag: bool| if flag { "yes" } else { "no" };
    format!(
        "{HEADER}PubkeyAuthentication yes\nPasswordAuthentication {0}\nKbdInteractiveAuthentication {0}\n\
         PermitRootLogin {1}\n",
        word(ssh.allows_passwords()),
        // Root has no password in a sheet: a key is what is meant.
        if ssh.allows_root() { "prohibit-password" } else { "no" },
    )
}
