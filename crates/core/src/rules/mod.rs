//! Rules about a finished site: one file holds one family, the registry lists the families, and a waiver sets a finding
//! aside.

mod address;
mod address_taken;
mod bond;
mod check;
mod cluster;
mod deployment;
mod gateway;
mod judge;
mod likely_answers;
mod link;
mod login;
mod mac;
mod mtu;
mod naming;
mod package;
mod property;
mod proved;
mod reach;
mod reference;
mod registry;
mod renderer;
mod replaced;
mod route;
mod secret;
mod servers;
mod set_apart;
mod special;
mod ssh;
mod subnet;
mod timezone;
mod told;
mod vlan;
mod waiver;
mod wifi;

pub(crate) use address_taken::{ADDRESS_IS_BROADCAST, ADDRESS_IS_NETWORK};
pub use check::Check;
pub(crate) use gateway::GATEWAY_OUTSIDE_SUBNET;
pub use judge::Judge;
pub use proved::ProvedSite;
pub(crate) use registry::{FAMILIES, run, run_on_any_host, run_on_told_values};
pub(crate) use route::ROUTE_UNREACHABLE;
pub(crate) use waiver::{
    Observed, RULES as WAIVER_RULES, apply as apply_waivers, apply_to_observed as apply_waivers_of_observed,
};
