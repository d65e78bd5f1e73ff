//! Rules on what was seen inside of hosts that have started: data alone. Only logging in finds them.

use crate::finding::{Asked, Examples, Nature, Rule, Severity};

/// Every rule on what was seen inside of hosts.
pub const RULES: &[&Rule] = &[
    &LOGIN,
    &ADDRESSES,
    &LINKS,
    &ROUTES,
    &ROUTING_RULES,
    &DNS,
    &NAME,
    &TIMEZONE,
    &TIME_SERVERS,
    &CLOCK,
    &LOGINS,
    &SSH,
    &UNITS,
    &NETWORK_FILES,
    &NETPLAN,
];

/// What makes the difference on a booted host, as root there, and what takes it back.
macro_rules! on_host {
    ($($line:literal),+) => {
        concat!("# on the host, as root\n", $($line, "\n",)+ "# here\nimpostazione probe after sheet.toml --inside\n")
    };
}

/// What a rule on the inside of hosts is that says nothing else of itself.
const INSIDE: Rule =
    Rule { nature: Nature::Judgment, examples: Examples::BootedHost, asked: &[Asked::After], ..Rule::PLAIN };

/// Nobody comes in.
pub static LOGIN: Rule = Rule {
    name: "probe-inside-login",
    about_credentials: true,
    summary: "the account that was to look inside could not log in",
    explanation: "SSH refuses the account. Either nobody can log in with the keys of the sheet any more, or your SSH client does not have the \
        private key of one of them: `ssh-add -l` shows what your agent has. --as names another account of the sheet.",
    wrong: on_host!("mv /home/keeper/.ssh/authorized_keys /home/keeper/put-away"),
    right: on_host!("mv /home/keeper/put-away /home/keeper/.ssh/authorized_keys"),
    ..INSIDE
};

/// Other addresses.
pub static ADDRESSES: Rule = Rule {
    name: "probe-inside-addresses",
    summary: "a host has other addresses than the sheet says",
    explanation: "An address too many is often of DHCP, of an older network file, or was added by hand; it may belong to somebody else. One too few \
        means that the link was not set up, or that somebody else already had the address.",
    wrong: on_host!("ip address add 10.64.10.77/24 dev eth0"),
    right: on_host!("ip address del 10.64.10.77/24 dev eth0"),
    ..INSIDE
};

/// Links that were not set up.
pub static LINKS: Rule = Rule {
    name: "probe-inside-links",
    summary: "a link of a host is missing, or was not set up",
    explanation: "systemd-networkd or NetworkManager does not call the link set up. It may have another name than the sheet says, be without a \
        cable, or be looked after by somebody else.",
    wrong: on_host!("systemctl mask -q --runtime --now systemd-networkd"),
    right: on_host!("systemctl unmask -q --runtime systemd-networkd", "systemctl start systemd-networkd"),
    ..INSIDE
};

/// Other routes.
pub static ROUTES: Rule = Rule {
    name: "probe-inside-routes",
    summary: "a host has other routes than the sheet says",
    explanation: "Without its default route a host reaches nothing outside its subnets, and one too many may send answers another way. Routes to the \
        host's own subnets are not counted.",
    wrong: on_host!("ip route add 10.64.97.0/24 via 10.64.10.1"),
    right: on_host!("ip route del 10.64.97.0/24 via 10.64.10.1"),
    ..INSIDE
};

/// Other rules of routing.
pub static ROUTING_RULES: Rule = Rule {
    name: "probe-inside-routing-rules",
    summary: "a host has other rules of routing than the sheet says",
    explanation: "Rules choose the routing table for what comes from an address. With routing_table on a link its answers leave by it only while its \
        rules are there.",
    wrong: on_host!("ip rule add from 10.64.10.11 lookup 140 priority 200"),
    right: on_host!("ip rule del from 10.64.10.11 lookup 140 priority 200"),
    ..INSIDE
};

/// Other servers.
pub static DNS: Rule = Rule {
    name: "probe-inside-dns",
    summary: "a host asks other DNS servers, or searches other domains, than the sheet says",
    explanation: "What systemd-resolved asks is what programs get. Servers too many are often of DHCP or of another drop-in of resolved.conf.",
    wrong: on_host!("resolvectl dns eth0 10.64.10.99"),
    right: on_host!("resolvectl dns eth0 10.64.10.53 10.64.10.54"),
    ..INSIDE
};

/// Another name.
pub static NAME: Rule = Rule {
    name: "probe-inside-name",
    summary: "a host has another name than the sheet says",
    explanation: "Another host name comes from a service of the image that sets the host up, from DHCP, or was set by hand. Another full name \
        means that /etc/hosts does not have it.",
    wrong: on_host!("hostname left-over"),
    right: on_host!("hostname gauge-01"),
    ..INSIDE
};

