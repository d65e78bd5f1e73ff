//! ICMP echo requests (RFC 792, RFC 4443).

use std::io::{self, Read as _};
use std::net::{IpAddr, SocketAddr};
use std::time::{Duration, Instant};

use socket2::{Domain, Protocol, Socket, Type};

/// How long an answer is waited for.
const WITHIN: Duration = Duration::from_millis(1500);

/// What marks our requests among those of others.
const MARK: &[u8] = b"impostazione";

/// Whether an address answers an echo request; `None` where this computer does not allow it.
pub(super) fn echoes(address: IpAddr) -> Option<bool> {
    let sockets = [Type::DGRAM, Type::RAW].into_iter().find_map(|kind| Some((kind, open(address, kind)?)));
    let (kind, socket) = sockets?;
    // Whatever goes wrong on the way, no answer was seen.
    Some(ask(&socket, address, kind == Type::RAW).unwrap_or(false))
}

fn open(address: IpAddr, kind: Type) -> Option<Socket> {
    let (domain, protocol) = match address {
        IpAddr::V4(_) => (Domain::IPV4, Protocol::ICMPV4),
        IpAddr::V6(_) => (Domain::IPV6, Protocol::ICMPV6),
    };
    Socket::new(domain, kind, Some(protocol)).ok()
}

fn ask(socket: &Socket, address: IpAddr, is_raw: bool) -> io::Result<bool> {
    socket.connect(&SocketAddr::new(address, 0).into())?;
    socket.send(&request(address.is_ipv4()))?;
    let until = Instant::now() + WITHIN;
    // Raw sockets also hear what is for others.
    while let Some(left) = until.checked_duration_since(Instant::now()).filter(|left| !left.is_zero()) {
        socket.set_read_timeout(Some(left))?;
        let mut buffer = [0; 512];
        let mut reader = socket;
        match reader.read(&mut buffer) {
            Ok(length) => {
                let packet = buffer.get(..length).unwrap_or_default();
                if is_reply(packet, address.is_ipv4(), is_raw) {
                    return Ok(true);
                }
            }
            Err(error) if matches!(error.kind(), io::ErrorKind::WouldBlock | io::ErrorKind::TimedOut) => {
                return Ok(false);
            }
            Err(error) => return Err(error),
        }
    }
    Ok(false)
}

/// An echo request. The kernel numbers those of datagram sockets itself, and sums up those of IPv6.
fn request(is_four: bool) -> Vec<u8> {
    let mut packet = vec![if is_four { 8 } else { 128 }, 0, 0, 0, 0x1a, 0x90, 0, 1];
    packet.extend_from_slice(MARK);
    if is_four {
        let [high, low] = checksum(&packet).to_be_bytes();
        if let Some(field) = packet.get_mut(2..4) {
            field.copy_from_slice(&[high, low]);
        }
    }
    packet
}

/// Whether a packet is the answer to our request.
fn is_reply(packet: &[u8], is_four: bool, is_raw: bool) -> bool {
    // Raw sockets of IPv4 hand over the header, whose length is counted in words (RFC 791, section 3.1).
    let start = match packet.first() {
        Some(first) if is_four && is_raw => usize::from(first & 0x0f) * 4,
        _ => 0,
    };
    let kind = if is_four { 0 } else { 129 };
    packet.get(start) == Some(&kind) && packet.get(start + 8..).is_some_and(|data| data.starts_with(MARK))
}

/// The checksum of the Internet (RFC 1071).
fn checksum(bytes: &[u8]) -> u16 {
    let mut sum: u32 = bytes
        .chunks(2)
        .map(|pair| {
            u32::from(u16::from_be_bytes([
                pair.first().copied().unwrap_or(0),
                pair.get(1).copied().unwrap_or(0),
            ]))
        })
        .sum();
    while sum > 0xffff {
        sum = (sum & 0xffff) + (sum >> 16);
    }
    !u16::try_from(sum).unwrap_or(u16::MAX)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_sum_of_a_packet_with_its_checksum_is_zero() {
        assert_eq!(checksum(&request(true)), 0);
    }

    #[test]
    fn only_the_answer_to_our_request_is_one() {
        let mut answer = request(true);
        answer[0] = 0;
        assert!(is_reply(&answer, true, false));
        assert!(!is_reply(&request(true), true, false), "the request itself is no answer");
        let mut with_header = vec![0x45; 20];
        with_header.extend_from_slice(&answer);
        assert!(is_reply(&with_header, true, true));
        answer[8] = b'x';
        assert!(!is_reply(&answer, true, false));
        for length in 0..20 {
            assert!(!is_reply(&vec![0; length], true, true));
        }
    }
}
