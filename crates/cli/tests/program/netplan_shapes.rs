//! Hosts of some hundreds of shapes: kinds of links, by families, by options. The real netplan reads every one of them in
//! silence, and the units that it makes for systemd-networkd say what was meant, and nothing else.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::fs;
use std::path::Path;
use std::process::Command;

use crate::support::{Workspace, judge, right_sheet};

/// The lines of a unit. A section that may stand several times is one text with all its lines.
pub(crate) type Unit = BTreeSet<String>;
/// Units by the name of their file, without what all have in common.
pub(crate) type Units = BTreeMap<String, Unit>;

const SUBNETS: &str = "[subnet.slip]\nprefix = \"10.64.30.0/255.255.254.0\"\ngateway = \"10.64.30.1\"\n\
    prefix6 = \"fd64:30::/64\"\ngateway6 = \"fe80::1\"\nvlan = 130\n\
    wifi = { ssid = \"the slip\", passphrase = { secret = \"slip\" }, country = \"IT\" }\n\
    [secret.slip]\nfrom = \"file\"\npath = \"slip.secret\"\n";

/// A kind of link, and the units that belong to it whatever its addresses and options are.
struct Kind {
    name: &'static str,
    /// The link that has the address.
    link: &'static str,
    /// What else stands in its table.
    own: &'static str,
    /// Links beside it.
    others: &'static str,
    /// The units that it makes, but for what addresses and options add to that of `link`.
    units: &'static [(&'static str, &'static [&'static str])],
}

const LAN0: &str = "link.lan0 = { mac = \"02:64:10:00:00:21\" }\n";
const LAN0_LINK: (&str, &[&str]) = (
    "lan0.link",
    &["Match: PermanentMACAddress=02:64:10:00:00:21", "Link: Name=lan0", "Link: WakeOnLan=off"],
);
const LAN1_LINK: (&str, &[&str]) = (
    "lan1.link",
    &["Match: PermanentMACAddress=02:64:10:00:00:22", "Link: Name=lan1", "Link: WakeOnLan=off"],
);
const LAN0_MATCH: [&str; 2] = ["Match: PermanentMACAddress=02:64:10:00:00:21", "Match: Name=lan0"];

macro_rules! member {
    ($number:literal, $name:literal, $parent:literal) => {
        (
            concat!($name, ".network"),
            &[
                concat!("Match: PermanentMACAddress=02:64:10:00:00:", $number),
                concat!("Match: Name=", $name),
                "Network: LinkLocalAddressing=no",
                "Network: IPv6AcceptRA=no",
                concat!("Network: ", $parent, "=uplink"),
            ] as &[&str],
        )
    };
}

macro_rules! bond {
    ($name:literal, $own:literal, $($line:literal),+) => {
        Kind {
            name: $name,
            link: "uplink",
            own: concat!("kind = \"bond\", members = [\"lan0\", \"lan1\"], ", $own),
            others: "link.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\n",
            units: &[
                LAN0_LINK,
                LAN1_LINK,
                member!("21", "lan0", "Bond"),
                member!("22", "lan1", "Bond"),
                ("uplink.netdev", &["NetDev: Name=uplink", "NetDev: Kind=bond", "NetDev: MACAddress=02:64:10:00:00:21", $($line),+]),
                ("uplink.network", &["Match: Name=uplink", "Link: MACAddress=02:64:10:00:00:21", "Network: ConfigureWithoutCarrier=yes"]),
            ],
        }
    };
}

