//! Digests of files, made as fast as the machine can.

use std::io::{self, Read};

use ring::digest::{Context, SHA1_FOR_LEGACY_USE_ONLY, SHA256, SHA512};

/// Bytes that are read at a time: as many as stay in the processor's own cache until they are digested. A second thread
/// that reads ahead costs more than it gains, since what it reads has to come from the other processor's cache.
const PIECE: usize = 64 * 1024;

/// A digest that manifests use (DSP0243 1.1.0, section 5.1; 2.1.1, section 5.1).
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Algorithm {
    /// SHA-1
    Sha1,
    /// SHA-256
    Sha256,
    /// SHA-512
    Sha512,
}

impl Algorithm {
    /// The algorithm as a manifest names it. The spelling of newer openssl is taken too.
    pub fn parse(name: &str) -> Option<Self> {
        match name.to_ascii_uppercase().as_str() {
            "SHA1" | "SHA-1" => Some(Self::Sha1),
            "SHA256" | "SHA-256" | "SHA2-256" => Some(Self::Sha256),
            "SHA512" | "SHA-512" | "SHA2-512" => Some(Self::Sha512),
            _ => None,
        }
    }

    /// The algorithm whose digests have so many hexadecimal digits.
    pub fn of_length(digits: usize) -> Option<Self> {
        match digits {
            40 => Some(Self::Sha1),
            64 => Some(Self::Sha256),
            128 => Some(Self::Sha512),
            _ => None,
        }
    }

    /// As a manifest writes it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Sha1 => "SHA1",
            Self::Sha256 => "SHA256",
            Self::Sha512 => "SHA512",
        }
    }

    /// Hexadecimal digits of its digests.
    pub fn digits(self) -> usize {
        match self {
            Self::Sha1 => 40,
            Self::Sha256 => 64,
            Self::Sha512 => 128,
        }
    }

    fn context(self) -> Context {
        Context::new(match self {
            Self::Sha1 => &SHA1_FOR_LEGACY_USE_ONLY,
            Self::Sha256 => &SHA256,
            Self::Sha512 => &SHA512,
        })
    }

    /// The digest of these bytes, in hexadecimal digits.
    pub fn of_bytes(self, bytes: &[u8]) -> String {
        let mut context = self.context();
        context.update(bytes);
        hex::encode(context.finish())
    }

    /// The digest of what is read to its end, in hexadecimal digits, and how many bytes that were. `seen` is told of each
    /// piece.
    pub fn of_reader(self, reader: &mut dyn Read, seen: &dyn Fn(u64)) -> io::Result<(String, u64)> {
        let mut context = self.context();
        let mut length = 0;
        let mut piece = vec![0; PIECE];
        loop {
            let filled = match reader.read(&mut piece) {
                Ok(0) => return Ok((hex::encode(context.finish()), length)),
                Ok(filled) => filled,
                Err(error) if error.kind() == io::ErrorKind::Interrupted => continue,
                Err(error) => return Err(error),
            };
            context.update(piece.get(..filled).unwrap_or_default());
            length += filled as u64;
            seen(filled as u64);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn known_digests() {
        // FIPS 180-4's example message.
        assert_eq!(Algorithm::Sha1.of_bytes(b"abc"), "a9993e364706816aba3e25717850c26c9cd0d89d");
        assert_eq!(
            Algorithm::Sha256.of_bytes(b"abc"),
            "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"
        );
        assert!(Algorithm::Sha512.of_bytes(b"abc").starts_with("ddaf35a193617abacc417349ae204131"));
    }

    #[test]
    fn a_long_reader_gives_what_its_bytes_give() {
        let bytes: Vec<u8> = (0..3_000_000u32).map(|number| number.to_le_bytes()[0]).collect();
        let total = std::sync::atomic::AtomicU64::new(0);
        let seen = |count: u64| {
            total.fetch_add(count, std::sync::atomic::Ordering::Relaxed);
        };
        let (digest, length) = Algorithm::Sha256.of_reader(&mut bytes.as_slice(), &seen).unwrap();
        assert_eq!(digest, Algorithm::Sha256.of_bytes(&bytes));
        assert_eq!((length, total.into_inner()), (3_000_000, 3_000_000));
    }
}
