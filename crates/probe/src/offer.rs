//! What DHCP servers offer (RFC 2131): a question is sent to all of them on a link, and none of their offers is accepted.

use std::io;
use std::net::{Ipv4Addr, SocketAddrV4, UdpSocket};
use std::time::{Duration, Instant};

use ring::rand::{SecureRandom as _, SystemRandom};
use socket2::{Domain, Protocol, Socket, Type};

use crate::answer::Leases;
use crate::obstacle::Obstacle;
use crate::stop::Stop;

/// The port of clients.
const CLIENT_PORT: u16 = 68;
/// The port of servers.
const SERVER_PORT: u16 = 67;
/// How often it is asked.
const TRIES: u32 = 2;
/// How long offers are waited for each time: a server may look first whether somebody has the address.
const WITHIN: Duration = Duration::from_secs(3);
/// The most offers that are kept.
const MOST: usize = 16;
/// The bytes of a packet before its options (RFC 2131, section 2).
const HEAD: usize = 236;
/// What begins the options (RFC 2132, section 2).
const COOKIE: [u8; 4] = [99, 130, 83, 99];
/// What a packet is (RFC 2132, section 9.6).
const MESSAGE_TYPE: u8 = 53;
/// Who offers (RFC 2132, section 9.7).
const SERVER: u8 = 54;
/// The message type of a question to all servers.
const DISCOVER: u8 = 1;
/// The message type of an offer.
const OFFER: u8 = 2;
/// The longest that it takes.
pub(crate) const LONGEST: Duration = Duration::from_secs(6);

/// Asks on a link. That takes root.
pub(crate) fn ask(link: &str, hardware: &[u8], stop: &Stop) -> Leases {
    if hardware.len() != 6 {
        return Leases::NotLooked(Obstacle::Kernel(format!("{link} is not an Ethernet link")));
    }
    match offers(link, stop) {
        Ok(offers) => Leases::Offered(offers),
        Err(error) => Leases::NotLooked(Obstacle::of(&error)),
    }
}

fn offers(link: &str, stop: &Stop) -> io::Result<Vec<(Ipv4Addr, Option<Ipv4Addr>)>> {
    let socket = socket(link)?;
    let mut random = [0; 9];
    SystemRandom::new().fill(&mut random).map_err(|_| io::Error::other("there are no random numbers"))?;
    let [a, b, c, d, more @ ..] = random;
    let number = u32::from_be_bytes([a, b, c, d]);
    // A made-up address of local scope: the lease of this computer itself says nothing of what others would get.
    let mut hardware = [0x02, 0, 0, 0, 0, 0];
    if let Some(rest) = hardware.get_mut(1..) {
        rest.copy_from_slice(&more);
    }
    let packet = discover(number, hardware);
    let mut found: Vec<(Ipv4Addr, Option<Ipv4Addr>)> = Vec::new();
    for _ in 0..TRIES {
        if stop.why().is_some() || !found.is_empty() {
            break;
        }
        socket.send_to(&packet, SocketAddrV4::new(Ipv4Addr::BROADCAST, SERVER_PORT))?;
        let until = Instant::now() + WITHIN;
        let mut buffer = [0; 2048];
        while let Some(left) = until.checked_duration_since(Instant::now()).filter(|left| !left.is_zero()) {
            if stop.why().is_some() || found.len() >= MOST {
                break;
            }
            socket.set_read_timeout(Some(left.min(Duration::from_millis(250))))?;
            match socket.recv(&mut buffer) {
                Ok(length) => {
                    let offer = read_offer(buffer.get(..length).unwrap_or_default(), number);
                    found.extend(offer.filter(|offer| !found.contains(offer)));
                }
                Err(error) if matches!(error.kind(), io::ErrorKind::WouldBlock | io::ErrorKind::TimedOut) => {
                }
                Err(error) => return Err(error),
            }
        }
    }
    Ok(found)
}

