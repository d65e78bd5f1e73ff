//! What came of knocking at the port where a machine is administered.

use jiff::Timestamp;
use ssh_key::PublicKey;

use crate::obstacle::Obstacle;

/// What came of knocking at a port.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Door {
    /// Nothing came back.
    Silent,
    /// Nobody on the way, or on this computer's own link, knows the address.
    Unreachable,
    /// The computer is there, and nothing on it listens.
    Refused,
    /// The connection is accepted, and then nothing is said.
    Mute,
    /// This computer itself has the address, on the link of this name.
    ThisComputer(String),
    /// The connection is accepted; what is spoken there was not asked.
    Open,
    /// SSH.
    Ssh(Box<SshGreeting>),
    /// TLS 1.2 or later.
    Tls(Box<TlsGreeting>),
    /// TLS that this program cannot speak: its version, in the protocol's own number.
    ForeignTls(u16),
    /// HTTP without encryption.
    PlainHttp,
    /// Something else, which begins like this.
    Other(Vec<u8>),
    /// It was not asked.
    NotLooked(Obstacle),
}

/// How an SSH server greets.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SshGreeting {
    /// What it calls itself (RFC 4253, section 4.2).
    pub name: String,
    /// What it showed of its host key.
    pub key: ShownKey,
}

/// A host key that was shown.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ShownKey {
    /// It has proved that the key is its own.
    Proved(Box<PublicKey>),
    /// The proof is wrong.
    Unproved(Box<PublicKey>),
    /// The connection ended before that: how, as the end of a sentence.
    Cut(&'static str),
    /// It has none that can be checked here: why, as the end of a sentence.
    NotChecked(&'static str),
}

/// How a server greets by TLS.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TlsGreeting {
    /// Its certificate.
    pub certificate: Certificate,
    /// Whether it proved that the certificate is its own.
    pub is_proved: bool,
}

/// What a certificate says of itself (RFC 5280).
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Certificate {
    /// The SHA-256 digest of all of it, in pairs of hexadecimal digits.
    pub sha256: String,
    /// The names and addresses that it is for, or, where it has none, whom it names.
    pub names: Vec<String>,
    /// From when on, and until when, it is valid; nothing where that cannot be read.
    pub valid: Option<(Timestamp, Timestamp)>,
}
