//! Root filesystems that are not the running one: what one holds, what a placement changes on it, and the way back.

mod assess;
mod boot;
mod change;
mod entries;
mod folder;
mod image;
mod journal;
mod loop_device;
mod mbr;
mod mounts;
mod partitions;
mod path;
mod plan;
mod record;
mod state;
mod survey;
mod times;
mod view;

pub use assess::{AssessFault, Outstanding, Placing, Request, RootfsAssessment, inspect_rootfs, take_back};
pub use change::{Change, Owner, Subject, Want};
pub use folder::{Found, Kind, READ_LIMIT, Room, Rootfs, RootfsFault, RootfsLock};
pub use image::{Access, ImageFault, RootfsImage};
pub use journal::{Occasion, Since, Undone, check_reach, clear};
pub use partitions::{Filesystem, Partition};
pub use path::{OddPath, RootfsPath};
pub use plan::{Concern, Fate, Obstacle, Plan, PlanFault, Wishes, plan};
pub(crate) use plan::{merge_hosts, own_names};
pub use record::{FolderTimes, RECORD_FOLDER, Record, RecordFault, Step};
pub use state::State;
pub(crate) use survey::rewriting::KERNEL_LINE_UNIT;
pub use survey::{
    Effect, FoundHostKey, FoundLogin, FoundNetplan, FoundPassword, FoundSource, FoundSsh, FoundTime,
    FoundWifi, MachineId, NetworkFile, Reader, Renderer, Rewriter, SshSetting, Survey, System,
    TimeServiceFound, WayIn, WayKind,
};
pub use view::View;
