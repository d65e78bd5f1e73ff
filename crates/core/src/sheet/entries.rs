//! What stands in a sheet, key by key, before it is typed.

use impostazione_text::{Hidden, Place, Stated, Written};

/// The largest sheet that is read, in bytes: a hundred times the size of a sheet of 50,000 hosts written out.
pub const SIZE_LIMIT: u64 = 512 * 1024 * 1024;

/// A sheet, after its TOML has been taken apart and before anything in it has been judged.
#[derive(Clone, Debug, Default)]
pub struct Sheet {
    /// `include`: paths of other files
    pub include: Vec<Written<String>>,
    /// Where `[common]` begins.
    pub common_place: Option<Place>,
    /// What the sheet is about, in the administrator's words.
    pub site: Stated<Written<String>>,
    /// `refused_passwords` of `[common]`.
    pub refused_passwords: Stated<Written<String>>,
    /// The settings of `[common]`.
    pub common: SettingsEntry,
    /// The `[subnet.*]` tables.
    pub subnets: Vec<SubnetEntry>,
    /// The `[pool.*]` tables.
    pub pools: Vec<PoolEntry>,
    /// The `[cluster.*]` tables.
    pub clusters: Vec<ClusterEntry>,
    /// The `[secret.*]` tables.
    pub secrets: Vec<SecretEntry>,
    /// The `[time_key.*]` tables.
    pub time_keys: Vec<TimeKeyEntry>,
    /// The `[account.*]` tables.
    pub accounts: Vec<AccountEntry>,
    /// The `[[waiver]]` entries.
    pub waivers: Vec<WaiverEntry>,
    /// The `[[host]]` and `[[appliance]]` entries, and, once they are expanded, their machines, in their order.
    pub machines: Vec<MachineEntry>,
    /// Where values stand that must not be shown.
    pub hidden: Vec<Place>,
    /// The part of the text of which nothing is shown, since it could not be parsed.
    pub unread: Option<std::ops::Range<usize>>,
    /// Whether the sheet could be read in full: its TOML is right, and so are the names of its tables. If not, what
    /// seems to be missing may only be unread.
    pub is_whole: bool,
}

/// Settings that may stand in `[common]` and be repeated on a machine, some of them also in a subnet.
#[derive(Clone, Debug, Default)]
pub struct SettingsEntry {
    /// `purpose`
    pub purpose: Stated<Written<String>>,
    /// `domain`
    pub domain: Stated<Written<String>>,
    /// `name_pattern`
    pub name_pattern: Stated<Written<String>>,
    /// `dns`
    pub dns: Stated<ListEntry>,
    /// `dns_for`: a domain, and who is asked for its names
    pub dns_for: Stated<Vec<(Written<String>, Stated<ListEntry>)>>,
    /// `search`
    pub search: Stated<ListEntry>,
    /// `llmnr`
    pub llmnr: Stated<Written<bool>>,
    /// `multicast_dns`
    pub multicast_dns: Stated<Written<bool>>,
    /// `ntp`
    pub ntp: Stated<ListEntry>,
    /// `time_service`
    pub time_service: Stated<Written<String>>,
    /// `timezone`
    pub timezone: Stated<Written<String>>,
    /// `locale`
    pub locale: Stated<Written<String>>,
    /// `keyboard`
    pub keyboard: Stated<Written<String>>,
    /// `ipv6`
    pub ipv6: Stated<Written<String>>,
    /// `netplan`
    pub netplan: Stated<Written<String>>,
    /// `renderer`
    pub renderer: Stated<Written<String>>,
    /// `hosts_file`
    pub hosts_file: Stated<Written<String>>,
    /// `ssh`
    pub ssh: Stated<SshEntry>,
    /// `stock_logins`
    pub stock_logins: Stated<Written<String>>,
    /// `password_hashing`
    pub password_hashing: Stated<Written<String>>,
    /// `password_cost`
    pub password_cost: Stated<Written<i64>>,
}

/// `ssh = { … }`
#[derive(Clone, Debug, Default)]
pub struct SshEntry {
    /// `enabled`
    pub enabled: Stated<Written<bool>>,
    /// `password_login`
    pub password_login: Stated<Written<bool>>,
    /// `root_login`
    pub root_login: Stated<Written<bool>>,
    /// `host_key`
    pub host_key: Stated<Written<bool>>,
    /// `port`
    pub port: Stated<Written<i64>>,
}

