//! Every table and key that a sheet may hold, with what it means: the one list that reading, suggestions and
//! `docs/sheet.md` go by.

/// A key of a table.
#[derive(Debug)]
pub struct KeySpec {
    /// The key.
    pub name: &'static str,
    /// What its value is, as the end of "takes …".
    pub takes: &'static str,
    /// A right line with it.
    pub example: &'static str,
    /// What it does, and what holds when it is left out.
    pub about: &'static str,
}

/// A table of a sheet.
#[derive(Debug)]
pub struct TableSpec {
    /// How the table is written.
    pub header: &'static str,
    /// What messages call it.
    pub called: &'static str,
    /// What it is for.
    pub about: &'static str,
    /// The keys it may hold.
    pub keys: &'static [KeySpec],
    /// Whether keys of the administrator's own choice are allowed in place of `keys`.
    pub free_keys: bool,
}

impl TableSpec {
    /// The key with this name.
    pub fn key(&self, name: &str) -> Option<&'static KeySpec> {
        self.keys.iter().find(|key| key.name == name)
    }
}

const fn key(name: &'static str, takes: &'static str, example: &'static str, about: &'static str) -> KeySpec {
    KeySpec { name, takes, example, about }
}

const fn table(
    header: &'static str,
    called: &'static str,
    about: &'static str,
    keys: &'static [KeySpec],
) -> TableSpec {
    TableSpec { header, called, about, keys, free_keys: false }
}

