//! The real netplan reads every host's tree, says nothing, and makes the systemd-networkd units that the sheet means.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::process::Command;

use crate::netplan_shapes;
use crate::support::{Workspace, judge, right_sheet};
use serde_json::Value;

/// What a systemd-networkd unit says, in its order.
#[derive(Debug, Default, PartialEq, Eq)]
struct Unit {
    addresses: Vec<String>,
    routes: Vec<(String, String)>,
    gateways_on_link: Vec<String>,
    dns: Vec<String>,
    domains: Vec<String>,
    accepts_advertisements: Option<bool>,
    asks_dhcp: bool,
    /// Every other line: of matching, of members, and whole sections of routes and rules that are no default route.
    others: BTreeSet<String>,
}

fn read_unit(text: &str) -> Unit {
    let mut unit = Unit::default();
    for section in text.split("\n[").map(|section| section.trim_start_matches('[')) {
        let (title, body) = section.split_once("]\n").unwrap();
        let pairs: Vec<(&str, &str)> =
            body.lines().filter(|line| !line.is_empty()).map(|line| line.split_once('=').unwrap()).collect();
        match (title, pairs.as_slice()) {
            ("Route", [("Destination", to @ ("0.0.0.0/0" | "::/0")), ("Gateway", via)]) => {
                unit.routes.push(((*to).to_owned(), (*via).to_owned()));
            }
            (
                "Route",
                [("Destination", to @ ("0.0.0.0/0" | "::/0")), ("Gateway", via), ("GatewayOnLink", "true")],
            ) => {
                unit.routes.push(((*to).to_owned(), (*via).to_owned()));
                unit.gateways_on_link.push((*via).to_owned());
            }
            ("Network", pairs) => {
                for (key, value) in pairs {
                    match *key {
                        "Address" => unit.addresses.push((*value).to_owned()),
                        "DNS" => unit.dns.push((*value).to_owned()),
                        "Domains" => unit.domains.extend(value.split(' ').map(str::to_owned)),
                        "IPv6AcceptRA" => unit.accepts_advertisements = Some(*value == "yes"),
                        "DHCP" => unit.asks_dhcp = *value != "no",
                        "LinkLocalAddressing" => {}
                        _ => drop(unit.others.insert(format!("{key}={value}"))),
                    }
                }
            }
            ("Match", [("Name", _)]) => {}
            (_, pairs) => drop(unit.others.insert(format!("{title} {pairs:?}"))),
        }
    }
    unit
}

/// Has netplan generate the units of a host in a copy of its rootfs, and reads them.
fn units_of(workspace: &Workspace, host: &str) -> BTreeMap<String, Unit> {
    let rootfs = workspace.path().join("out").join(host).join("rootfs");
    let copy = tempfile::tempdir().unwrap();
    let status = Command::new("cp").arg("-a").arg(rootfs.join("etc")).arg(copy.path()).status().unwrap();
    assert!(status.success());
    judge(Command::new("netplan").arg("generate").arg("--root-dir").arg(copy.path()));
    let folder = copy.path().join("run/systemd/network");
    fs::read_dir(folder)
        .unwrap()
        .filter_map(|entry| {
            let path = entry.unwrap().path();
            let name = path.file_name().unwrap().to_str().unwrap();
            let link = name.strip_prefix("10-netplan-")?.strip_suffix(".network")?;
            let text = fs::read_to_string(&path).unwrap();
            assert!(text.contains(&format!("\nName={link}\n")), "{text}");
            Some((link.to_owned(), read_unit(&text)))
        })
        .collect()
}