#[allow(clippy::too_many_lines, reason = "a table of kinds")]
fn kinds() -> Vec<Kind> {
    vec![
        Kind {
            name: "by-name",
            link: "enp1s0",
            own: "",
            others: "",
            units: &[("enp1s0.network", &["Match: Name=enp1s0"])],
        },
        Kind {
            name: "by-mac",
            link: "lan0",
            own: "mac = \"02:64:10:00:00:21\"",
            others: "",
            units: &[LAN0_LINK, ("lan0.network", &LAN0_MATCH)],
        },
        Kind {
            name: "only-port",
            link: "lan0",
            own: "port = \"only\"",
            others: "",
            units: &[("lan0.network", &["Match: Name=e[nt]*"])],
        },
        Kind {
            name: "wifi",
            link: "wifi0",
            own: "kind = \"wifi\", mac = \"02:64:30:00:00:01\"",
            others: "",
            units: &[("wifi0.network", &["Match: Name=wifi0"])],
        },
        Kind {
            name: "vlan",
            link: "radar",
            own: "kind = \"vlan\", over = \"enp1s0\"",
            others: "link.enp1s0 = { address = \"none\" }\n",
            units: &[
                (
                    "enp1s0.network",
                    &[
                        "Match: Name=enp1s0",
                        "Network: VLAN=radar",
                        "Network: LinkLocalAddressing=ipv6",
                        "Network: IPv6AcceptRA=no",
                    ],
                ),
                ("radar.netdev", &["NetDev: Name=radar", "NetDev: Kind=vlan", "VLAN: Id=130"]),
                ("radar.network", &["Match: Name=radar", "Network: ConfigureWithoutCarrier=yes"]),
            ],
        },
        Kind {
            name: "bridge",
            link: "uplink",
            own: "kind = \"bridge\", members = [\"lan0\"]",
            others: LAN0,
            units: &[
                LAN0_LINK,
                member!("21", "lan0", "Bridge"),
                (
                    "uplink.netdev",
                    &[
                        "NetDev: Name=uplink",
                        "NetDev: Kind=bridge",
                        "NetDev: MACAddress=02:64:10:00:00:21",
                        "Bridge: STP=false",
                    ],
                ),
                (
                    "uplink.network",
                    &[
                        "Match: Name=uplink",
                        "Link: MACAddress=02:64:10:00:00:21",
                        "Network: ConfigureWithoutCarrier=yes",
                    ],
                ),
            ],
        },
        Kind {
            name: "empty-bridge",
            link: "inner",
            own: "kind = \"bridge\", spanning_tree = true, mac = \"02:64:10:00:00:99\"",
            others: "",
            units: &[
                (
                    "inner.netdev",
                    &[
                        "NetDev: Name=inner",
                        "NetDev: Kind=bridge",
                        "NetDev: MACAddress=02:64:10:00:00:99",
                        "Bridge: STP=true",
                    ],
                ),
                (
                    "inner.network",
                    &[
                        "Match: Name=inner",
                        "Link: MACAddress=02:64:10:00:00:99",
                        "Network: ConfigureWithoutCarrier=yes",
                    ],
                ),
            ],
        },
        bond!(
            "active-backup",
            "mode = \"active-backup\", primary = \"lan0\"",
            "Bond: Mode=active-backup",
            "Bond: MIIMonitorSec=100ms"
        ),
        bond!(
            "lacp",
            "mode = \"802.3ad\", lacp_rate = \"fast\", hash_policy = \"layer3+4\", link_check_ms = 250",
            "Bond: Mode=802.3ad",
            "Bond: LACPTransmitRate=fast",
            "Bond: MIIMonitorSec=250ms",
            "Bond: TransmitHashPolicy=layer3+4"
        ),
        bond!("balance-rr", "mode = \"balance-rr\"", "Bond: Mode=balance-rr", "Bond: MIIMonitorSec=100ms"),
        bond!(
            "balance-xor",
            "mode = \"balance-xor\", hash_policy = \"layer2+3\"",
            "Bond: Mode=balance-xor",
            "Bond: MIIMonitorSec=100ms",
            "Bond: TransmitHashPolicy=layer2+3"
        ),
        bond!("broadcast", "mode = \"broadcast\"", "Bond: Mode=broadcast", "Bond: MIIMonitorSec=100ms"),
        bond!("balance-tlb", "mode = \"balance-tlb\"", "Bond: Mode=balance-tlb", "Bond: MIIMonitorSec=100ms"),
        bond!("balance-alb", "mode = \"balance-alb\"", "Bond: Mode=balance-alb", "Bond: MIIMonitorSec=100ms"),
    ]
}

/// Addresses, and the lines that they add to the unit of their link.
const FAMILIES: [(&str, &str, &[&str]); 4] = [
    ("v4", "address = \"10.64.31.11\"", &["Network: Address=10.64.31.11/23"]),
    ("v6", "address6 = \"fd64:30::11\"", &["Network: Address=fd64:30::11/64"]),
    (
        "both",
        "address = \"10.64.31.11\", address6 = \"fd64:30::11\"",
        &["Network: Address=10.64.31.11/23", "Network: Address=fd64:30::11/64"],
    ),
    ("neither", "address = \"none\"", &[]),
];

const DEFAULT4: &str = "Route: Destination=0.0.0.0/0 Gateway=10.64.30.1";
const DEFAULT6: &str = "Route: Destination=::/0 Gateway=fe80::1";
const NO_ADVERTISEMENTS: &str = "Network: IPv6AcceptRA=no";
const LOCAL6: &str = "Network: LinkLocalAddressing=ipv6";
const DNS: [&str; 2] = ["Network: DNS=10.64.10.53", "Network: DNS=fd64:10::53"];
/// Servers that are reached without a way out.
const SERVERS_NEAR: &str = "dns = [\"10.64.30.53\", \"fd64:30::53\"]\nntp = \"none\"";
const DNS_NEAR: [&str; 2] = ["Network: DNS=10.64.30.53", "Network: DNS=fd64:30::53"];
const SEARCH: &str = "Network: Domains=capovetro.example";

