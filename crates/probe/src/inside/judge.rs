//! What was seen inside of a host, next to what the sheet says.

use impostazione_core::machine::{Machine, Site};

use super::expected::Host;
use super::fact::InsideFact;
use super::said::Said;
use super::{logins, naming, network, system, time};

/// Judges all that a host said.
pub(crate) fn judge_inside(site: &Site, machine: &Machine, said: &Said) -> Vec<InsideFact> {
    let host = Host { site, machine };
    let mut facts = network::facts(host, said);
    facts.extend(naming::facts(host, said));
    facts.extend(time::facts(host, said));
    facts.extend(logins::facts(host, said));
    facts.extend(system::facts(host, said));
    facts
}

impl Said {
    /// Whether the host is still starting.
    pub(crate) fn is_starting(&self) -> bool {
        matches!(self.anyway("running"), "initializing" | "starting")
    }
}
