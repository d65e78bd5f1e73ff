//! Why a package cannot be read.

/// Why a package cannot be used.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum PackageFault {
    /// There is no such file.
    Missing,
    /// There is no such file, and nothing beside it either: why it could not be looked at, as the end of a sentence.
    OutOfReach(String),
    /// The file is there and cannot be used, for this reason.
    Unreadable(String),
}