/// What a host may have besides: keys of the link, keys of the machine, and the lines that it adds and takes away.
struct Choice {
    name: &'static str,
    link: &'static str,
    machine: &'static str,
    adds: &'static [&'static str],
    takes: &'static [&'static str],
    /// The families that it goes with.
    goes_with: &'static [&'static str],
}

const ALL: &[&str] = &["v4", "v6", "both", "neither"];
const WITH_V4: &[&str] = &["v4", "both"];
const WITH_ADDRESS: &[&str] = &["v4", "v6", "both"];

const CHOICES: [Choice; 11] = [
    Choice { name: "plain", link: "", machine: "", adds: &[], takes: &[], goes_with: ALL },
    Choice {
        name: "mtu",
        link: "mtu = 1400",
        machine: "",
        adds: &["Link: MTUBytes=1400"],
        takes: &[],
        goes_with: WITH_ADDRESS,
    },
    Choice {
        name: "more",
        link: "more_addresses = [\"10.64.31.12/255.255.254.0\", \"fd64:30::12\"]",
        machine: "",
        adds: &["Network: Address=10.64.31.12/23", "Network: Address=fd64:30::12/64", DEFAULT4, DEFAULT6],
        takes: &[],
        goes_with: &["v4", "both"],
    },
    Choice {
        name: "routes",
        link: "default_route = false, routes = [{ to = \"10.64.96.0/20\", via = \"10.64.30.2\" }, { to = \"10.64.96.0/20\", via = \"10.64.30.3\", metric = 700 }]",
        machine: SERVERS_NEAR,
        adds: &[
            DNS_NEAR[0],
            DNS_NEAR[1],
            "Route: Destination=10.64.96.0/20 Gateway=10.64.30.2",
            "Route: Destination=10.64.96.0/20 Gateway=10.64.30.3 Metric=700",
        ],
        takes: &[DEFAULT4, DEFAULT6, DNS[0], DNS[1]],
        goes_with: WITH_V4,
    },
    Choice {
        name: "table",
        link: "routing_table = 140",
        machine: SERVERS_NEAR,
        adds: &[
            DNS_NEAR[0],
            DNS_NEAR[1],
            "Route: Destination=0.0.0.0/0 Gateway=10.64.30.1 Table=140",
            "RoutingPolicyRule: From=10.64.31.11 Priority=30000 Table=254 To=10.64.30.0/23",
            "RoutingPolicyRule: From=10.64.31.11 Priority=30001 Table=140",
        ],
        takes: &[DEFAULT4, DNS[0], DNS[1]],
        goes_with: &["v4"],
    },
    Choice {
        name: "table6",
        link: "routing_table = 252",
        machine: SERVERS_NEAR,
        adds: &[
            DNS_NEAR[0],
            DNS_NEAR[1],
            "Route: Destination=::/0 Gateway=fe80::1 Table=252",
            "RoutingPolicyRule: From=fd64:30::11 Priority=30000 Table=254 To=fd64:30::/64",
            "RoutingPolicyRule: From=fd64:30::11 Priority=30001 Table=252",
        ],
        takes: &[DEFAULT6, DNS[0], DNS[1]],
        goes_with: &["v6"],
    },
    Choice {
        name: "tables",
        link: "routing_table = 1, more_addresses = [\"10.64.31.12\"]",
        machine: SERVERS_NEAR,
        adds: &[
            DNS_NEAR[0],
            DNS_NEAR[1],
            "Network: Address=10.64.31.12/23",
            "Route: Destination=0.0.0.0/0 Gateway=10.64.30.1 Table=1",
            "Route: Destination=::/0 Gateway=fe80::1 Table=1",
            "RoutingPolicyRule: From=10.64.31.11 Priority=30000 Table=254 To=10.64.30.0/23",
            "RoutingPolicyRule: From=10.64.31.12 Priority=30000 Table=254 To=10.64.30.0/23",
            "RoutingPolicyRule: From=fd64:30::11 Priority=30000 Table=254 To=fd64:30::/64",
            "RoutingPolicyRule: From=10.64.31.11 Priority=30001 Table=1",
            "RoutingPolicyRule: From=10.64.31.12 Priority=30001 Table=1",
            "RoutingPolicyRule: From=fd64:30::11 Priority=30001 Table=1",
        ],
        takes: &[DEFAULT4, DEFAULT6, DNS[0], DNS[1]],
        goes_with: &["both"],
    },
    Choice {
        name: "local4",
        link: "link_local4 = true",
        machine: "",
        adds: &["Network: LinkLocalAddressing=yes"],
        takes: &[LOCAL6],
        goes_with: &["v6", "both"],
    },
    Choice {
        name: "auto6",
        link: "",
        machine: "ipv6 = \"auto\"",
        adds: &["Network: IPv6AcceptRA=yes"],
        takes: &[NO_ADVERTISEMENTS],
        goes_with: ALL,
    },
    Choice {
        name: "no6",
        link: "",
        machine: "ipv6 = \"off\"",
        adds: &["Network: LinkLocalAddressing=no"],
        takes: &[LOCAL6],
        goes_with: &["v4"],
    },
    Choice {
        name: "special-dns",
        link: "",
        machine: "dns_for = { \"crane.example\" = [\"10.64.30.99\"], \"mole.example\" = [\"10.64.30.99\"] }",
        adds: &["Network: DNS=10.64.30.99", "Network: Domains=~crane.example ~mole.example"],
        takes: &[DNS[0], DNS[1], SEARCH],
        goes_with: WITH_V4,
    },
];

