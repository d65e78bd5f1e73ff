//! A root filesystem under judgment.

use impostazione_rootfs::{Record, Room, Since, View};

use crate::output::HostOutput;
use crate::placing::merge::ChangedSince;
use crate::placing::plan::{PlacementOptions, Plan};
use crate::placing::survey::Survey;

/// A root filesystem under judgment.
pub struct RootfsCase<'a> {
    /// What messages call it: its path.
    pub name: &'a str,
    /// What it holds, before a placement that it may have.
    pub view: View<'a>,
    /// The same, looked over.
    pub survey: &'a Survey,
    /// What is to be placed on it, and what would change.
    pub placing: Option<(&'a HostOutput, &'a Plan)>,
    /// What is asked for beside the output.
    pub options: PlacementOptions,
    /// The placement that it has.
    pub record: Option<&'a Record>,
    /// What has become of each step of that placement.
    pub since: &'a [Since],
    /// What somebody has changed of what was placed.
    pub changed_since: &'a [ChangedSince],
    /// Whether it is the system that is running.
    pub is_running: bool,
    /// The room on it.
    pub room: Room,
    /// Whether another machine's placement may be replaced.
    pub may_replace: bool,
    /// Whether it is said already what becomes of that.
    pub is_answered: bool,
}

impl RootfsCase<'_> {
    pub(super) fn output(&self) -> Option<&HostOutput> {
        self.placing.map(|(output, _)| output)
    }
}
