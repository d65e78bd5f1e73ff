//! `inspect` of a root filesystem: what it shows to people and to other programs.

use serde_json::Value;

use crate::card::{CARD, Card, STOCK_HASH, with_output};
use crate::support::Workspace;

/// The lines below one title.
fn below<'a>(shown: &'a str, title: &str) -> Vec<&'a str> {
    let mut lines = shown.lines().skip_while(|line| !line.starts_with(&format!("  {title} ")));
    let first = lines.next().unwrap_or_else(|| panic!("{title}: {shown}"));
    let more = lines.take_while(|line| line.starts_with("                 "));
    std::iter::once(first.get(17..).unwrap_or_default()).chain(more.map(str::trim_start)).collect()
}

fn used(workspace: &Workspace) -> Card<'_> {
    let card = Card::new(workspace);
    card.write("etc/os-release", "PRETTY_NAME='Harbor Linux 7'\nID=harbor\nVERSION_ID=7\n");
    // The first bytes of a program for a 64-bit ARM processor.
    card.write("usr/bin/true", [b"\x7fELF\x02\x01\x01".as_slice(), &[0; 9], &[2, 0, 183, 0]].concat());
    card.write("var/lib/dpkg/status", "Package: netplan.io\nStatus: install ok installed\nVersion: 0.107.1-3\n\nPackage: iw\nStatus: deinstall ok config-files\nVersion: 5\n");
    card.write(
        "etc/netplan/50-image.yaml",
        "network: {version: 2, ethernets: {eth0: {addresses: [10.64.10.9/24]}}}\n",
    );
    card.write("etc/systemd/network/05-any.network", "[Match]\nName=e*\n");
    card.write("etc/dhcpcd.conf", "interface eth0\n");
    card.write("etc/NetworkManager/system-connections/quay.nmconnection", "[connection]\n");
    card.write("etc/network/interfaces", "iface eth0 inet dhcp\n");
    card.write("etc/passwd", "root:x:0:0:root:/root:/bin/bash\nimage:x:1000:1000::/home/image:/bin/bash\nguest:x:1001:1001::/home/guest:/bin/sh\nold:x:1002:1002::/home/old:/bin/sh\nnews:x:9:9::/:/usr/sbin/nologin\n");
    card.write("etc/shadow", format!("root:*:19000::::::\nimage:{STOCK_HASH}:19000:0:99999:7:::\nguest::19000::::::\nold:{STOCK_HASH}:19000:0:99999:7::1:\nnews:{STOCK_HASH}:1::::::\n"));
    card.write("etc/group", "root:x:0:\nsudo:x:27:image\n");
    card.write("home/image/.ssh/authorized_keys", "# none\nssh-ed25519 AAAA one\nssh-ed25519 AAAB two\n");
    card.write("etc/ssh/ssh_host_ed25519_key.pub", crate::placing::PUBLIC_KEY);
    card.write(
        "etc/ssh/sshd_config",
        "PermitRootLogin yes\nInclude /etc/ssh/sshd_config.d/*.conf\nAllowUsers image\n",
    );
    card.write("etc/default/crda", "REGDOMAIN=IT\n");
    card.write("etc/default/locale", "LANG=\"it_IT.UTF-8\"\n");
    card.link("etc/localtime", "/usr/share/zoneinfo/Europe/Rome");
    card.write("etc/systemd/timesyncd.conf", "[Time]\n#NTP=\nNTP=clock.image.example\n");
    card.link("etc/systemd/system/systemd-resolved.service", "/dev/null");
    card.write("etc/machine-id", "uninitialized\n");
    card
}

