//! Keys with which time servers prove their answers.

use aes::Aes128;
use cmac::{Cmac, Mac as _};
use impostazione_text::Hidden;
use ring::digest;
use zeroize::Zeroizing;

use crate::machine::Site;

/// The most bytes of a digest that a packet carries (RFC 7822, section 3).
const LONGEST_DIGEST: usize = 20;

/// A key that a time server and those who ask it share, with its value.
#[derive(Clone, Debug)]
pub struct TimeKeyValue {
    /// What the server calls it.
    pub number: u32,
    /// How it is used, in the words of `chrony.keys(5)`.
    pub hash: &'static str,
    /// Its value as `chrony.keys(5)` has it: text, or hexadecimal digits behind `HEX:`.
    pub value: Hidden,
}

impl TimeKeyValue {
    /// The key of this name, where the sheet has it and its value is available.
    pub fn of(site: &Site, name: &str) -> Option<Self> {
        let key = site.time_keys.iter().find(|key| key.name.value == name)?;
        let secret = site.secrets.get(key.value.value()?.value)?;
        let value = secret.value_of(None).value()?.clone();
        Some(Self { number: *key.number.value()?, hash: key.hash, value })
    }

    /// The digest with which a packet is proved: of the key and the packet (RFC 5905, section 7.3), or a message authentication
    /// code (RFC 8573). Nothing where the value does not fit the hash.
    pub fn proof(&self, packet: &[u8]) -> Option<Vec<u8>> {
        let text = self.value.reveal();
        let bytes = Zeroizing::new(match text.strip_prefix("HEX:") {
            Some(digits) => hex::decode(digits).ok()?,
            None => text.strip_prefix("ASCII:").unwrap_or(text).as_bytes().to_vec(),
        });
        if self.hash == "AES128" {
            let mut code = Cmac::<Aes128>::new_from_slice(&bytes).ok()?;
            code.update(packet);
            return Some(code.finalize().into_bytes().to_vec());
        }
        let algorithm = match self.hash {
            "SHA1" => &digest::SHA1_FOR_LEGACY_USE_ONLY,
            "SHA256" => &digest::SHA256,
            "SHA384" => &digest::SHA384,
            "SHA512" => &digest::SHA512,
            _ => return None,
        };
        let mut context = digest::Context::new(algorithm);
        context.update(&bytes);
        context.update(packet);
        Some(context.finish().as_ref().iter().copied().take(LONGEST_DIGEST).collect())
    }
}
