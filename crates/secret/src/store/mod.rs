//! The encrypted store: one file beside the sheet, in the `age` format, that holds secret values, host keys, and the key from
//! which salts are derived.

mod content;
mod file;
mod identity;
mod memory;
mod opening;
mod private_key;
mod recipient;

pub use content::{EntryId, HostKeyEntry, Store, StoredSecret};
pub use file::{StoreFile, StoreLock, store_path};
pub use identity::{StoreFingerprint, StoreIdentity};
pub use memory::StoreMemory;
pub use opening::{Opener, Seal, SealedStore, StoreFault};
pub use private_key::{PrivateKey, PrivateKeyFault, is_locked, private_keys};
pub use recipient::{KeyPair, Recipient, RecipientFault, recipients_in};
