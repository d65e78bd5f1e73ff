//! Tables and keys of networks: subnets, pools, links, routes, and the servers of names and time.

use super::common::{DNS, DOMAIN, NTP, SEARCH, TIMEZONE};
use super::spec::{KeySpec, Shape, TableSpec, key, table};

pub(super) const SUBNET: KeySpec = key(
    "subnet",
    "the name of a subnet of the sheet",
    r#"subnet = "quay""#,
    "The `[subnet.NAME]` that the link is in; mask and gateway come from it. Required.",
    Shape::Text,
)
.required();

pub(super) const ADDRESS: KeySpec = key(
    "address",
    "an IPv4 address, or \"none\"",
    r#"address = "10.64.10.11""#,
    "Static IPv4 address. It may have its own mask, in any notation, which must be the subnet's. A link has \
        `address` or `address6` or both; `\"none\"`: intentionally no address of that family.",
    Shape::Text,
);

pub(super) const ADDRESS6: KeySpec = key(
    "address6",
    "an IPv6 address, or \"none\"",
    r#"address6 = "fd64:10::11""#,
    "Static IPv6 address, under the same conditions.",
    Shape::Text,
);

pub(super) const HOST_NUMBER: KeySpec = key(
    "host_number",
    "a number, or a pattern of numbers",
    r#"host_number = "{11..22}""#,
    "The IPv4 address, in place of `address`, counted from the start of the subnet's prefix: 11 in `10.64.10.0/24` is \
        10.64.10.11. Decimal, or hexadecimal with `0x`. When the subnet gets another prefix, the number stays.",
    Shape::TextOrNumber,
);

pub(super) const HOST_NUMBER6: KeySpec = key(
    "host_number6",
    "a number, or a pattern of numbers",
    r#"host_number6 = "0x1f""#,
    "The same for the IPv6 address, counted from the start of `prefix6`.",
    Shape::TextOrNumber,
);

pub(super) const DEFAULT_ROUTE: KeySpec = key(
    "default_route",
    "true or false",
    "default_route = false",
    "Whether this link's gateway is the machine's default route. Default: true. Only one link may have it.",
    Shape::Flag,
);

pub(super) const REPLACES: KeySpec = key(
    "replaces",
    "an address",
    r#"replaces = "10.64.10.150""#,
    "The address that the machine had here before, which nobody may have any more. Default: none.",
    Shape::Text,
);

/// `[subnet.NAME]`
pub(crate) static SUBNET_TABLE: TableSpec = table(
    "[subnet.NAME]",
    "a subnet",
    "A network of the site. It has `prefix` or `prefix6` or both. Its `domain`, `dns`, `search`, `ntp` and `timezone` are \
        those of the machines whose default route leaves through it (the IPv4 one, or else the IPv6 one), and of those without a \
        default route whose only link with an address is in it. They replace those of `[common]`; those of the machine \
        replace them.",
    &[
        key(
            "prefix",
            "an IPv4 address and mask",
            r#"prefix = "10.64.10.0/24""#,
            "IPv4 prefix. The mask is a length (`/24`), dotted (`/255.255.255.0`) or hexadecimal (`/0xffffff00`).",
            Shape::Text,
        ),
        key(
            "gateway",
            "an IPv4 address, or \"none\"",
            r#"gateway = "10.64.10.1""#,
            "The router of the subnet. `\"none\"`: intentionally no router. Required if a machine has its default \
                route here.",
            Shape::Text,
        ),
        key(
            "prefix6",
            "an IPv6 address and length",
            r#"prefix6 = "fd64:10::/64""#,
            "IPv6 prefix.",
            Shape::Text,
        ),
        key(
            "gateway6",
            "an IPv6 address, or \"none\"",
            r#"gateway6 = "fd64:10::1""#,
            "The IPv6 router, under the same conditions as `gateway`. A link-local address (`fe80::…`) is allowed \
                here too.",
            Shape::Text,
        ),
        key(
            "gateway_on_link",
            "true or false",
            "gateway_on_link = true",
            "Whether the router answers on the link itself although its address is outside the prefix, as with a single rented \
                address (`prefix = \"10.64.99.7/32\"`). Applies to each family whose gateway is outside. Default: false.",
            Shape::Flag,
        ),
        key(
            "vlan",
            "a number from 1 to 4094",
            "vlan = 110",
            "Its VLAN ID, for links of kind vlan; other links use it untagged. Default: it has none.",
            Shape::Number(1, 4094),
        ),
        key(
            "mtu",
            "a number of bytes",
            "mtu = 1500",
            "The MTU of its links. Default: that of the interface.",
            Shape::Number(68, 65_535),
        ),
        DOMAIN,
        DNS,
        SEARCH,
        NTP,
        TIMEZONE,
        key(
            "hypervisor_network",
            "a text",
            r#"hypervisor_network = "quay-110""#,
            "What the hypervisor calls it; shown by `review`.",
            Shape::Text,
        ),
        key(
            "wifi",
            "a table",
            r#"wifi = { ssid = "breakwater", passphrase = { secret = "breakwater-wifi" }, country = "IT" }"#,
            "The Wi-Fi network for links of kind wifi. Required if there are any.",
            Shape::Table(&WIFI),
        ),
        key(
            "dhcp_ranges",
            "a list of ranges",
            r#"dhcp_ranges = ["10.64.10.200-10.64.10.239"]"#,
            "Addresses that a DHCP server leases to others. Default: none.",
            Shape::TextList,
        ),
        key(
            "kept_free",
            "a list of ranges",
            r#"kept_free = ["10.64.10.2-10.64.10.9"]"#,
            "Addresses that no machine of this sheet may have. Default: none.",
            Shape::TextList,
        ),
        key(
            "in_use",
            "a table of addresses and their users",
            r#"in_use = { "10.64.10.40" = "crane controller" }"#,
            "Addresses that are used by machines outside the sheet, and by which. Default: none.",
            Shape::Texts,
        ),
    ],
);

