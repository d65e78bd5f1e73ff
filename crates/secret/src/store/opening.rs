//! Encrypting and decrypting a store.

use std::io::{self, Read as _, Write as _};

use age::armor::{ArmoredReader, ArmoredWriter, Format};
use age::secrecy::SecretString;
use age::{Decryptor, Encryptor, Identity};
use impostazione_text::Hidden;
use zeroize::Zeroizing;

use super::content::Store;
use super::private_key::PrivateKey;

/// The largest store that is read, in bytes once it is decrypted.
const CONTENT_LIMIT: u64 = 256 * 1024 * 1024;

/// What opens a store.
pub enum Opener {
    /// A passphrase.
    Passphrase(Hidden),
    /// Private keys.
    Keys(Vec<PrivateKey>),
}

impl std::fmt::Debug for Opener {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Self::Passphrase(_) => "a passphrase",
            Self::Keys(_) => "private keys",
        })
    }
}

/// What a store is closed with again.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Seal {
    /// This passphrase.
    Passphrase(Hidden),
    /// The recipients that are written down in it.
    Recipients,
}

/// Why a store does not open, as the end of a sentence that begins with its name.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum StoreFault {
    /// There is none.
    #[error("there is no store {0} yet")]
    Missing(String),
    /// The file cannot be read.
    #[error("{path} {reason}")]
    Unreadable {
        /// Its path.
        path: String,
        /// What the system says.
        reason: String,
    },
    /// It is not in the format.
    #[error("{0} is not an age file, or its beginning is damaged")]
    NotAge(String),
    /// A byte of it has changed, or its end is missing.
    #[error("{0} is damaged: bytes have changed, or its end is missing")]
    Damaged(String),
    /// It opens with a passphrase, and there is none.
    #[error("{0} needs a passphrase")]
    NeedsPassphrase(String),
    /// It needs a private key, and there is none.
    #[error("{0} needs a private key")]
    NeedsKey(String),
    /// The passphrase is another one.
    #[error("this passphrase does not open {0}")]
    WrongPassphrase(String),
    /// The keys are others.
    #[error("none of the given keys opens {0}")]
    WrongKey(String),
    /// It needs a private key, and the one that the environment names is another.
    #[error("the private key in IMPOSTAZIONE_KEY does not open {0}")]
    NeedsAnotherKey(String),
    /// The private key is itself encrypted, and did not open.
    #[error("the private key for {0} has a passphrase of its own, and the one given is wrong")]
    KeyLocked(String),
    /// Trying a passphrase would take too long.
    #[error(
        "the passphrase of {0} was set on a much faster computer, and takes too long to check on this one"
    )]
    TooMuchWork(String),
    /// What is in it is not understood.
    #[error("{path} opens, but {reason}")]
    Content {
        /// Its path.
        path: String,
        /// Why.
        reason: &'static str,
    },
    /// It is another store than this computer knows there.
    #[error("{path} opens, but is not the store that this computer has seen before{}", if *.follows { "; it says that it \
        replaces that one, as after removing a recipient" } else { "" })]
    Another {
        /// Its path.
        path: String,
        /// Whether it names the known one as one that it replaces.
        follows: bool,
    },
    /// It is the known store as it was before.
    #[error(
        "{path} opens, but is an older copy: it was written {found} times, and this computer has seen it after \
            {seen}"
    )]
    Older {
        /// Its path.
        path: String,
        /// Its own count.
        found: u64,
        /// The largest that was seen.
        seen: u64,
    },
    /// It is another store than was asked for.
    #[error("{0} opens, but is not the store that --store-identity names")]
    NotAsNamed(String),
    /// What is remembered of it cannot be read.
    #[error("this computer's record of {path} is in {file}, but {reason}")]
    Forgotten {
        /// The store.
        path: String,
        /// The file.
        file: String,
        /// Why.
        reason: String,
    },
    /// Somebody else is writing it.
    #[error("another command is using {0}")]
    Busy(String),
    /// What was given to open it cannot be used.
    #[error("{reason}")]
    Opener {
        /// Why.
        reason: String,
        /// What to do about it.
        fix: String,
    },
}

