//! Which host key an SSH server has, and whether it has it: the key exchange, and no login (RFC 4253).

use std::io::{Read, Write};

use impostazione_core::network::ssh_exchange::{
    Abilities, DEBUG, DISCONNECT, EXCHANGE_INIT, EXCHANGE_REPLY, Exchange, IGNORE, packet, read_name,
    read_packet,
};
use ring::agreement::{self, EphemeralPrivateKey, UnparsedPublicKey};
use ring::rand::{SecureRandom as _, SystemRandom};
use ring::signature;
use ssh_encoding::{Decode as _, Encode as _};
use ssh_key::public::KeyData;
use ssh_key::{Mpint, PublicKey};

use crate::answer::{ShownKey, SshGreeting};

/// What this program calls itself.
const NAME: &[u8] = b"SSH-2.0-impostazione";

/// Methods of exchange, the preferred one first (RFC 8731; RFC 5656).
const EXCHANGES: [&str; 3] = ["curve25519-sha256", "curve25519-sha256@libssh.org", "ecdh-sha2-nistp256"];

/// Algorithms of host keys (RFC 8709; RFC 5656; RFC 8332).
const HOST_KEYS: [&str; 5] =
    ["ssh-ed25519", "ecdsa-sha2-nistp256", "ecdsa-sha2-nistp384", "rsa-sha2-512", "rsa-sha2-256"];

/// The most messages in between that are ignored.
const MOST_IN_BETWEEN: usize = 16;

/// What ends before there was a key.
const ENDED: ShownKey = ShownKey::Cut("ends the connection");
const NOT_SSH: ShownKey = ShownKey::NotChecked("what it says is not SSH of version 2");

/// Greets an SSH server. `known` are the kinds of keys that it is known to have, which are asked for first. Where something else than SSH
/// answers, `None`.
pub(crate) fn greet(stream: &mut (impl Read + Write), known: &[PublicKey]) -> Option<SshGreeting> {
    let written = stream.write_all(&[NAME, b"\r\n"].concat());
    let name = read_name(stream).ok()?;
    let shown = match written {
        Ok(()) => exchange(stream, &name, known).unwrap_or_else(|shown| shown),
        Err(_) => ENDED,
    };
    Some(SshGreeting { name: String::from_utf8_lossy(&name).into_owned(), key: shown })
}

/// The algorithms of host keys in the order in which they are wanted.
fn wanted(known: &[PublicKey]) -> Vec<String> {
    let has_known = |name: &&str| known.iter().any(|key| kind_of(name) == key.algorithm().as_str());
    let (first, then): (Vec<&str>, Vec<&str>) = HOST_KEYS.iter().copied().partition(|name| has_known(name));
    first.into_iter().chain(then).map(str::to_owned).collect()
}

/// The kind of key that an algorithm signs with.
fn kind_of(algorithm: &str) -> &str {
    if algorithm.starts_with("rsa-") { "ssh-rsa" } else { algorithm }
}

fn exchange(
    stream: &mut (impl Read + Write),
    name: &[u8],
    known: &[PublicKey],
) -> Result<ShownKey, ShownKey> {
    let unexpected = || NOT_SSH;
    if !name.starts_with(b"SSH-2.0-") && !name.starts_with(b"SSH-1.99-") {
        return Err(ShownKey::NotChecked("it speaks only version 1 of SSH"));
    }
    let failed = || ShownKey::NotChecked("the key exchange failed on this computer");
    let random = SystemRandom::new();
    let mut cookie = [0; 16];
    random.fill(&mut cookie).map_err(|_| failed())?;
    let ours = Abilities {
        exchanges: EXCHANGES.map(str::to_owned).to_vec(),
        host_keys: wanted(known),
        guesses: false,
    };
    let client_abilities = ours.to_message(cookie);
    send(stream, &client_abilities)?;
    let server_abilities = receive(stream)?;
    let theirs = Abilities::read(&server_abilities).ok_or_else(unexpected)?;
    let method = agreed(
        &ours.exchanges,
        &theirs.exchanges,
        "it has none of the methods of key exchange that this program knows",
    )?;
    let algorithm = agreed(
        &ours.host_keys,
        &theirs.host_keys,
        "it has no host key of a kind that this program can check",
    )?;

    let curve = if method.starts_with("curve25519") { &agreement::X25519 } else { &agreement::ECDH_P256 };
    let private = EphemeralPrivateKey::generate(curve, &random).map_err(|_| failed())?;
    let public = private.compute_public_key().map_err(|_| failed())?;
    let mut message = vec![EXCHANGE_INIT];
    public.as_ref().encode(&mut message).map_err(|_| failed())?;
    send(stream, &message)?;

    // A packet that was guessed wrong is ignored (RFC 4253, section 7).
    let first_of_both = |ours: &[String], theirs: &[String]| ours.first() == theirs.first();
    let guessed_right = first_of_both(&ours.exchanges, &theirs.exchanges)
        && first_of_both(&ours.host_keys, &theirs.host_keys);
    if theirs.guesses && !guessed_right {
        receive(stream)?;
    }
    let reply = receive(stream)?;
    let mut rest = reply.strip_prefix(&[EXCHANGE_REPLY]).ok_or_else(unexpected)?;
    let mut part = || Vec::<u8>::decode(&mut rest).map_err(|_| unexpected());
    let (host_key, server_public, signed) = (part()?, part()?, part()?);
    let key =
        PublicKey::from_bytes(&host_key).map_err(|_| ShownKey::NotChecked("its host key cannot be read"))?;
    let theirs = UnparsedPublicKey::new(curve, &server_public);
    let digest = agreement::agree_ephemeral(private, &theirs, |shared| {
        let exchange = Exchange {
            client: NAME,
            server: name,
            client_abilities: &client_abilities,
            server_abilities: &server_abilities,
            host_key: &host_key,
            client_public: public.as_ref(),
            server_public: &server_public,
            shared,
        };
        exchange.digest()
    });
    let digest = digest.ok().flatten().ok_or(NOT_SSH)?;
    let is_proved = key.algorithm().as_str() == kind_of(algorithm)
        && is_signed(&key, algorithm, &signed, &digest) == Some(true);
    let key = Box::new(key);
    Ok(if is_proved { ShownKey::Proved(key) } else { ShownKey::Unproved(key) })
}

