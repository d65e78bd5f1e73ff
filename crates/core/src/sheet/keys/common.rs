//! What all machines share, and each may have for itself.

use super::credentials::SSH;
use super::machines::TAKE;
use super::network::KEYED_SERVER;
use super::spec::{KeySpec, Shape, TableSpec, key, table};

/// What a list of DNS servers may hold beside texts.
pub(super) const NAME_SERVER_ITEMS: &[&TableSpec] = &[&TAKE];

/// What a list of time servers may hold beside texts.
pub(super) const TIME_SERVER_ITEMS: &[&TableSpec] = &[&TAKE, &KEYED_SERVER];

pub(super) const DOMAIN: KeySpec = key(
    "domain",
    "a domain name without a trailing dot",
    r#"domain = "capovetro.example""#,
    "Makes the full name of a machine: its name, a dot and the domain. Default: machines have a short name only.",
    Shape::Text,
);

pub(super) const DNS: KeySpec = key(
    "dns",
    "a list of addresses, or \"none\"",
    r#"dns = ["10.64.10.53", "10.64.10.54"]"#,
    "DNS servers, in this order (on a host netplan puts IPv4 before IPv6). `\"none\"`: intentionally no DNS server; \
        `\"none\"` as the last item of the list: intentionally no more than these. Required: on the machine, in its subnet or in \
        `[common]`.",
    Shape::List(NAME_SERVER_ITEMS),
);

pub(super) const SEARCH: KeySpec = key(
    "search",
    "a list of domain names, or \"none\"",
    r#"search = ["capovetro.example"]"#,
    "Domains in which short names are looked up. Default: none.",
    Shape::List(&[]),
);

pub(super) const NTP: KeySpec = key(
    "ntp",
    "a list of addresses or names, or \"none\"",
    r#"ntp = ["10.64.10.121", "10.64.10.122", "10.64.10.123", "clock.capovetro.example"]"#,
    "Time servers. `\"none\"`: intentionally no time server; as the last item of the list: intentionally no more than these. \
        Required: on the machine, in its subnet or in `[common]`.",
    Shape::List(TIME_SERVER_ITEMS),
);

pub(super) const TIMEZONE: KeySpec = key(
    "timezone",
    "the name of a zone in the zone database",
    r#"timezone = "Europe/Rome""#,
    "Time zone, by its name in the time zone database. Required for every host: on the host, in its subnet or in \
        `[common]`.",
    Shape::Text,
);

pub(super) const PURPOSE: KeySpec = key(
    "purpose",
    "\"production\" or \"lab\"",
    r#"purpose = "lab""#,
    "What the machines are for. In a lab, errors about credentials are warnings, and warnings of judgment are notes. \
        Default: production.",
    Shape::Word(&["production", "lab"]),
);

pub(super) const NAME_PATTERN: KeySpec = key(
    "name_pattern",
    "a regular expression",
    r#"name_pattern = "^[a-z]+(-[a-z]+)?(-[0-9]+)?$""#,
    "The site's own rule for host names, which each must match. Default: any host name.",
    Shape::Text,
);

pub(super) const DNS_FOR: KeySpec = key(
    "dns_for",
    "a table of domains and lists of addresses",
    r#"dns_for = { "crane.example" = ["10.64.10.99"] }"#,
    "DNS servers for single domains, used for these domains only. They are reached over the link in whose subnet \
        they are, or else over the link with the default route. Default: none.",
    Shape::Lists,
);

pub(super) const LLMNR: KeySpec = key(
    "llmnr",
    "true or false",
    "llmnr = false",
    "Whether hosts use LLMNR to look up and answer names. Default: as the image has it.",
    Shape::Flag,
);

pub(super) const MULTICAST_DNS: KeySpec = key(
    "multicast_dns",
    "true or false",
    "multicast_dns = true",
    "Whether hosts use multicast DNS to look up and answer names. Default: as the image has it.",
    Shape::Flag,
);

pub(super) const TIME_SERVICE: KeySpec = key(
    "time_service",
    "\"timesyncd\" or \"chrony\"",
    r#"time_service = "chrony""#,
    "The program on the hosts that sets the clock. Default: timesyncd.",
    Shape::Word(&["timesyncd", "chrony"]),
);

pub(super) const LOCALE: KeySpec = key(
    "locale",
    "the name of a locale",
    r#"locale = "it_IT.UTF-8""#,
    "Language and formats of the hosts. Default: as the image has it.",
    Shape::Text,
);

pub(super) const CONSOLE_KEYBOARD: KeySpec = key(
    "keyboard",
    "the name of a keyboard layout",
    r#"keyboard = "it""#,
    "Keyboard layout of the hosts' console. Default: as the image has it.",
    Shape::Text,
);