/// A host, and the units that it must make.
struct Shape {
    name: String,
    sheet: String,
    units: Units,
}

fn shapes() -> Vec<Shape> {
    let mut shapes = Vec::new();
    for kind in kinds() {
        for (family, addresses, lines) in FAMILIES {
            for choice in CHOICES.iter().filter(|choice| choice.goes_with.contains(&family)) {
                shapes.push(shape(&kind, (family, addresses, lines), choice));
            }
        }
    }
    shapes
}

/// The sheets of all shapes.
pub(crate) fn every_shape() -> impl Iterator<Item = String> {
    shapes().into_iter().map(|shape| whole_sheet(&shape.sheet))
}

fn whole_sheet(host: &str) -> String {
    // A subnet with a radio only where a radio is in it.
    let has_radio = host.contains("kind = \"wifi\"");
    let (wired, of_radio) = SUBNETS.split_once("wifi = {").unwrap();
    let subnets = if has_radio { format!("{wired}wifi = {{{of_radio}") } else { wired.to_owned() };
    right_sheet(&format!("{subnets}{host}"))
        .replace("dns      = [\"10.64.10.53\", \"10.64.10.54\"]", "dns = [\"10.64.10.53\", \"fd64:10::53\"]")
}

fn shape(kind: &Kind, (family, addresses, lines): (&str, &str, &[&str]), choice: &Choice) -> Shape {
    let name = format!("{}-{family}-{}", kind.name, choice.name);
    let keys: Vec<&str> = [kind.own, "subnet = \"slip\"", addresses, choice.link]
        .into_iter()
        .filter(|keys| !keys.is_empty())
        .collect();
    let mut sheet = format!("[[host]]\nname = \"{name}\"\n{}\n{}", choice.machine, kind.others);
    writeln!(sheet, "link.{} = {{ {} }}", kind.link, keys.join(", ")).unwrap();
    let mut units: Units = kind
        .units
        .iter()
        .map(|(name, lines)| ((*name).to_owned(), lines.iter().map(|line| (*line).to_owned()).collect()))
        .collect();
    let unit = units.get_mut(&format!("{}.network", kind.link)).unwrap();
    let has = |wanted: &str| family == wanted || family == "both";
    unit.extend(lines.iter().map(|line| (*line).to_owned()));
    unit.extend(has("v4").then(|| DEFAULT4.to_owned()));
    unit.extend(has("v6").then(|| DEFAULT6.to_owned()));
    unit.extend([NO_ADVERTISEMENTS, LOCAL6, DNS[0], DNS[1], SEARCH].map(str::to_owned));
    unit.retain(|line| !choice.takes.contains(&line.as_str()));
    unit.extend(choice.adds.iter().map(|line| (*line).to_owned()));
    // What holds for the whole machine holds for the links beside it too.
    let beside = "enp1s0.network";
    if kind.name == "vlan"
        && let Some(unit) = units.get_mut(beside)
    {
        for (from, to) in [
            ("auto6", (NO_ADVERTISEMENTS, "Network: IPv6AcceptRA=yes")),
            ("no6", (LOCAL6, "Network: LinkLocalAddressing=no")),
        ] {
            if choice.name == from {
                unit.remove(to.0);
                unit.insert(to.1.to_owned());
            }
        }
    }
    if choice.name == "mtu" {
        with_mtu(kind, &mut units);
    }
    if kind.name == "active-backup" {
        units.get_mut("lan0.network").unwrap().insert("Network: PrimarySlave=true".to_owned());
    }
    Shape { name, sheet, units }
}

