//! Placing the files of a host on a root filesystem that is not the running one: what the rootfs holds, what is to change on
//! it, and what speaks against that.

mod assess;
mod merge;
mod plan;
mod rules;
mod survey;

pub use assess::{
    AssessFault, PendingChanges, Placing, Request, RootfsAssessment, complete_cut_off, inspect_rootfs,
    take_back,
};
pub use merge::{ChangedSince, Keeping};
pub use plan::{
    AccountChange, Concern, EarlierLogins, Fate, Obstacle, PlacementOptions, Plan, PlanFault, PlannedAccount,
    plan,
};
pub(crate) use rules::RULES;
pub use rules::{RootfsCase, judge_rootfs};
pub use survey::{
    Effect, FoundAccount, FoundHostKey, FoundLookUp, FoundNetplan, FoundOverride, FoundPassword,
    FoundRenderer, FoundSource, FoundSsh, FoundTime, FoundWifi, LookUpKind, MachineId, NetworkFile, Reader,
    Rewriter, SshSetting, Survey, System, TimeServiceFound, WayIn, WayKind,
};
