//! SSH host keys that are made before the host is.

use impostazione_text::Hidden;
use ssh_key::private::{Ed25519Keypair, KeypairData};
use ssh_key::{LineEnding, PrivateKey};
use zeroize::Zeroizing;

use super::random::{NoRandomness, random_bytes};

/// An Ed25519 key of a host, by its 32 bytes (RFC 8032, section 5.1.5).
#[derive(Clone, PartialEq, Eq)]
pub struct HostKey(Zeroizing<[u8; 32]>);

/// A key could not be written: a fault of this program.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("a host key could not be written")]
pub struct HostKeyFault;

impl HostKey {
    /// A new key.
    pub fn random() -> Result<Self, NoRandomness> {
        Ok(Self(Zeroizing::new(random_bytes()?)))
    }

    /// A key from its hexadecimal digits.
    pub(super) fn from_hex(text: &str) -> Option<Self> {
        let mut bytes = Zeroizing::new([0; 32]);
        hex::decode_to_slice(text, &mut *bytes).ok()?;
        Some(Self(bytes))
    }

    /// Its hexadecimal digits.
    pub(super) fn to_hex(&self) -> Hidden {
        Hidden::new(hex::encode(*self.0))
    }

    /// The file that sshd reads, the same at every time.
    pub fn private_file(&self, host: &str) -> Result<Hidden, HostKeyFault> {
        let text = self.key(host)?.to_openssh(LineEnding::LF).map_err(|_| HostKeyFault)?;
        Ok(Hidden::new(text.as_str()))
    }

    /// The public key on one line: algorithm, key and the host's name.
    pub fn public_line(&self, host: &str) -> Result<String, HostKeyFault> {
        self.key(host)?.public_key().to_openssh().map_err(|_| HostKeyFault)
    }

    fn key(&self, host: &str) -> Result<PrivateKey, HostKeyFault> {
        let pair = Ed25519Keypair::from_seed(&self.0);
        PrivateKey::new(KeypairData::Ed25519(pair), host).map_err(|_| HostKeyFault)
    }
}

impl std::fmt::Debug for HostKey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("(hidden)")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_key_is_written_the_same_each_time_and_reads_back() {
        let key = HostKey::random().unwrap();
        let file = key.private_file("gauge-01").unwrap();
        assert_eq!(file, key.private_file("gauge-01").unwrap());
        let read = PrivateKey::from_openssh(file.reveal()).unwrap();
        assert_eq!(read.public_key().to_openssh().unwrap(), key.public_line("gauge-01").unwrap());
        assert!(key.public_line("gauge-01").unwrap().ends_with(" gauge-01"));
        assert_eq!(HostKey::from_hex(key.to_hex().reveal()), Some(key.clone()));
        assert_ne!(HostKey::random().unwrap(), key);
    }
}
