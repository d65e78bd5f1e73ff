//! The key of a wireless network.

use std::num::NonZeroU32;

use impostazione_text::Hidden;
use ring::pbkdf2;

/// The pre-shared key that WPA2 derives from a passphrase and the name of the network, as 64 hexadecimal digits (IEEE
/// 802.11, annex J.4.1: PBKDF2 with HMAC-SHA1, 4,096 rounds, 256 bits). A value of 64 hexadecimal digits is such a key
/// already.
pub fn wifi_key(passphrase: &Hidden, ssid: &str) -> Hidden {
    const ROUNDS: NonZeroU32 = NonZeroU32::new(4096).unwrap();
    let text = passphrase.reveal();
    if is_wifi_key(text) {
        return Hidden::new(text.to_ascii_lowercase());
    }
    let mut key = zeroize::Zeroizing::new([0; 32]);
    pbkdf2::derive(pbkdf2::PBKDF2_HMAC_SHA1, ROUNDS, ssid.as_bytes(), text.as_bytes(), &mut *key);
    Hidden::new(hex::encode(*key))
}

/// Whether a text is a key already, and no passphrase.
pub fn is_wifi_key(text: &str) -> bool {
    text.len() == 64 && text.bytes().all(|byte| byte.is_ascii_hexdigit())
}

/// Whether a text is a passphrase: 8 to 63 characters of ASCII.
pub fn is_wifi_passphrase(text: &str) -> bool {
    (8..=63).contains(&text.len()) && text.bytes().all(|byte| (32..127).contains(&byte))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_test_vectors_of_the_standard() {
        // IEEE 802.11, annex J.4.2.
        let key = |passphrase: &str, ssid: &str| wifi_key(&Hidden::new(passphrase), ssid).reveal().to_owned();
        assert_eq!(
            key("password", "IEEE"),
            "f42c6fc52df0ebef9ebb4b90b38a5f902e83fe1b135a70e23aed762e9710a12e"
        );
        assert_eq!(
            key("ThisIsAPassword", "ThisIsASSID"),
            "0dc0d6eb90555ed6419756b9a15ec3e3209b63df707dd508d14581f8982721af"
        );
        let given = "AB".repeat(32);
        assert_eq!(key(&given, "quay"), given.to_lowercase());
    }
}
