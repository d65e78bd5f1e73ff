//! Hashes of passwords as `/etc/shadow` holds them (`crypt(5)`).

use impostazione_text::Hidden;
use ring::hmac;
use sha_crypt::ShaCrypt;
use yescrypt::{CustomizedPasswordHasher as _, Mode, PasswordVerifier as _, Yescrypt};

use super::random::{NoRandomness, random_bytes};

/// How a password is hashed, and how long that takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum HashMethod {
    /// yescrypt, with a cost from 1 to 11: each step doubles the time and the memory.
    Yescrypt(u32),
    /// SHA-512 crypt, with so many rounds.
    Sha512(u32),
}

impl HashMethod {
    /// What a sheet that does not say otherwise has: Debian's own choice.
    pub const USUAL: Self = Self::Yescrypt(5);
    /// The costs that yescrypt takes.
    pub const YESCRYPT_COSTS: std::ops::RangeInclusive<u32> = 1..=11;
    /// The rounds that SHA-512 crypt takes (`crypt(5)`); fewer than 1,000 there are not.
    pub const SHA512_ROUNDS: std::ops::RangeInclusive<u32> = 1_000..=999_999_999;
    /// The rounds of SHA-512 crypt where a sheet does not say.
    pub const SHA512_USUAL: u32 = 500_000;
}

/// Random bytes from which salts are derived, so that the same sheet gives the same bytes.
#[derive(Clone, PartialEq, Eq)]
pub struct SaltKey(zeroize::Zeroizing<[u8; 32]>);

impl SaltKey {
    /// A new key.
    pub fn random() -> Result<Self, NoRandomness> {
        Ok(Self(zeroize::Zeroizing::new(random_bytes()?)))
    }

    /// A key from its hexadecimal digits.
    pub(super) fn from_hex(text: &str) -> Option<Self> {
        let mut bytes = zeroize::Zeroizing::new([0; 32]);
        hex::decode_to_slice(text, &mut *bytes).ok()?;
        Some(Self(bytes))
    }

    /// Its hexadecimal digits.
    pub(super) fn to_hex(&self) -> Hidden {
        Hidden::new(hex::encode(*self.0))
    }

    /// The salt of an account on a machine: never the password's, and never the same for two.
    pub fn salt(&self, machine: &str, account: &str) -> [u8; 16] {
        let key = hmac::Key::new(hmac::HMAC_SHA256, &*self.0);
        let mut context = hmac::Context::with_key(&key);
        for part in ["salt of a password", machine, account] {
            context.update(&(part.len() as u64).to_be_bytes());
            context.update(part.as_bytes());
        }
        let tag = context.sign();
        let mut salt = [0; 16];
        for (byte, derived) in salt.iter_mut().zip(tag.as_ref()) {
            *byte = *derived;
        }
        salt
    }
}

impl std::fmt::Debug for SaltKey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("(hidden)")
    }
}

/// A random salt, for where there is no key.
pub fn random_salt() -> Result<[u8; 16], NoRandomness> {
    random_bytes()
}

/// A password could not be hashed: a fault of this program.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("a password could not be hashed")]
pub struct HashFault;

/// The hash of a password, as a field of `/etc/shadow`.
pub fn hash_password(password: &Hidden, method: HashMethod, salt: [u8; 16]) -> Result<String, HashFault> {
    let password = password.reveal().as_bytes();
    let hash = match method {
        HashMethod::Yescrypt(cost) => {
            let params = yescrypt_params(cost).ok_or(HashFault)?;
            Yescrypt::default().hash_password_customized(password, &salt, None, None, params)
        }
        HashMethod::Sha512(rounds) => {
            let params = sha_crypt::Params::new(rounds).map_err(|_| HashFault)?;
            // Twelve bytes are the sixteen characters that crypt(3) takes; what is longer it cuts off.
            let salt = salt.get(..12).ok_or(HashFault)?;
            ShaCrypt::SHA512.hash_password_customized(password, salt, None, None, params)
        }
    };
    hash.map(|hash| hash.as_str().to_owned()).map_err(|_| HashFault)
}

/// The parameters of a cost, as libxcrypt has them: blocks of 1 KiB up to a cost of 2, of 4 KiB above it.
fn yescrypt_params(cost: u32) -> Option<yescrypt::Params> {
    if !HashMethod::YESCRYPT_COSTS.contains(&cost) {
        return None;
    }
    let (r, log_n) = if cost <= 2 { (8, 9 + cost) } else { (32, 7 + cost) };
    yescrypt::Params::new(Mode::default(), 1 << log_n, r, 1).ok()
}

/// Whether a hash was made by a method.
pub fn is_of_method(hash: &str, method: HashMethod) -> bool {
    match method {
        HashMethod::Yescrypt(cost) => yescrypt_params(cost).is_some_and(|params| {
            hash.strip_prefix("$y$").is_some_and(|rest| rest.starts_with(&format!("{params}$")))
        }),
        HashMethod::Sha512(rounds) => {
            hash.starts_with(&format!("$6$rounds={rounds}$"))
                || (rounds == 5_000 && hash.starts_with("$6$") && !hash.starts_with("$6$rounds="))
        }
    }
}

/// Whether a hash is of a password.
pub fn verify_password(password: &Hidden, hash: &str) -> bool {
    let password = password.reveal().as_bytes();
    if hash.starts_with("$y$") {
        Yescrypt::default().verify_password(password, hash).is_ok()
    } else if hash.starts_with("$6$") {
        ShaCrypt::SHA512.verify_password(password, hash).is_ok()
    } else {
        false
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const SALT: [u8; 16] = *b"salt of the quay";

    #[test]
    fn both_kinds_verify_and_no_other_password_does() {
        let password = Hidden::new("ninety gulls on the mole");
        for method in [HashMethod::Yescrypt(1), HashMethod::Yescrypt(3), HashMethod::Sha512(1_000)] {
            let hash = hash_password(&password, method, SALT).unwrap();
            assert_eq!(hash_password(&password, method, SALT).unwrap(), hash);
            assert!(verify_password(&password, &hash), "{hash}");
            assert!(!verify_password(&Hidden::new("ninety gulls"), &hash));
            assert!(is_of_method(&hash, method), "{hash}");
            assert!(!is_of_method(&hash, HashMethod::Yescrypt(7)));
        }
        assert!(!verify_password(&password, "*"));
    }

    #[test]
    fn costs_are_those_of_crypt() {
        // The parameters that `crypt_gensalt(3)` gives for a cost: 5 is Debian's.
        for (cost, params) in [(1, "j75"), (2, "j85"), (3, "j7T"), (5, "j9T"), (7, "jBT"), (11, "jFT")] {
            assert_eq!(yescrypt_params(cost).unwrap().to_string(), params);
        }
        assert!(yescrypt_params(12).is_none() && yescrypt_params(0).is_none());
    }

    #[test]
    fn salts_differ_by_machine_and_account() {
        let key = SaltKey::from_hex(&"07".repeat(32)).unwrap();
        let salts =
            [key.salt("gauge-01", "keeper"), key.salt("gauge-01", "pilot"), key.salt("gauge-0", "1keeper")];
        assert!(salts[0] != salts[1] && salts[0] != salts[2]);
        assert_eq!(salts[0], key.salt("gauge-01", "keeper"));
        assert_eq!(SaltKey::from_hex(key.to_hex().reveal()), Some(key));
    }
}
