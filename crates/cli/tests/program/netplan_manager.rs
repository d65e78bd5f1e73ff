//! Where the sheet asks for `NetworkManager`, the real netplan makes connections of a host that the real `NetworkManager`
//! takes, and that say what was meant.

use std::collections::BTreeMap;
use std::fs::{self, File};
use std::path::Path;
use std::process::{Command, Stdio};

use crate::support::{Workspace, judge, right_sheet};

const BEFORE: &str = "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\nprefix6 = \"fd64:30::/64\"\n\
    gateway6 = \"fe80::1\"\nvlan = 130\nwifi = { ssid = \"the slip\", passphrase = { secret = \"slip\" } }\n\
    [secret.slip]\nfrom = \"file\"\npath = \"slip.secret\"\n";

/// A kind of link: the link with the address, its own keys, links beside it, and what its connection says.
const KINDS: [(&str, &str, &str, &[&str]); 6] = [
    ("enp1s0", "", "", &["connection.type=ethernet", "connection.interface-name=enp1s0"]),
    (
        "lan0",
        "mac = \"02:64:10:00:00:21\"",
        "",
        &["connection.type=ethernet", "connection.interface-name=lan0"],
    ),
    (
        "wifi0",
        "kind = \"wifi\", mac = \"02:64:30:00:00:01\"",
        "",
        &[
            "connection.type=wifi",
            "wifi.ssid=the slip",
            "wifi-security.psk=9c4c15575951347ff62d2e1ee3003ed061a991d5a8e7fab3787dfb1155950816",
        ],
    ),
    (
        "radar",
        "kind = \"vlan\", over = \"enp1s0\"",
        "link.enp1s0 = { address = \"none\" }\n",
        &["connection.type=vlan", "vlan.id=130", "vlan.parent=enp1s0"],
    ),
    (
        "uplink",
        "kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"802.3ad\", lacp_rate = \"fast\"",
        "link.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\n",
        &["connection.type=bond", "bond.mode=802.3ad", "bond.lacp_rate=fast", "bond.miimon=100"],
    ),
    (
        "inner",
        "kind = \"bridge\", members = [\"lan0\"]",
        "link.lan0 = { mac = \"02:64:10:00:00:21\" }\n",
        &["connection.type=bridge", "bridge.stp=false", "ethernet.cloned-mac-address=02:64:10:00:00:21"],
    ),
];

const ADDRESS4: &str = "ipv4.address1=10.64.30.11/24";
const ADDRESS6: &str = "ipv6.address1=fd64:30::11/64";
const ROUTE4: &str = "ipv4.route1=0.0.0.0/0,10.64.30.1";
const ROUTE6: &str = "ipv6.route1=::/0,fe80::1";
const DNS4: &str = "ipv4.dns=10.64.10.53;";
const DNS6: &str = "ipv6.dns=fd64:10::53;";

/// Keys of the machine, addresses, and what the connection says of the two families.
const FAMILIES: [(&str, &str, &[&str]); 6] = [
    (
        "",
        "address = \"10.64.30.11\"",
        &["ipv4.method=manual", ADDRESS4, ROUTE4, DNS4, "ipv6.method=link-local"],
    ),
    (
        "ipv6 = \"off\"",
        "address = \"10.64.30.11\"",
        &["ipv4.method=manual", ADDRESS4, ROUTE4, DNS4, "ipv6.method=disabled"],
    ),
    (
        "ipv6 = \"auto\"",
        "address = \"10.64.30.11\"",
        &["ipv4.method=manual", ADDRESS4, ROUTE4, DNS4, "ipv6.method=auto", DNS6],
    ),
    (
        "",
        "address6 = \"fd64:30::11\"",
        &["ipv4.method=disabled", "ipv6.method=manual", ADDRESS6, ROUTE6, DNS6],
    ),
    (
        "",
        "address = \"10.64.30.11\", address6 = \"fd64:30::11\"",
        &["ipv4.method=manual", ADDRESS4, ROUTE4, DNS4, "ipv6.method=manual", ADDRESS6, ROUTE6, DNS6],
    ),
    (
        "",
        "address = \"10.64.30.11\", default_route = false, mtu = 1400, routes = [{ to = \"10.64.96.0/20\", via = \"10.64.30.2\", metric = 700 }, { to = \"10.64.10.0/24\", via = \"10.64.30.2\" }]",
        &[
            "ipv4.method=manual",
            ADDRESS4,
            "ipv4.route1=10.64.96.0/20,10.64.30.2,700",
            "ipv4.route2=10.64.10.0/24,10.64.30.2",
            DNS4,
            "ipv6.method=link-local",
        ],
    ),
];

/// A connection: `section.key=value`, a line each.
fn read_connection(path: &Path) -> Vec<String> {
    let mut section = String::new();
    let mut lines = Vec::new();
    for line in fs::read_to_string(path).unwrap().lines() {
        if let Some(title) = line.strip_prefix('[') {
            title.trim_end_matches(']').clone_into(&mut section);
        } else if !line.is_empty() && !line.starts_with('#') {
            lines.push(format!("{section}.{line}"));
        }
    }
    lines
}

