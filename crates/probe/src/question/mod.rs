//! What is asked of the network.

mod expected;
mod lookup;
mod plan;
mod servers;

pub use expected::{
    ExpectedAddress, ExpectedClock, ExpectedDomain, ExpectedGateway, ExpectedLease, ExpectedName,
    ExpectedNameServer, ExpectedService, Mention, Owner, ServiceKind, Witness,
};
pub use lookup::{Lookup, Sought};
pub(crate) use plan::addresses_of;
pub use plan::{Plan, PlanOptions};
