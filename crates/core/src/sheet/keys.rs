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
    /// The form of its value.
    pub shape: Shape,
    /// Whether its table is nothing without it.
    pub is_required: bool,
}

/// The form of a value, as far as a key alone decides on it.
#[derive(Clone, Copy, Debug)]
pub enum Shape {
    /// A text.
    Text,
    /// One of these words.
    Word(&'static [&'static str]),
    /// True or false.
    Flag,
    /// A whole number from the first to the second.
    Number(i64, i64),
    /// A day.
    Date,
    /// A list of texts.
    TextList,
    /// A list of these words.
    Words(&'static [&'static str]),
    /// A list of texts, or of tables of these kinds, or `"none"` in its place.
    List(&'static [&'static TableSpec]),
    /// A table of lists, by a name of the administrator's choice.
    Lists,
    /// A table of texts, by a name of the administrator's choice.
    Texts,
    /// A table.
    Table(&'static TableSpec),
    /// A list of tables.
    Tables(&'static TableSpec),
    /// Tables by a name of the administrator's choice.
    Named(&'static TableSpec),
    /// An array of tables.
    Entries(&'static TableSpec),
    /// `{ from_secret = … }`, or `"none"`.
    Secret,
    /// A table of answers to properties.
    Answers,
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

impl KeySpec {
    const fn required(mut self) -> Self {
        self.is_required = true;
        self
    }
}

const fn key(
    name: &'static str,
    takes: &'static str,
    example: &'static str,
    about: &'static str,
    shape: Shape,
) -> KeySpec {
    KeySpec { name, takes, example, about, shape, is_required: false }
}

const fn table(
    header: &'static str,
    called: &'static str,
    about: &'static str,
    keys: &'static [KeySpec],
) -> TableSpec {
    TableSpec { header, called, about, keys, free_keys: false }
}

/// What a list of name servers may hold beside texts.
const NAME_SERVER_ITEMS: &[&TableSpec] = &[&TAKE];
/// What a list of time servers may hold beside texts.
const TIME_SERVER_ITEMS: &[&TableSpec] = &[&TAKE, &KEYED_SERVER];

const DOMAIN: KeySpec = key(
    "domain",
    "a domain name without a trailing dot",
    r#"domain = "capovetro.example""#,
    "Makes the full name of a machine: its name, a dot and the domain. Left out: machines have a short name only.",
    Shape::Text,
);
const DNS: KeySpec = key(
    "dns",
    "a list of addresses, or \"none\"",
    r#"dns = ["10.64.10.53", "10.64.10.54"]"#,
    "Name servers, asked in this order (on a host netplan puts IPv4 ones before IPv6 ones). `\"none\"`: no name server, on purpose; as the last item of the list: no more than these, on purpose. Required, here or in `[common]`.",
    Shape::List(NAME_SERVER_ITEMS),
);
const SEARCH: KeySpec = key(
    "search",
    "a list of domain names, or \"none\"",
    r#"search = ["capovetro.example"]"#,
    "Domains in which short names are looked up. Left out: none.",
    Shape::List(&[]),
);
const NTP: KeySpec = key(
    "ntp",
    "a list of addresses or names, or \"none\"",
    r#"ntp = ["10.64.10.121", "10.64.10.122", "10.64.10.123", "clock.capovetro.example"]"#,
    "Time servers. `\"none\"`: no time server, on purpose; as the last item of the list: no more than these, on purpose. Required, here or in `[common]`.",
    Shape::List(TIME_SERVER_ITEMS),
);
const TIMEZONE: KeySpec = key(
    "timezone",
    "the name of a zone in the zone database",
    r#"timezone = "Europe/Rome""#,
    "Time zone, spelled as in the zone database. Required for every host, here or in `[common]`.",
    Shape::Text,
);
const PURPOSE: KeySpec = key(
    "purpose",
    "\"production\" or \"lab\"",
    r#"purpose = "lab""#,
    "What the machines are for. In a lab, errors about credentials are warnings, and warnings of judgement are notes. Left out: production.",
    Shape::Word(&["production", "lab"]),
);
const NAME_PATTERN: KeySpec = key(
    "name_pattern",
    "a regular expression",
    r#"name_pattern = "^[a-z]+(-[a-z]+)?(-[0-9]+)?$""#,
    "The site's own rule for host names, which each must match. Left out: any host name.",
    Shape::Text,
);
const DNS_FOR: KeySpec = key(
    "dns_for",
    "a table of domains and lists of addresses",
    r#"dns_for = { "crane.example" = ["10.64.10.99"] }"#,
    "Domains whose names are asked at servers of their own, which are asked for nothing else. They are reached over the link whose subnet they are in, or else over the one with the default route. Left out: none.",
    Shape::Lists,
);
const LLMNR: KeySpec = key(
    "llmnr",
    "true or false",
    "llmnr = false",
    "Whether hosts look up and answer names by link-local multicast name resolution. Left out: as the image has it.",
    Shape::Flag,
);
const MULTICAST_DNS: KeySpec = key(
    "multicast_dns",
    "true or false",
    "multicast_dns = true",
    "Whether hosts look up and answer names by multicast DNS. Left out: as the image has it.",
    Shape::Flag,
);
const TIME_SERVICE: KeySpec = key(
    "time_service",
    "\"timesyncd\" or \"chrony\"",
    r#"time_service = "chrony""#,
    "The program on the hosts that sets the clock. Left out: timesyncd.",
    Shape::Word(&["timesyncd", "chrony"]),
);
const LOCALE: KeySpec = key(
    "locale",
    "the name of a locale",
    r#"locale = "it_IT.UTF-8""#,
    "Language and formats of the hosts. Left out: as the image has it.",
    Shape::Text,
);
const CONSOLE_KEYBOARD: KeySpec = key(
    "console_keyboard",
    "the name of a keyboard layout",
    r#"console_keyboard = "it""#,
    "Keyboard layout of the hosts' console. Left out: as the image has it.",
    Shape::Text,
);
const IPV6: KeySpec = key(
    "ipv6",
    "\"static\", \"off\" or \"auto\"",
    r#"ipv6 = "off""#,
    "`\"static\"`: the addresses of the sheet and no others; router advertisements are not listened to. `\"off\"`: no IPv6 at all, link-local addresses included. `\"auto\"`: addresses and gateway from router advertisements too. Left out: static.",
    Shape::Word(&["static", "off", "auto"]),
);
const NETPLAN: KeySpec = key(
    "netplan",
    "a version of netplan in quotes",
    r#"netplan = "0.106""#,
    "The oldest netplan among the hosts: no key that it does not know is written. Left out: 0.106.",
    Shape::Text,
);
const RENDERER: KeySpec = key(
    "renderer",
    "\"networkd\" or \"NetworkManager\"",
    r#"renderer = "NetworkManager""#,
    "The program on the hosts that netplan writes for. Left out: networkd.",
    Shape::Word(&["networkd", "NetworkManager"]),
);
const HOSTS_FILE: KeySpec = key(
    "hosts_file",
    "\"own\" or \"site\"",
    r#"hosts_file = "site""#,
    "Whose names `/etc/hosts` has: the host's own, or those of all machines of the sheet. Left out: its own.",
    Shape::Word(&["own", "site"]),
);
const STOCK_LOGINS: KeySpec = key(
    "stock_logins",
    "\"lock\", \"keep\" or \"refuse\"",
    r#"stock_logins = "lock""#,
    "What becomes of logins that a host's image brings along and the sheet does not name: they are locked, kept as they are, or the image is refused. Left out: lock.",
    Shape::Word(&["lock", "keep", "refuse"]),
);
const PASSWORD_HASH: KeySpec = key(
    "password_hash",
    "\"yescrypt\" or \"sha512\"",
    r#"password_hash = "yescrypt""#,
    "How passwords of logins are hashed; systems older than Debian 11 know `\"sha512\"` only. Left out: yescrypt.",
    Shape::Word(&["yescrypt", "sha512"]),
);
const PASSWORD_COST: KeySpec = key(
    "password_cost",
    "a number: 1 to 11 for yescrypt, 1000 to 999999999 for sha512",
    "password_cost = 5",
    "How long hashing takes: for yescrypt each step doubles time and memory, for SHA-512 these are the rounds. Left out: 5, which is Debian's, or 500000.",
    Shape::Number(1, 999_999_999),
);
const SSH_KEY: KeySpec = key(
    "ssh",
    "a table",
    "ssh = { enabled = true, password_login = false, root_login = false }",
    "The SSH service of the hosts.",
    Shape::Table(&SSH),
);
const HOSTNAME: KeySpec = key(
    "hostname",
    "a host name of one label",
    r#"hostname = "tower""#,
    "Host name, where it is not the `name`.",
    Shape::Text,
);
const FQDN: KeySpec = key(
    "fqdn",
    "a full name with its domain",
    r#"fqdn = "tower.lights.capovetro.example""#,
    "Full name, where it is not the host name and the domain. Its first label is the host name, unless `hostname` says otherwise.",
    Shape::Text,
);
const SERVES: KeySpec = key(
    "serves",
    "a list of \"dns\" and \"ntp\"",
    r#"serves = ["ntp"]"#,
    "What the machine is itself a server of, so that it may have the address of such a server. Left out: of nothing.",
    Shape::Words(&["dns", "ntp"]),
);
const CLUSTER_KEY: KeySpec = key(
    "cluster",
    "the name of a cluster of the sheet",
    r#"cluster = "logbook""#,
    "The `[cluster.NAME]` that the machine belongs to. Left out: none.",
    Shape::Text,
);
const NAME: KeySpec = key(
    "name",
    "a host name of one label",
    r#"name = "gauge-01""#,
    "Name of the machine, its folder in the output tree, and its host name unless `hostname` or `fqdn` says otherwise. A pattern, such as `gauge-{01..12}`, makes several machines of the entry. Required.", Shape::Text).required();
const ROWS: KeySpec = key(
    "rows",
    "the path of a CSV file",
    r#"rows = "buoys.csv""#,
    "Makes a machine of the entry for each row of a CSV file with a header, from the folder of the sheet on: `{field}` in a text is the row's value. Left out: the entry makes one machine, or those of its ranges.",
    Shape::Text,
);
const SUBNET: KeySpec = key(
    "subnet",
    "the name of a subnet of the sheet",
    r#"subnet = "quay""#,
    "The `[subnet.NAME]` that the link is in; mask and gateway come from it. Required.",
    Shape::Text,
)
.required();
const ADDRESS: KeySpec = key(
    "address",
    "an IPv4 address, or \"none\"",
    r#"address = "10.64.10.11""#,
    "Static IPv4 address. It may carry its own mask, in any spelling, which must agree with the subnet's. A link has `address` or `address6` or both; `\"none\"` says that a family is left out on purpose.",
    Shape::Text,
);
const ADDRESS6: KeySpec = key(
    "address6",
    "an IPv6 address, or \"none\"",
    r#"address6 = "fd64:10::11""#,
    "Static IPv6 address, under the same conditions.",
    Shape::Text,
);
const DEFAULT_ROUTE: KeySpec = key(
    "default_route",
    "true or false",
    "default_route = false",
    "Whether the machine reaches everything else through this link's gateway. Left out: true. Of several links with a gateway, one alone may have it.",
    Shape::Flag,
);

/// The sheet itself.
pub(crate) static ROOT: TableSpec = table(
    "(top of the sheet)",
    "the sheet itself",
    "A sheet is one TOML file. Strings stand in quotes; a key stands once; what follows a `#` is a comment.",
    &[
        key(
            "format",
            "the number 1",
            "format = 1",
            "Version of the sheet's format. Required, and 1.",
            Shape::Number(1, 1),
        )
        .required(),
        key("common", "a table", "[common]", "Settings that all machines share.", Shape::Table(&COMMON)),
        key(
            "subnet",
            "tables by name",
            "[subnet.quay]",
            "The subnets, a table each.",
            Shape::Named(&SUBNET_TABLE),
        ),
        key(
            "pool",
            "tables by name",
            "[pool.logbook-internal]",
            "Addresses that an appliance hands out itself.",
            Shape::Named(&POOL),
        ),
        key(
            "cluster",
            "tables by name",
            "[cluster.logbook]",
            "Machines that belong together, a table each.",
            Shape::Named(&CLUSTER),
        ),
        key(
            "secret",
            "tables by name",
            "[secret.breakwater-wifi]",
            "Where confidential values come from, a table each.",
            Shape::Named(&SECRET),
        ),
        key(
            "time_key",
            "tables by name",
            "[time_key.harbor]",
            "The keys with which time servers prove their answers, a table each.",
            Shape::Named(&TIME_KEY),
        ),
        key(
            "account",
            "tables by name",
            "[account.keeper]",
            "The logins on hosts, a table each.",
            Shape::Named(&ACCOUNT),
        ),
        key("host", "entries", "[[host]]", "The hosts, an entry each.", Shape::Entries(&HOST)),
        key(
            "appliance",
            "entries",
            "[[appliance]]",
            "The appliances, an entry each.",
            Shape::Entries(&APPLIANCE),
        ),
        key(
            "waiver",
            "entries",
            "[[waiver]]",
            "Rules that are set aside in writing, an entry each.",
            Shape::Entries(&WAIVER),
        ),
    ],
);

/// `[common]`
pub(crate) static COMMON: TableSpec = table(
    "[common]",
    "[common]",
    "What all machines share. Every key but `site` and `refused_passwords` may be repeated on a machine, where it replaces the value given here.",
    &[
        key(
            "site",
            "a text",
            r#"site = "Capo Vetro harbor""#,
            "What the sheet is about; shown by `review`. Left out: nothing is shown.",
            Shape::Text,
        ),
        key(
            "refused_passwords",
            "the path of a file",
            r#"refused_passwords = "refused-passwords.txt""#,
            "A file of passwords, a line each, that no secret may be, beside those that everybody knows; from the folder of the sheet on. Left out: none.",
            Shape::Text,
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
        STOCK_LOGINS,
        PASSWORD_HASH,
        PASSWORD_COST,
    ],
);

/// `[subnet.NAME]`
pub(crate) static SUBNET_TABLE: TableSpec = table(
    "[subnet.NAME]",
    "a subnet",
    "A network of the site. It has `prefix` or `prefix6` or both.",
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
            "The router that leads out of the subnet. `\"none\"`: nothing leads out, on purpose. Required where a machine has its default route here.",
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
            "The IPv6 router, under the same conditions as `gateway`. A link-local address (`fe80::…`) is right here too.",
            Shape::Text,
        ),
        key(
            "vlan",
            "a number from 1 to 4094",
            "vlan = 110",
            "Its tag, for links of kind vlan; other links meet it untagged. Left out: it has none.",
            Shape::Number(1, 4094),
        ),
        key(
            "mtu",
            "a number of bytes",
            "mtu = 1500",
            "The largest packet that its links send. Left out: what the interface has by itself.",
            Shape::Number(68, 65_535),
        ),
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
            r#"wifi = { ssid = "breakwater", passphrase = { from_secret = "breakwater-wifi" }, country = "IT" }"#,
            "How links of kind wifi join it. Required where there are such.",
            Shape::Table(&WIFI),
        ),
        key(
            "dhcp_ranges",
            "a list of ranges",
            r#"dhcp_ranges = ["10.64.10.200-10.64.10.239"]"#,
            "Addresses that a DHCP server leases to others. Left out: none.",
            Shape::TextList,
        ),
        key(
            "kept_free",
            "a list of ranges",
            r#"kept_free = ["10.64.10.2-10.64.10.9"]"#,
            "Addresses that no machine of this sheet may have. Left out: none.",
            Shape::TextList,
        ),
        key(
            "in_use",
            "a table of addresses and their users",
            r#"in_use = { "10.64.10.40" = "crane controller" }"#,
            "Addresses that other machines of the subnet have, and which. Left out: none.",
            Shape::Texts,
        ),
    ],
);

/// `wifi` of a subnet
pub(crate) static WIFI: TableSpec = table(
    "wifi = { … } of a subnet",
    "`wifi` of a subnet",
    "The wireless network that the subnet is reached by.",
    &[
        key(
            "ssid",
            "a text of 1 to 32 bytes",
            r#"ssid = "breakwater""#,
            "Name of the wireless network. Required.", Shape::Text).required(),
        key(
            "passphrase",
            "a secret, or \"none\"",
            r#"passphrase = { from_secret = "breakwater-wifi" }"#,
            "Passphrase of the network, from a `[secret.NAME]`. Hosts get the key that is derived from it (WPA2), or the passphrase itself where `sae` is true. `\"none\"`: the network is open, on purpose. Required.", Shape::Secret).required(),
        key(
            "sae",
            "true or false",
            "sae = true",
            "Whether the network is joined by SAE (WPA3), which needs the passphrase itself on the host, and netplan 1.1 or later. Left out: false.", Shape::Flag),
        key(
            "country",
            "a country code of two letters",
            r#"country = "IT""#,
            "Where the radio is, which decides on the channels that it may use (ISO 3166-1). Left out: as the image has it.", Shape::Text),
        key(
            "hidden",
            "true or false",
            "hidden = true",
            "Whether the network does not show its name. Left out: false.", Shape::Flag),
    ],
);

/// `ssh`
pub(crate) static SSH: TableSpec = table(
    "ssh = { … }",
    "`ssh`",
    "The SSH service of the hosts, in [common] or on a host.",
    &[
        key(
            "enabled",
            "true or false",
            "enabled = true",
            "Whether it is switched on. Left out: true.",
            Shape::Flag,
        ),
        key(
            "password_login",
            "true or false",
            "password_login = false",
            "Whether a password opens a login. Left out: false.",
            Shape::Flag,
        ),
        key(
            "root_login",
            "true or false",
            "root_login = false",
            "Whether root may log in. Left out: false.",
            Shape::Flag,
        ),
        key(
            "host_key",
            "true or false",
            "host_key = true",
            "Whether the host gets an SSH host key that was made beforehand and is kept in the store, so that `known_hosts` knows it before it is there. Left out: false.",
            Shape::Flag,
        ),
    ],
);

/// `dns_for`
pub(crate) static DNS_FOR_TABLE: TableSpec = TableSpec {
    header: "dns_for",
    called: "`dns_for`",
    about: "Domains, and the servers that are asked for their names.",
    keys: &[],
    free_keys: true,
};

/// `{ server = …, key = … }` in `ntp`
pub(crate) static KEYED_SERVER: TableSpec = table(
    "{ server = …, key = … } in ntp",
    "a time server with a key",
    "A time server that proves its answers; chrony alone checks them.",
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

/// `{ from_secret = … }`
pub(crate) static FROM_SECRET: TableSpec = table(
    "{ from_secret = … }",
    "a secret value",
    "A value that does not stand in the sheet.",
    &[key(
        "from_secret",
        "the name of a secret of the sheet",
        r#"from_secret = "breakwater-wifi""#,
        "The `[secret.NAME]` that says where the value comes from.",
        Shape::Text,
    )],
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

/// `[cluster.NAME]`
pub(crate) static CLUSTER: TableSpec = table(
    "[cluster.NAME]",
    "a cluster",
    "Machines that belong together.",
    &[
        key(
            "size",
            "a number from 1 to 1000",
            "size = 3",
            "How many machines are meant in the end. Left out: as many as the sheet has.",
            Shape::Number(1, 1000),
        ),
        key(
            "members",
            "\"odd\", \"pair\" or \"any\"",
            r#"members = "odd""#,
            "How many machines make it work: an odd number of three or more, exactly two, or any number. Left out: any.",
            Shape::Word(&["odd", "pair", "any"]),
        ),
        key(
            "virtual_address",
            "a table",
            r#"virtual_address = { subnet = "quay", address = "10.64.10.60" }"#,
            "The address that one of them answers at. Left out: none.",
            Shape::Table(&VIRTUAL_ADDRESS),
        ),
    ],
);

/// `virtual_address` of a cluster
pub(crate) static VIRTUAL_ADDRESS: TableSpec = table(
    "virtual_address = { … } of a cluster",
    "`virtual_address`",
    "An address that the members of a cluster share.",
    &[SUBNET, ADDRESS, ADDRESS6],
);

/// `[secret.NAME]`
pub(crate) static SECRET: TableSpec = table(
    "[secret.NAME]",
    "a secret",
    "Where a confidential value comes from. The value itself never stands in a sheet.",
    &[
        key(
            "from",
            "\"encrypted\", \"env\", \"file\" or \"prompt\"",
            r#"from = "encrypted""#,
            "Where the value comes from: the encrypted store beside the sheet, an environment variable, a file of its own, or a person who is asked in every run. Required.",
            Shape::Word(&["encrypted", "env", "file", "prompt"]),
        )
        .required(),
        key(
            "path",
            "the path of a file",
            r#"path = "breakwater-wifi.secret""#,
            "With `from = \"file\"`: the file that holds the value on its only line, from the folder of the sheet on. Nobody but its owner may read it. `{machine}` or `{cluster}` in it stands for the name, where `per` says so.",
            Shape::Text,
        ),
        key(
            "variable",
            "the name of an environment variable",
            r#"variable = "LOGBOOK_ADMIN""#,
            "With `from = \"env\"`: the variable that holds the value. `{machine}` or `{cluster}` in it stands for the name in capitals with underscores, where `per` says so.",
            Shape::Text,
        ),
        key(
            "per",
            "\"site\", \"cluster\" or \"machine\"",
            r#"per = "machine""#,
            "Whether one value serves all that use the secret, or each cluster or each machine has its own. Left out: site.",
            Shape::Word(&["site", "cluster", "machine"]),
        ),
        key(
            "min_length",
            "a number from 1 to 1000",
            "min_length = 14",
            "The fewest characters. Left out: 12 for passwords of logins and appliances, 8 in a lab.",
            Shape::Number(1, 1000),
        ),
        key(
            "max_length",
            "a number from 1 to 1000",
            "max_length = 20",
            "The most characters. Left out: as many as what uses it takes.",
            Shape::Number(1, 1000),
        ),
        key(
            "require",
            "a list of \"upper\", \"lower\", \"digit\" and \"symbol\"",
            r#"require = ["upper", "lower", "digit"]"#,
            "Kinds of characters of which it must hold one. Left out: none.",
            Shape::Words(&["upper", "lower", "digit", "symbol"]),
        ),
        key(
            "forbid",
            "a text of characters",
            r#"forbid = "'\"""#,
            "Characters that it must not hold. Left out: none.",
            Shape::Text,
        ),
        key(
            "typed_on",
            "a list of keyboard layouts",
            r#"typed_on = ["it", "gb"]"#,
            "The layouts that a console may assume, or that a keyboard may have, where it is typed: us, gb, de, at, fr, be, it, es, pt, ch, se, dk, no. Its characters then sit on the same key in all of them. Left out: nobody types it.",
            Shape::TextList,
        ),
    ],
);

/// `[time_key.NAME]`
pub(crate) static TIME_KEY: TableSpec = table(
    "[time_key.NAME]",
    "a time key",
    "A key that a time server and its clients share.",
    &[
        key(
            "number",
            "a number from 1 to 4294967295",
            "number = 10",
            "What the server calls the key. Required.",
            Shape::Number(1, 4_294_967_295),
        )
        .required(),
        key(
            "hash",
            "\"SHA256\", \"SHA384\", \"SHA512\", \"SHA1\" or \"AES128\"",
            r#"hash = "SHA256""#,
            "How the key is used. Left out: SHA256.",
            Shape::Word(&["SHA256", "SHA384", "SHA512", "SHA1", "AES128"]),
        ),
        key(
            "value",
            "a secret",
            r#"value = { from_secret = "harbor-clock" }"#,
            "The key itself, as text or as `HEX:` and hexadecimal digits. Required.",
            Shape::Secret,
        )
        .required(),
    ],
);

/// `[[waiver]]`
pub(crate) static WAIVER: TableSpec = table(
    "[[waiver]]",
    "a waiver",
    "Sets a rule of judgement aside for some machines, with a reason and an end.",
    &[
        key("rule", "the name of a rule", r#"rule = "ntp-too-few""#, "The rule. Required.", Shape::Text)
            .required(),
        key(
            "machines",
            "a list of machine names, with * and ? as wildcards",
            r#"machines = ["buoy-*"]"#,
            "The machines that it is set aside for. Left out: all, and the sheet itself.",
            Shape::TextList,
        ),
        key(
            "reason",
            "a text",
            r#"reason = "one clock on the mole until the cable is laid""#,
            "Why. Required.",
            Shape::Text,
        )
        .required(),
        key(
            "until",
            "a date",
            "until = 2027-06-30",
            "The last day on which the waiver counts. Required.",
            Shape::Date,
        )
        .required(),
    ],
);

/// `in_use` of a subnet
pub(crate) static IN_USE: TableSpec = TableSpec {
    header: "in_use",
    called: "in_use",
    about: "Addresses and who uses them.",
    keys: &[],
    free_keys: true,
};

/// `[account.NAME]`
pub(crate) static ACCOUNT: TableSpec = table(
    "[account.NAME]",
    "an account",
    "A login on hosts, which is entered with an SSH key, with a password, or with either. `[account.root]` opens root, which is locked otherwise.",
    &[
        key(
            "full_name",
            "a text",
            r#"full_name = "Harbor keeper""#,
            "Whose login it is. Left out: empty.",
            Shape::Text,
        ),
        key(
            "admin",
            "true or false",
            "admin = true",
            "Whether the login may act as root. Left out: false.",
            Shape::Flag,
        ),
        key(
            "ssh_keys",
            "a list of public key files, or public keys",
            r#"ssh_keys = ["keys/keeper.pub"]"#,
            "SSH public keys that open the login: paths of files, from the folder of the sheet on, or the keys themselves, with their options before them if they have any. A file may hold several, a line each. Left out: none, and there must be a password.",
            Shape::TextList,
        ),
        key(
            "password",
            "a secret, or \"none\"",
            r#"password = { from_secret = "keeper-login" }"#,
            "The password, from a `[secret.NAME]`; hosts get its hash. Left out, or `\"none\"`: none, and the login is entered with a key alone.",
            Shape::Secret,
        ),
        key(
            "change_at_first_login",
            "true or false",
            "change_at_first_login = true",
            "Whether the password has to be changed at the first login, by key too. Left out: false.",
            Shape::Flag,
        ),
        key(
            "groups",
            "a list of groups",
            r#"groups = ["dialout"]"#,
            "Groups of the host that the login is a member of, beside its own and that of the administrators. Left out: none.",
            Shape::TextList,
        ),
        key(
            "shell",
            "an absolute path",
            r#"shell = "/bin/bash""#,
            "The program that a login starts. Left out: /bin/bash.",
            Shape::Text,
        ),
        key(
            "hosts",
            "a list of host names, with * and ? as wildcards",
            r#"hosts = ["gauge-*", "signal-tower"]"#,
            "The hosts that get the login. Left out: every host.",
            Shape::TextList,
        ),
    ],
);

/// `[[host]]`
pub(crate) static HOST: TableSpec = table(
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
        STOCK_LOGINS,
        PASSWORD_HASH,
        PASSWORD_COST,
        key(
            "link",
            "tables by name",
            r#"link.eth0 = { subnet = "quay", address = "10.64.10.11" }"#,
            "The network links, by the kernel's name for the interface. At least one.",
            Shape::Named(&HOST_LINK),
        ),
    ],
);

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
            "What it is. Left out: ethernet.",
            Shape::Word(&["ethernet", "wifi", "bond", "vlan", "bridge"]),
        ),
        key(
            "mac",
            "a MAC address",
            r#"mac = "02:64:10:00:00:21""#,
            "Ethernet and wifi: finds the interface by its address, and gives it the link's name. Bond and bridge: the address that it takes; left out, that of its first member. Left out: the link's name is the kernel's.",
            Shape::Text,
        ),
        key(
            "port",
            "the text \"only\"",
            r#"port = "only""#,
            "Finds the interface as the only one of its kind, whatever the kernel calls it. Left out: it is found by `mac` or by name.",
            Shape::Word(&["only"]),
        ),
        key(
            "subnet",
            "the name of a subnet of the sheet",
            r#"subnet = "quay""#,
            "The `[subnet.NAME]` that the link is in; mask and gateway come from it. Required, unless the link is a member of another or says that it has no address.",
            Shape::Text,
        ),
        ADDRESS,
        ADDRESS6,
        key(
            "more_addresses",
            "a list of addresses",
            r#"more_addresses = ["10.64.10.32", "fd64:10::32"]"#,
            "Further addresses of its subnet. Left out: none.",
            Shape::TextList,
        ),
        DEFAULT_ROUTE,
        key(
            "routes",
            "a list of routes",
            r#"routes = [{ to = "10.64.96.0/20", via = "10.64.20.1" }]"#,
            "Ways to other networks than through the default route. Left out: none.",
            Shape::Tables(&ROUTE),
        ),
        key(
            "own_table",
            "a number from 1 to 252",
            "own_table = 140",
            "A routing table of its own, of this number, with the subnet's gateway as its default route, so that answers to what came in on this link leave by it. Such a link has no part in the default route of the machine. Left out: none.",
            Shape::Number(1, 252),
        ),
        key(
            "mtu",
            "a number of bytes",
            "mtu = 9000",
            "The largest packet that it sends. Left out: the subnet's `mtu`.",
            Shape::Number(68, 65_535),
        ),
        key(
            "wake_on_lan",
            "true or false",
            "wake_on_lan = true",
            "Whether a magic packet wakes the machine (ethernet). Left out: as the image has it.",
            Shape::Flag,
        ),
        key(
            "speed",
            "a number of megabits a second",
            "speed = 100",
            "A fixed speed in place of the one that both ends agree on (ethernet). Left out: both ends agree.",
            Shape::Number(10, 400_000),
        ),
        key(
            "duplex",
            "\"full\" or \"half\"",
            r#"duplex = "full""#,
            "Whether both directions are used at once, at a fixed speed. Left out: full.",
            Shape::Word(&["full", "half"]),
        ),
        key(
            "link_local4",
            "true or false",
            "link_local4 = true",
            "Whether it has an IPv4 link-local address (169.254.…) besides. Left out: false.",
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
            "The member that is used while it works, in the modes active-backup, balance-tlb and balance-alb. Left out: none is preferred.",
            Shape::Text,
        ),
        key(
            "watch_every",
            "a number of milliseconds",
            "watch_every = 100",
            "How often a bond looks whether its members have a carrier. Left out: 100.",
            Shape::Number(1, 60_000),
        ),
        key(
            "lacp_rate",
            "\"slow\" or \"fast\"",
            r#"lacp_rate = "fast""#,
            "How often the switch is asked to speak, in mode 802.3ad. Left out: slow.",
            Shape::Word(&["slow", "fast"]),
        ),
        key(
            "spread_by",
            "\"layer2\", \"layer2+3\", \"layer3+4\", \"encap2+3\" or \"encap3+4\"",
            r#"spread_by = "layer3+4""#,
            "What decides on the member that a packet leaves by, in the modes balance-xor and 802.3ad. Left out: layer2.",
            Shape::Word(&["layer2", "layer2+3", "layer3+4", "encap2+3", "encap3+4"]),
        ),
        key(
            "over",
            "a link of the machine",
            r#"over = "uplink""#,
            "The link that carries a vlan; the tag is the subnet's. Required for a vlan.",
            Shape::Text,
        ),
        key(
            "spanning_tree",
            "true or false",
            "spanning_tree = true",
            "Whether a bridge takes part in the spanning tree. Left out: false, which suits a bridge for virtual machines.",
            Shape::Flag,
        ),
    ],
);

/// An item of `routes`
pub(crate) static ROUTE: TableSpec = table(
    "{ to = …, via = … } in routes",
    "a route",
    "A way to another network.",
    &[
        key("to", "a prefix", r#"to = "10.64.96.0/20""#, "The network. Required.", Shape::Text).required(),
        key(
            "via",
            "an address",
            r#"via = "10.64.20.1""#,
            "The router in the link's subnet that leads there. Required.",
            Shape::Text,
        )
        .required(),
        key(
            "metric",
            "a number",
            "metric = 200",
            "Of several routes to the same network, the one with the lowest number is taken. Left out: the system's.",
            Shape::Number(0, 4_294_967_295),
        ),
    ],
);

/// `[[appliance]]`
pub(crate) static APPLIANCE: TableSpec = table(
    "[[appliance]]",
    "an appliance",
    "A virtual machine prepared through the properties of its OVF package, or at its console.",
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
            "the path of an OVF package",
            r#"package = "packages/logbook.ova""#,
            "The OVF package, an OVA archive or a descriptor, from the folder of the sheet on. Left out: the appliance is set up at its console, from its typing card.",
            Shape::Text,
        ),
        key(
            "system",
            "the id of a virtual machine of the package",
            r#"system = "recorder""#,
            "Which machine of a package that holds several it is. Left out: the only one.",
            Shape::Text,
        ),
        key(
            "meanings",
            "the path of a meanings file",
            r#"meanings = "packages/logbook.meanings.toml""#,
            "What a person has found out about this version of the product: `inspect --save-meanings` makes the file. Left out: what the package says.",
            Shape::Text,
        ),
        key(
            "deployment_option",
            "the id of a deployment option of the package",
            r#"deployment_option = "small""#,
            "The size that is wanted of a package that comes in several. Required where the package has several; left out: its only one.",
            Shape::Text,
        ),
        key(
            "accept_licenses",
            "true or false",
            "accept_licenses = true",
            "Whether the licenses of the package have been read and are accepted; `inspect --licenses` shows them. Left out: no.",
            Shape::Flag,
        ),
        key(
            "storage_free",
            "an amount of data",
            r#"storage_free = "200 GiB""#,
            "What is free where its disks will lie. Left out: not checked.",
            Shape::Text,
        ),
        key(
            "vm_name",
            "a text",
            r#"vm_name = "LOGBOOK-1 (quay)""#,
            "What the hypervisor calls the virtual machine. Left out: its `name`.",
            Shape::Text,
        ),
        key(
            "link",
            "tables by name",
            r#"link.management = { network = "Management", subnet = "quay", address = "10.64.10.61" }"#,
            "The network links, by a name of your own. At least one.",
            Shape::Named(&APPLIANCE_LINK),
        ),
        key(
            "answer",
            "a table of properties and their answers",
            "[appliance.answer]",
            "What the package's properties are to be. Best kept as the last table of the entry.",
            Shape::Answers,
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
            "The network in the package's descriptor that the link is on. Left out: not checked.",
            Shape::Text,
        ),
        SUBNET,
        ADDRESS,
        ADDRESS6,
        DEFAULT_ROUTE,
    ],
);