#[test]
fn everything_that_the_first_boot_depends_on_is_shown() {
    let workspace = with_output();
    used(&workspace);
    let shown = workspace.run(&["inspect", CARD]).stdout;
    for (title, lines) in [
        ("system", &["Harbor Linux 7, aarch64"][..]),
        ("netplan", &["0.107.1-3"]),
        ("services", &["systemd-networkd installed, not started at boot", "systemd-resolved masked"]),
        (
            "network files",
            &[
                "etc/netplan/50-image.yaml (netplan: is merged with other netplan files)",
                "etc/systemd/network/05-any.network (systemd-networkd: overrides what netplan",
                "generates)",
                "etc/network/interfaces (ifup: configures the same links)",
                "etc/dhcpcd.conf (dhcpcd: is not read)",
                "etc/NetworkManager/system-connections/quay.nmconnection (NetworkManager: is not",
                "read)",
            ],
        ),
        ("Wi-Fi", &["can join networks, country IT"]),
        (
            "accounts",
            &[
                "image (user ID 1000) with a password and 2 SSH keys, may become root (sudo)",
                "guest (user ID 1001) with an empty password",
            ],
        ),
        ("SSH", &["installed, not started at boot"]),
        ("host keys", &[]),
        ("SSH limits", &["AllowUsers image (etc/ssh/sshd_config, line 3)"]),
        ("time service", &["systemd-timesyncd not started at boot"]),
        ("time servers", &["NTP=clock.image.example (etc/systemd/timesyncd.conf)"]),
        ("time zone", &["Europe/Rome"]),
        ("language", &["it_IT.UTF-8"]),
        ("first boot", &["found nothing that rewrites settings"]),
        ("machine id", &["prepared for a first setup"]),
        ("placement", &["none"]),
    ] {
        if title == "host keys" {
            assert!(below(&shown, title)[0].starts_with("ssh-ed25519 SHA256:"), "{shown}");
        } else {
            assert_eq!(below(&shown, title), lines, "{title}");
        }
    }
    // What netplan makes of its files, as for a netplan file alone.
    assert!(
        shown.contains("card: what netplan makes\n") && shown.contains(" eth0  ethernet  10.64.10.9/24"),
        "{shown}"
    );
}

#[test]
fn other_programs_get_the_same() {
    let workspace = with_output();
    let card = used(&workspace);
    let run = workspace.run(&["inspect", CARD, "--format", "json"]);
    let answer: Value = serde_json::from_str(&run.stdout).unwrap();
    let rootfs = &answer["rootfs"];
    assert_eq!(rootfs["system"]["id"], "harbor");
    assert_eq!(rootfs["system"]["architecture"], "aarch64");
    assert_eq!(rootfs["netplan"]["version"], "0.107.1-3");
    assert_eq!(rootfs["network_files"][1]["effect"], "wins");
    assert_eq!(rootfs["accounts"][1]["password"], "empty");
    assert_eq!(rootfs["machine_id"], "uninitialized");
    assert_eq!(rootfs["ssh"]["winning"][0]["line"], 1);
    assert_eq!(answer["placement"], Value::Null);
    assert!(answer["summary"]["warnings"].as_u64().unwrap() > 3);
    assert!(!run.stdout.contains(STOCK_HASH));
    card.write("etc/ssh/sshd_config", "Include /etc/ssh/sshd_config.d/*.conf\n");
    card.placed(&[]);
    card.write("etc/hosts", "127.0.0.1 localhost\n::1 localhost\n");
    card.write("etc/timezone", "Etc/UTC\n");
    let run = workspace.run(&["inspect", CARD, "--format", "json"]);
    let answer: Value = serde_json::from_str(&run.stdout).unwrap();
    assert_eq!(answer["placement"]["machine"], "gauge-01");
    assert_eq!(answer["placement"]["cut_off"], false);
    let changed = answer["placement"]["changed_since"].as_array().unwrap();
    let told = |path: &str, entry: Value, gone: bool| {
        changed.iter().any(|found| found["path"] == path && found["entry"] == entry && found["gone"] == gone)
    };
    assert!(told("etc/hosts", "gauge-01.capovetro.example (IPv4)".into(), true), "{changed:?}");
    assert!(told("etc/timezone", Value::Null, false), "{changed:?}");
    let logins = answer["rootfs"]["accounts"].as_array().unwrap();
    assert_eq!(logins.iter().map(|login| login["name"].as_str().unwrap()).collect::<Vec<_>>(), ["keeper"]);
    assert_eq!(logins[0]["stock"], false);
    assert!(workspace.run(&["inspect", CARD]).stdout.contains("may become root (sudo); placed\n"));
}

#[test]
fn a_folder_of_netplan_files_is_still_taken_as_such() {
    let workspace = with_output();
    let run = workspace.run(&["inspect", "output/gauge-01/rootfs"]);
    assert_eq!(run.code, 0, "{}", run.stderr);
    assert!(run.stdout.contains("10.64.10.11/24") && !run.stdout.contains("machine id"), "{}", run.stdout);
    let run = workspace.run(&["inspect", "output"]);
    assert_eq!(
        (run.code, run.stdout.contains("for 2 machines, all as rendered\n")),
        (0, true),
        "{}",
        run.stdout
    );
    let run = workspace.run(&["inspect", CARD]);
    assert_eq!((run.code, run.stderr.as_str()), (3, "error: card does not exist\n"));
}
