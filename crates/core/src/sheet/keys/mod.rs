//! Every table and key that a sheet may hold, with what it means: the one list that reading, suggestions and
//! `docs/sheet.md` go by.

mod common;
mod credentials;
mod machines;
mod network;
mod spec;

pub(crate) use common::COMMON;
pub(crate) use credentials::{ACCOUNT, SECRET, SECRET_VALUE, SSH, TIME_KEY};
pub(crate) use machines::{ANSWER, APPLIANCE, APPLIANCE_DIFFERS, CLUSTER, HOST, HOST_DIFFERS, TAKE, WAIVER};
pub(crate) use network::{
    APPLIANCE_LINK, DNS_FOR_TABLE, FURTHER_ADDRESS, HOST_LINK, IN_USE, KEYED_SERVER, POOL, ROUTE,
    SUBNET_TABLE, VIRTUAL_ADDRESS, WIFI,
};
pub use spec::{KeySpec, Shape, TableSpec};
use spec::{key, table};

/// The sheet itself.
pub(crate) static ROOT: TableSpec = table(
    "(top of the sheet)",
    "the sheet itself",
    "A sheet is one TOML file. Strings are in quotes; every key is written once; what follows a `#` is a comment.",
    &[
        key(
            "format",
            "the number 1",
            "format = 1",
            "Version of the sheet's format. Required, and 1.",
            Shape::Number(1, 1),
        )
        .required(),
        key(
            "include",
            "a list of paths of files of the same form",
            r#"include = ["subnets.toml", "shore/hosts.toml"]"#,
            "Files whose tables belong to this sheet too. Each begins with `format = 1`, and a path in one counts from the \
                folder of that file. `[common]`, and each table with a name, is in one file only. Entries follow each other in \
                the order of the files. Default: none.",
            Shape::TextList,
        ),
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
            "The keys for authenticated time servers, a table each.",
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
        key("waiver", "entries", "[[waiver]]", "Waived rules, an entry each.", Shape::Entries(&WAIVER)),
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
    &SECRET_VALUE,
    &TIME_KEY,
    &ACCOUNT,
    &HOST,
    &HOST_LINK,
    &FURTHER_ADDRESS,
    &ROUTE,
    &HOST_DIFFERS,
    &CLUSTER,
    &VIRTUAL_ADDRESS,
    &APPLIANCE,
    &APPLIANCE_LINK,
    &ANSWER,
    &APPLIANCE_DIFFERS,
    &TAKE,
    &WAIVER,
];
