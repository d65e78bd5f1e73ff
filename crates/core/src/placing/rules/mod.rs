//! Rules on a root filesystem, and on an output that is to be placed on it.

mod accounts;
mod case;
mod found;
mod identity;
mod judge;
mod lacks;
mod network;
mod placement;
mod ways_in;
mod writable;

pub use case::RootfsCase;
pub(crate) use judge::RULES;
pub use judge::judge_rootfs;