/// The connections that the real netplan makes, by the file's name; the real `NetworkManager` must take each.
fn connections_of(rootfs: &Path) -> BTreeMap<String, Vec<String>> {
    let copy = tempfile::tempdir().unwrap();
    let status = Command::new("cp").arg("-a").arg(rootfs.join("etc")).arg(copy.path()).status().unwrap();
    assert!(status.success());
    judge(Command::new("netplan").arg("generate").arg("--root-dir").arg(copy.path()));
    let files = fs::read_dir(copy.path().join("run/NetworkManager/system-connections")).unwrap();
    files
        .map(|entry| {
            let path = entry.unwrap().path();
            let mut nmcli = Command::new("nmcli");
            nmcli.args(["--offline", "connection", "modify", "connection.autoconnect", "yes"]);
            judge(nmcli.stdin(File::open(&path).unwrap()).stdout(Stdio::null()));
            (path.file_name().unwrap().to_str().unwrap().to_owned(), read_connection(&path))
        })
        .collect()
}

#[test]
#[ignore = "needs netplan and nmcli, which .ci/run installs"]
fn settings_of_subnets_and_a_machine_that_differs() {
    let workspace = Workspace::new();
    let sheet = crate::netplan::with_settings_of_subnets()
        .replace("[common]", "[common]\nrenderer = \"NetworkManager\"");
    workspace.write("sheet.toml", &sheet);
    let render = workspace.run(&["render", "sheet.toml", "--into", "out"]);
    assert_eq!(render.code, 0, "{}{}", render.stdout, render.stderr);
    for (host, address, dns, search) in [
        ("lamp-1", "10.64.30.11/24", "ipv4.dns=10.64.30.53;10.64.30.54;", Some("slip.capovetro.example")),
        ("lamp-2", "10.64.30.42/24", "ipv4.dns=10.64.30.53;10.64.30.54;", None),
        ("lamp-3", "10.64.30.13/24", "ipv4.dns=10.64.30.53;10.64.30.54;", Some("slip.capovetro.example")),
        ("islet", "10.64.40.11/24", "", None),
    ] {
        let found = &connections_of(&workspace.path().join(format!("out/{host}/rootfs")))["netplan-eth0.nmconnection"];
        let has = |line: &str| found.iter().any(|found| found == line);
        assert!(has(&format!("ipv4.address1={address}")), "{host}: {found:#?}");
        let about =
            |key: &str| -> Vec<&String> { found.iter().filter(|line| line.starts_with(key)).collect() };
        assert_eq!(about("ipv4.dns="), if dns.is_empty() { vec![] } else { vec![dns] }, "{host}");
        let domains = about("ipv4.dns-search=");
        let expected = search.map(|search| format!("ipv4.dns-search={search};"));
        assert_eq!(domains, expected.iter().collect::<Vec<_>>(), "{host}");
    }
}

#[test]
#[ignore = "needs netplan and nmcli, which .ci/run installs"]
fn connections_say_what_is_meant_and_are_taken() {
    let workspace = Workspace::new();
    workspace.write("slip.secret", "a phrase for the slip\n");
    for (link, own, others, of_kind) in KINDS {
        for (machine, addresses, of_families) in FAMILIES {
            let keys = if own.is_empty() { String::new() } else { format!("{own}, ") };
            // A subnet with a radio only where a radio is in it.
            let before = if own.contains("wifi") { BEFORE } else { BEFORE.split_once("wifi = {").unwrap().0 };
            let sheet = right_sheet(&format!(
                "{before}[[host]]\nname = \"gauge-01\"\nrenderer = \"NetworkManager\"\n{machine}\n{others}\
                 link.{link} = {{ {keys}subnet = \"slip\", {addresses} }}\n"
            ))
            .replace(
                "dns      = [\"10.64.10.53\", \"10.64.10.54\"]",
                "dns = [\"10.64.10.53\", \"fd64:10::53\"]",
            );
            workspace.write("sheet.toml", &sheet);
            let render = workspace.run(&["render", "sheet.toml", "--into", "out"]);
            assert_eq!(render.code, 0, "{sheet}\n{}{}", render.stdout, render.stderr);
            let connections = connections_of(&workspace.path().join("out/gauge-01/rootfs"));
            let suffix = if link == "wifi0" { "-the%20slip" } else { "" };
            let found = &connections[&format!("netplan-{link}{suffix}.nmconnection")];
            for line in of_kind.iter().chain(of_families) {
                assert!(found.iter().any(|found| found == line), "{line} is not in {found:#?}\n{sheet}");
            }
            // Nothing of a family that was not asked for, and no other address, route or server.
            let about = |line: &&String| {
                let key = line.split('=').next().unwrap();
                ["address", "route", ".dns", "method"].iter().any(|part| key.contains(part))
                    && !key.contains("dns-search")
                    && key.starts_with("ipv")
            };
            let meant: usize = of_families.len();
            assert_eq!(found.iter().filter(about).count(), meant, "{found:#?}\n{sheet}");
            let has_mtu = found.iter().any(|line| line.ends_with(".mtu=1400"));
            assert_eq!(has_mtu, addresses.contains("mtu"), "{found:#?}");
        }
    }
}
