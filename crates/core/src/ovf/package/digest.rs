//! Digests of files, made as fast as the machine can.

use std::io::{self, Read};
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};
use std::thread;

use ring::digest::{Context, SHA1_FOR_LEGACY_USE_ONLY, SHA256, SHA512};

/// Bytes that are read at a time.
const PIECE: usize = 512 * 1024;

/// Pieces that are on their way between reading and digesting.
const PIECES: usize = 4;

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
    /// piece. One thread reads while this one digests.
    pub fn of_reader(
        self,
        reader: &mut (dyn Read + Send),
        seen: &(dyn Fn(u64) + Sync),
    ) -> io::Result<(String, u64)> {
        let mut context = self.context();
        let mut length = 0;
        thread::scope(|scope| {
            let (send_full, full) = sync_channel::<io::Result<(Vec<u8>, usize)>>(PIECES);
            let (send_empty, empty) = sync_channel::<Vec<u8>>(PIECES);
            for _ in 0..PIECES {
                // There is room for all of them.
                let _ = send_empty.send(vec![0; PIECE]);
            }
            scope.spawn(move || read_ahead(reader, &empty, &send_full));
            for piece in full {
                let (piece, filled) = piece?;
                context.update(piece.get(..filled).unwrap_or_default());
                length += filled as u64;
                seen(filled as u64);
                // The reader may have come to its end.
                let _ = send_empty.send(piece);
            }
            Ok((hex::encode(context.finish()), length))
        })
    }
}

fn read_ahead(
    reader: &mut (dyn Read + Send),
    empty: &Receiver<Vec<u8>>,
    full: &SyncSender<io::Result<(Vec<u8>, usize)>>,
) {
    while let Ok(mut piece) = empty.recv() {
        let filled = match reader.read(&mut piece) {
            Ok(0) => return,
            Ok(filled) => Ok((piece, filled)),
            Err(error) if error.kind() == io::ErrorKind::Interrupted => Ok((piece, 0)),
            Err(error) => Err(error),
        };
        let is_end = filled.is_err();
        if full.send(filled).is_err() || is_end {
            return;
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