const DOMAIN: KeySpec = key(
    "domain",
    "a domain name without a trailing dot",
    r#"domain = "capovetro.example""#,
    "Makes the full name of a machine: its name, a dot and the domain. Left out: machines have a short name only.",
);
const DNS: KeySpec = key(
    "dns",
    "a list of addresses, or \"none\"",
    r#"dns = ["10.64.10.53", "10.64.10.54"]"#,
    "Name servers, asked in this order (on a host netplan puts IPv4 ones before IPv6 ones). `\"none\"`: no name server, on purpose; as the last item of the list: no more than these, on purpose. Required, here or in `[common]`.",
);
const SEARCH: KeySpec = key(
    "search",
    "a list of domain names, or \"none\"",
    r#"search = ["capovetro.example"]"#,
    "Domains in which short names are looked up. Left out: none.",
);
const NTP: KeySpec = key(
    "ntp",
    "a list of addresses or names, or \"none\"",
    r#"ntp = ["10.64.10.121", "10.64.10.122", "10.64.10.123", "clock.capovetro.example"]"#,
    "Time servers. `\"none\"`: no time server, on purpose; as the last item of the list: no more than these, on purpose. Required, here or in `[common]`.",
);
const TIMEZONE: KeySpec = key(
    "timezone",
    "the name of a zone in the zone database",
    r#"timezone = "Europe/Rome""#,
    "Time zone, spelled as in the zone database. Required for every host, here or in `[common]`.",
);
const PURPOSE: KeySpec = key(
    "purpose",
    "\"production\" or \"lab\"",
    r#"purpose = "lab""#,
    "What the machines are for. In a lab, errors about credentials are warnings, and warnings of judgement are notes. Left out: production.",
);
const NAME_PATTERN: KeySpec = key(
    "name_pattern",
    "a regular expression",
    r#"name_pattern = "^[a-z]+(-[a-z]+)?(-[0-9]+)?$""#,
    "The site's own rule for host names, which each must match. Left out: any host name.",
);
const DNS_FOR: KeySpec = key(
    "dns_for",
    "a table of domains and lists of addresses",
    r#"dns_for = { "crane.example" = ["10.64.10.99"] }"#,
    "Domains whose names are asked at servers of their own, which are asked for nothing else. They are reached over the link whose subnet they are in, or else over the one with the default route. Left out: none.",
);
const LLMNR: KeySpec = key(
    "llmnr",
    "true or false",
    "llmnr = false",
    "Whether hosts look up and answer names by link-local multicast name resolution. Left out: as the image has it.",
);
const MULTICAST_DNS: KeySpec = key(
    "multicast_dns",
    "true or false",
    "multicast_dns = true",
    "Whether hosts look up and answer names by multicast DNS. Left out: as the image has it.",
);
const TIME_SERVICE: KeySpec = key(
    "time_service",
    "\"timesyncd\" or \"chrony\"",
    r#"time_service = "chrony""#,
    "The program on the hosts that sets the clock. Left out: timesyncd.",
);
const LOCALE: KeySpec = key(
    "locale",
    "the name of a locale",
    r#"locale = "it_IT.UTF-8""#,
    "Language and formats of the hosts. Left out: as the image has it.",
);
const CONSOLE_KEYBOARD: KeySpec = key(
    "console_keyboard",
    "the name of a keyboard layout",
    r#"console_keyboard = "it""#,
    "Keyboard layout of the hosts' console. Left out: as the image has it.",
);
const IPV6: KeySpec = key(
    "ipv6",
    "\"static\", \"off\" or \"auto\"",
    r#"ipv6 = "off""#,
    "`\"static\"`: the addresses of the sheet and no others; router advertisements are not listened to. `\"off\"`: no IPv6 at all, link-local addresses included. `\"auto\"`: addresses and gateway from router advertisements too. Left out: static.",
);
const NETPLAN: KeySpec = key(
    "netplan",
    "a version of netplan in quotes",
    r#"netplan = "0.106""#,
    "The oldest netplan among the hosts: no key that it does not know is written. Left out: 0.106.",
);
const RENDERER: KeySpec = key(
    "renderer",
    "\"networkd\" or \"NetworkManager\"",
    r#"renderer = "NetworkManager""#,
    "The program on the hosts that netplan writes for. Left out: networkd.",
);
const HOSTS_FILE: KeySpec = key(
    "hosts_file",
    "\"own\" or \"site\"",
    r#"hosts_file = "site""#,
    "Whose names `/etc/hosts` has: the host's own, or those of all machines of the sheet. Left out: its own.",
);
const SSH_KEY: KeySpec = key(
    "ssh",
    "a table",
    "ssh = { enabled = true, password_login = false, root_login = false }",
    "The SSH service of the hosts.",
);
const HOSTNAME: KeySpec = key(
    "hostname",
    "a host name of one label",
    r#"hostname = "tower""#,
    "Host name, where it is not the `name`.",
);
const FQDN: KeySpec = key(
    "fqdn",
    "a full name with its domain",
    r#"fqdn = "tower.lights.capovetro.example""#,
    "Full name, where it is not the host name and the domain. Its first label is the host name, unless `hostname` says otherwise.",
);
const SERVES: KeySpec = key(
    "serves",
    "a list of \"dns\" and \"ntp\"",
    r#"serves = ["ntp"]"#,
    "What the machine is itself a server of, so that it may have the address of such a server. Left out: of nothing.",
);
const CLUSTER_KEY: KeySpec = key(
    "cluster",
    "the name of a cluster of the sheet",
    r#"cluster = "logbook""#,
    "The `[cluster.NAME]` that the machine belongs to. Left out: none.",
);
const NAME: KeySpec = key(
    "name",
    "a host name of one label",
    r#"name = "gauge-01""#,
    "Name of the machine, its host name, and its folder in the output tree. A pattern, such as `gauge-{01..12}`, makes several machines of the entry. Required.",
);
const ROWS: KeySpec = key(
    "rows",
    "the path of a CSV file",
    r#"rows = "buoys.csv""#,
    "Makes a machine of the entry for each row of a CSV file with a header, from the folder of the sheet on: `{field}` in a text is the row's value. Left out: the entry makes one machine, or those of its ranges.",
);
const SUBNET: KeySpec = key(
    "subnet",
    "the name of a subnet of the sheet",
    r#"subnet = "quay""#,
    "The `[subnet.NAME]` that the link is in; mask and gateway come from it. Required.",
);
const ADDRESS: KeySpec = key(
    "address",
    "an IPv4 address, or \"none\"",
    r#"address = "10.64.10.11""#,
    "Static IPv4 address. It may carry its own mask, in any spelling, which must agree with the subnet's. A link has `address` or `address6` or both; `\"none\"` says that a family is left out on purpose.",
);
const ADDRESS6: KeySpec = key(
    "address6",
    "an IPv6 address, or \"none\"",
    r#"address6 = "fd64:10::11""#,
    "Static IPv6 address, under the same conditions.",
);
const DEFAULT_ROUTE: KeySpec = key(
    "default_route",
    "true or false",
    "default_route = false",
    "Whether the machine reaches everything else through this link's gateway. Left out: true. Of several links with a gateway, one alone may have it.",
);