/// `[appliance.answer]`
pub(crate) static ANSWER: TableSpec = TableSpec {
    header: "[appliance.answer]",
    called: "[appliance.answer]",
    about: "A line for each property that is not answered by itself: its id (`class.key.instance`, in quotes), and a text, a number, true or false, a value of the sheet that is taken: `{ take = \"address\" }`, or a secret: `{ from_secret = \"logbook-admin\" }`. A property whose meaning is certain takes its value from the sheet without a line.",
    keys: &[],
    free_keys: true,
};

/// `{ take = … }`
pub(crate) static TAKE: TableSpec = table(
    "{ take = … }",
    "a value that is taken",
    "A value that the sheet holds elsewhere, so that it is written once.",
    &[
        key(
            "take",
            "the word for a value",
            r#"take = "address""#,
            "One of `address` `address6` `netmask` `prefix-length` `prefix-length6` `address-with-prefix` `gateway` `gateway6` `network-address` `broadcast-address` `hostname` `fqdn` `domain` `dns` `dns-1` `dns-2` `search` `ntp` `ntp-1` `ntp-2` `timezone` `locale` `keyboard` `vlan` `mtu` `mac` `cluster-name` `node-number` `node-count` `peers` `members` `peer-names` `virtual-address`. `node-number` counts the machines of a cluster in their order, `peers` are the addresses of the others, `members` those of all.",
            Shape::Text,
        ),
        key(
            "of",
            "the name of a machine, subnet, pool or cluster of the sheet",
            r#"of = "signal-tower""#,
            "Whose value it is. Left out: the appliance's own.",
            Shape::Text,
        ),
        key(
            "link",
            "the name of a link",
            r#"link = "management""#,
            "Of which link, where the machine has several. Left out: the one that leads out, or its only link.",
            Shape::Text,
        ),
        key(
            "nth",
            "a number from 1 on",
            "nth = 2",
            "Which of several values. Left out: all of them, with `join` between them.",
            Shape::Number(1, 65_535),
        ),
        key(
            "join",
            "a text",
            r#"join = ",""#,
            "What stands between several values. Required, or `nth`, where there are several.",
            Shape::Text,
        ),
    ],
);

/// All of them, in the order in which a sheet is usually written.
pub static KEYS: &[&TableSpec] = &[
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