impl StoreFault {
    /// Whether it opens with something that nobody gave: it may be all right, and was not looked at.
    pub fn wants_what_was_not_given(&self) -> bool {
        matches!(self, Self::NeedsPassphrase(_) | Self::NeedsKey(_) | Self::NeedsAnotherKey(_))
    }

    /// What to do about it.
    pub fn fix(&self) -> &str {
        match self {
            Self::Missing(_) => {
                "make one with `impostazione secret recipients SHEET`: --add KEY for your public key, --new-key FILE for a new pair, or --passphrase"
            }
            Self::Unreadable { .. } => "give this user permission to read it",
            Self::NotAge(_) | Self::Damaged(_) | Self::Content { .. } => {
                "restore the copy next to it that ends in .before, or your own backup"
            }
            Self::NeedsPassphrase(_) => {
                "run this in a terminal to be asked for it, or name a file with --passphrase-from, such as /dev/fd/3"
            }
            Self::NeedsKey(_) | Self::NeedsAnotherKey(_) => {
                "name the file of your private key with --key, or in the variable IMPOSTAZIONE_KEY"
            }
            Self::Another { .. } | Self::Older { .. } | Self::Forgotten { .. } => {
                "find out who put it there before you use it: whoever can write the file can have planted passwords \
                    and host keys; if it is right, run `impostazione secret check SHEET --accept-store`"
            }
            Self::NotAsNamed(_) => {
                "find out who put it there; `impostazione secret check SHEET` shows the identity of a known store"
            }
            Self::Busy(_) => "wait until it is done, and run this again",
            Self::WrongPassphrase(_) => {
                "use the passphrase that was set last; if you did, the file is damaged"
            }
            Self::WrongKey(_) => {
                "use the private key of one of the store's recipients; anyone who can open it lists them with \
                    `impostazione secret recipients SHEET`"
            }
            Self::TooMuchWork(_) => {
                "open it on the computer where the passphrase was set, and add a key there with `impostazione secret \
                    recipients SHEET --add KEY`"
            }
            Self::KeyLocked(_) => "run this in a terminal and type its passphrase",
            Self::Opener { fix, .. } => fix,
        }
    }
}

/// A store as it lies on disk.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SealedStore {
    path: String,
    bytes: Vec<u8>,
}

impl SealedStore {
    /// The bytes of a store, and what messages call it.
    pub fn new(path: impl Into<String>, bytes: Vec<u8>) -> Self {
        Self { path: path.into(), bytes }
    }

    /// Whether a passphrase opens it.
    pub fn wants_passphrase(&self) -> Result<bool, StoreFault> {
        Ok(self.decryptor()?.is_scrypt())
    }

    fn decryptor(&self) -> Result<Decryptor<ArmoredReader<io::BufReader<&[u8]>>>, StoreFault> {
        Decryptor::new(ArmoredReader::new(&self.bytes[..])).map_err(|_| StoreFault::NotAge(self.path.clone()))
    }

    /// Opens it.
    pub fn open(&self, opener: &Opener) -> Result<(Store, Seal), StoreFault> {
        let path = || self.path.clone();
        let decryptor = self.decryptor()?;
        let seal = match (opener, decryptor.is_scrypt()) {
            (Opener::Passphrase(passphrase), true) => Seal::Passphrase(passphrase.clone()),
            (Opener::Keys(_), false) => Seal::Recipients,
            (Opener::Passphrase(_), false) => return Err(StoreFault::NeedsKey(path())),
            (Opener::Keys(_), true) => return Err(StoreFault::NeedsPassphrase(path())),
        };
        let reader = match opener {
            Opener::Passphrase(passphrase) => {
                let identity = age::scrypt::Identity::new(secret_string(passphrase));
                decryptor.decrypt(std::iter::once(&identity as &dyn Identity))
            }
            Opener::Keys(keys) => decryptor.decrypt(keys.iter().map(|key| &**key)),
        };
        let is_passphrase = matches!(seal, Seal::Passphrase(_));
        let mut reader = reader.map_err(|error| match error {
            age::DecryptError::NoMatchingKeys if !is_passphrase => StoreFault::WrongKey(path()),
            age::DecryptError::KeyDecryptionFailed if !is_passphrase => StoreFault::KeyLocked(path()),
            age::DecryptError::DecryptionFailed
            | age::DecryptError::KeyDecryptionFailed
            | age::DecryptError::NoMatchingKeys
                if is_passphrase =>
            {
                StoreFault::WrongPassphrase(path())
            }
            age::DecryptError::ExcessiveWork { .. } => StoreFault::TooMuchWork(path()),
            age::DecryptError::InvalidHeader | age::DecryptError::UnknownFormat => StoreFault::NotAge(path()),
            _ => StoreFault::Damaged(path()),
        })?;
        let mut content = Zeroizing::new(Vec::with_capacity(self.bytes.len() + 64));
        reader
            .by_ref()
            .take(CONTENT_LIMIT)
            .read_to_end(&mut content)
            .map_err(|_| StoreFault::Damaged(path()))?;
        let store =
            Store::from_text(&content).map_err(|reason| StoreFault::Content { path: path(), reason })?;
        Ok((store, seal))
    }
}

