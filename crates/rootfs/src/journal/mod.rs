//! Changing a root filesystem so that it can be taken back, whatever happens in between.
//!
//! First everything new is laid ready and everything old is kept, in the folder of the record; then the record is written;
//! only then do paths change, each by one renaming. Whoever finds a record with its mark of being under way can put every
//! path back, since each is either as it was or as it was to be. A placement that takes the place of an earlier one keeps what
//! that one kept, and is completed once its record is written.

mod carrying;
mod leftovers;
mod making;
mod since;
mod undoing;

pub use carrying::complete;
pub use leftovers::{clear, has_leftovers};
pub use making::{Earlier, PlacementFacts, place};
pub use since::{Since, check_reach, is_for_the_host_to_change, since};
pub use undoing::{Undone, undo};
