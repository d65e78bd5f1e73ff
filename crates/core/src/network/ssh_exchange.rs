//! The key exchange of SSH in clear text, as far as a server proves its host key by it (RFC 4253, sections 4 to 8; RFC 8731).

use std::io::{self, Read};

use ring::digest;
use ssh_encoding::{Decode as _, Encode as _};
use ssh_key::Mpint;

/// The message that ends a connection.
pub const DISCONNECT: u8 = 1;
/// The message that is to be ignored.
pub const IGNORE: u8 = 2;
/// The message for those who look for faults.
pub const DEBUG: u8 = 4;
/// The message that says what a side can do.
pub const KEX_INIT: u8 = 20;
/// The client's half of the exchange.
pub const EXCHANGE_INIT: u8 = 30;
/// The server's half, with its host key and the proof.
pub const EXCHANGE_REPLY: u8 = 31;

/// The largest packet that is read (RFC 4253, section 6.1).
const LARGEST_PACKET: u32 = 35_000;
/// The longest line before the keys (RFC 4253, section 4.2).
const LONGEST_LINE: usize = 255;
/// The most lines that a server may say before it names itself.
const MOST_LINES: usize = 20;

/// What a side can do (RFC 4253, section 7.1): the lists that matter here.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Abilities {
    /// Methods of exchange.
    pub exchanges: Vec<String>,
    /// Algorithms of host keys.
    pub host_keys: Vec<String>,
    /// Whether a guessed packet follows.
    pub guesses: bool,
}

/// All that a proof is made of (RFC 8731, section 3.1; RFC 5656, section 4).
#[derive(Clone, Copy, Debug)]
pub struct Exchange<'a> {
    /// What the client calls itself, without the end of the line.
    pub client: &'a [u8],
    /// What the server calls itself, without the end of the line.
    pub server: &'a [u8],
    /// What the client can do, as it was sent.
    pub client_abilities: &'a [u8],
    /// What the server can do, as it was sent.
    pub server_abilities: &'a [u8],
    /// The public host key, in the form of the protocol.
    pub host_key: &'a [u8],
    /// The client's public value.
    pub client_public: &'a [u8],
    /// The server's public value.
    pub server_public: &'a [u8],
    /// What both know now, as a number with its first byte first.
    pub shared: &'a [u8],
}

impl Exchange<'_> {
    /// What the server signs with its host key: a SHA-256 digest. Nothing where a part is too long to be one of the protocol.
    pub fn digest(&self) -> Option<[u8; 32]> {
        let mut text = Vec::new();
        let parts = [
            self.client,
            self.server,
            self.client_abilities,
            self.server_abilities,
            self.host_key,
            self.client_public,
            self.server_public,
        ];
        for part in parts {
            part.encode(&mut text).ok()?;
        }
        Mpint::from_positive_bytes(self.shared).ok()?.encode(&mut text).ok()?;
        digest::digest(&digest::SHA256, &text).as_ref().try_into().ok()
    }
}

impl Abilities {
    /// The message, with these random bytes. Ciphers and the rest are lists that both sides of a usual connection share.
    pub fn to_message(&self, cookie: [u8; 16]) -> Vec<u8> {
        const CIPHERS: &str = "aes128-ctr,aes256-ctr,aes128-gcm@openssh.com,aes256-gcm@openssh.com,chacha20-poly1305@openssh.com,\
            aes128-cbc,3des-cbc";
        const CODES: &str = "hmac-sha2-256,hmac-sha2-512,hmac-sha2-256-etm@openssh.com,hmac-sha2-512-etm@openssh.com,hmac-sha1";
        let mut message = vec![KEX_INIT];
        message.extend_from_slice(&cookie);
        let (exchanges, host_keys) = (self.exchanges.join(","), self.host_keys.join(","));
        for list in [&*exchanges, &*host_keys, CIPHERS, CIPHERS, CODES, CODES, "none", "none", "", ""] {
            // Writing to memory does not fail, and no list here is too long.
            let _ = list.encode(&mut message);
        }
        message.push(u8::from(self.guesses));
        message.extend_from_slice(&[0; 4]);
        message
    }

    /// Reads the message.
    pub fn read(message: &[u8]) -> Option<Self> {
        let mut rest = message.strip_prefix(&[KEX_INIT])?.get(16..)?;
        let mut lists = Vec::new();
        for _ in 0..10 {
            lists.push(String::decode(&mut rest).ok()?);
        }
        let names = |list: Option<&String>| {
            let list = list?;
            Some(list.split(',').filter(|name| !name.is_empty()).map(str::to_owned).collect())
        };
        Some(Self {
            exchanges: names(lists.first())?,
            host_keys: names(lists.get(1))?,
            guesses: *rest.first()? != 0,
        })
    }
}

