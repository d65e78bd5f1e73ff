//! The site after everything in its sheet has been typed: the one model that rules and writers read.

mod account;
mod answer;
mod appliance;
mod cluster;
mod demands;
pub(crate) mod host_number;
mod key_options;
mod link;
mod machine;
mod made_up;
mod pool;
mod public_key;
mod resolve;
mod resolve_link;
mod resolve_secret;
mod resolve_settings;
pub(crate) mod rules;
mod secret;
mod secret_holder;
mod secret_slot;
mod secret_uses;
mod settings;
mod site;
mod subnet;
mod take;
mod take_value;
mod time_server;
mod way_toward;

pub use account::{Account, AuthorizedKey};
pub use answer::{Answer, AnswerSource};
pub use appliance::{Appliance, MeaningsFault, NamedMeanings};
pub use cluster::{AllowedSizes, Cluster};
pub use demands::{Demand, Demands};
pub use link::{AddressChoice, Bond, BondMode, Bridge, Link, LinkAddress, LinkKind, LinkOptions, Route};
pub use machine::{Host, Machine, Role, Serves};
pub use made_up::NotMadeUp;
pub use pool::Pool;
pub(crate) use public_key::key_fault;
pub use resolve::resolve;
pub use rules::secret::{SECRET_MISSING, SECRET_STORE_CANNOT_OPEN};
pub use secret::{Secret, SecretScope, SecretSource, TimeKey};
pub use secret_slot::{SecretRole, SecretSlot, SecretUse};
pub use settings::{
    Choices, DomainServers, HashKind, HostsFile, Ipv6Mode, NetplanVersion, Purpose, Renderer, ServerMention,
    Settings, Ssh, StockLogins, TimeService, TimeSource,
};
pub use site::{AddressOwner, AddressUse, AskedServer, SettingOrigin, Site};
pub use subnet::{Gateway, InUse, Subnet, SubnetFamily, Wifi};
pub use take::{Of, Take, TakeFault, Toward};
pub use time_server::{TimeServer, TimeServerFault};
