//! Whether machines have come up as the sheet says, after they have started: waiting for each, and what it has come to.

mod at_address;
mod judged;
mod known_hosts;
mod machine;
mod shared;
mod stage;
mod visit;
mod wait;

pub use judged::{Arrivals, judge_arrivals};
pub use known_hosts::{HostKeyList, own_known_hosts};
pub use stage::{Arrival, SeenHostKey, SharedArrival, Stage};
pub use wait::{ArrivalWatch, Unattended, Wait, longest_visit, wait};
