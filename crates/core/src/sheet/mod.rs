//! The build sheet as a person wrote it: texts and their places, nothing typed yet.

mod brackets;
mod expand;
mod keys;
mod pattern;
mod read;
mod rows;
mod syntax;
mod table;

use crate::given::Given;
use crate::source::{Place, Written};

pub use expand::expand;
pub(crate) use keys::{ACCOUNT, TAKE};
pub use keys::{KEYS, KeySpec, TableSpec};
pub use read::read;

/// The largest sheet that is read, in bytes: a hundred times the size of a sheet of 50,000 hosts written out.
pub const SIZE_LIMIT: u64 = 512 * 1024 * 1024;

/// A sheet, after its TOML has been taken apart and before anything in it has been judged.
#[derive(Clone, Debug, Default)]
pub struct Sheet {
    /// What the sheet is about, in the administrator's words.
    pub site: Given<Written<String>>,
    /// The settings of `[common]`.
    pub common: SettingsEntry,
    /// The `[subnet.*]` tables.
    pub subnets: Vec<SubnetEntry>,
    /// The `[account.*]` tables.
    pub accounts: Vec<AccountEntry>,
    /// The `[[host]]` and `[[appliance]]` entries, and, once they are expanded, their machines, in their order.
    pub machines: Vec<MachineEntry>,
    /// Whether the sheet could be read in full: its TOML is right, and so are the names of its tables. If not, what
    /// seems to be missing may only be unread.
    pub is_whole: bool,
}

/// Settings that may stand in `[common]` and be repeated on a machine.
#[derive(Clone, Debug, Default)]
pub struct SettingsEntry {
    /// `domain`
    pub domain: Given<Written<String>>,
    /// `dns`
    pub dns: Given<ListEntry>,
    /// `search`
    pub search: Given<ListEntry>,
    /// `ntp`
    pub ntp: Given<ListEntry>,
    /// `timezone`
    pub timezone: Given<Written<String>>,
}

impl SettingsEntry {
    /// Whether nothing is set.
    pub fn is_empty(&self) -> bool {
        self.domain.is_absent()
            && self.dns.is_absent()
            && self.search.is_absent()
            && self.ntp.is_absent()
            && self.timezone.is_absent()
    }
}

/// A list that can be declined with `"none"`.
#[derive(Clone, Debug)]
pub struct ListEntry {
    /// Where the list, or the `"none"` in its place, stands.
    pub place: Place,
    /// The items, without a closing `"none"`.
    pub items: Vec<Written<String>>,
    /// Whether `"none"` was written: in place of the list, or as its last item to say that there is no more.
    pub ends_with_none: bool,
    /// Whether some item was no text; a finding says so already.
    pub has_faulty_items: bool,
}

/// A `[subnet.NAME]` table.
#[derive(Clone, Debug)]
pub struct SubnetEntry {
    /// Its name.
    pub name: Written<String>,
    /// `prefix`
    pub prefix: Given<Written<String>>,
    /// `gateway`
    pub gateway: Given<Written<String>>,
    /// `prefix6`
    pub prefix6: Given<Written<String>>,
    /// `gateway6`
    pub gateway6: Given<Written<String>>,
    /// `dhcp_ranges`
    pub dhcp_ranges: Vec<Written<String>>,
    /// `kept_free`
    pub kept_free: Vec<Written<String>>,
    /// `in_use`: address, and who uses it
    pub in_use: Vec<(Written<String>, String)>,
}

/// An `[account.NAME]` table.
#[derive(Clone, Debug)]
pub struct AccountEntry {
    /// The login.
    pub name: Written<String>,
    /// `full_name`
    pub full_name: Given<Written<String>>,
    /// `admin`
    pub admin: Given<Written<bool>>,
    /// `ssh_keys`: paths of public key files, or public keys
    pub ssh_keys: Given<Vec<Written<String>>>,
    /// `hosts`: globs of host names
    pub hosts: Given<Vec<Written<String>>>,
}

/// What kind of machine an entry is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MachineKind {
    /// Prepared through netplan and files under `/etc`.
    Host,
    /// Prepared through the properties of its OVF package.
    Appliance,
}

impl MachineKind {
    /// The word used in messages.
    pub fn word(self) -> &'static str {
        match self {
            Self::Host => "host",
            Self::Appliance => "appliance",
        }
    }
}

/// A `[[host]]` or `[[appliance]]` entry, and, once it is expanded, one machine of it. Machines of one entry share the
/// places of what they have in common.
#[derive(Clone, Debug)]
pub struct MachineEntry {
    /// Which of the two.
    pub kind: MachineKind,
    /// Its header.
    pub header: Place,
    /// `rows`: the CSV file whose rows make the machines, until they are made
    pub rows: Given<Written<String>>,
    /// `name`
    pub name: Given<Written<String>>,
    /// What the entry sets for itself.
    pub settings: SettingsEntry,
    /// `link.*`
    pub links: Vec<LinkEntry>,
    /// `package`
    pub package: Given<Written<String>>,
    /// `answer`
    pub answers: Vec<AnswerEntry>,
    /// Where the table of answers begins.
    pub answers_place: Option<Place>,
}

impl MachineEntry {
    /// What messages call the machine: its name as written, unless that is missing or empty.
    pub fn label(&self) -> Option<String> {
        label_of(&self.name)
    }
}

/// The name of a machine as written, unless it is missing or empty.
fn label_of(name: &Given<Written<String>>) -> Option<String> {
    name.value().map(|name| name.value.clone()).filter(|name| !name.is_empty())
}

/// A `link.NAME` table.
#[derive(Clone, Debug)]
pub struct LinkEntry {
    /// Its name.
    pub name: Written<String>,
    /// `network`: the name of the package's network (appliances only)
    pub network: Given<Written<String>>,
    /// `subnet`
    pub subnet: Given<Written<String>>,
    /// `address`
    pub address: Given<Written<String>>,
    /// `address6`
    pub address6: Given<Written<String>>,
    /// `default_route`
    pub default_route: Given<Written<bool>>,
}

/// One line of `[appliance.answer]`.
#[derive(Clone, Debug)]
pub struct AnswerEntry {
    /// Id of the property.
    pub property: Written<String>,
    /// The answer; `Faulty` when it could not be read.
    pub value: Given<AnswerValue>,
    /// Where the answer stands.
    pub place: Place,
}

/// What an answer says.
#[derive(Clone, Debug)]
pub enum AnswerValue {
    /// This text, or a number or truth value in its usual spelling.
    Literal(String),
    /// A value of the sheet.
    Take(TakeEntry),
}

/// `{ take = "…" }`: a value that the sheet holds elsewhere.
#[derive(Clone, Debug)]
pub struct TakeEntry {
    /// The word for the value.
    pub take: Written<String>,
    /// The machine or subnet that it is of; the machine itself where it is left out.
    pub of: Option<Written<String>>,
    /// The link that it is of.
    pub link: Option<Written<String>>,
    /// Which of several values, from 1.
    pub nth: Option<Written<i64>>,
    /// What stands between several values.
    pub join: Option<Written<String>>,
}
