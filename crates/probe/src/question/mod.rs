//! What is asked of the network.

mod around;
mod arrival;
mod expected;
mod lookup;
mod plan;
mod servers;

pub(crate) use arrival::PLAIN_PORT;
pub use arrival::{ArrivalPlan, ExpectedAt, ExpectedMachine, ExpectedShared, HostKeys, Way};
pub use expected::{
    ExpectedAddress, ExpectedClock, ExpectedDomain, ExpectedGateway, ExpectedLease, ExpectedName,
    ExpectedNameServer, ExpectedService, Mention, Owner, ServiceKind, Witness,
};
pub use lookup::{Lookup, Sought};
pub(crate) use plan::addresses_of;
pub use plan::{Plan, PlanOptions};