/// `wifi` of a subnet
pub(crate) static WIFI: TableSpec = table(
    "wifi = { … } of a subnet",
    "`wifi` of a subnet",
    "The Wi-Fi network of the subnet.",
    &[
        key(
            "ssid",
            "a text of 1 to 32 bytes",
            r#"ssid = "breakwater""#,
            "Name of the Wi-Fi network. Required.", Shape::Text).required(),
        key(
            "passphrase",
            "a secret, or \"none\"",
            r#"passphrase = { secret = "breakwater-wifi" }"#,
            "Passphrase of the network, from a `[secret.NAME]`. Hosts get a key derived from it (WPA2), or the \
                passphrase itself if `sae` is true. `\"none\"`: intentionally an open network. Required.", Shape::Secret).required(),
        key(
            "sae",
            "true or false",
            "sae = true",
            "Whether the network is joined by SAE (WPA3), which needs the passphrase itself on the host, and netplan \
                1.1 or later. Default: false.", Shape::Flag),
        key(
            "country",
            "a country code of two letters",
            r#"country = "IT""#,
            "The country of the host, which decides which channels it may use (ISO 3166-1). Default: as the image \
                has it.", Shape::Text),
        key(
            "hidden",
            "true or false",
            "hidden = true",
            "Whether the network does not show its name. Default: false.", Shape::Flag),
    ],
);

/// `dns_for`
pub(crate) static DNS_FOR_TABLE: TableSpec = TableSpec {
    header: "dns_for",
    called: "`dns_for`",
    about: "Domains, and the DNS servers for them.",
    keys: &[],
    free_keys: true,
};

/// `{ server = …, key = … }` in `ntp`
pub(crate) static KEYED_SERVER: TableSpec = table(
    "{ server = …, key = … } in ntp",
    "a time server with a key",
    "An authenticated time server; only chrony checks the key.",
    &[
        key(
            "server",
            "an address or a name",
            r#"server = "10.64.10.121""#,
            "The time server. Required.",
            Shape::Text,
        )
        .required(),
        key(
            "key",
            "the name of a key of the sheet",
            r#"key = "harbor""#,
            "The `[time_key.NAME]`. Required.",
            Shape::Text,
        )
        .required(),
    ],
);

/// `[pool.NAME]`
pub(crate) static POOL: TableSpec = table(
    "[pool.NAME]",
    "a pool",
    "Addresses or a VLAN that an appliance hands out itself, and that nothing else may use.",
    &[
        key(
            "prefix",
            "an IPv4 address and mask",
            r#"prefix = "10.128.0.0/16""#,
            "Its IPv4 addresses.",
            Shape::Text,
        ),
        key(
            "prefix6",
            "an IPv6 address and length",
            r#"prefix6 = "fd64:128::/64""#,
            "Its IPv6 addresses.",
            Shape::Text,
        ),
        key("vlan", "a number from 1 to 4094", "vlan = 128", "Its VLAN tag.", Shape::Number(1, 4094)),
    ],
);

