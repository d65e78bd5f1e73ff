//! What images bring that would win over what is placed, one kind at a time.

use std::fs;
use std::os::unix::fs::{PermissionsExt as _, symlink};
use std::path::Path;

/// Something that an image brings.
pub(crate) struct Brought {
    pub(crate) name: &'static str,
    /// Files, which are executable where they begin with `#!`.
    files: &'static [(&'static str, &'static str)],
    /// Links, and where they lead.
    links: &'static [(&'static str, &'static str)],
}

/// An address that nobody gave the host.
const SCRIPT_ADDS_ADDRESS: &str = "#!/bin/sh\nip addr add 10.64.10.99/24 dev eth0\n";
const OTHER_SERVERS: &str = "[Resolve]\nDNS=10.64.99.53\nDomains=~. image.example\n";
const OTHER_ADDRESS: &str = "[Network]\nAddress=10.64.10.99/24\n";

/// What our drop-in of systemd-resolved holds off by itself, since it is read before it.
pub(crate) const IN_MAIN_FILE: &str = "DNS servers in resolved.conf";

/// Everything that is booted alone.
pub(crate) const BROUGHT: &[Brought] = &[
    Brought { name: IN_MAIN_FILE, files: &[("etc/systemd/resolved.conf", OTHER_SERVERS)], links: &[] },
    Brought {
        name: "DNS servers in a drop-in",
        files: &[("etc/systemd/resolved.conf.d/zz-image.conf", OTHER_SERVERS)],
        links: &[],
    },
    Brought {
        name: "DNS servers in a drop-in of a package's folder",
        files: &[("usr/lib/systemd/resolved.conf.d/zz-image.conf", OTHER_SERVERS)],
        links: &[],
    },
    Brought {
        name: "a drop-in of what netplan makes",
        files: &[("etc/systemd/network/10-netplan-eth0.network.d/image.conf", OTHER_ADDRESS)],
        links: &[],
    },
    Brought {
        name: "the same in a package's folder",
        files: &[("usr/lib/systemd/network/10-netplan-eth0.network.d/image.conf", OTHER_ADDRESS)],
        links: &[],
    },
    Brought {
        name: "a link that hides what netplan makes",
        files: &[],
        links: &[("etc/systemd/network/10-netplan-eth0.network", "/dev/null")],
    },
    Brought {
        name: "a link that hides netplan's generator",
        files: &[],
        links: &[("etc/systemd/system-generators/netplan", "/dev/null")],
    },
    Brought {
        name: "a program before the SSH server",
        files: &[(
            "etc/systemd/system/ssh.service.d/image.conf",
            "[Service]\nExecStartPre=/sbin/ip addr add 10.64.10.99/24 dev eth0\n",
        )],
        links: &[],
    },
    Brought {
        name: "words for the SSH server in its unit",
        files: &[(
            "usr/lib/systemd/system/ssh.service.d/image.conf",
            "[Service]\nEnvironmentFile=\nEnvironment=SSHD_OPTS=-oPasswordAuthentication=yes\n",
        )],
        links: &[],
    },
    Brought {
        name: "words for the SSH server in a file of variables",
        files: &[("etc/default/ssh", "SSHD_OPTS=\"-oPasswordAuthentication=yes\"\n")],
        links: &[],
    },
    Brought {
        name: "a condition of systemd-networkd",
        files: &[(
            "etc/systemd/system/systemd-networkd.service.d/image.conf",
            "[Unit]\nConditionPathExists=/etc/image-wants-networkd\n",
        )],
        links: &[],
    },
    Brought {
        name: "another unit in place of systemd-networkd",
        files: &[(
            "etc/systemd/system/systemd-networkd.service",
            "[Service]\nExecStart=/bin/sleep 10000\n[Install]\nWantedBy=multi-user.target\n",
        )],
        links: &[],
    },
    Brought {
        name: "rc.local",
        files: &[(
            "etc/rc.local",
            "#!/bin/sh\nrm -f /etc/resolv.conf\necho nameserver 10.64.99.53 > /etc/resolv.conf\n",
        )],
        links: &[],
    },
    Brought {
        name: "a service that a timer starts",
        files: &[
            ("usr/lib/systemd/system/image-zone.timer", "[Timer]\nOnBootSec=1s\n"),
            (
                "usr/lib/systemd/system/image-zone.service",
                "[Service]\nType=oneshot\nExecStart=/usr/local/sbin/image-zone\n",
            ),
            ("usr/local/sbin/image-zone", "#!/bin/sh\nln -sf ../usr/share/zoneinfo/Etc/UTC /etc/localtime\n"),
        ],
        links: &[(
            "etc/systemd/system/timers.target.wants/image-zone.timer",
            "/usr/lib/systemd/system/image-zone.timer",
        )],
    },
    Brought {
        name: "a service that a path starts",
        files: &[
            ("etc/systemd/system/image-name.path", "[Path]\nPathExists=/etc/hostname\n"),
            (
                "etc/systemd/system/image-name.service",
                "[Service]\nType=oneshot\nRemainAfterExit=yes\nExecStart=/bin/sh -c 'hostname image'\n",
            ),
        ],
        links: &[("etc/systemd/system/multi-user.target.wants/image-name.path", "../image-name.path")],
    },
    Brought {
        name: "a service that a socket starts",
        files: &[
            ("etc/systemd/system/image-door.socket", "[Socket]\nListenStream=127.0.0.1:4242\n"),
            (
                "etc/systemd/system/image-door.service",
                "[Service]\nType=oneshot\nStandardInput=null\nExecStart=/usr/local/sbin/image-door\n",
            ),
            ("usr/local/sbin/image-door", SCRIPT_ADDS_ADDRESS),
        ],
        links: &[("etc/systemd/system/sockets.target.wants/image-door.socket", "../image-door.socket")],
    },
    Brought {
        name: "a link of a package's folder that starts a service",
        files: &[(
            "usr/lib/systemd/system/image-login.service",
            "[Service]\nType=oneshot\nExecStart=/bin/sh -c \"echo root:image | chpasswd\"\n",
        )],
        links: &[(
            "usr/lib/systemd/system/multi-user.target.wants/image-login.service",
            "../image-login.service",
        )],
    },
    Brought {
        name: "a script of the old kind",
        files: &[(
            "etc/init.d/image-net",
            "#!/bin/sh\n### BEGIN INIT INFO\n# Provides: image-net\n# Required-Start: $network\n# Default-Start: 2 3 4 5\n### END INIT INFO\nip addr add 10.64.10.99/24 dev eth0\n",
        )],
        links: &[
            ("etc/rc3.d/S01image-net", "../init.d/image-net"),
            ("etc/rc5.d/S01image-net", "../init.d/image-net"),
        ],
    },
    Brought {
        name: "a settings file on the boot partition",
        files: &[
            (
                "etc/systemd/system/image-card.service",
                "[Service]\nType=oneshot\nExecStart=/usr/local/sbin/image-card\n[Install]\nWantedBy=multi-user.target\n",
            ),
            ("usr/local/sbin/image-card", "#!/bin/sh\n. /boot/firmware/image-card.txt\n$SETTER $NAME\n"),
            ("boot/firmware/cmdline.txt", "console=tty1\n"),
            ("boot/firmware/image-card.txt", "SETTER=hostname\nNAME=image\n"),
        ],
        links: &[("etc/systemd/system/multi-user.target.wants/image-card.service", "../image-card.service")],
    },
    Brought {
        name: "an agent of several stages",
        files: &[
            (
                "usr/lib/systemd/system/image-agent-early.service",
                "[Unit]\nDefaultDependencies=no\nBefore=network-pre.target\nWants=network-pre.target\n[Service]\nType=oneshot\nExecStart=/usr/lib/image-agent/agent early\n",
            ),
            (
                "usr/lib/systemd/system/image-agent-main.service",
                "[Unit]\nAfter=image-agent-early.service\n[Service]\nExecStart=/usr/lib/image-agent/agent main\n",
            ),
            (
                "usr/lib/image-agent/agent",
                "#!/bin/sh\nset_name=hostn\ncase $1 in early) touch /run/image-agent;; main) ${set_name}ame image; sleep 10000;; esac\n",
            ),
        ],
        links: &[
            (
                "etc/systemd/system/multi-user.target.wants/image-agent-early.service",
                "/usr/lib/systemd/system/image-agent-early.service",
            ),
            (
                "etc/systemd/system/multi-user.target.wants/image-agent-main.service",
                "/usr/lib/systemd/system/image-agent-main.service",
            ),
        ],
    },
    Brought {
        name: "a service that takes root's password away",
        files: &[(
            "etc/systemd/system/image-root.service",
            "[Service]\nType=oneshot\nExecStart=/usr/bin/passwd -d root\n",
        )],
        links: &[("etc/systemd/system/multi-user.target.wants/image-root.service", "../image-root.service")],
    },
    Brought {
        name: "a service that sets the time zone",
        files: &[(
            "etc/systemd/system/image-clock.service",
            "[Unit]\nAfter=dbus.service\n[Service]\nType=oneshot\nExecStart=/usr/bin/timedatectl set-timezone Etc/UTC\n",
        )],
        links: &[(
            "etc/systemd/system/multi-user.target.wants/image-clock.service",
            "../image-clock.service",
        )],
    },
    Brought {
        name: "a generator",
        files: &[("etc/systemd/system-generators/image", "#!/bin/sh\nhostname image\n")],
        links: &[],
    },
    Brought {
        name: "a file that is made at boot",
        files: &[(
            "etc/tmpfiles.d/image.conf",
            "f /run/systemd/network/05-image.network 0644 - - - [Match]\\nName=eth0\\n[Network]\\nAddress=10.64.10.99/24\\n\n",
        )],
        links: &[],
    },
    Brought {
        name: "a target without services",
        files: &[],
        links: &[("etc/systemd/system/default.target", "/usr/lib/systemd/system/rescue.target")],
    },
];

impl Brought {
    /// Puts it on a root filesystem.
    pub(crate) fn put(&self, rootfs: &Path) {
        for (path, text) in self.files {
            let path = rootfs.join(path);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            fs::write(&path, text).unwrap();
            let mode = if text.starts_with("#!") { 0o755 } else { 0o644 };
            fs::set_permissions(&path, fs::Permissions::from_mode(mode)).unwrap();
        }
        for (path, target) in self.links {
            let path = rootfs.join(path);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            // A link of the distribution's own makes room.
            let _ = fs::remove_file(&path);
            symlink(target, &path).unwrap();
        }
    }

    /// Whether a text names one of its files or links, or the unit that systemd makes of it.
    pub(crate) fn is_named_in(&self, text: &str) -> bool {
        let paths = self.files.iter().chain(self.links).map(|(path, _)| *path);
        let names = paths.filter_map(|path| path.rsplit('/').next()).chain(["rc-local.service"]);
        names.into_iter().any(|name| text.contains(name))
    }
}