fn socket(link: &str) -> io::Result<UdpSocket> {
    let socket = Socket::new(Domain::IPV4, Type::DGRAM, Some(Protocol::UDP))?;
    // A client of this computer itself may be at the same port.
    socket.set_reuse_address(true)?;
    socket.set_broadcast(true)?;
    socket.bind_device(Some(link.as_bytes()))?;
    socket.bind(&SocketAddrV4::new(Ipv4Addr::UNSPECIFIED, CLIENT_PORT).into())?;
    Ok(socket.into())
}

fn discover(number: u32, hardware: [u8; 6]) -> Vec<u8> {
    // A question, of an Ethernet link with addresses of six bytes, not passed on.
    let mut packet = vec![1, 1, 6, 0];
    packet.extend_from_slice(&number.to_be_bytes());
    // No time has passed; and the answer is to come to all, since nobody has the address yet.
    packet.extend_from_slice(&[0, 0, 0x80, 0]);
    // No addresses yet.
    packet.extend_from_slice(&[0; 16]);
    packet.extend_from_slice(&hardware);
    packet.resize(HEAD, 0);
    packet.extend_from_slice(&COOKIE);
    // The mask is all that is asked for.
    packet.extend_from_slice(&[MESSAGE_TYPE, 1, DISCOVER, 55, 1, 1, 255]);
    // The least length that a packet has (RFC 1542, section 2.1).
    packet.resize(300, 0);
    packet
}

/// Reads bytes as an offer for the question of a number: the address, and who offers it.
pub(crate) fn read_offer(bytes: &[u8], number: u32) -> Option<(Ipv4Addr, Option<Ipv4Addr>)> {
    let four = |at: usize| bytes.get(at..at + 4).and_then(|four| <[u8; 4]>::try_from(four).ok());
    let is_answer = bytes.first() == Some(&2) && four(4)? == number.to_be_bytes() && four(HEAD)? == COOKIE;
    let offered = Ipv4Addr::from(four(16)?);
    if !is_answer || offered.is_unspecified() {
        return None;
    }
    let mut rest = bytes.get(HEAD + COOKIE.len()..)?;
    let (mut kind, mut server) = (None, None);
    // Options: a code, a length, and so many bytes; 0 fills, 255 ends.
    while let [code, more @ ..] = rest {
        rest = match code {
            0 => more,
            255 => break,
            _ => {
                let (length, more) = more.split_first()?;
                let (value, more) = more.split_at_checked(usize::from(*length))?;
                match *code {
                    MESSAGE_TYPE => kind = value.first().copied(),
                    SERVER => server = <[u8; 4]>::try_from(value).ok().map(Ipv4Addr::from),
                    _ => {}
                }
                more
            }
        };
    }
    (kind == Some(OFFER)).then_some((offered, server))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn offer(kind: u8, number: u32) -> Vec<u8> {
        let mut packet = discover(number, [2, 0, 0, 0, 0, 1]);
        packet[0] = 2;
        packet[16..20].copy_from_slice(&[10, 64, 10, 210]);
        packet.truncate(HEAD + COOKIE.len());
        packet.extend_from_slice(&[0, SERVER, 4, 10, 64, 10, 5, MESSAGE_TYPE, 1, kind, 255]);
        packet
    }

    #[test]
    fn an_offer_is_one_only_for_its_question() {
        let offered = (Ipv4Addr::new(10, 64, 10, 210), Some(Ipv4Addr::new(10, 64, 10, 5)));
        assert_eq!(read_offer(&offer(OFFER, 7), 7), Some(offered));
        assert_eq!(read_offer(&offer(OFFER, 8), 7), None);
        assert_eq!(read_offer(&offer(5, 7), 7), None);
        for length in 0..offer(OFFER, 7).len() - 1 {
            assert_eq!(read_offer(&offer(OFFER, 7)[..length], 7), None, "{length}");
        }
        assert_eq!(read_offer(&discover(7, [2, 0, 0, 0, 0, 1]), 7), None);
    }

    proptest::proptest! {
        #[test]
        fn reading_never_panics(bytes in proptest::collection::vec(proptest::num::u8::ANY, 0..400)) {
            let _ = read_offer(&bytes, 7);
        }
    }
}