/// The sheet itself.
pub(crate) const ROOT: TableSpec = table(
    "(top of the sheet)",
    "the sheet itself",
    "A sheet is one TOML file. Strings stand in quotes; a key stands once; what follows a `#` is a comment.",
    &[
        key("format", "the number 1", "format = 1", "Version of the sheet's format. Required, and 1."),
        key("common", "a table", "[common]", "Settings that all machines share."),
        key("subnet", "tables by name", "[subnet.quay]", "The subnets, a table each."),
        key(
            "pool",
            "tables by name",
            "[pool.logbook-internal]",
            "Addresses that an appliance hands out itself.",
        ),
        key("cluster", "tables by name", "[cluster.logbook]", "Machines that belong together, a table each."),
        key(
            "secret",
            "tables by name",
            "[secret.breakwater-wifi]",
            "Where confidential values come from, a table each.",
        ),
        key(
            "time_key",
            "tables by name",
            "[time_key.harbor]",
            "The keys with which time servers prove their answers, a table each.",
        ),
        key("account", "tables by name", "[account.keeper]", "The logins on hosts, a table each."),
        key("host", "entries", "[[host]]", "The hosts, an entry each."),
        key("appliance", "entries", "[[appliance]]", "The appliances, an entry each."),
        key("waiver", "entries", "[[waiver]]", "Rules that are set aside in writing, an entry each."),
    ],
);

/// `[common]`
pub(crate) const COMMON: TableSpec = table(
    "[common]",
    "[common]",
    "What all machines share. Every key but `site` may be repeated on a machine, where it replaces the value given here.",
    &[
        key(
            "site",
            "a text",
            r#"site = "Capo Vetro harbor""#,
            "What the sheet is about; shown by `review`. Left out: nothing is shown.",
        ),
        PURPOSE,
        DOMAIN,
        NAME_PATTERN,
        DNS,
        DNS_FOR,
        SEARCH,
        LLMNR,
        MULTICAST_DNS,
        NTP,
        TIME_SERVICE,
        TIMEZONE,
        LOCALE,
        CONSOLE_KEYBOARD,
        IPV6,
        NETPLAN,
        RENDERER,
        HOSTS_FILE,
        SSH_KEY,
    ],
);

