//! Tables and keys of hosts, appliances and clusters, and of what is answered and waived for them.

use super::common::{
    CLUSTER_KEY, CONSOLE_KEYBOARD, DNS, DNS_FOR, DOMAIN, FQDN, HOSTNAME, HOSTS_FILE, IPV6, LLMNR, LOCALE,
    MULTICAST_DNS, NAME_PATTERN, NETPLAN, NTP, PASSWORD_COST, PASSWORD_HASH, PURPOSE, RENDERER, SEARCH,
    SERVES, SSH_KEY, STOCK_LOGINS, TIME_SERVICE, TIMEZONE,
};
use super::network::{APPLIANCE_LINK, HOST_LINK, VIRTUAL_ADDRESS};
use super::spec::{KeySpec, Shape, TableSpec, key, table};

pub(super) const NAME: KeySpec = key(
    "name",
    "a host name of one label",
    r#"name = "gauge-01""#,
    "Name of the machine, its folder in the output tree, and its host name unless `hostname` or `fqdn` says otherwise. A pattern, such as `gauge-{01..12}`, makes several machines of the entry. Required.", Shape::Text).required();

pub(super) const ROWS: KeySpec = key(
    "rows",
    "the path of a CSV file",
    r#"rows = "buoys.csv""#,
    "Makes one machine for each row of a CSV file with a header, relative to the sheet's folder: `{field}` in a text \
        is replaced by the row's value. Default: the entry makes one machine, or those of its ranges.",
    Shape::Text,
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
            "The final number of machines. Default: as many as the sheet has.",
            Shape::Number(1, 1000),
        ),
        key(
            "allowed_sizes",
            "\"odd\", \"pair\" or \"any\"",
            r#"allowed_sizes = "odd""#,
            "With how many machines it works: an odd number of three or more, exactly two, or any number. Default: \
                any.",
            Shape::Word(&["odd", "pair", "any"]),
        ),
        key(
            "virtual_address",
            "a table",
            r#"virtual_address = { subnet = "quay", address = "10.64.10.60" }"#,
            "The shared address, at which one of them answers. Default: none.",
            Shape::Table(&VIRTUAL_ADDRESS),
        ),
    ],
);

/// `[[waiver]]`
pub(crate) static WAIVER: TableSpec = table(
    "[[waiver]]",
    "a waiver",
    "Waives a rule of judgment for some machines, with a reason and an end date.",
    &[
        key("rule", "the name of a rule", r#"rule = "ntp-too-few""#, "The rule. Required.", Shape::Text)
            .required(),
        key(
            "machines",
            "a list of machine names, with * and ? as wildcards",
            r#"machines = ["buoy-*"]"#,
            "The machines for which it is waived. Default: all, and the sheet itself.",
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
            "The network links, by the kernel's name of the interface. At least one.",
            Shape::Named(&HOST_LINK),
        ),
        key(
            "differs",
            "tables by the names of machines",
            r#"differs.gauge-03.timezone = "Europe/Malta""#,
            "Machines of this entry that differ from the others, a table each: `[host.differs.gauge-03]`.",
            Shape::Differing(&HOST),
        ),
    ],
);

/// `[host.differs.NAME]`
pub(crate) static HOST_DIFFERS: TableSpec = TableSpec {
    header: "[host.differs.NAME]",
    called: "a host that differs",
    about: "What is different for one machine of a pattern or of rows: any key of the entry but `name` and `rows`. A value \
        replaces the entry's; lines of `ssh`, `dns_for` and of a link are added to the entry's or replace them one by one. \
        `address` replaces `host_number`, `fqdn` replaces `hostname`, and the other way round.",
    keys: &[],
    free_keys: true,
};

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
            "The OVF package, an OVA archive or a descriptor, relative to the sheet's folder. Default: the appliance \
                is set up at its console, from its typing card.",
            Shape::Text,
        ),
        key(
            "system",
            "the id of a virtual machine of the package",
            r#"system = "recorder""#,
            "Which virtual machine of the package it is, if the package holds several. Default: the only one.",
            Shape::Text,
        ),
        key(
            "meanings",
            "the path of a meanings file",
            r#"meanings = "packages/logbook.meanings.toml""#,
            "The reviewed meanings of the properties of this product version: `inspect --save-meanings` writes the \
                file. Default: what the package says.",
            Shape::Text,
        ),
        key(
            "deployment_option",
            "the id of a deployment option of the package",
            r#"deployment_option = "small""#,
            "The size, if the package comes in several. Required if the package has several; default: its only one.",
            Shape::Text,
        ),
        key(
            "accept_licenses",
            "true or false",
            "accept_licenses = true",
            "Whether the licenses of the package have been read and are accepted; `inspect --licenses` shows them. \
                Default: no.",
            Shape::Flag,
        ),
        key(
            "storage_free",
            "an amount of data",
            r#"storage_free = "200 GiB""#,
            "The free space where its disks will be stored. Default: not checked.",
            Shape::Text,
        ),
        key(
            "vm_name",
            "a text",
            r#"vm_name = "LOGBOOK-1 (quay)""#,
            "What the hypervisor calls the virtual machine. Default: its `name`.",
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
            "The values of the package's properties. Best kept as the last table of the entry.",
            Shape::Answers,
        ),
        key(
            "differs",
            "tables by the names of machines",
            r#"differs.logbook-3.deployment_option = "large""#,
            "Machines of this entry that differ from the others, a table each: `[appliance.differs.logbook-3]`.",
            Shape::Differing(&APPLIANCE),
        ),
    ],
);

