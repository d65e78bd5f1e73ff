//! Credentials: values that are never shown, where they come from, what they must keep to, how they are made up, hashed and
//! kept.

mod class;
mod generate;
mod host_key;
pub mod keyboard;
mod password_hash;
mod random;
mod source;
pub mod store;
mod strength;
mod well_known;
mod wifi_key;

pub use class::CharacterClass;
pub use generate::{GenerateFault, Generated, Recipe, in_groups};
pub use host_key::{HostKey, HostKeyFault};
pub use password_hash::{
    HashFault, HashMethod, SaltKey, hash_password, is_of_method, random_salt, verify_password,
};
pub use random::NoRandomness;
pub use source::{FilesOnly, NotAsked, SecretSources, StoreOnly};
pub use strength::{is_weak_passphrase, tries_log10};
pub use well_known::WellKnown;
pub use wifi_key::{is_wifi_key, is_wifi_passphrase, wifi_key};
