//! Names that machines, domains, links, accounts and time zones may have.

mod account_name;
mod domain_name;
mod hostname;
mod known;
mod label;
mod link_name;
mod zone_name;

pub use account_name::AccountName;
pub use domain_name::DomainName;
pub use hostname::Hostname;
pub use known::{Country, KeyboardLayout, LocaleName};
pub use label::NameFault;
pub use link_name::LinkName;
pub use zone_name::{ZoneName, nearest_zones};
