//! Any bytes as an encrypted store, as the content of one, as files of private keys and of public ones, and as a value that
//! is to be typed: all of it ends without a panic.
#![no_main]

use std::sync::LazyLock;

use impostazione_secret::keyboard::{KeyLayout, troubled_positions};
use impostazione_secret::store::{KeyPair, Opener, SealedStore, private_keys, recipients_in};
use impostazione_secret::{WellKnown, in_groups, verify_password};
use impostazione_text::Hidden;
use libfuzzer_sys::fuzz_target;

static PAIR: LazyLock<KeyPair> = LazyLock::new(KeyPair::random);

fuzz_target!(|bytes: &[u8]| {
    let sealed = SealedStore::new("store", bytes.to_vec());
    // A passphrase may ask for hours of work; keys are quick.
    if sealed.wants_passphrase() == Ok(false) {
        let keys = private_keys("key", PAIR.private_file.reveal().as_bytes(), |_: &str| None);
        let _ = sealed.open(&Opener::Keys(keys.unwrap_or_default()));
    }
    let _ = private_keys("key", bytes, |_: &str| None);
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    if let Ok(recipients) = recipients_in(text) {
        assert!(recipients.iter().all(|recipient| recipient.is_same_key(recipient)));
    }
    let layouts: Vec<KeyLayout> = KeyLayout::all().collect();
    assert!(troubled_positions(text, &layouts).len() <= text.chars().count());
    let _ = (WellKnown::with_list(text).has(text), in_groups(text));
    if text.len() < 40 {
        assert!(!verify_password(&Hidden::new("gull"), text));
    }
});