pub(super) const IPV6: KeySpec = key(
    "ipv6",
    "\"static\", \"off\" or \"auto\"",
    r#"ipv6 = "off""#,
    "`\"static\"`: the addresses of the sheet and no others; router advertisements are not listened to. `\"off\"`: \
        no IPv6 at all, link-local addresses included. `\"auto\"`: addresses and gateway from router advertisements \
        too. Default: static.",
    Shape::Word(&["static", "off", "auto"]),
);

pub(super) const NETPLAN: KeySpec = key(
    "netplan",
    "a version of netplan in quotes",
    r#"netplan = "0.106""#,
    "The oldest netplan version among the hosts: newer keys are not written. Default: 0.106.",
    Shape::Text,
);

pub(super) const RENDERER: KeySpec = key(
    "renderer",
    "\"networkd\" or \"NetworkManager\"",
    r#"renderer = "NetworkManager""#,
    "The program on the hosts that netplan writes for. Default: networkd.",
    Shape::Word(&["networkd", "NetworkManager"]),
);

pub(super) const HOSTS_FILE: KeySpec = key(
    "hosts_file",
    "\"own\" or \"site\"",
    r#"hosts_file = "site""#,
    "Which names are in `/etc/hosts`: the host's own, or those of all machines in the sheet. Default: its own.",
    Shape::Word(&["own", "site"]),
);

pub(super) const STOCK_LOGINS: KeySpec = key(
    "stock_logins",
    "\"lock\", \"keep\" or \"refuse\"",
    r#"stock_logins = "lock""#,
    "What happens to logins of a host's image that are not in the sheet: they are locked, kept as they are, or the \
        image is refused. Default: lock.",
    Shape::Word(&["lock", "keep", "refuse"]),
);

pub(super) const PASSWORD_HASH: KeySpec = key(
    "password_hashing",
    "\"yescrypt\" or \"sha512\"",
    r#"password_hashing = "yescrypt""#,
    "How login passwords are hashed; systems older than Debian 11 know only `\"sha512\"`. Default: yescrypt.",
    Shape::Word(&["yescrypt", "sha512"]),
);

pub(super) const PASSWORD_COST: KeySpec = key(
    "password_cost",
    "a number: 1 to 11 for yescrypt, 1000 to 999999999 for sha512",
    "password_cost = 5",
    "The cost of hashing: for yescrypt each step doubles time and memory, for SHA-512 it is the number of rounds. \
        Default: 5, which is Debian's, or 500000.",
    Shape::Number(1, 999_999_999),
);

pub(super) const SSH_KEY: KeySpec = key(
    "ssh",
    "a table",
    "ssh = { enabled = true, password_login = false, root_login = false }",
    "The SSH service of the hosts.",
    Shape::Table(&SSH),
);

pub(super) const HOSTNAME: KeySpec = key(
    "hostname",
    "a host name of one label",
    r#"hostname = "tower""#,
    "Host name, if it is not the `name`.",
    Shape::Text,
);

pub(super) const FQDN: KeySpec = key(
    "fqdn",
    "a full name with its domain",
    r#"fqdn = "tower.lights.capovetro.example""#,
    "Full name, if it is not host name and domain. Its first label is the host name, unless `hostname` says \
        otherwise.",
    Shape::Text,
);

pub(super) const SERVES: KeySpec = key(
    "serves",
    "a list of \"dns\" and \"ntp\"",
    r#"serves = ["ntp"]"#,
    "What the machine itself serves, so that it may have the address of such a server. Default: nothing.",
    Shape::Words(&["dns", "ntp"]),
);

pub(super) const CLUSTER_KEY: KeySpec = key(
    "cluster",
    "the name of a cluster of the sheet",
    r#"cluster = "logbook""#,
    "The `[cluster.NAME]` that the machine belongs to. Default: none.",
    Shape::Text,
);

/// `[common]`
pub(crate) static COMMON: TableSpec = table(
    "[common]",
    "[common]",
    "Settings for all machines. Every key except `site` and `refused_passwords` may be repeated on a machine, where \
        it replaces the value given here.",
    &[
        key(
            "site",
            "a text",
            r#"site = "Capo Vetro harbor""#,
            "The name of the site; shown by `review`. Default: nothing is shown.",
            Shape::Text,
        ),
        key(
            "refused_passwords",
            "the path of a file",
            r#"refused_passwords = "refused-passwords.txt""#,
            "A file of passwords, one per line, that no secret may be, in addition to the well-known ones; relative \
                to the sheet's folder. Default: none.",
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