/// Netplan sets the MTU where the interface is made: for a port when the kernel finds it, too.
fn with_mtu(kind: &Kind, units: &mut Units) {
    let is_port = kind.others.is_empty() && kind.name != "empty-bridge";
    let name = format!("{}.{}", kind.link, if is_port { "link" } else { "netdev" });
    let unit = units.entry(name).or_default();
    if is_port {
        unit.insert("Link: MTUBytes=1400".to_owned());
        unit.insert("Link: WakeOnLan=off".to_owned());
        if kind.name != "by-mac" {
            let matched = if kind.name == "only-port" { "e[nt]*" } else { kind.link };
            unit.insert(format!("Match: OriginalName={matched}"));
        }
    } else {
        unit.insert("NetDev: MTUBytes=1400".to_owned());
    }
}

/// Reads the units that netplan made.
fn read_units(folder: &Path) -> Units {
    let files = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path());
    files
        .map(|path| {
            let name = path.file_name().unwrap().to_str().unwrap().strip_prefix("10-netplan-").unwrap();
            (name.to_owned(), read_unit(&fs::read_to_string(&path).unwrap()))
        })
        .collect()
}

fn read_unit(text: &str) -> Unit {
    let mut unit = Unit::new();
    for section in text.split("\n[").map(|section| section.trim_start_matches('[')) {
        let (title, body) = section.split_once(']').unwrap();
        let mut lines: Vec<&str> = body.lines().filter(|line| !line.is_empty()).collect();
        if matches!(title, "Route" | "RoutingPolicyRule") {
            lines.sort_unstable();
            assert!(unit.insert(format!("{title}: {}", lines.join(" "))), "twice: {lines:?}");
        } else {
            unit.extend(lines.iter().map(|line| format!("{title}: {line}")));
        }
    }
    unit
}

/// The units that the real netplan makes of a host's rootfs.
pub(crate) fn units_of(rootfs: &Path) -> Units {
    let copy = tempfile::tempdir().unwrap();
    let status = Command::new("cp").arg("-a").arg(rootfs.join("etc")).arg(copy.path()).status().unwrap();
    assert!(status.success());
    judge(Command::new("netplan").arg("generate").arg("--root-dir").arg(copy.path()));
    read_units(&copy.path().join("run/systemd/network"))
}

#[test]
#[ignore = "needs netplan, which .ci/run installs"]
fn netplan_makes_of_every_shape_what_is_meant() {
    let shapes = shapes();
    assert!(shapes.len() >= 200, "{}", shapes.len());
    let workspace = Workspace::new();
    workspace.write("slip.secret", "a phrase for the slip\n");
    // Copies of one shape share addresses and MAC addresses, so each is a sheet of its own.
    let proved = std::sync::atomic::AtomicUsize::new(0);
    let next = std::sync::atomic::AtomicUsize::new(0);
    let astray = std::sync::Mutex::new(Vec::new());
    std::thread::scope(|scope| {
        for _ in 0..std::thread::available_parallelism().map_or(1, usize::from) {
            scope.spawn(|| {
                while let Some(shape) = shapes.get(next.fetch_add(1, std::sync::atomic::Ordering::Relaxed)) {
                    match prove(&workspace, shape) {
                        Ok(()) => drop(proved.fetch_add(1, std::sync::atomic::Ordering::Relaxed)),
                        Err(message) => astray.lock().unwrap().push(message),
                    }
                }
            });
        }
    });
    let astray = astray.into_inner().unwrap();
    assert!(astray.is_empty(), "{} of {}:\n{}", astray.len(), shapes.len(), astray.join("\n"));
    assert_eq!(proved.into_inner(), shapes.len());
}

fn prove(workspace: &Workspace, shape: &Shape) -> Result<(), String> {
    let Shape { name, sheet, units } = shape;
    let file = format!("{name}.toml");
    workspace.write(&file, whole_sheet(sheet));
    let render = workspace.run(&["render", &file, "--into", name]);
    if render.code != 0 {
        return Err(format!("{name}: {}{}\n{sheet}", render.stdout, render.stderr));
    }
    let found = units_of(&workspace.path().join(name).join(name).join("rootfs"));
    for unit in found.keys().chain(units.keys()) {
        let (found, meant) = (found.get(unit), units.get(unit));
        if found != meant {
            return Err(format!("{name}, {unit}:\n  found {found:?}\n  meant {meant:?}"));
        }
    }
    Ok(())
}