/// Renders a sheet, and compares the units of each host with what `review` says of it.
fn prove(sheet: &str) -> usize {
    let workspace = Workspace::new();
    workspace.write("sheet.toml", sheet);
    let render = workspace.run(&["render", "sheet.toml", "--into", "out"]);
    assert_eq!(render.code, 0, "{sheet}\n{}", render.stderr);
    let review: Value =
        serde_json::from_str(&workspace.run(&["review", "sheet.toml", "--format", "json"]).stdout).unwrap();
    let mut hosts = 0;
    for machine in review["machines"].as_array().unwrap().iter().filter(|machine| machine["kind"] == "host") {
        let units = units_of(&workspace, machine["name"].as_str().unwrap());
        let links = machine["links"].as_array().unwrap();
        assert_eq!(units.len(), links.len(), "{units:?}");
        let mut servers = Vec::new();
        for link in links {
            let unit = &units[link["name"].as_str().unwrap()];
            // Netplan writes IPv4 before IPv6.
            let mut addresses = texts(&link["addresses"]["values"]);
            addresses.sort_by_key(|address| address.contains(':'));
            assert_eq!(unit.addresses, addresses, "{sheet}");
            let gateways: Vec<&str> = unit.routes.iter().map(|(_, via)| via.as_str()).collect();
            assert_eq!(gateways, texts(&link["gateways"]), "{sheet}");
            assert_eq!(unit.gateways_on_link, texts(&link["gateways_on_link"]), "{sheet}");
            for (to, via) in &unit.routes {
                assert_eq!(to, if via.contains(':') { "::/0" } else { "0.0.0.0/0" });
            }
            let is_plain = ["mac", "mtu_bytes", "routing_table", "speed_mbit_per_s"]
                .iter()
                .all(|key| link[*key].is_null())
                && link["routes"] == Value::Array(Vec::new())
                && link["wake_on_lan"] == false
                && link["link_local4"] == false
                && link["only_port"] == false;
            if is_plain && link["kind"] == "ethernet" {
                assert_eq!(unit.others, BTreeSet::from([]), "{sheet}");
            }
            assert_eq!((unit.accepts_advertisements, unit.asks_dhcp), (Some(false), false));
            servers.push((unit.dns.clone(), unit.domains.clone()));
        }
        servers.retain(|(dns, domains)| !dns.is_empty() || !domains.is_empty());
        // Netplan writes the servers of a family in the order of the sheet, IPv4 before IPv6.
        let mut dns = texts(&machine["dns"]["values"]);
        dns.sort_by_key(|server| server.contains(':'));
        let expected = (dns, texts(&machine["search"]["values"]));
        if expected == (Vec::new(), Vec::new()) {
            assert!(servers.is_empty(), "{servers:?}");
        } else {
            assert_eq!(servers, [expected], "on one link, once");
        }
        hosts += 1;
    }
    hosts
}

fn texts(value: &Value) -> Vec<String> {
    value.as_array().into_iter().flatten().map(|text| text.as_str().unwrap().to_owned()).collect()
}

#[test]
#[ignore = "needs netplan, which .ci/run installs"]
fn every_host_of_the_sample_site() {
    assert_eq!(prove(&Workspace::new().read("harbor.toml")), 9);
}

/// Its gateways are outside its prefixes, and it has addresses that are routed to it.
#[test]
#[ignore = "needs netplan, which .ci/run installs"]
fn the_rented_server() {
    let sheet = Workspace::new().read("rented.toml");
    assert_eq!(prove(&sheet), 1);
    // A rented address of one family, beside a subnet with its gateway in it, and a number in place of the address.
    let half = sheet.replacen("\"fd64:200::7/128\"", "\"fd64:200::/64\"", 1);
    let half = half.replacen("\"fd64:201::1\"", "\"fd64:200::1\"", 1);
    let half = half.replacen("address6       = \"fd64:200::7\"", "host_number6   = 7", 1);
    assert_ne!(half, sheet);
    assert_eq!(prove(&half), 1);
}

/// Settings of subnets, one machine of a pattern that differs, host numbers, and servers that are taken by where links lead.
pub(crate) fn with_settings_of_subnets() -> String {
    right_sheet(
        "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\nprefix6 = \"fd64:30::/64\"\ngateway6 = \"fd64:30::1\"\n\
         dns = [{ take = \"address\", of = \"ferry\", toward = \"slip\" }, \"10.64.30.54\"]\nsearch = [\"slip.capovetro.example\"]\n\
         [subnet.islet]\nprefix = \"10.64.40.0/24\"\ngateway = \"none\"\ndns = \"none\"\nsearch = \"none\"\nntp = \"none\"\n\
         [[host]]\nname = \"lamp-{1..3}\"\nlink.eth0 = { subnet = \"slip\", host_number = \"{11..13}\", host_number6 = \"0x1{1..3}\" }\n\
         [host.differs.lamp-2]\nsearch = \"none\"\nlink.eth0.address = \"10.64.30.42\"\nlink.eth0.replaces = \"10.64.30.99\"\n\
         [[host]]\nname = \"islet\"\nlink.eth0 = { subnet = \"islet\", address = \"10.64.40.11\" }\n\
         [[host]]\nname = \"ferry\"\nserves = [\"dns\"]\ndns = [\"10.64.10.53\", \"none\"]\n\
         link.lan0 = { mac = \"02:64:00:00:00:01\", subnet = \"quay\", address = \"10.64.10.21\" }\n\
         link.lan1 = { mac = \"02:64:00:00:00:02\", subnet = \"slip\", address = \"10.64.30.53\", default_route = false }\n",
    )
}

