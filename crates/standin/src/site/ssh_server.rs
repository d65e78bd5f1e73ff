//! An SSH server that shows a host key, proves it, and lets nobody in (RFC 4253).

use std::io::{self, Read, Write};

use impostazione_core::network::ssh_exchange::{
    Abilities, EXCHANGE_INIT, EXCHANGE_REPLY, Exchange, packet, read_name, read_packet,
};
use ring::agreement::{EphemeralPrivateKey, UnparsedPublicKey, X25519, agree_ephemeral};
use ring::digest::{SHA256, digest};
use ring::rand::{SecureRandom as _, SystemRandom};
use ring::signature::{Ed25519KeyPair, KeyPair as _};
use ssh_encoding::{Decode as _, Encode as _};
use ssh_key::PrivateKey;

/// What it calls itself.
const NAME: &[u8] = b"SSH-2.0-mock_site";
const KIND: &str = "ssh-ed25519";

/// A server with a host key.
pub(super) struct SshServing {
    key: Ed25519KeyPair,
    /// Whether it proves the key, or only shows it.
    pub(super) proves: bool,
}

impl SshServing {
    /// A server with the key of a private key file.
    pub(super) fn with_file(text: &str) -> Option<Self> {
        let key = PrivateKey::from_openssh(text).ok()?;
        Self::with_seed(key.key_data().ed25519()?.private.as_ref())
    }

    /// A server with a key that is made of a word, the same at every time. Such a key is known to everybody.
    pub(super) fn with_word(word: &str) -> Option<Self> {
        Self::with_seed(digest(&SHA256, word.as_bytes()).as_ref())
    }

    fn with_seed(seed: &[u8]) -> Option<Self> {
        Some(Self { key: Ed25519KeyPair::from_seed_unchecked(seed).ok()?, proves: true })
    }

    /// Greets a client, until it has the key.
    pub(super) fn greet(&self, stream: &mut (impl Read + Write)) -> io::Result<()> {
        let bad = || io::Error::from(io::ErrorKind::InvalidData);
        stream.write_all(&[NAME, b"\r\n"].concat())?;
        let client = read_name(stream).map_err(|(error, _)| error)?;
        let random = SystemRandom::new();
        let mut cookie = [0; 16];
        random.fill(&mut cookie).map_err(|_| bad())?;
        let ours = Abilities {
            exchanges: vec!["curve25519-sha256".to_owned()],
            host_keys: vec![KIND.to_owned()],
            guesses: false,
        };
        let server_abilities = ours.to_message(cookie);
        stream.write_all(&packet(&server_abilities))?;
        let client_abilities = read_packet(stream)?;
        let init = read_packet(stream)?;
        let mut rest = init.strip_prefix(&[EXCHANGE_INIT]).ok_or_else(bad)?;
        let client_public = Vec::<u8>::decode(&mut rest).map_err(|_| bad())?;
        let private = EphemeralPrivateKey::generate(&X25519, &random).map_err(|_| bad())?;
        let public = private.compute_public_key().map_err(|_| bad())?;
        let host_key = strings(&[KIND.as_bytes(), self.key.public_key().as_ref()]).ok_or_else(bad)?;
        let theirs = UnparsedPublicKey::new(&X25519, &client_public);
        let agreed = agree_ephemeral(private, &theirs, |shared| {
            let exchange = Exchange {
                client: &client,
                server: NAME,
                client_abilities: &client_abilities,
                server_abilities: &server_abilities,
                host_key: &host_key,
                client_public: &client_public,
                server_public: public.as_ref(),
                shared,
            };
            exchange.digest()
        });
        let agreed = agreed.ok().flatten().ok_or_else(bad)?;
        let signed = if self.proves { self.key.sign(&agreed) } else { self.key.sign(b"something else") };
        let signed = strings(&[KIND.as_bytes(), signed.as_ref()]).ok_or_else(bad)?;
        let mut reply = vec![EXCHANGE_REPLY];
        reply.extend(strings(&[&host_key, public.as_ref(), &signed]).ok_or_else(bad)?);
        stream.write_all(&packet(&reply))?;
        // Whoever wants to log in goes on, and is left alone.
        let _ = stream.read(&mut [0; 256]);
        Ok(())
    }
}

/// Texts one behind the other, each with its length (RFC 4251, section 5).
fn strings(parts: &[&[u8]]) -> Option<Vec<u8>> {
    let mut bytes = Vec::new();
    for part in parts {
        part.encode(&mut bytes).ok()?;
    }
    Some(bytes)
}
