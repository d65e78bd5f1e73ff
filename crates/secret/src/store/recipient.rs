//! Who can open a store.

use std::fmt;
use std::str::FromStr as _;

use impostazione_text::Hidden;

/// Somebody who can open a store: an X25519 key (`age1…`) or an SSH key (`ssh-ed25519 …`, `ssh-rsa …`), as one line.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Recipient(String);

/// Why a line is nobody who can open a store, as the end of a sentence.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum RecipientFault {
    /// It is the private half.
    #[error("is a private key, which must stay private; name the public key")]
    Private,
    /// It is a key that stores cannot be encrypted to.
    #[error("is a key that a store cannot be encrypted to; use ssh-ed25519, ssh-rsa or age1…")]
    Unsupported,
    /// It is not a key.
    #[error("is not a public key: age1… or a line that starts with ssh-ed25519 or ssh-rsa")]
    NoKey,
}

impl Recipient {
    /// Reads a public key.
    pub fn parse(line: &str) -> Result<Self, RecipientFault> {
        let line = line.trim();
        if line.contains("PRIVATE KEY") || line.to_ascii_uppercase().starts_with("AGE-SECRET-KEY") {
            return Err(RecipientFault::Private);
        }
        if age::x25519::Recipient::from_str(line).is_ok() {
            return Ok(Self(line.to_owned()));
        }
        match line.parse::<age::ssh::Recipient>() {
            Ok(_) => Ok(Self(line.to_owned())),
            Err(age::ssh::ParseRecipientKeyError::Ignore) if line.starts_with('#') => {
                Err(RecipientFault::NoKey)
            }
            Err(_) if line.starts_with("ssh-") || line.starts_with("ecdsa-") || line.starts_with("sk-") => {
                Err(RecipientFault::Unsupported)
            }
            Err(_) => Err(RecipientFault::NoKey),
        }
    }

    /// The line.
    pub fn line(&self) -> &str {
        &self.0
    }

    /// Whether it is the same key, whatever comment comes after it.
    pub fn is_same_key(&self, other: &Self) -> bool {
        let key = |line: &'_ str| line.split_whitespace().take(2).map(str::to_owned).collect::<Vec<_>>();
        key(&self.0) == key(&other.0)
    }

    pub(super) fn for_encryption(&self) -> Option<Box<dyn age::Recipient + Send>> {
        if let Ok(key) = age::x25519::Recipient::from_str(&self.0) {
            return Some(Box::new(key));
        }
        let key = self.0.parse::<age::ssh::Recipient>().ok()?;
        Some(Box::new(key))
    }
}

impl fmt::Display for Recipient {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

/// The public keys of a text, a line each; `#` begins a remark. Fails with the number of the line that is none.
pub fn recipients_in(text: &str) -> Result<Vec<Recipient>, (usize, RecipientFault)> {
    text.lines()
        .enumerate()
        .filter(|(_, line)| !line.trim().is_empty() && !line.trim_start().starts_with('#'))
        .map(|(index, line)| Recipient::parse(line).map_err(|fault| (index + 1, fault)))
        .collect()
}

/// A new pair of keys, of which the private half opens what is encrypted to the public one.
#[derive(Debug)]
pub struct KeyPair {
    /// The private half, as the file of a key: with a remark that names the public half.
    pub private_file: Hidden,
    /// The public half.
    pub public: Recipient,
}

impl KeyPair {
    /// Makes a pair up.
    pub fn random() -> Self {
        use age::secrecy::ExposeSecret as _;
        let identity = age::x25519::Identity::generate();
        let public = identity.to_public().to_string();
        let private = identity.to_string();
        let file = format!(
            "# Opens the store of secrets that is encrypted to {public}.\n{}\n",
            private.expose_secret()
        );
        Self { private_file: Hidden::new(file), public: Recipient(public) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn public_keys_of_both_kinds_are_taken_and_private_ones_refused() {
        let pair = KeyPair::random();
        assert_eq!(Recipient::parse(pair.public.line()), Ok(pair.public.clone()));
        let ssh = include_str!("../../testdata/keeper.pub");
        let with_comment = Recipient::parse(ssh).unwrap();
        let without = Recipient::parse(ssh.rsplit_once(' ').unwrap().0).unwrap();
        assert!(with_comment.is_same_key(&without) && with_comment != without);
        assert_eq!(Recipient::parse("gull"), Err(RecipientFault::NoKey));
        assert_eq!(
            Recipient::parse(pair.private_file.reveal().lines().nth(1).unwrap()),
            Err(RecipientFault::Private)
        );
        assert_eq!(Recipient::parse("ecdsa-sha2-nistp256 AAAA x"), Err(RecipientFault::Unsupported));
        assert_eq!(recipients_in(&format!("# mine\n\n{}", pair.public)), Ok(vec![pair.public]));
        assert_eq!(recipients_in("# mine\ngull\n"), Err((2, RecipientFault::NoKey)));
    }
}
