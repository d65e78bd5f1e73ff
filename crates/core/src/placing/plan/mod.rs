//! From a host's output and what a root filesystem holds to the changes of a placement.

mod accounts;
mod earlier_logins;
mod edits;
mod files;
mod identity;
mod make;
mod names;
mod network;
mod plan;
mod plan_inputs;
mod rewriting;
mod services;
mod ssh;
mod subordinate;
mod table;
mod time;
mod ways_in;

pub use earlier_logins::EarlierLogins;
pub use make::plan;
pub(crate) use names::{merge_hosts, own_names};
pub use plan::{AccountChange, Concern, Fate, Obstacle, Plan, PlanFault, PlannedAccount};
pub use plan_inputs::PlacementOptions;
