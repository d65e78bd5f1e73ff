//! The bytes of a file that may hold something confidential.

use std::fmt;
use std::ops::Deref;

use zeroize::Zeroizing;

/// Bytes that are never shown and are wiped from memory when they are no longer needed.
#[derive(Clone, PartialEq, Eq)]
pub struct FileBytes(Zeroizing<Vec<u8>>);

impl FileBytes {
    /// Takes bytes over.
    pub fn new(bytes: impl Into<Vec<u8>>) -> Self {
        Self(Zeroizing::new(bytes.into()))
    }
}

impl Deref for FileBytes {
    type Target = [u8];

    fn deref(&self) -> &[u8] {
        &self.0
    }
}

impl fmt::Debug for FileBytes {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "({} bytes)", self.0.len())
    }
}
