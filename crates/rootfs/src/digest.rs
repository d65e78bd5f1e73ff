//! The digest by which the content of a file is told from another.

use sha2::{Digest as _, Sha256};

/// SHA-256 in hexadecimal digits.
pub(crate) fn digest(bytes: &[u8]) -> String {
    hex::encode(Sha256::digest(bytes))
}