/// `[subnet.NAME]`
pub(crate) const SUBNET_TABLE: TableSpec = table(
    "[subnet.NAME]",
    "a subnet",
    "A network of the site. It has `prefix` or `prefix6` or both.",
    &[
        key(
            "prefix",
            "an IPv4 address and mask",
            r#"prefix = "10.64.10.0/24""#,
            "IPv4 prefix. The mask is a length (`/24`), dotted (`/255.255.255.0`) or hexadecimal (`/0xffffff00`).",
        ),
        key(
            "gateway",
            "an IPv4 address, or \"none\"",
            r#"gateway = "10.64.10.1""#,
            "The router that leads out of the subnet. `\"none\"`: nothing leads out, on purpose. Required where a machine has its default route here.",
        ),
        key("prefix6", "an IPv6 address and length", r#"prefix6 = "fd64:10::/64""#, "IPv6 prefix."),
        key(
            "gateway6",
            "an IPv6 address, or \"none\"",
            r#"gateway6 = "fd64:10::1""#,
            "The IPv6 router, under the same conditions as `gateway`. A link-local address (`fe80::…`) is right here too.",
        ),
        key(
            "vlan",
            "a number from 1 to 4094",
            "vlan = 110",
            "Its tag, for links of kind vlan; other links meet it untagged. Left out: it has none.",
        ),
        key(
            "mtu",
            "a number of bytes",
            "mtu = 1500",
            "The largest packet that its links send. Left out: what the interface has by itself.",
        ),
        key(
            "hypervisor_network",
            "a text",
            r#"hypervisor_network = "quay-110""#,
            "What the hypervisor calls it; shown by `review`.",
        ),
        key(
            "wifi",
            "a table",
            r#"wifi = { ssid = "breakwater", passphrase = { from_secret = "breakwater-wifi" }, country = "IT" }"#,
            "How links of kind wifi join it. Required where there are such.",
        ),
        key(
            "dhcp_ranges",
            "a list of ranges",
            r#"dhcp_ranges = ["10.64.10.200-10.64.10.239"]"#,
            "Addresses that a DHCP server leases to others. Left out: none.",
        ),
        key(
            "kept_free",
            "a list of ranges",
            r#"kept_free = ["10.64.10.2-10.64.10.9"]"#,
            "Addresses that no machine of this sheet may have. Left out: none.",
        ),
        key(
            "in_use",
            "a table of addresses and their users",
            r#"in_use = { "10.64.10.40" = "crane controller" }"#,
            "Addresses that other machines of the subnet have, and which. Left out: none.",
        ),
    ],
);

/// `wifi` of a subnet
pub(crate) const WIFI: TableSpec = table(
    "wifi = { … } of a subnet",
    "`wifi` of a subnet",
    "The wireless network that the subnet is reached by.",
    &[
        key(
            "ssid",
            "a text of 1 to 32 bytes",
            r#"ssid = "breakwater""#,
            "Name of the wireless network. Required.",
        ),
        key(
            "passphrase",
            "a secret, or \"none\"",
            r#"passphrase = { from_secret = "breakwater-wifi" }"#,
            "Passphrase of the network (WPA2), from a `[secret.NAME]`. `\"none\"`: the network is open, on purpose. Required.",
        ),
        key(
            "country",
            "a country code of two letters",
            r#"country = "IT""#,
            "Where the radio is, which decides on the channels that it may use (ISO 3166-1). Left out: as the image has it.",
        ),
        key(
            "hidden",
            "true or false",
            "hidden = true",
            "Whether the network does not show its name. Left out: false.",
        ),
    ],
);

/// `ssh`
pub(crate) const SSH: TableSpec = table(
    "ssh = { … }",
    "`ssh`",
    "The SSH service of the hosts, in [common] or on a host.",
    &[
        key("enabled", "true or false", "enabled = true", "Whether it is switched on. Left out: true."),
        key(
            "password_login",
            "true or false",
            "password_login = false",
            "Whether a password opens a login. Left out: false.",
        ),
        key("root_login", "true or false", "root_login = false", "Whether root may log in. Left out: false."),
    ],
);

/// `dns_for`
pub(crate) const DNS_FOR_TABLE: TableSpec = TableSpec {
    header: "dns_for",
    called: "`dns_for`",
    about: "Domains, and the servers that are asked for their names.",
    keys: &[],
    free_keys: true,
};

/// `{ server = …, key = … }` in `ntp`
pub(crate) const KEYED_SERVER: TableSpec = table(
    "{ server = …, key = … } in ntp",
    "a time server with a key",
    "A time server that proves its answers; chrony alone checks them.",
    &[
        key("server", "an address or a name", r#"server = "10.64.10.121""#, "The time server. Required."),
        key("key", "the name of a key of the sheet", r#"key = "harbor""#, "The `[time_key.NAME]`. Required."),
    ],
);

/// `{ from_secret = … }`
pub(crate) const FROM_SECRET: TableSpec = table(
    "{ from_secret = … }",
    "a secret value",
    "A value that does not stand in the sheet.",
    &[key(
        "from_secret",
        "the name of a secret of the sheet",
        r#"from_secret = "breakwater-wifi""#,
        "The `[secret.NAME]` that says where the value comes from.",
    )],
);

/// `[pool.NAME]`
pub(crate) const POOL: TableSpec = table(
    "[pool.NAME]",
    "a pool",
    "Addresses or a VLAN that an appliance hands out itself, and that nothing else may use.",
    &[
        key("prefix", "an IPv4 address and mask", r#"prefix = "10.128.0.0/16""#, "Its IPv4 addresses."),
        key("prefix6", "an IPv6 address and length", r#"prefix6 = "fd64:128::/64""#, "Its IPv6 addresses."),
        key("vlan", "a number from 1 to 4094", "vlan = 128", "Its VLAN tag."),
    ],
);

/// `[cluster.NAME]`
pub(crate) const CLUSTER: TableSpec = table(
    "[cluster.NAME]",
    "a cluster",
    "Machines that belong together.",
    &[key(
        "virtual_address",
        "a table",
        r#"virtual_address = { subnet = "quay", address = "10.64.10.60" }"#,
        "The address that one of them answers at. Left out: none.",
    )],
);

/// `virtual_address` of a cluster
pub(crate) const VIRTUAL_ADDRESS: TableSpec = table(
    "virtual_address = { … } of a cluster",
    "`virtual_address`",
    "An address that the members of a cluster share.",
    &[SUBNET, ADDRESS, ADDRESS6],
);

/// `[secret.NAME]`
pub(crate) const SECRET: TableSpec = table(
    "[secret.NAME]",
    "a secret",
    "Where a confidential value comes from. The value itself never stands in a sheet.",
    &[
        key("from", "\"file\"", r#"from = "file""#, "The kind of source. Required."),
        key(
            "path",
            "the path of a file",
            r#"path = "breakwater-wifi.secret""#,
            "The file that holds the value on its only line, from the folder of the sheet on. Required.",
        ),
    ],
);

/// `[time_key.NAME]`
pub(crate) const TIME_KEY: TableSpec = table(
    "[time_key.NAME]",
    "a time key",
    "A key that a time server and its clients share.",
    &[
        key(
            "number",
            "a number from 1 to 4294967295",
            "number = 10",
            "What the server calls the key. Required.",
        ),
        key(
            "hash",
            "\"SHA256\", \"SHA384\", \"SHA512\", \"SHA1\" or \"AES128\"",
            r#"hash = "SHA256""#,
            "How the key is used. Left out: SHA256.",
        ),
        key(
            "value",
            "a secret",
            r#"value = { from_secret = "harbor-clock" }"#,
            "The key itself, as text or as `HEX:` and hexadecimal digits. Required.",
        ),
    ],
);

/// `[[waiver]]`
pub(crate) const WAIVER: TableSpec = table(
    "[[waiver]]",
    "a waiver",
    "Sets a rule of judgement aside for some machines, with a reason and an end.",
    &[
        key("rule", "the name of a rule", r#"rule = "ntp-too-few""#, "The rule. Required."),
        key(
            "machines",
            "a list of machine names, with * and ? as wildcards",
            r#"machines = ["buoy-*"]"#,
            "The machines that it is set aside for. Left out: all, and the sheet itself.",
        ),
        key(
            "reason",
            "a text",
            r#"reason = "one clock on the mole until the cable is laid""#,
            "Why. Required.",
        ),
        key("until", "a date", "until = 2027-06-30", "The last day on which the waiver counts. Required."),
    ],
);

/// `in_use` of a subnet
pub(crate) const IN_USE: TableSpec = TableSpec {
    header: "in_use",
    called: "in_use",
    about: "Addresses and who uses them.",
    keys: &[],
    free_keys: true,
};

/// `[account.NAME]`
pub(crate) const ACCOUNT: TableSpec = table(
    "[account.NAME]",
    "an account",
    "A login on hosts, which is entered with an SSH key.",
    &[
        key("full_name", "a text", r#"full_name = "Harbor keeper""#, "Whose login it is. Left out: empty."),
        key("admin", "true or false", "admin = true", "Whether the login may act as root. Left out: false."),
        key(
            "ssh_keys",
            "a list of public key files, or public keys",
            r#"ssh_keys = ["keys/keeper.pub"]"#,
            "SSH public keys that open the login: paths of files, from the folder of the sheet on, or the keys themselves. A file may hold several, a line each. Required.",
        ),
        key(
            "hosts",
            "a list of host names, with * and ? as wildcards",
            r#"hosts = ["gauge-*", "signal-tower"]"#,
            "The hosts that get the login. Left out: every host.",
        ),
    ],
);

/// `[[host]]`
pub(crate) const HOST: TableSpec = table(
    "[[host]]",
    "a host",
    "A headless Linux machine, prepared through netplan and files under `/etc`.",
    &[
        NAME,
        ROWS,
        HOSTNAME,
        FQDN,
        SERVES,
        CLUSTER_KEY,
        PURPOSE,
        DOMAIN,
        NAME_PATTERN,
        DNS,
        DNS_FOR,
        SEARCH,
        LLMNR,
        MULTICAST_DNS,
        NTP,
        TIME_SERVICE,
        TIMEZONE,
        LOCALE,
        CONSOLE_KEYBOARD,
        IPV6,
        NETPLAN,
        RENDERER,
        HOSTS_FILE,
        SSH_KEY,
        key(
            "link",
            "tables by name",
            r#"link.eth0 = { subnet = "quay", address = "10.64.10.11" }"#,
            "The network links, by the kernel's name for the interface. At least one.",
        ),
    ],
);

/// `link.NAME` of a host
pub(crate) const HOST_LINK: TableSpec = table(
    "link.NAME of a host, or [host.link.NAME]",
    "a link of a host",
    "A network interface.",
    &[
        key(
            "kind",
            "\"ethernet\", \"wifi\", \"bond\", \"vlan\" or \"bridge\"",
            r#"kind = "bond""#,
            "What it is. Left out: ethernet.",
        ),
        key(
            "mac",
            "a MAC address",
            r#"mac = "02:64:10:00:00:21""#,
            "Ethernet and wifi: finds the interface by its address, and gives it the link's name. Bond and bridge: the address that it takes; left out, that of its first member. Left out: the link's name is the kernel's.",
        ),
        key(
            "port",
            "the text \"only\"",
            r#"port = "only""#,
            "Finds the interface as the only one of its kind, whatever the kernel calls it. Left out: it is found by `mac` or by name.",
        ),
        key(
            "subnet",
            "the name of a subnet of the sheet",
            r#"subnet = "quay""#,
            "The `[subnet.NAME]` that the link is in; mask and gateway come from it. Required, unless the link is a member of another or says that it has no address.",
        ),
        ADDRESS,
        ADDRESS6,
        key(
            "more_addresses",
            "a list of addresses",
            r#"more_addresses = ["10.64.10.32", "fd64:10::32"]"#,
            "Further addresses of its subnet. Left out: none.",
        ),
        DEFAULT_ROUTE,
        key(
            "routes",
            "a list of routes",
            r#"routes = [{ to = "10.64.96.0/20", via = "10.64.20.1" }]"#,
            "Ways to other networks than through the default route. Left out: none.",
        ),
        key(
            "own_table",
            "a number from 1 to 252",
            "own_table = 140",
            "A routing table of its own, of this number, with the subnet's gateway as its default route, so that answers to what came in on this link leave by it. Such a link has no part in the default route of the machine. Left out: none.",
        ),
        key(
            "mtu",
            "a number of bytes",
            "mtu = 9000",
            "The largest packet that it sends. Left out: the subnet's `mtu`.",
        ),
        key(
            "wake_on_lan",
            "true or false",
            "wake_on_lan = true",
            "Whether a magic packet wakes the machine (ethernet). Left out: as the image has it.",
        ),
        key(
            "speed",
            "a number of megabits a second",
            "speed = 100",
            "A fixed speed in place of the one that both ends agree on (ethernet). Left out: both ends agree.",
        ),
        key(
            "duplex",
            "\"full\" or \"half\"",
            r#"duplex = "full""#,
            "Whether both directions are used at once, at a fixed speed. Left out: full.",
        ),
        key(
            "link_local4",
            "true or false",
            "link_local4 = true",
            "Whether it has an IPv4 link-local address (169.254.…) besides. Left out: false.",
        ),
        key(
            "members",
            "a list of links of the machine",
            r#"members = ["lan0", "lan1"]"#,
            "The links that a bond or a bridge is made of. Required for a bond.",
        ),
        key(
            "mode",
            "the mode of a bond",
            r#"mode = "active-backup""#,
            "`balance-rr`, `active-backup`, `balance-xor`, `broadcast`, `802.3ad`, `balance-tlb` or `balance-alb`. Required for a bond.",
        ),
        key(
            "primary",
            "a member of the bond",
            r#"primary = "lan0""#,
            "The member that is used while it works, in the modes active-backup, balance-tlb and balance-alb. Left out: none is preferred.",
        ),
        key(
            "watch_every",
            "a number of milliseconds",
            "watch_every = 100",
            "How often a bond looks whether its members have a carrier. Left out: 100.",
        ),
        key(
            "lacp_rate",
            "\"slow\" or \"fast\"",
            r#"lacp_rate = "fast""#,
            "How often the switch is asked to speak, in mode 802.3ad. Left out: slow.",
        ),
        key(
            "spread_by",
            "\"layer2\", \"layer2+3\", \"layer3+4\", \"encap2+3\" or \"encap3+4\"",
            r#"spread_by = "layer3+4""#,
            "What decides on the member that a packet leaves by, in the modes balance-xor and 802.3ad. Left out: layer2.",
        ),
        key(
            "over",
            "a link of the machine",
            r#"over = "uplink""#,
            "The link that carries a vlan; the tag is the subnet's. Required for a vlan.",
        ),
        key(
            "spanning_tree",
            "true or false",
            "spanning_tree = true",
            "Whether a bridge takes part in the spanning tree. Left out: false, which suits a bridge for virtual machines.",
        ),
    ],
);

/// An item of `routes`
pub(crate) const ROUTE: TableSpec = table(
    "{ to = …, via = … } in routes",
    "a route",
    "A way to another network.",
    &[
        key("to", "a prefix", r#"to = "10.64.96.0/20""#, "The network. Required."),
        key(
            "via",
            "an address",
            r#"via = "10.64.20.1""#,
            "The router in the link's subnet that leads there. Required.",
        ),
        key(
            "metric",
            "a number",
            "metric = 200",
            "Of several routes to the same network, the one with the lowest number is taken. Left out: the system's.",
        ),
    ],
);

/// `[[appliance]]`
pub(crate) const APPLIANCE: TableSpec = table(
    "[[appliance]]",
    "an appliance",
    "A virtual machine prepared through the properties of its OVF package.",
    &[
        NAME,
        ROWS,
        HOSTNAME,
        FQDN,
        SERVES,
        CLUSTER_KEY,
        PURPOSE,
        DOMAIN,
        NAME_PATTERN,
        DNS,
        SEARCH,
        NTP,
        TIMEZONE,
        key(
            "package",
            "the path of an OVF descriptor",
            r#"package = "packages/logbook.ovf""#,
            "The package's OVF descriptor, from the folder of the sheet on. Required.",
        ),
        key(
            "link",
            "tables by name",
            r#"link.management = { network = "Management", subnet = "quay", address = "10.64.10.61" }"#,
            "The network links, by a name of your own. At least one.",
        ),
        key(
            "answer",
            "a table of properties and their answers",
            "[appliance.answer]",
            "What the package's properties are to be. Best kept as the last table of the entry.",
        ),
    ],
);

/// `link.NAME` of an appliance
pub(crate) const APPLIANCE_LINK: TableSpec = table(
    "link.NAME of an appliance, or [appliance.link.NAME]",
    "a link of an appliance",
    "A network adapter of the virtual machine.",
    &[
        key(
            "network",
            "the name of a network of the package",
            r#"network = "Management""#,
            "The network in the package's descriptor that the link is on. Left out: not checked.",
        ),
        SUBNET,
        ADDRESS,
        ADDRESS6,
        DEFAULT_ROUTE,
    ],
);

/// `[appliance.answer]`
pub(crate) const ANSWER: TableSpec = TableSpec {
    header: "[appliance.answer]",
    called: "[appliance.answer]",
    about: "A line for each property: its id (`class.key.instance`, in quotes), and a text, a number, true or false, or a value of the sheet that is taken: `{ take = \"address\" }`.",
    keys: &[],
    free_keys: true,
};

/// `{ take = … }`
pub(crate) const TAKE: TableSpec = table(
    "{ take = … }",
    "a value that is taken",
    "A value that the sheet holds elsewhere, so that it is written once.",
    &[
        key(
            "take",
            "the word for a value",
            r#"take = "address""#,
            "One of `address` `address6` `netmask` `prefix-length` `prefix-length6` `address-with-prefix` `gateway` `gateway6` `network-address` `broadcast-address` `hostname` `fqdn` `domain` `dns` `dns-1` `dns-2` `search` `ntp` `ntp-1` `ntp-2` `timezone`.",
        ),
        key(
            "of",
            "the name of a machine or subnet of the sheet",
            r#"of = "signal-tower""#,
            "Whose value it is. Left out: the appliance's own.",
        ),
        key(
            "link",
            "the name of a link",
            r#"link = "management""#,
            "Of which link, where the machine has several. Left out: the one that leads out, or its only link.",
        ),
        key(
            "nth",
            "a number from 1 on",
            "nth = 2",
            "Which of several values. Left out: all of them, with `join` between them.",
        ),
        key(
            "join",
            "a text",
            r#"join = ",""#,
            "What stands between several values. Required, or `nth`, where there are several.",
        ),
    ],
);

/// All of them, in the order in which a sheet is usually written.
pub const KEYS: &[&TableSpec] = &[
    &ROOT,
    &COMMON,
    &SSH,
    &DNS_FOR_TABLE,
    &KEYED_SERVER,
    &SUBNET_TABLE,
    &WIFI,
    &POOL,
    &SECRET,
    &FROM_SECRET,
    &TIME_KEY,
    &ACCOUNT,
    &HOST,
    &HOST_LINK,
    &ROUTE,
    &CLUSTER,
    &VIRTUAL_ADDRESS,
    &APPLIANCE,
    &APPLIANCE_LINK,
    &ANSWER,
    &TAKE,
    &WAIVER,
];
