//! What differs between two sheets, two outputs, or an output and a root filesystem, and what has changed
//! between two reports.

mod comparison;
mod outputs;
mod reports;
mod rootfs;
mod sheets;
mod shown;

pub use self::comparison::{Comparison, Difference, DifferenceKind, DifferencePlace, NotCompared};
pub use self::outputs::{Scope, compare_outputs};
pub use self::reports::compare_reports;
pub use self::rootfs::compare_rootfs;
pub use self::sheets::{ComparedSheet, compare_sheets};
pub use self::shown::lines_of_change;