#[test]
#[ignore = "needs netplan, which .ci/run installs"]
fn settings_of_subnets_and_a_machine_that_differs() {
    assert_eq!(prove(&with_settings_of_subnets()), 5);
}

/// The units are not compared with our own reading alone: here what the sheet says is written out once more by hand.
#[test]
#[ignore = "needs netplan, which .ci/run installs"]
fn the_signal_tower_to_the_letter() {
    let workspace = Workspace::new();
    assert_eq!(workspace.run(&["render", "harbor.toml", "--into", "out"]).code, 0);
    let port = |name: &str, mac: &str| {
        vec![
            format!("Match: PermanentMACAddress={mac}"),
            format!("Link: Name={name}"),
            "Link: WakeOnLan=off".to_owned(),
        ]
    };
    let member = |name: &str, mac: &str| {
        let mut lines = vec![format!("Match: PermanentMACAddress={mac}"), format!("Match: Name={name}")];
        lines.extend(
            ["Network: LinkLocalAddressing=no", "Network: IPv6AcceptRA=no", "Network: Bond=uplink"]
                .map(str::to_owned),
        );
        lines
    };
    let lines = |lines: &[&str]| lines.iter().map(|line| (*line).to_owned()).collect::<Vec<_>>();
    let expected = [
        ("lan0.link", port("lan0", "02:64:10:00:00:21")),
        ("lan0.network", member("lan0", "02:64:10:00:00:21")),
        ("lan1.link", port("lan1", "02:64:10:00:00:22")),
        ("lan1.network", member("lan1", "02:64:10:00:00:22")),
        (
            "uplink.netdev",
            lines(&[
                "NetDev: Name=uplink",
                "NetDev: MACAddress=02:64:10:00:00:21",
                "NetDev: Kind=bond",
                "Bond: Mode=active-backup",
                "Bond: MIIMonitorSec=100ms",
            ]),
        ),
        (
            "uplink.network",
            lines(&[
                "Match: Name=uplink",
                "Link: MACAddress=02:64:10:00:00:21",
                "Network: LinkLocalAddressing=ipv6",
                "Network: Address=10.64.10.31/24",
                "Network: Address=fd64:10::31/64",
                "Network: IPv6AcceptRA=no",
                "Network: DNS=10.64.10.53",
                "Network: DNS=10.64.10.54",
                "Network: Domains=capovetro.example",
                "Network: ConfigureWithoutCarrier=yes",
                "Network: VLAN=radar",
                "Route: Destination=0.0.0.0/0 Gateway=10.64.10.1",
                "Route: Destination=::/0 Gateway=fd64:10::1",
            ]),
        ),
        ("radar.netdev", lines(&["NetDev: Name=radar", "NetDev: Kind=vlan", "VLAN: Id=120"])),
        (
            "radar.network",
            lines(&[
                "Match: Name=radar",
                "Network: LinkLocalAddressing=ipv6",
                "Network: Address=10.64.20.31/24",
                "Network: IPv6AcceptRA=no",
                "Network: ConfigureWithoutCarrier=yes",
                "Route: Destination=10.64.96.0/20 Gateway=10.64.20.1",
            ]),
        ),
        ("watch0.link", port("watch0", "02:64:40:00:00:21")),
        (
            "watch0.network",
            lines(&[
                "Match: PermanentMACAddress=02:64:40:00:00:21",
                "Match: Name=watch0",
                "Network: LinkLocalAddressing=ipv6",
                "Network: Address=10.64.40.31/24",
                "Network: IPv6AcceptRA=no",
                "Route: Destination=0.0.0.0/0 Gateway=10.64.40.1 Table=140",
                "RoutingPolicyRule: From=10.64.40.31 Priority=30000 Table=254 To=10.64.40.0/24",
                "RoutingPolicyRule: From=10.64.40.31 Priority=30001 Table=140",
            ]),
        ),
    ]
    .map(|(name, lines)| (name.to_owned(), lines.into_iter().collect()));
    let rootfs = workspace.path().join("out/signal-tower/rootfs");
    assert_eq!(netplan_shapes::units_of(&rootfs), BTreeMap::from(expected));
}

