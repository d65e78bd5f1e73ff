//! Netplan's keys at every depth: what each holds, and the netplan from which on it is known.
//!
//! Facts of the netplan releases 0.101 (Debian 11), 0.106 (Debian 12) and 1.1 (Debian 13); what lies between is dated by
//! netplan's reference, `netplan(5)`.

use super::kind::{Kind, Word};
use crate::machine::NetplanVersion;

/// A key.
pub(crate) struct Key {
    pub(crate) name: &'static str,
    pub(crate) shape: Shape,
    pub(crate) since: NetplanVersion,
}

/// What a key holds.
#[derive(Clone, Copy)]
pub(crate) enum Shape {
    /// One value.
    One(Kind),
    /// A list of such.
    List(&'static Shape),
    /// Exactly two of such.
    Pair(&'static Shape),
    /// A mapping with keys of netplan's.
    Table(&'static Table),
    /// A mapping with keys of the administrator's.
    Named(&'static Shape),
    /// A mapping from names of links to such values.
    ByLink(Kind),
    /// One value, or a list of such.
    OneOrList(Kind),
    /// One value, or a mapping with keys of netplan's.
    OneOrTable(Kind, &'static Table),
    /// Addresses with their lengths, some of them with options; a length may be 0 or not.
    Addresses { from_zero: bool },
    /// The links of one kind.
    Section(&'static Table),
}

/// A mapping with keys of netplan's.
pub(crate) struct Table {
    /// The keys, in groups that several mappings have.
    keys: &'static [&'static [Key]],
    /// What its keys have to be to each other.
    pub(crate) together: Together,
}

/// What the keys of a mapping have to be to each other.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Together {
    Whatever,
    /// A route: where to, by what, and in one family.
    Route,
    /// A rule of routing: whom it is for.
    Policy,
}

impl Table {
    const fn new(keys: &'static [&'static [Key]]) -> Self {
        Self { keys, together: Together::Whatever }
    }

    /// A key by its name.
    pub(crate) fn key(&self, name: &str) -> Option<&'static Key> {
        self.keys().find(|key| key.name == name)
    }

    /// All keys.
    pub(crate) fn keys(&self) -> impl Iterator<Item = &'static Key> {
        self.keys.iter().copied().flatten()
    }
}

const V0_101: NetplanVersion = NetplanVersion::new(0, 101);
const V0_106: NetplanVersion = NetplanVersion::new(0, 106);
const V0_107: NetplanVersion = NetplanVersion::new(0, 107);
const V1_0: NetplanVersion = NetplanVersion::new(1, 0);
const V1_1: NetplanVersion = NetplanVersion::new(1, 1);

const fn key(name: &'static str, shape: Shape) -> Key {
    Key { name, shape, since: V0_101 }
}

const fn since(since: NetplanVersion, name: &'static str, shape: Shape) -> Key {
    Key { name, shape, since }
}

const fn word(word: &'static str) -> Word {
    Word { word, since: V0_101 }
}

const TEXT: Shape = Shape::One(Kind::Text);
const SECRET: Shape = Shape::One(Kind::Secret);
const FLAG: Shape = Shape::One(Kind::Flag);
const NUMBER: Shape = Shape::One(Kind::Number(u32::MAX));
const NAME: Shape = Shape::One(Kind::Name);
const ADDRESS: Shape = Shape::One(Kind::Address);
const NETWORK: Shape = Shape::One(Kind::Network);
const TEXTS: Shape = Shape::Named(&TEXT);
const LINKS: Shape = Shape::List(&TEXT);

static MATCH: Table = Table::new(&[&[
    key("driver", Shape::OneOrList(Kind::Driver)),
    key("macaddress", Shape::One(Kind::Mac)),
    key("name", NAME),
]]);

static AUTH: Table = Table::new(&[&[
    key(
        "key-management",
        Shape::One(Kind::Word(&[
            word("none"),
            word("psk"),
            word("eap"),
            word("802.1x"),
            Word { word: "psk-sha256", since: V1_0 },
            Word { word: "eap-sha256", since: V1_0 },
            Word { word: "eap-suite-b-192", since: V1_0 },
            Word { word: "sae", since: V1_0 },
        ])),
    ),
    key(
        "method",
        Shape::One(Kind::Word(&[
            word("tls"),
            word("peap"),
            word("ttls"),
            Word { word: "leap", since: V1_0 },
            Word { word: "pwd", since: V1_0 },
        ])),
    ),
    key("identity", TEXT),
    key("anonymous-identity", TEXT),
    key("password", SECRET),
    key("ca-certificate", TEXT),
    key("client-certificate", TEXT),
    key("client-key", TEXT),
    key("client-key-password", SECRET),
    key("phase2-auth", TEXT),
]]);

static MANAGER: Table = Table::new(&[&[
    key("name", TEXT),
    key("uuid", TEXT),
    key("stable-id", TEXT),
    key("device", TEXT),
    since(V0_106, "passthrough", TEXTS),
]]);

static ACCESS_POINT: Table = Table::new(&[&[
    key("band", Shape::One(Kind::Word(&[word("5GHz"), word("5G"), word("2.4GHz"), word("2.4G")]))),
    key("bssid", Shape::One(Kind::Mac)),
    key("hidden", FLAG),
    key("channel", NUMBER),
    key("mode", Shape::One(Kind::Word(&[word("infrastructure"), word("adhoc"), word("ap")]))),
    key("password", SECRET),
    key("auth", Shape::Table(&AUTH)),
    since(V0_106, "networkmanager", Shape::Table(&MANAGER)),
]]);

static ADDRESS_OPTIONS_TABLE: Table =
    Table::new(&[&[key("lifetime", Shape::One(Kind::Lifetime)), key("label", TEXT)]]);

/// The options of an address.
pub(crate) static ADDRESS_OPTIONS: Shape = Shape::Table(&ADDRESS_OPTIONS_TABLE);

static NAMESERVERS: Table =
    Table::new(&[&[key("search", Shape::List(&TEXT)), key("addresses", Shape::List(&ADDRESS))]]);

static DHCP_OVERRIDES: Table = Table::new(&[&[
    key("hostname", TEXT),
    key("route-metric", NUMBER),
    key("send-hostname", FLAG),
    key("use-dns", FLAG),
    key("use-domains", TEXT),
    key("use-hostname", FLAG),
    key("use-mtu", FLAG),
    key("use-ntp", FLAG),
    key("use-routes", FLAG),
]]);

static RA_OVERRIDES: Table = Table::new(&[&[
    key("table", NUMBER),
    key("use-dns", FLAG),
    key("use-domains", Shape::One(Kind::FlagOr("route"))),
]]);

static ROUTE_TABLE: Table = Table {
    together: Together::Route,
    ..Table::new(&[&[
        key("from", NETWORK),
        key("on-link", FLAG),
        key("scope", Shape::One(Kind::WordInAnyCase(&["global", "link", "host"]))),
        key("table", NUMBER),
        key("to", Shape::One(Kind::Destination)),
        key(
            "type",
            Shape::One(Kind::WordInAnyCase(&[
                "unicast",
                "anycast",
                "blackhole",
                "broadcast",
                "local",
                "multicast",
                "nat",
                "prohibit",
                "throw",
                "unreachable",
                "xresolve",
            ])),
        ),
        key("via", NETWORK),
        key("metric", NUMBER),
        key("mtu", NUMBER),
        since(V0_106, "congestion-window", NUMBER),
        since(V0_106, "advertised-receive-window", NUMBER),
        since(V1_1, "advertised-mss", NUMBER),
    ]])
};
static ROUTE: Shape = Shape::Table(&ROUTE_TABLE);

static POLICY_TABLE: Table = Table {
    together: Together::Policy,
    ..Table::new(&[&[
        key("from", NETWORK),
        key("mark", NUMBER),
        key("priority", NUMBER),
        key("table", NUMBER),
        key("to", NETWORK),
        key("type-of-service", Shape::One(Kind::Number(255))),
    ]])
};
static POLICY: Shape = Shape::Table(&POLICY_TABLE);

static SWITCH_CONTROLLER: Table = Table::new(&[&[
    key("addresses", Shape::List(&Shape::One(Kind::Controller))),
    key("connection-mode", Shape::One(Kind::Word(&[word("in-band"), word("out-of-band")]))),
]]);

static PROTOCOL: Shape = Shape::One(Kind::Word(&[
    word("OpenFlow10"),
    word("OpenFlow11"),
    word("OpenFlow12"),
    word("OpenFlow13"),
    word("OpenFlow14"),
    word("OpenFlow15"),
    word("OpenFlow16"),
]));

static SWITCH: Table = Table::new(&[&[
    key("external-ids", TEXTS),
    key("other-config", TEXTS),
    key("lacp", Shape::One(Kind::Word(&[word("active"), word("passive"), word("off")]))),
    key("fail-mode", Shape::One(Kind::Word(&[word("standalone"), word("secure")]))),
    key("mcast-snooping", FLAG),
    key("rstp", FLAG),
    key("protocols", Shape::List(&PROTOCOL)),
    key("controller", Shape::Table(&SWITCH_CONTROLLER)),
]]);

/// The renderer of a link, or of all links of a section.
pub(crate) static RENDERER: Shape = Shape::One(Kind::Word(&[word("networkd"), word("NetworkManager")]));

static OFTEN: &[Key] = &[
    key("accept-ra", FLAG),
    since(V0_106, "activation-mode", Shape::One(Kind::Word(&[word("manual"), word("off")]))),
    key("addresses", Shape::Addresses { from_zero: false }),
    key("critical", FLAG),
    since(V0_106, "ignore-carrier", FLAG),
    key("dhcp4", FLAG),
    key("dhcp6", FLAG),
    key("dhcp-identifier", Shape::One(Kind::WordInAnyCase(&["duid", "mac"]))),
    key("dhcp4-overrides", Shape::Table(&DHCP_OVERRIDES)),
    key("dhcp6-overrides", Shape::Table(&DHCP_OVERRIDES)),
    since(V1_1, "ra-overrides", Shape::Table(&RA_OVERRIDES)),
    key("gateway4", Shape::One(Kind::Address4)),
    key("gateway6", Shape::One(Kind::Address6)),
    key("ipv6-address-generation", Shape::One(Kind::Word(&[word("eui64"), word("stable-privacy")]))),
    key("ipv6-address-token", Shape::One(Kind::Address6)),
    key("ipv6-mtu", NUMBER),
    key("ipv6-privacy", FLAG),
    key("link-local", Shape::List(&Shape::One(Kind::WordInAnyCase(&["ipv4", "ipv6"])))),
    key("macaddress", Shape::One(Kind::SetMac)),
    key("mtu", NUMBER),
    key("nameservers", Shape::Table(&NAMESERVERS)),
    key("optional", FLAG),
    key(
        "optional-addresses",
        Shape::List(&Shape::One(Kind::WordInAnyCase(&["ipv4-ll", "ipv6-ra", "dhcp4", "dhcp6", "static"]))),
    ),
    key("routes", Shape::List(&ROUTE)),
    key("routing-policy", Shape::List(&POLICY)),
    since(V0_106, "neigh-suppress", FLAG),
    since(V1_0, "hairpin", FLAG),
    since(V1_0, "port-mac-learning", FLAG),
];

static USUAL_RENDERER: &[Key] = &[key("renderer", RENDERER)];

static BACKENDS: &[Key] =
    &[key("networkmanager", Shape::Table(&MANAGER)), key("openvswitch", Shape::Table(&SWITCH))];

static PORT: &[Key] = &[
    key("match", Shape::Table(&MATCH)),
    key("set-name", TEXT),
    key("wakeonlan", FLAG),
    key(
        "wakeonwlan",
        Shape::List(&Shape::One(Kind::WordInAnyCase(&[
            "default",
            "any",
            "disconnect",
            "magic_pkt",
            "gtk_rekey_failure",
            "eap_identity_req",
            "four_way_handshake",
            "rfkill_release",
            "tcp",
        ]))),
    ),
    key("emit-lldp", FLAG),
    since(V0_106, "receive-checksum-offload", FLAG),
    since(V0_106, "transmit-checksum-offload", FLAG),
    since(V0_106, "tcp-segmentation-offload", FLAG),
    since(V0_106, "tcp6-segmentation-offload", FLAG),
    since(V0_106, "generic-segmentation-offload", FLAG),
    since(V0_106, "generic-receive-offload", FLAG),
    since(V0_106, "large-receive-offload", FLAG),
];

/// `ethernets`, and `nm-devices`, which netplan reads as such.
static ETHERNET: Table = Table::new(&[
    OFTEN,
    USUAL_RENDERER,
    BACKENDS,
    PORT,
    &[
        key("auth", Shape::Table(&AUTH)),
        key("link", TEXT),
        key("virtual-function-count", NUMBER),
        since(V0_106, "embedded-switch-mode", Shape::One(Kind::Word(&[word("switchdev"), word("legacy")]))),
        since(V0_106, "delay-virtual-functions-rebind", FLAG),
        since(V0_106, "infiniband-mode", Shape::One(Kind::Word(&[word("datagram"), word("connected")]))),
    ],
]);

static WIFI: Table = Table::new(&[
    OFTEN,
    USUAL_RENDERER,
    BACKENDS,
    PORT,
    &[
        key("access-points", Shape::Named(&Shape::Table(&ACCESS_POINT))),
        key("auth", Shape::Table(&AUTH)),
        since(V0_106, "regulatory-domain", TEXT),
    ],
]);

static BRIDGE_PARAMETERS: Table = Table::new(&[&[
    key("ageing-time", TEXT),
    since(V0_106, "aging-time", TEXT),
    key("forward-delay", TEXT),
    key("hello-time", TEXT),
    key("max-age", TEXT),
    key("path-cost", Shape::ByLink(Kind::Number(u32::MAX))),
    key("port-priority", Shape::ByLink(Kind::Number(63))),
    key("priority", NUMBER),
    key("stp", FLAG),
]]);

static BRIDGE: Table = Table::new(&[
    OFTEN,
    USUAL_RENDERER,
    BACKENDS,
    &[key("interfaces", LINKS), key("parameters", Shape::Table(&BRIDGE_PARAMETERS))],
]);

/// How a bond may share its traffic; the last two are Open vSwitch's.
static BOND_MODES: Shape = Shape::One(Kind::Word(&[
    word("balance-rr"),
    word("active-backup"),
    word("balance-xor"),
    word("broadcast"),
    word("802.3ad"),
    word("balance-tlb"),
    word("balance-alb"),
    word("balance-tcp"),
    word("balance-slb"),
]));

static BOND_PARAMETERS: Table = Table::new(&[&[
    key("mode", BOND_MODES),
    key("lacp-rate", Shape::One(Kind::WordSince(V1_0, &[word("slow"), word("fast")]))),
    key("mii-monitor-interval", TEXT),
    key("min-links", NUMBER),
    key("transmit-hash-policy", TEXT),
    key("ad-select", TEXT),
    key("all-slaves-active", FLAG),
    since(V0_106, "all-members-active", FLAG),
    key("arp-interval", TEXT),
    key("arp-ip-targets", Shape::List(&Shape::One(Kind::Address4))),
    key("arp-validate", TEXT),
    key("arp-all-targets", TEXT),
    key("up-delay", TEXT),
    key("down-delay", TEXT),
    key("fail-over-mac-policy", TEXT),
    key("gratuitous-arp", NUMBER),
    key("gratuitious-arp", NUMBER),
    key("packets-per-slave", NUMBER),
    since(V0_106, "packets-per-member", NUMBER),
    key("primary-reselect-policy", TEXT),
    key("resend-igmp", NUMBER),
    key("learn-packet-interval", TEXT),
    key("primary", TEXT),
]]);

static BOND: Table = Table::new(&[
    OFTEN,
    USUAL_RENDERER,
    BACKENDS,
    &[key("interfaces", LINKS), key("parameters", Shape::Table(&BOND_PARAMETERS))],
]);

static VLAN: Table = Table::new(&[
    OFTEN,
    BACKENDS,
    &[
        key("renderer", Shape::One(Kind::Word(&[word("networkd"), word("NetworkManager"), word("sriov")]))),
        key("id", NUMBER),
        key("link", TEXT),
    ],
]);

static VRF: Table = Table::new(&[
    BACKENDS,
    USUAL_RENDERER,
    &[
        key("interfaces", LINKS),
        key("table", NUMBER),
        key("routes", Shape::List(&ROUTE)),
        key("routing-policy", Shape::List(&POLICY)),
    ],
]);

static MODEM: Table = Table::new(&[
    OFTEN,
    USUAL_RENDERER,
    BACKENDS,
    PORT,
    &[
        key("apn", TEXT),
        key("auto-config", FLAG),
        key("device-id", TEXT),
        key("network-id", TEXT),
        key("number", TEXT),
        key("password", SECRET),
        key("pin", SECRET),
        key("sim-id", TEXT),
        key("sim-operator-id", TEXT),
        key("username", TEXT),
    ],
]);

static TUNNEL_KEYS: Table = Table::new(&[&[
    key("input", SECRET),
    key("output", SECRET),
    key("private", SECRET),
    since(
        V0_107,
        "private-key-flags",
        Shape::List(&Shape::One(Kind::WordInAnyCase(&["agent-owned", "not-saved", "not-required"]))),
    ),
]]);

static PEER_KEYS: Table = Table::new(&[&[key("public", TEXT), key("shared", SECRET)]]);

static PEER_TABLE: Table = Table::new(&[&[
    key("keys", Shape::Table(&PEER_KEYS)),
    key("keepalive", NUMBER),
    key("endpoint", Shape::One(Kind::Endpoint)),
    key("allowed-ips", Shape::Addresses { from_zero: true }),
]]);
static PEER: Shape = Shape::Table(&PEER_TABLE);

static TUNNEL: Table = Table::new(&[
    OFTEN,
    USUAL_RENDERER,
    BACKENDS,
    &[
        key(
            "mode",
            Shape::One(Kind::Word(&[
                word("ipip"),
                word("gre"),
                word("sit"),
                word("isatap"),
                word("vti"),
                word("ip6ip6"),
                word("ipip6"),
                word("ip6gre"),
                word("vti6"),
                word("gretap"),
                word("ip6gretap"),
                word("wireguard"),
                Word { word: "vxlan", since: V0_106 },
            ])),
        ),
        key("local", ADDRESS),
        key("remote", ADDRESS),
        since(V0_106, "ttl", NUMBER),
        key("key", Shape::OneOrTable(Kind::Secret, &TUNNEL_KEYS)),
        key("keys", Shape::OneOrTable(Kind::Secret, &TUNNEL_KEYS)),
        key("mark", NUMBER),
        key("port", NUMBER),
        key("peers", Shape::List(&PEER)),
        since(V0_106, "link", TEXT),
        since(V0_106, "ageing", NUMBER),
        since(V0_106, "aging", NUMBER),
        since(V0_106, "id", NUMBER),
        since(V0_106, "limit", NUMBER),
        since(V0_106, "type-of-service", NUMBER),
        since(V0_106, "flow-label", NUMBER),
        since(V0_106, "do-not-fragment", FLAG),
        since(V0_106, "short-circuit", FLAG),
        since(V0_106, "arp-proxy", FLAG),
        since(V0_106, "mac-learning", FLAG),
        since(
            V0_106,
            "notifications",
            Shape::List(&Shape::One(Kind::WordInAnyCase(&["l2-miss", "l3-miss"]))),
        ),
        since(
            V0_106,
            "checksums",
            Shape::List(&Shape::One(Kind::WordInAnyCase(&[
                "udp",
                "zero-udp6-tx",
                "zero-udp6-rx",
                "remote-tx",
                "remote-rx",
            ]))),
        ),
        since(
            V0_106,
            "extensions",
            Shape::List(&Shape::One(Kind::WordInAnyCase(&["group-policy", "generic-protocol"]))),
        ),
        since(V0_106, "port-range", Shape::Pair(&NUMBER)),
    ],
]);

static DUMMY: Table = Table::new(&[OFTEN, USUAL_RENDERER, BACKENDS]);

static VETH: Table = Table::new(&[OFTEN, USUAL_RENDERER, BACKENDS, &[key("peer", TEXT)]]);

static SWITCH_TLS: Table =
    Table::new(&[&[key("ca-cert", TEXT), key("certificate", TEXT), key("private-key", TEXT)]]);

static PORT_PAIR: Shape = Shape::Pair(&TEXT);

static SWITCHES: Table = Table::new(&[&[
    key("external-ids", TEXTS),
    key("other-config", TEXTS),
    key("protocols", Shape::List(&PROTOCOL)),
    key("ports", Shape::List(&PORT_PAIR)),
    key("ssl", Shape::Table(&SWITCH_TLS)),
]]);

static NETWORK_TABLE: Table = Table::new(&[&[
    key("bonds", Shape::Section(&BOND)),
    key("bridges", Shape::Section(&BRIDGE)),
    key("ethernets", Shape::Section(&ETHERNET)),
    key("renderer", RENDERER),
    key("tunnels", Shape::Section(&TUNNEL)),
    key("version", Shape::One(Kind::FormatVersion)),
    key("vlans", Shape::Section(&VLAN)),
    since(V0_106, "vrfs", Shape::Section(&VRF)),
    key("wifis", Shape::Section(&WIFI)),
    key("modems", Shape::Section(&MODEM)),
    since(V0_106, "nm-devices", Shape::Section(&ETHERNET)),
    since(V0_107, "dummy-devices", Shape::Section(&DUMMY)),
    since(V0_107, "virtual-ethernets", Shape::Section(&VETH)),
    key("openvswitch", Shape::Table(&SWITCHES)),
]]);

/// What a netplan file is.
pub(crate) static FILE: Table = Table::new(&[&[key("network", Shape::Table(&NETWORK_TABLE))]]);