fn send(stream: &mut impl Write, message: &[u8]) -> Result<(), ShownKey> {
    stream.write_all(&packet(message)).map_err(|_| ENDED)
}

/// The next message that says something.
fn receive(stream: &mut impl Read) -> Result<Vec<u8>, ShownKey> {
    for _ in 0..MOST_IN_BETWEEN {
        let message = read_packet(stream).map_err(|error| match error.kind() {
            std::io::ErrorKind::TimedOut | std::io::ErrorKind::WouldBlock => ShownKey::Cut("falls silent"),
            std::io::ErrorKind::InvalidData => NOT_SSH,
            _ => ENDED,
        })?;
        match message.first() {
            Some(&(IGNORE | DEBUG)) => {}
            Some(&DISCONNECT) => return Err(ENDED),
            _ => return Ok(message),
        }
    }
    Err(NOT_SSH)
}

/// What both have, as the client prefers it (RFC 4253, section 7.1).
fn agreed<'a>(ours: &'a [String], theirs: &[String], otherwise: &'static str) -> Result<&'a str, ShownKey> {
    let both = ours.iter().find(|name| theirs.contains(name));
    both.map(String::as_str).ok_or(ShownKey::NotChecked(otherwise))
}

/// Whether a digest is signed with the key; nothing where the signature cannot be read.
fn is_signed(key: &PublicKey, algorithm: &str, signed: &[u8], digest: &[u8]) -> Option<bool> {
    let mut rest = signed;
    if String::decode(&mut rest).ok()? != algorithm {
        return Some(false);
    }
    let bytes = Vec::<u8>::decode(&mut rest).ok()?;
    let verified = match key.key_data() {
        KeyData::Ed25519(key) => {
            signature::UnparsedPublicKey::new(&signature::ED25519, key.0).verify(digest, &bytes)
        }
        KeyData::Ecdsa(key) => {
            let (method, width): (&dyn signature::VerificationAlgorithm, usize) = match algorithm {
                "ecdsa-sha2-nistp256" => (&signature::ECDSA_P256_SHA256_FIXED, 32),
                _ => (&signature::ECDSA_P384_SHA384_FIXED, 48),
            };
            let mut numbers = bytes.as_slice();
            let mut fixed = Vec::with_capacity(width * 2);
            for _ in 0..2 {
                let number = Mpint::decode(&mut numbers).ok()?;
                let number = number.as_positive_bytes()?;
                fixed.resize(fixed.len() + width.checked_sub(number.len())?, 0);
                fixed.extend_from_slice(number);
            }
            signature::UnparsedPublicKey::new(method, key.as_sec1_bytes()).verify(digest, &fixed)
        }
        KeyData::Rsa(key) => {
            let components = signature::RsaPublicKeyComponents {
                n: key.n.as_positive_bytes()?,
                e: key.e.as_positive_bytes()?,
            };
            let method = if algorithm == "rsa-sha2-512" {
                &signature::RSA_PKCS1_2048_8192_SHA512
            } else {
                &signature::RSA_PKCS1_2048_8192_SHA256
            };
            components.verify(method, digest, &bytes)
        }
        _ => return None,
    };
    Some(verified.is_ok())
}
