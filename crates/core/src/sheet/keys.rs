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
        key("account", "tables by name", "[account.keeper]", "The logins on hosts, a table each."),
        key("host", "entries", "[[host]]", "The hosts, an entry each."),
        key("appliance", "entries", "[[appliance]]", "The appliances, an entry each."),
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
        DOMAIN,
        DNS,
        SEARCH,
        NTP,
        TIMEZONE,
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
        DOMAIN,
        DNS,
        SEARCH,
        NTP,
        TIMEZONE,
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
    "An ethernet interface.",
    &[SUBNET, ADDRESS, ADDRESS6, DEFAULT_ROUTE],
);

/// `[[appliance]]`
pub(crate) const APPLIANCE: TableSpec = table(
    "[[appliance]]",
    "an appliance",
    "A virtual machine prepared through the properties of its OVF package.",
    &[
        NAME,
        ROWS,
        DOMAIN,
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
            "Of which link, where the machine has several. Left out: its only link.",
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
    &SUBNET_TABLE,
    &ACCOUNT,
    &HOST,
    &HOST_LINK,
    &APPLIANCE,
    &APPLIANCE_LINK,
    &ANSWER,
    &TAKE,
];