/// A list that can be declined with `"none"`.
#[derive(Clone, Debug)]
pub struct ListEntry {
    /// Where the list, or the `"none"` in its place, stands.
    pub place: Place,
    /// The items, without a closing `"none"`.
    pub items: Vec<ItemEntry>,
    /// Whether `"none"` was written: in place of the list, or as its last item to say that there is no more.
    pub ends_with_none: bool,
    /// Whether some item was no text; a finding says so already.
    pub has_faulty_items: bool,
}

/// An item of a list.
#[derive(Clone, Debug)]
pub enum ItemEntry {
    /// A text.
    Text(Written<String>),
    /// A value of the sheet, and where it is taken.
    Take(Box<TakeEntry>, Place),
    /// `{ server = …, key = … }`: a time server that proves its answers
    Keyed {
        /// Address or name.
        server: Written<String>,
        /// The key's name.
        key: Written<String>,
    },
}

/// A `[subnet.NAME]` table.
#[derive(Clone, Debug)]
pub struct SubnetEntry {
    /// Its name.
    pub name: Written<String>,
    /// `prefix`
    pub prefix: Stated<Written<String>>,
    /// `gateway`
    pub gateway: Stated<Written<String>>,
    /// `prefix6`
    pub prefix6: Stated<Written<String>>,
    /// `gateway6`
    pub gateway6: Stated<Written<String>>,
    /// `gateway_on_link`
    pub gateway_on_link: Stated<Written<bool>>,
    /// `vlan`
    pub vlan: Stated<Written<i64>>,
    /// `mtu`
    pub mtu: Stated<Written<i64>>,
    /// `hypervisor_network`
    pub hypervisor_network: Stated<Written<String>>,
    /// `wifi`
    pub wifi: Stated<WifiEntry>,
    /// `dhcp_ranges`
    pub dhcp_ranges: Vec<Written<String>>,
    /// `kept_free`
    pub kept_free: Vec<Written<String>>,
    /// `domain`, `dns`, `search`, `ntp` and `timezone`, if it has any
    pub settings: Option<Box<SettingsEntry>>,
    /// `in_use`: address, and who uses it
    pub in_use: Vec<(Written<String>, String)>,
}

/// `wifi = { … }` of a subnet.
#[derive(Clone, Debug)]
pub struct WifiEntry {
    /// Where it stands.
    pub place: Place,
    /// `ssid`
    pub ssid: Stated<Written<String>>,
    /// `passphrase`: the name of its secret, or `none`
    pub passphrase: Stated<Written<SecretReference>>,
    /// `country`
    pub country: Stated<Written<String>>,
    /// `hidden`
    pub hidden: Stated<Written<bool>>,
    /// `sae`
    pub sae: Stated<Written<bool>>,
}

/// Where a confidential value comes from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum SecretReference {
    /// There is none, on purpose.
    None,
    /// `{ secret = … }`
    Named(String),
    /// The value itself, where it should not stand.
    Literal(Hidden),
}

/// A `[pool.NAME]` table.
#[derive(Clone, Debug)]
pub struct PoolEntry {
    /// Its name.
    pub name: Written<String>,
    /// `prefix`
    pub prefix: Stated<Written<String>>,
    /// `prefix6`
    pub prefix6: Stated<Written<String>>,
    /// `vlan`
    pub vlan: Stated<Written<i64>>,
}

/// A `[cluster.NAME]` table.
#[derive(Clone, Debug)]
pub struct ClusterEntry {
    /// Its name.
    pub name: Written<String>,
    /// `size`
    pub size: Stated<Written<i64>>,
    /// `allowed_sizes`
    pub allowed_sizes: Stated<Written<String>>,
    /// `virtual_address`
    pub virtual_address: Stated<VirtualAddressEntry>,
}

/// `virtual_address = { … }` of a cluster.
#[derive(Clone, Debug)]
pub struct VirtualAddressEntry {
    /// `subnet`
    pub subnet: Stated<Written<String>>,
    /// `address`
    pub address: Stated<Written<String>>,
    /// `address6`
    pub address6: Stated<Written<String>>,
}