#[test]
#[ignore = "needs netplan, which .ci/run installs"]
fn hosts_of_many_shapes() {
    let servers = [
        "dns = \"none\"\nntp = [\"10.64.10.121\"]",
        "dns = [\"fd64:10::53\", \"10.64.10.53\"]\nsearch = [\"capovetro.example\", \"quay.capovetro.example\"]",
        "dns = [\"10.64.10.53\", \"fd64:10::53\", \"none\"]\nsearch = \"none\"",
        "dns = \"none\"\nntp = \"none\"\nsearch = [\"capovetro.example\"]",
        "dns = [\"10.64.10.53\", \"10.64.10.54\", \"fd64:10::53\"]",
    ];
    let links = [
        "link.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }",
        "link.eth0 = { subnet = \"quay\", address = \"10.64.10.11/0xffffff00\", address6 = \"fd64:10::11/64\" }",
        "link.eth0 = { subnet = \"quay\", address6 = \"fd64:10::11\", address = \"none\" }",
        "link.enx026410000011 = { subnet = \"wire\", address = \"10.64.30.1\" }",
        "link.\"eth0.110\" = { subnet = \"shut\", address = \"10.64.40.11\", routes = [{ to = \"10.64.0.0/16\", via = \"10.64.40.2\" }] }",
        "link.eth0 = { subnet = \"local\", address6 = \"fd64:50::11\" }",
        "link.eth0 = { subnet = \"quay\", address = \"none\" }",
        "link.lan0 = { subnet = \"quay\", address = \"10.64.10.11\" }\nlink.lan1 = { subnet = \"local\", address6 = \"fd64:50::11\", default_route = false, routes = [{ to = \"fd64:10::/64\", via = \"fe80::1\" }] }",
        "link.lan0 = { subnet = \"local\", address6 = \"fd64:50::11\", default_route = false, routes = [{ to = \"fd64:10::/64\", via = \"fe80::1\" }] }\nlink.lan1 = { subnet = \"quay\", address = \"10.64.10.11\" }",
        "link.lan0 = { subnet = \"shut\", address = \"10.64.40.11\" }\nlink.lan1 = { subnet = \"quay\", address = \"10.64.10.11\" }",
    ];
    let subnets = "[subnet.wire]\nprefix = \"10.64.30.0/31\"\ngateway = \"10.64.30.0\"\n\
        [subnet.shut]\nprefix = \"10.64.40.0/255.255.255.128\"\ngateway = \"none\"\n\
        [subnet.local]\nprefix6 = \"fd64:50::/64\"\ngateway6 = \"fe80::1\"\n";
    let mut proved = 0;
    for own in servers {
        for link in links {
            proved +=
                prove(&right_sheet(&format!("{subnets}[[host]]\nname = \"gauge-01\"\n{own}\n{link}\n")));
        }
    }
    assert_eq!(proved, servers.len() * links.len());
}

#[test]
#[ignore = "needs netplan, which .ci/run installs"]
fn name_servers_are_on_the_link_that_leads_out() {
    let workspace = Workspace::new();
    let links = "link.lan0 = { subnet = \"quay\", address = \"10.64.10.11\", default_route = false }\n\
        link.lan1 = { subnet = \"slip\", address = \"10.64.30.11\" }\n";
    let slip = "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n";
    workspace.write("sheet.toml", right_sheet(&format!("{slip}[[host]]\nname = \"gauge-01\"\n{links}")));
    assert_eq!(workspace.run(&["render", "sheet.toml", "--into", "out"]).code, 0);
    let units = units_of(&workspace, "gauge-01");
    assert_eq!((units["lan0"].routes.len(), units["lan0"].dns.len(), units["lan0"].domains.len()), (0, 0, 0));
    assert_eq!((units["lan1"].routes.len(), units["lan1"].dns.len(), units["lan1"].domains.len()), (1, 2, 1));
}
