//! The `.link` files: udev itself says what it would do with a port that is found by its address.

use std::fs;
use std::path::Path;
use std::process::Command;

use crate::support::{Workspace, judge, right_sheet};

/// What udev does with a port of this MAC address on a host, in a network and a mount namespace of its own. A port made
/// there has no permanent address, so the files match by the present one instead.
fn udev_says(workspace: &Workspace, host: &str, port: (&str, &str)) -> String {
    let rootfs = workspace.path().join("out").join(host).join("rootfs");
    let folder = workspace.path().join(format!("of-{host}"));
    fs::create_dir(&folder).unwrap();
    judge(Command::new("cp").arg("-a").arg(rootfs.join("etc")).arg(&folder));
    judge(Command::new("netplan").arg("generate").arg("--root-dir").arg(&folder));
    match_by_present_address(&folder);
    let script = "set -e\n\
        mount -t sysfs sysfs /sys\n\
        ip link add \"$2\" address \"$3\" type veth peer name other0\n\
        mkdir -p /run/systemd\n\
        mount -t tmpfs none /run/systemd\n\
        mkdir -p /run/systemd/network \"$1/run/systemd/network\" /etc/systemd/network\n\
        cp -r \"$1\"/run/systemd/network/. /run/systemd/network\n\
        mount --bind \"$1/etc/systemd/network\" /etc/systemd/network\n\
        SYSTEMD_LOG_LEVEL=debug timeout 20 udevadm test-builtin net_setup_link /sys/class/net/\"$2\" 2>&1\n";
    let output = Command::new("unshare")
        .args(["-n", "-m", "--propagation", "private", "sh", "-c", script, "sh"])
        .arg(&folder)
        .args([port.0, port.1])
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&output.stdout).into_owned();
    assert!(output.status.success(), "{said}{}", String::from_utf8_lossy(&output.stderr));
    for complaint in ["Unknown", "Failed to parse", "Invalid", "ignoring assignment"] {
        assert!(!said.contains(complaint), "{said}");
    }
    said
}

fn match_by_present_address(folder: &Path) {
    let mut changed = 0;
    for within in ["etc/systemd/network", "run/systemd/network"] {
        for entry in fs::read_dir(folder.join(within)).into_iter().flatten() {
            let path = entry.unwrap().path();
            if path.extension().is_some_and(|extension| extension == "link") {
                let text = fs::read_to_string(&path).unwrap();
                let matches = ["[Match]\nPermanentMACAddress=02:64:", "[Match]\nOriginalName=eth0\n"];
                assert!(matches.iter().any(|match_| text.contains(match_)), "{text}");
                fs::write(&path, text.replace("PermanentMACAddress", "MACAddress")).unwrap();
                changed += 1;
            }
        }
    }
    assert_eq!(changed, 1, "one port, one file that matches it");
}

fn rendered(host: &str) -> Workspace {
    let workspace = Workspace::new();
    let slip = "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\nwifi = { ssid = \"slip\", passphrase = \"none\" }\n";
    workspace.write("sheet.toml", right_sheet(&format!("{slip}[[host]]\n{host}")));
    let render = workspace.run(&["render", "sheet.toml", "--into", "out"]);
    assert_eq!(render.code, 0, "{}", render.stdout);
    workspace
}

/// By its address beside the file that netplan writes, and by the kernel's name in a file of our own.
#[test]
#[ignore = "needs udevadm and netplan, and root for the namespaces, all of which .ci/run has"]
fn a_fixed_speed_is_set_on_the_port_however_it_is_found() {
    let cases = [
        (
            "link.lan0 = { mac = \"02:64:10:00:00:21\", speed = 100, duplex = \"half\"",
            ("enp1s0", "lan0"),
            "/run/systemd/network/10-netplan-lan0.link",
            ("100Mbps", "half"),
        ),
        (
            "link.eth0 = { speed = 1000",
            ("eth0", "eth0"),
            "/etc/systemd/network/60-impostazione-eth0.link",
            ("1000Mbps", "full"),
        ),
    ];
    for (link, (port, name), file, (speed, duplex)) in cases {
        let workspace = rendered(&format!(
            "name = \"gauge-01\"\n{link}, subnet = \"quay\", address = \"10.64.10.11\" }}\n"
        ));
        let said = udev_says(&workspace, "gauge-01", (port, "02:64:10:00:00:21"));
        // The port of the test has no speed: that udev tries is what shows that it has read what is meant.
        for line in [
            format!("ID_NET_LINK_FILE={file}"),
            format!("ID_NET_NAME={name}\n"),
            "Could not disable auto negotiation".to_owned(),
            format!("Could not set speed to {speed}"),
            format!("Could not set duplex to {duplex}"),
        ] {
            assert!(said.contains(&line), "{line}\n{said}");
        }
    }
}

#[test]
#[ignore = "needs udevadm and netplan, and root for the namespaces, all of which .ci/run has"]
fn a_wireless_port_gets_its_name_by_its_address() {
    let workspace = rendered(
        "name = \"lamp-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:30:00:00:22\", subnet = \"slip\", address = \"10.64.30.11\" }\n",
    );
    let said = udev_says(&workspace, "lamp-01", ("enp1s0", "02:64:30:00:00:22"));
    for line in ["ID_NET_LINK_FILE=/etc/systemd/network/60-impostazione-wifi0.link", "ID_NET_NAME=wifi0"] {
        assert!(said.contains(line), "{line}\n{said}");
    }
    let other = workspace.path().join("of-lamp-01");
    fs::remove_dir_all(other).unwrap();
    assert!(!udev_says(&workspace, "lamp-01", ("enp1s0", "02:64:30:00:00:23")).contains("ID_NET_NAME=wifi0"));
}