/// A `[secret.NAME]` table.
#[derive(Clone, Debug)]
pub struct SecretEntry {
    /// Its name.
    pub name: Written<String>,
    /// `from`
    pub from: Stated<Written<String>>,
    /// `path`
    pub path: Stated<Written<String>>,
    /// `variable`
    pub variable: Stated<Written<String>>,
    /// `per`
    pub per: Stated<Written<String>>,
    /// `min_length`
    pub min_length: Stated<Written<i64>>,
    /// `max_length`
    pub max_length: Stated<Written<i64>>,
    /// `require`
    pub require: Stated<Vec<Written<String>>>,
    /// `forbid`
    pub forbid: Stated<Written<String>>,
    /// `typed_on`
    pub typed_on: Stated<Vec<Written<String>>>,
    /// `generated`
    pub generated: Stated<Written<bool>>,
}

/// A `[time_key.NAME]` table.
#[derive(Clone, Debug)]
pub struct TimeKeyEntry {
    /// Its name.
    pub name: Written<String>,
    /// `number`
    pub number: Stated<Written<i64>>,
    /// `algorithm`
    pub algorithm: Stated<Written<String>>,
    /// `value`
    pub value: Stated<Written<SecretReference>>,
}

/// A `[[waiver]]` entry.
#[derive(Clone, Debug)]
pub struct WaiverEntry {
    /// Its header.
    pub header: Place,
    /// `rule`
    pub rule: Stated<Written<String>>,
    /// `machines`
    pub machines: Stated<Vec<Written<String>>>,
    /// `reason`
    pub reason: Stated<Written<String>>,
    /// `until`
    pub until: Stated<Written<toml::value::Date>>,
}

/// An `[account.NAME]` table.
#[derive(Clone, Debug)]
pub struct AccountEntry {
    /// The login.
    pub name: Written<String>,
    /// `full_name`
    pub full_name: Stated<Written<String>>,
    /// `admin`
    pub admin: Stated<Written<bool>>,
    /// `ssh_keys`: paths of public key files, or public keys
    pub ssh_keys: Stated<Vec<Written<String>>>,
    /// `password`
    pub password: Stated<Written<SecretReference>>,
    /// `change_at_first_login`
    pub change_at_first_login: Stated<Written<bool>>,
    /// `groups`
    pub groups: Stated<Vec<Written<String>>>,
    /// `shell`
    pub shell: Stated<Written<String>>,
    /// `hosts`: globs of host names
    pub hosts: Stated<Vec<Written<String>>>,
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
    pub rows: Stated<Written<String>>,
    /// `name`
    pub name: Stated<Written<String>>,
    /// What the entry sets for itself, if anything.
    pub settings: Option<Box<SettingsEntry>>,
    /// What few machines have.
    pub more: Option<Box<MoreOfMachine>>,
    /// `link.*`
    pub links: Vec<LinkEntry>,
    /// `package`
    pub package: Stated<Written<String>>,
    /// What few appliances have.
    pub of_appliance: Option<Box<MoreOfAppliance>>,
    /// `answer`
    pub answers: Vec<AnswerEntry>,
    /// Where the table of answers begins.
    pub answers_place: Option<Place>,
    /// `differs`: machines of the entry that differ from its others, until they are put in their places
    pub differing: Vec<DifferingEntry>,
}

/// `differs.NAME`: one machine of an entry that differs from its others.
#[derive(Clone, Debug)]
pub struct DifferingEntry {
    /// The machine's name.
    pub name: Written<String>,
    /// The whole entry as it is for this machine: what it does not say for itself is the entry's.
    pub entry: MachineEntry,
}

/// Keys of a machine that most leave out.
#[derive(Clone, Debug, Default)]
pub struct MoreOfMachine {
    /// `hostname`
    pub hostname: Stated<Written<String>>,
    /// `fqdn`
    pub fqdn: Stated<Written<String>>,
    /// `serves`
    pub serves: Stated<Vec<Written<String>>>,
    /// `cluster`
    pub cluster: Stated<Written<String>>,
}

