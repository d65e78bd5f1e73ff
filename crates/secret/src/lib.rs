//! Credentials: where their values come from, what they must keep to, how they are made up, hashed and kept.
//!
//! A value is an [`impostazione_text::Hidden`], which cannot be printed. What is made up keeps to a [`Recipe`], every text that
//! does being equally likely; random bytes are the system's (`getrandom(2)`), and where it gives none nothing is made.
//!
//! ```
//! use impostazione_secret::keyboard::KeyLayout;
//! use impostazione_secret::{CharacterClass, Recipe, is_weak_passphrase};
//!
//! // Typed at a console that may assume an Italian keyboard or a British one: no character sits elsewhere on the other.
//! let layouts = ["it", "gb"].map(|name| KeyLayout::parse(name).unwrap());
//! let recipe = Recipe {
//!     min_length: 14,
//!     require: vec![CharacterClass::Digit],
//!     typed_on: layouts.to_vec(),
//!     ..Recipe::default()
//! };
//! let made = recipe.generate().unwrap();
//! assert!(made.value.length() >= 14 && made.bits > 60.0);
//! assert!(!is_weak_passphrase(&made.value));
//! ```

mod class;
mod familiar;
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
pub use familiar::FamiliarWords;
pub use generate::{GenerateFault, Generated, Recipe, in_groups};
pub use host_key::{HostKey, HostKeyFault};
pub use password_hash::{
    HashFault, HashMethod, SaltKey, hash_password, is_of_method, random_salt, verify_password,
};
pub use random::NoRandomness;
pub use source::{FilesOnly, NotAsked, SecretSources, SourceFault, StoreOnly};
pub use strength::{is_weak_passphrase, tries_log10_at};
pub use well_known::WellKnown;
pub use wifi_key::{is_wifi_key, is_wifi_passphrase, wifi_key};