fn secret_string(hidden: &Hidden) -> SecretString {
    SecretString::from(hidden.reveal().to_owned())
}

impl Store {
    /// Encrypts it, to its recipients or to a passphrase, as text in the `age` format's armor.
    pub fn seal(&self, seal: &Seal) -> io::Result<Vec<u8>> {
        let encryptor = match seal {
            Seal::Passphrase(passphrase) => Encryptor::with_user_passphrase(secret_string(passphrase)),
            Seal::Recipients => {
                let keys: Vec<_> =
                    self.recipients.iter().filter_map(super::recipient::Recipient::for_encryption).collect();
                let borrowed = keys.iter().map(|key| &**key as &dyn age::Recipient);
                Encryptor::with_recipients(borrowed).map_err(io::Error::other)?
            }
        };
        let mut bytes = Vec::new();
        let armor = ArmoredWriter::wrap_output(&mut bytes, Format::AsciiArmor)?;
        let mut writer = encryptor.wrap_output(armor)?;
        writer.write_all(&self.to_text())?;
        writer.finish()?.finish()?;
        Ok(bytes)
    }
}

#[cfg(test)]
mod tests {
    use std::str::FromStr as _;

    use super::*;
    use crate::store::recipient::KeyPair;

    fn opener(pair: &KeyPair) -> Opener {
        let line = pair.private_file.reveal().lines().nth(1).unwrap();
        Opener::Keys(vec![Box::new(age::x25519::Identity::from_str(line).unwrap())])
    }

    #[test]
    fn each_of_several_recipients_opens_it_and_nobody_else() {
        let (one, other, stranger) = (KeyPair::random(), KeyPair::random(), KeyPair::random());
        let store = Store::new(vec![one.public.clone(), other.public.clone()]).unwrap();
        let sealed = SealedStore::new("harbor", store.seal(&Seal::Recipients).unwrap());
        for pair in [&one, &other] {
            assert_eq!(sealed.open(&opener(pair)), Ok((store.clone(), Seal::Recipients)));
        }
        assert_eq!(sealed.open(&opener(&stranger)), Err(StoreFault::WrongKey("harbor".into())));
        assert_eq!(sealed.wants_passphrase(), Ok(false));
        let by_passphrase = sealed.open(&Opener::Passphrase(Hidden::new("gull")));
        assert_eq!(by_passphrase, Err(StoreFault::NeedsKey("harbor".into())));
        assert!(Store::new(Vec::new()).unwrap().seal(&Seal::Recipients).is_err());
    }

    #[test]
    fn whatever_byte_changes_it_does_not_open_and_nothing_panics() {
        let pair = KeyPair::random();
        let store = Store::new(vec![pair.public.clone()]).unwrap();
        let bytes = store.seal(&Seal::Recipients).unwrap();
        let opener = opener(&pair);
        for at in 0..bytes.len() {
            let mut changed = bytes.clone();
            changed[at] ^= 0x04;
            assert_ne!(
                SealedStore::new("harbor", changed).open(&opener).map(|(store, _)| store),
                Ok(store.clone()),
                "{at}"
            );
            let cut = SealedStore::new("harbor", bytes[..at].to_vec()).open(&opener);
            // The last line end may be missing.
            assert!(cut.is_err() || at == bytes.len() - 1, "cut at {at}");
        }
    }
}
