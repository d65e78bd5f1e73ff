//! What a root filesystem has become since it was placed, and what of that stays.

mod becoming;
mod changed_since;
mod entries;
mod form;
mod lines;

pub use becoming::Keeping;
pub(super) use becoming::{Become, entry_names, has_entries, keep_identity, keep_order};
pub use changed_since::ChangedSince;
