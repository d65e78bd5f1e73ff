//! Why a package cannot be read.

/// Why a package cannot be used.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum PackageFault {
    /// There is no such file.
    Missing,
    /// The file is there and cannot be used, for this reason.
    Unreadable(String),
}