/// `virtual_address` of a cluster
pub(crate) static VIRTUAL_ADDRESS: TableSpec = table(
    "virtual_address = { … } of a cluster",
    "`virtual_address`",
    "An address that the members of a cluster share.",
    &[SUBNET, ADDRESS, ADDRESS6],
);

/// `in_use` of a subnet
pub(crate) static IN_USE: TableSpec = TableSpec {
    header: "in_use",
    called: "in_use",
    about: "Addresses and who uses them.",
    keys: &[],
    free_keys: true,
};

/// `link.NAME` of a host
pub(crate) static HOST_LINK: TableSpec = table(
    "link.NAME of a host, or [host.link.NAME]",
    "a link of a host",
    "A network interface.",
    &[
        key(
            "kind",
            "\"ethernet\", \"wifi\", \"bond\", \"vlan\" or \"bridge\"",
            r#"kind = "bond""#,
            "What it is. Default: ethernet.",
            Shape::Word(&["ethernet", "wifi", "bond", "vlan", "bridge"]),
        ),
        key(
            "mac",
            "a MAC address",
            r#"mac = "02:64:10:00:00:21""#,
            "Ethernet and wifi: matches the interface by its MAC address, and gives it the link's name. Bond and \
                bridge: the MAC address that it gets; default: that of its first member. Default: the link is \
                matched by its name.",
            Shape::Text,
        ),
        key(
            "port",
            "the text \"only\"",
            r#"port = "only""#,
            "Matches the only interface of its kind, whatever the kernel calls it. Default: it is matched by `mac` \
                or by name.",
            Shape::Word(&["only"]),
        ),
        key(
            "subnet",
            "the name of a subnet of the sheet",
            r#"subnet = "quay""#,
            "The `[subnet.NAME]` that the link is in; mask and gateway come from it. Required, unless the link is a \
                member of another or has `address = \"none\"`.",
            Shape::Text,
        ),
        ADDRESS,
        ADDRESS6,
        HOST_NUMBER,
        HOST_NUMBER6,
        REPLACES,
        key(
            "more_addresses",
            "a list of addresses, or of tables",
            r#"more_addresses = ["10.64.10.32", { address = "10.64.203.9", outside_subnet = true }]"#,
            "Further addresses of its subnet. One that the network routes to this machine from elsewhere says so with \
                `outside_subnet`. Default: none.",
            Shape::TextsOr(&FURTHER_ADDRESS),
        ),
        DEFAULT_ROUTE,
        key(
            "routes",
            "a list of routes",
            r#"routes = [{ to = "10.64.96.0/20", via = "10.64.20.1" }]"#,
            "Routes to other networks that do not use the default route. Default: none.",
            Shape::Tables(&ROUTE),
        ),
        key(
            "routing_table",
            "a number from 1 to 252",
            "routing_table = 140",
            "The number of a routing table for this link, with the subnet's gateway as its default route, so that \
                replies leave through the link that the request came in on. Such a link is not used for the \
                machine's default route. Default: none.",
            Shape::Number(1, 252),
        ),
        key(
            "mtu",
            "a number of bytes",
            "mtu = 9000",
            "The MTU. Default: the subnet's `mtu`.",
            Shape::Number(68, 65_535),
        ),
        key(
            "wake_on_lan",
            "true or false",
            "wake_on_lan = true",
            "Whether wake-on-LAN is on (ethernet). Default: as the image has it.",
            Shape::Flag,
        ),
        key(
            "speed",
            "a number of megabits a second",
            "speed = 100",
            "A fixed speed in Mbit/s (ethernet). Default: autonegotiation.",
            Shape::Number(10, 400_000),
        ),
        key(
            "duplex",
            "\"full\" or \"half\"",
            r#"duplex = "full""#,
            "Full or half duplex, with a fixed speed. Default: full.",
            Shape::Word(&["full", "half"]),
        ),
        key(
            "link_local4",
            "true or false",
            "link_local4 = true",
            "Whether it also has an IPv4 link-local address (169.254.…). Default: false.",
            Shape::Flag,
        ),
        key(
            "members",
            "a list of links of the machine",
            r#"members = ["lan0", "lan1"]"#,
            "The links that a bond or a bridge is made of. Required for a bond.",
            Shape::TextList,
        ),
        key(
            "mode",
            "the mode of a bond",
            r#"mode = "active-backup""#,
            "`balance-rr`, `active-backup`, `balance-xor`, `broadcast`, `802.3ad`, `balance-tlb` or `balance-alb`. Required for a bond.",
            Shape::Word(&[
                "balance-rr",
                "active-backup",
                "balance-xor",
                "broadcast",
                "802.3ad",
                "balance-tlb",
                "balance-alb",
            ]),
        ),
        key(
            "primary",
            "a member of the bond",
            r#"primary = "lan0""#,
            "The member that is used while it works, in the modes active-backup, balance-tlb and balance-alb. \
                Default: none is preferred.",
            Shape::Text,
        ),
        key(
            "link_check_ms",
            "a number of milliseconds",
            "link_check_ms = 100",
            "How often a bond checks the carrier of its members. Default: 100.",
            Shape::Number(1, 60_000),
        ),
        key(
            "lacp_rate",
            "\"slow\" or \"fast\"",
            r#"lacp_rate = "fast""#,
            "The LACP rate, in mode 802.3ad. Default: slow.",
            Shape::Word(&["slow", "fast"]),
        ),
        key(
            "hash_policy",
            "\"layer2\", \"layer2+3\", \"layer3+4\", \"encap2+3\" or \"encap3+4\"",
            r#"hash_policy = "layer3+4""#,
            "The transmit hash policy, in the modes balance-xor and 802.3ad. Default: layer2.",
            Shape::Word(&["layer2", "layer2+3", "layer3+4", "encap2+3", "encap3+4"]),
        ),
        key(
            "over",
            "a link of the machine",
            r#"over = "uplink""#,
            "The link that the vlan is on; the VLAN ID is the subnet's. Required for a vlan.",
            Shape::Text,
        ),
        key(
            "spanning_tree",
            "true or false",
            "spanning_tree = true",
            "Whether a bridge uses the spanning tree protocol. Default: false, which suits a bridge for virtual \
                machines.",
            Shape::Flag,
        ),
    ],
);

