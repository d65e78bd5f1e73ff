//! Which store it is: whoever can write the file and knows a public key can encrypt another one to it, but cannot know what
//! the true one holds.

use std::fmt;

use impostazione_text::Hidden;
use serde::{Deserialize, Serialize};
use sha2::{Digest as _, Sha256};

use crate::random::{NoRandomness, random_bytes};

/// What only those know who can open the store: 32 random bytes, in hexadecimal digits.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StoreIdentity(Hidden);

/// What is remembered of an identity: from it nobody can tell the identity itself.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct StoreFingerprint(String);

/// Hexadecimal digits of a fingerprint: half of a SHA-256.
const FINGERPRINT_DIGITS: usize = 32;

impl StoreIdentity {
    pub(super) fn random() -> Result<Self, NoRandomness> {
        Ok(Self(Hidden::new(hex::encode(random_bytes::<32>()?))))
    }

    pub(super) fn from_hex(digits: &str) -> Option<Self> {
        let is_one = digits.len() == 64 && digits.bytes().all(|byte| byte.is_ascii_hexdigit());
        is_one.then(|| Self(Hidden::new(digits)))
    }

    pub(super) fn to_hex(&self) -> &Hidden {
        &self.0
    }

    /// What is remembered of it.
    pub fn fingerprint(&self) -> StoreFingerprint {
        let digest = hex::encode(Sha256::digest(self.0.reveal().as_bytes()));
        StoreFingerprint(digest.chars().take(FINGERPRINT_DIGITS).collect())
    }
}

impl StoreFingerprint {
    /// Reads one as it is shown.
    pub fn parse(text: &str) -> Option<Self> {
        let digits = text.trim().to_ascii_lowercase();
        let is_one =
            digits.len() == FINGERPRINT_DIGITS && digits.bytes().all(|byte| byte.is_ascii_hexdigit());
        is_one.then_some(Self(digits))
    }
}

impl fmt::Display for StoreFingerprint {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}
