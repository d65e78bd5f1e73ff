//! How much of a package is read into memory.

/// Largest descriptor that is read. Reading takes a few times its size in memory.
pub(crate) const DESCRIPTOR_LIMIT: u64 = 16 * 1024 * 1024;

/// Largest file beside the descriptor whose digest is looked at without being asked for.
pub(super) const SMALL_FILE: u64 = 1024 * 1024;