/// Another zone.
pub static TIMEZONE: Rule = Rule {
    name: "probe-inside-timezone",
    summary: "a host has another time zone than the sheet says",
    explanation: "Logs and timers of the host count by the zone that /etc/localtime leads to.",
    wrong: on_host!("ln -sfn ../usr/share/zoneinfo/Asia/Tokyo /etc/localtime"),
    right: on_host!("ln -sfn ../usr/share/zoneinfo/Europe/Rome /etc/localtime"),
    ..INSIDE
};

/// Other clocks.
pub static TIME_SERVERS: Rule = Rule {
    name: "probe-inside-time-servers",
    summary: "a host asks other time servers than the sheet says",
    explanation: "The service that sets the clock has other servers, or does not run. Drop-ins of the image that sort later than ours win.",
    wrong: on_host!(
        "printf '[Time]\\nNTP=10.64.10.99\\n' >/etc/systemd/timesyncd.conf.d/99-late.conf",
        "systemctl restart systemd-timesyncd"
    ),
    right: on_host!("rm /etc/systemd/timesyncd.conf.d/99-late.conf", "systemctl restart systemd-timesyncd"),
    ..INSIDE
};

/// No time yet.
pub static CLOCK: Rule = Rule {
    name: "probe-inside-clock",
    summary: "the clock of a host is not synchronized",
    explanation: "The kernel says that nobody sets its clock. Shortly after the start that is usual: --wait 15m asks again. Otherwise none of its time \
        servers can be reached, or none is trusted.",
    wrong: on_host!("timedatectl set-ntp false", "date -s '+2 hours'"),
    right: on_host!("timedatectl set-ntp true"),
    ..INSIDE
};

/// Others come in.
pub static LOGINS: Rule = Rule {
    name: "probe-inside-logins",
    about_credentials: true,
    summary: "other people can log in on a host than the sheet says",
    explanation: "A login that the sheet does not name has a password or SSH keys, or one that it names is missing or has other keys. Looking at \
        passwords takes root: an account that may become root without a password, or --as root.",
    wrong: on_host!("useradd -m -s /bin/bash mate", "echo mate:anchors-aweigh | chpasswd"),
    right: on_host!("userdel -r mate"),
    ..INSIDE
};

/// Another SSH.
pub static SSH: Rule = Rule {
    name: "probe-inside-ssh",
    about_credentials: true,
    summary: "the SSH service of a host is set up otherwise than the sheet says",
    explanation: "sshd itself says what holds for it: its port, whether root may log in, and whether passwords are taken. Asking it takes root.",
    wrong: on_host!(
        "sed -i 's/^PermitRootLogin no/PermitRootLogin yes/' /etc/ssh/sshd_config.d/00-impostazione.conf"
    ),
    right: on_host!(
        "sed -i 's/^PermitRootLogin yes/PermitRootLogin no/' /etc/ssh/sshd_config.d/00-impostazione.conf"
    ),
    ..INSIDE
};

/// What failed.
pub static UNITS: Rule = Rule {
    name: "probe-inside-units",
    severity: Severity::Warning,
    summary: "units of a host have failed",
    explanation: "systemd could not start them. `systemctl status UNIT` and `journalctl -u UNIT` on the host say why.",
    wrong: on_host!("systemd-run -q --wait --unit=crane-watch false"),
    right: on_host!("systemctl reset-failed crane-watch"),
    ..INSIDE
};

/// Other files.
pub static NETWORK_FILES: Rule = Rule {
    name: "probe-inside-network-files",
    severity: Severity::Warning,
    summary: "a host has other network files beside ours",
    explanation: "They may not matter today, and win at the next boot or after an update of netplan. `impostazione place` sets such files aside.",
    wrong: on_host!("printf 'network: {version: 2}\\n' >/etc/netplan/90-left-over.yaml"),
    right: on_host!("rm /etc/netplan/90-left-over.yaml"),
    ..INSIDE
};

/// Another netplan file.
pub static NETPLAN: Rule = Rule {
    name: "probe-inside-netplan",
    severity: Severity::Warning,
    summary: "the netplan file of a host is not the one that the sheet gives",
    explanation: "The file was changed on the host, is missing, or is of an earlier version of the sheet. It takes root to be read.",
    wrong: on_host!("echo '# changed by hand' >>/etc/netplan/60-impostazione.yaml"),
    right: on_host!("sed -i '$d' /etc/netplan/60-impostazione.yaml"),
    ..INSIDE
};
