//! The build sheet as a person wrote it: texts and their places, nothing typed yet.

mod address_texts;
mod brackets;
mod differs;
mod entries;
mod expand;
mod familiar;
mod hidden;
mod hidden_unparsed;
mod include;
mod keys;
mod pattern;
mod read;
mod rows;
mod rows_table;
mod rows_text;
pub(crate) mod rules;
mod syntax;
mod table;

pub use address_texts::{AddressText, AddressTextKind, address_texts};
pub(crate) use differs::is_shared;
pub use entries::{
    AccountEntry, AnswerEntry, AnswerValue, ClusterEntry, DifferingEntry, FurtherAddressEntry, ItemEntry,
    LinkEntry, ListEntry, MachineEntry, MachineKind, MoreOfAppliance, MoreOfLink, MoreOfMachine, PoolEntry,
    RouteEntry, SIZE_LIMIT, SecretEntry, SecretReference, SettingsEntry, Sheet, SshEntry, SubnetEntry,
    TakeEntry, TimeKeyEntry, VirtualAddressEntry, WaiverEntry, WifiEntry,
};
pub use expand::expand;
pub(crate) use hidden::{is_path, is_variable};
pub(crate) use hidden_unparsed::hidden_in_unparsed_netplan;
pub use include::read_all;
pub(crate) use keys::{
    ACCOUNT, APPLIANCE, CLUSTER, COMMON, HOST, HOST_LINK, ROUTE, SECRET, SECRET_VALUE, SSH, SUBNET_TABLE,
    TAKE, TIME_KEY, WAIVER, WIFI,
};
pub use keys::{KEYS, KeySpec, Shape, TableSpec};
pub use rows_table::RowsTable;