/// `[appliance.differs.NAME]`
pub(crate) static APPLIANCE_DIFFERS: TableSpec = TableSpec {
    header: "[appliance.differs.NAME]",
    called: "an appliance that differs",
    about: "What is different for one machine of a pattern or of rows: any key of the entry but `name` and `rows`. A value \
        replaces the entry's; answers and lines of a link are added to the entry's or replace them one by one. `address` \
        replaces `host_number`, `fqdn` replaces `hostname`, and the other way round.",
    keys: &[],
    free_keys: true,
};

/// `[appliance.answer]`
pub(crate) static ANSWER: TableSpec = TableSpec {
    header: "[appliance.answer]",
    called: "[appliance.answer]",
    about: "One line for each property that is not filled in from the sheet: its id (`class.key.instance`, in \
        quotes), and a text, a number, true or false, a value from the sheet: `{ take = \"address\" }`, or a secret: \
        `{ secret = \"logbook-admin\" }`. A property whose meaning is certain gets its value from the sheet without \
        a line.",
    keys: &[],
    free_keys: true,
};

/// `{ take = … }`
pub(crate) static TAKE: TableSpec = table(
    "{ take = … }",
    "a value from the sheet",
    "A value from elsewhere in the sheet, so that it is written only once.",
    &[
        key(
            "take",
            "the word for a value",
            r#"take = "address""#,
            "One of `address` `address6` `netmask` `prefix-length` `prefix-length6` `address-with-prefix` `gateway` \
                `gateway6` `network-address` `broadcast-address` `hostname` `fqdn` `domain` `dns` `dns-1` `dns-2` \
                `search` `ntp` `ntp-1` `ntp-2` `timezone` `locale` `keyboard` `vlan` `mtu` `mac` `cluster-name` \
                `node-number` `node-count` `peers` `member-addresses` `peer-names` `virtual-address`. `node-number` \
                is the position of the machine in its cluster, `peers` are the addresses of the other machines, \
                `member-addresses` those of all.",
            Shape::Text,
        ),
        key(
            "of",
            "the name of a machine, subnet, pool or cluster of the sheet",
            r#"of = "signal-tower""#,
            "Whose value it is. Default: the appliance's own.",
            Shape::Text,
        ),
        key(
            "link",
            "the name of a link",
            r#"link = "management""#,
            "Which link's, if the machine has several. Default: the one with the default route, or its only link.",
            Shape::Text,
        ),
        key(
            "toward",
            "an address, a prefix, or the name of a subnet or machine of the sheet",
            r#"toward = "breakwater""#,
            "In place of `link`: the link by which the machine reaches it, by the most specific of its own subnets, its \
                routes and its default route. Default: the link is not chosen by where it leads.",
            Shape::Text,
        ),
        key(
            "nth",
            "a number of 1 or more",
            "nth = 2",
            "Which of several values. Default: all of them, with `join` between them.",
            Shape::Number(1, 65_535),
        ),
        key(
            "join",
            "a text",
            r#"join = ",""#,
            "The separator between several values. With several values, `join` or `nth` is required.",
            Shape::Text,
        ),
    ],
);