/// An item of `more_addresses`
pub(crate) static FURTHER_ADDRESS: TableSpec = table(
    "{ address = …, outside_subnet = … } in more_addresses",
    "a further address",
    "A further address of a link.",
    &[
        key("address", "an address", r#"address = "10.64.203.9""#, "The address. Required.", Shape::Text)
            .required(),
        key(
            "outside_subnet",
            "true or false",
            "outside_subnet = true",
            "Whether the address is not one of the link's subnet: the network routes it to this machine. It gets the mask \
                that is written with it, or `/32` or `/128`. Default: false.",
            Shape::Flag,
        ),
    ],
);

/// An item of `routes`
pub(crate) static ROUTE: TableSpec = table(
    "{ to = …, via = … } in routes",
    "a route",
    "A route to another network.",
    &[
        key("to", "a prefix", r#"to = "10.64.96.0/20""#, "The network. Required.", Shape::Text).required(),
        key(
            "via",
            "an address",
            r#"via = "10.64.20.1""#,
            "The router for it, in the link's subnet. Required.",
            Shape::Text,
        )
        .required(),
        key(
            "metric",
            "a number",
            "metric = 200",
            "Of several routes to the same network, the one with the lowest metric is used. Default: the system's.",
            Shape::Number(0, 4_294_967_295),
        ),
    ],
);

/// `link.NAME` of an appliance
pub(crate) static APPLIANCE_LINK: TableSpec = table(
    "link.NAME of an appliance, or [appliance.link.NAME]",
    "a link of an appliance",
    "A network adapter of the virtual machine.",
    &[
        key(
            "network",
            "the name of a network of the package",
            r#"network = "Management""#,
            "The link's network, by its name in the package's descriptor. Default: not checked.",
            Shape::Text,
        ),
        SUBNET,
        ADDRESS,
        ADDRESS6,
        HOST_NUMBER,
        HOST_NUMBER6,
        REPLACES,
        DEFAULT_ROUTE,
    ],
);