/// Keys of an appliance that many leave out.
#[derive(Clone, Debug, Default)]
pub struct MoreOfAppliance {
    /// `system`
    pub system: Stated<Written<String>>,
    /// `meanings`
    pub meanings: Stated<Written<String>>,
    /// `deployment_option`
    pub deployment_option: Stated<Written<String>>,
    /// `accept_licenses`
    pub accept_licenses: Stated<Written<bool>>,
    /// `storage_free`
    pub storage_free: Stated<Written<String>>,
    /// `vm_name`
    pub vm_name: Stated<Written<String>>,
}

impl MachineEntry {
    /// What messages call the machine: its name as written, unless that is missing or empty.
    pub fn label(&self) -> Option<String> {
        label_of(&self.name)
    }
}

/// The name of a machine as written, unless it is missing or empty.
pub(super) fn label_of(name: &Stated<Written<String>>) -> Option<String> {
    name.value().map(|name| name.value.clone()).filter(|name| !name.is_empty())
}

/// A `link.NAME` table.
#[derive(Clone, Debug)]
pub struct LinkEntry {
    /// Its name.
    pub name: Written<String>,
    /// `network`: the name of the package's network (appliances only)
    pub network: Stated<Written<String>>,
    /// `subnet`
    pub subnet: Stated<Written<String>>,
    /// `address`
    pub address: Stated<Written<String>>,
    /// `address6`
    pub address6: Stated<Written<String>>,
    /// `host_number`
    pub host_number: Stated<Written<String>>,
    /// `host_number6`
    pub host_number6: Stated<Written<String>>,
    /// `replaces`
    pub replaces: Stated<Written<String>>,
    /// `default_route`
    pub default_route: Stated<Written<bool>>,
    /// What few links have.
    pub more: Option<Box<MoreOfLink>>,
}

/// An item of `more_addresses`.
#[derive(Clone, Debug)]
pub struct FurtherAddressEntry {
    /// The item itself, or `address`
    pub address: Written<String>,
    /// `outside_subnet`
    pub outside_subnet: bool,
}

/// Keys of a link of a host that most leave out.
#[derive(Clone, Debug, Default)]
pub struct MoreOfLink {
    /// `kind`
    pub kind: Stated<Written<String>>,
    /// `mac`
    pub mac: Stated<Written<String>>,
    /// `port`
    pub port: Stated<Written<String>>,
    /// `more_addresses`
    pub more_addresses: Stated<Vec<FurtherAddressEntry>>,
    /// `routes`
    pub routes: Stated<Vec<RouteEntry>>,
    /// `routing_table`
    pub routing_table: Stated<Written<i64>>,
    /// `mtu`
    pub mtu: Stated<Written<i64>>,
    /// `wake_on_lan`
    pub wake_on_lan: Stated<Written<bool>>,
    /// `speed`
    pub speed: Stated<Written<i64>>,
    /// `duplex`
    pub duplex: Stated<Written<String>>,
    /// `link_local4`
    pub link_local4: Stated<Written<bool>>,
    /// `members`
    pub members: Stated<Vec<Written<String>>>,
    /// `mode`
    pub mode: Stated<Written<String>>,
    /// `primary`
    pub primary: Stated<Written<String>>,
    /// `link_check_ms`
    pub link_check_ms: Stated<Written<i64>>,
    /// `lacp_rate`
    pub lacp_rate: Stated<Written<String>>,
    /// `hash_policy`
    pub hash_policy: Stated<Written<String>>,
    /// `over`
    pub over: Stated<Written<String>>,
    /// `spanning_tree`
    pub spanning_tree: Stated<Written<bool>>,
}

/// An item of `routes`.
#[derive(Clone, Debug)]
pub struct RouteEntry {
    /// Where it stands.
    pub place: Place,
    /// `to`
    pub to: Stated<Written<String>>,
    /// `via`
    pub via: Stated<Written<String>>,
    /// `metric`
    pub metric: Stated<Written<i64>>,
}

/// One line of `[appliance.answer]`.
#[derive(Clone, Debug)]
pub struct AnswerEntry {
    /// Id of the property.
    pub property: Written<String>,
    /// The answer; `Faulty` when it could not be read.
    pub value: Stated<AnswerValue>,
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
    /// The value of a secret, by its name.
    Secret(Written<String>),
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
    /// What is reached over the link that it is of.
    pub toward: Option<Written<String>>,
    /// Which of several values, from 1.
    pub nth: Option<Written<i64>>,
    /// What stands between several values.
    pub join: Option<Written<String>>,
}