/// A message in the packet that carries it before there are keys (RFC 4253, section 6).
pub fn packet(message: &[u8]) -> Vec<u8> {
    let padding = 8 - (message.len() + 5) % 8;
    let padding = if padding < 4 { padding + 8 } else { padding };
    let length = u32::try_from(message.len() + padding + 1).unwrap_or(u32::MAX);
    let mut packet = length.to_be_bytes().to_vec();
    packet.push(u8::try_from(padding).unwrap_or(u8::MAX));
    packet.extend_from_slice(message);
    packet.resize(packet.len() + padding, 0);
    packet
}

/// Reads the message of the next packet.
pub fn read_packet(stream: &mut impl Read) -> io::Result<Vec<u8>> {
    let mut length = [0; 4];
    stream.read_exact(&mut length)?;
    let length = u32::from_be_bytes(length);
    if !(2..=LARGEST_PACKET).contains(&length) {
        return Err(io::ErrorKind::InvalidData.into());
    }
    let mut packet = vec![0; usize::try_from(length).unwrap_or(usize::MAX)];
    stream.read_exact(&mut packet)?;
    let padding = usize::from(packet.first().copied().unwrap_or(0));
    match packet.len().checked_sub(padding).filter(|end| *end > 1) {
        Some(end) => Ok(packet.get(1..end).unwrap_or_default().to_vec()),
        None => Err(io::ErrorKind::InvalidData.into()),
    }
}

/// Reads how the other side names itself: the first line that begins `SSH-`, without its end. `Err` holds what came instead.
pub fn read_name(stream: &mut impl Read) -> Result<Vec<u8>, (io::Error, Vec<u8>)> {
    let mut first = Vec::new();
    for nth in 0..MOST_LINES {
        let mut line = Vec::new();
        loop {
            let mut byte = [0];
            if let Err(error) = stream.read_exact(&mut byte) {
                let came = if nth == 0 { line } else { first };
                return Err((error, came));
            }
            match byte {
                [b'\n'] => break,
                _ if line.len() == LONGEST_LINE => {
                    let came = if nth == 0 { line } else { first };
                    return Err((io::ErrorKind::InvalidData.into(), came));
                }
                [byte] => line.push(byte),
            }
        }
        if line.last() == Some(&b'\r') {
            line.pop();
        }
        if line.starts_with(b"SSH-") {
            return Ok(line);
        }
        if nth == 0 {
            first = line;
        }
    }
    Err((io::ErrorKind::InvalidData.into(), first))
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

    use super::*;

    #[test]
    fn a_packet_is_read_as_it_was_written() {
        for length in 1..64_u8 {
            let message: Vec<u8> = (0..length).collect();
            let packet = packet(&message);
            assert_eq!(packet.len() % 8, 0);
            assert!(packet[4] >= 4);
            assert_eq!(read_packet(&mut packet.as_slice()).unwrap(), message);
        }
        assert!(read_packet(&mut [0xff; 64].as_slice()).is_err(), "a gigabyte is no packet");
        assert!(read_packet(&mut [0, 0, 0, 2, 9, 9].as_slice()).is_err(), "more padding than packet");
    }

    #[test]
    fn abilities_are_read_as_they_were_written() {
        let abilities = Abilities {
            exchanges: vec!["curve25519-sha256".to_owned()],
            host_keys: vec!["ssh-ed25519".to_owned(), "rsa-sha2-256".to_owned()],
            guesses: false,
        };
        let message = abilities.to_message([7; 16]);
        assert_eq!(Abilities::read(&message), Some(abilities));
        for length in 0..message.len() - 4 {
            assert_eq!(Abilities::read(&message[..length]), None);
        }
    }

    #[test]
    fn a_server_may_say_something_before_its_name() {
        let read = |text: &[u8]| read_name(&mut &*text).map_err(|(_, came)| came);
        assert_eq!(read(b"Welcome\r\nSSH-2.0-x\r\nrest"), Ok(b"SSH-2.0-x".to_vec()));
        assert_eq!(read(b"HTTP/1.1 400 Bad Request\r\n"), Err(b"HTTP/1.1 400 Bad Request".to_vec()));
        assert_eq!(read(&[b'x'; 4000]), Err(vec![b'x'; LONGEST_LINE]));
        assert_eq!(read(b"SSH-2.0-cut"), Err(b"SSH-2.0-cut".to_vec()));
        assert_eq!(read("a\n".repeat(100).as_bytes()), Err(b"a".to_vec()));
    }
}
