//! Every table and key that a sheet may hold, with what it means: the one list that reading, suggestions and
//! `docs/sheet.md` go by.

mod common;
mod credentials;
mod machines;
mod network;

pub(crate) use common::COMMON;
pub(crate) use credentials::{ACCOUNT, FROM_SECRET, SECRET, SSH, TIME_KEY};
pub(crate) use machines::{ANSWER, APPLIANCE, CLUSTER, HOST, TAKE, WAIVER};
pub(crate) use network::{
    APPLIANCE_LINK, DNS_FOR_TABLE, HOST_LINK, IN_USE, KEYED_SERVER, POOL, ROUTE, SUBNET_TABLE,
    VIRTUAL_ADDRESS, WIFI,
};

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
