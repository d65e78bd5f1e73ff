//! Questions to time servers and their answers (RFC 5905), with a key where the sheet has one.

use std::io;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr, UdpSocket};
use std::time::{Duration, Instant, SystemTime, UNIX_EPOCH};

use impostazione_core::network::{TimeKeyValue, Transport};

use crate::answer::{Clock, KeyProof, Reading};
use crate::network::{Network, Reach};
use crate::obstacle::Obstacle;
use crate::stop::Stop;

/// The port of time servers.
const PORT: u16 = 123;
/// How long an answer is waited for.
const WITHIN: Duration = Duration::from_millis(1500);
/// How often a server is asked.
const TRIES: u32 = 3;
/// The longest that a question takes.
pub(crate) const LONGEST: Duration = Duration::from_millis(3 * 1500);
/// The bytes of a packet without a proof (RFC 5905, section 7.3).
const LENGTH: usize = 48;
/// Seconds from 1900, where the protocol counts from, to 1970.
const EPOCH_SECONDS: u64 = 2_208_988_800;
/// Fractions of a second.
const FRACTIONS: f64 = 4_294_967_296.0;

/// What a server is to prove its answer with.
#[derive(Clone, Copy, Debug)]
pub(crate) enum AskedKey<'a> {
    /// Nothing.
    None,
    /// A key whose value is not available here.
    Unavailable,
    /// This one.
    Value(&'a TimeKeyValue),
}

impl<'a> AskedKey<'a> {
    fn value(self) -> Option<&'a TimeKeyValue> {
        match self {
            Self::Value(key) => Some(key),
            Self::None | Self::Unavailable => None,
        }
    }
}

/// Asks a time server, which proves its answer with a key where one is asked for.
pub(crate) fn ask(network: &dyn Network, server: IpAddr, key: AskedKey<'_>, stop: &Stop) -> Clock {
    let to = match network.reach(Transport::Udp, SocketAddr::new(server, PORT)) {
        Reach::At(to) => to,
        Reach::Nobody => return Clock::Silent,
        Reach::Refused => return Clock::Refused,
        Reach::Barred(obstacle) => return Clock::NotLooked(obstacle),
    };
    let mut last = Clock::Silent;
    for attempt in 1..=TRIES {
        if let Some(obstacle) = stop.why() {
            return Clock::NotLooked(obstacle);
        }
        // Some servers leave a question with another key than theirs without an answer. The last one comes without.
        let is_without = attempt == TRIES && matches!(key, AskedKey::Value(_));
        let asked = if is_without { AskedKey::None } else { key };
        match ask_once(to, asked) {
            Ok(Some(Clock::Garbled(why))) => last = Clock::Garbled(why),
            Ok(Some(Clock::Reading(reading))) if is_without => {
                return Clock::Reading(Reading { proof: KeyProof::Missing, ..reading });
            }
            Ok(Some(clock)) => return clock,
            Ok(None) => {}
            Err(error) => {
                return match error.kind() {
                    io::ErrorKind::ConnectionRefused => Clock::Refused,
                    io::ErrorKind::HostUnreachable => Clock::Silent,
                    _ => Clock::NotLooked(Obstacle::of(&error)),
                };
            }
        }
    }
    last
}

fn ask_once(to: SocketAddr, key: AskedKey<'_>) -> io::Result<Option<Clock>> {
    let socket = match to.ip() {
        IpAddr::V4(_) => UdpSocket::bind((Ipv4Addr::UNSPECIFIED, 0))?,
        IpAddr::V6(_) => UdpSocket::bind((Ipv6Addr::UNSPECIFIED, 0))?,
    };
    socket.connect(to)?;
    let sent = now();
    let packet = request(sent, key.value());
    let started = Instant::now();
    socket.send(&packet)?;
    let mut buffer = [0; 1024];
    let mut garbled = None;
    while let Some(left) = WITHIN.checked_sub(started.elapsed()).filter(|left| !left.is_zero()) {
        socket.set_read_timeout(Some(left))?;
        match socket.recv(&mut buffer) {
            Ok(length) => {
                let arrived = seconds(sent) + started.elapsed().as_secs_f64();
                match read(buffer.get(..length).unwrap_or_default(), sent, arrived, key) {
                    Some(Clock::Garbled(why)) => garbled = Some(Clock::Garbled(why)),
                    Some(clock) => return Ok(Some(clock)),
                    // An answer to another question.
                    None => {}
                }
            }
            Err(error) if matches!(error.kind(), io::ErrorKind::WouldBlock | io::ErrorKind::TimedOut) => {
                break;
            }
            Err(error) => return Err(error),
        }
    }
    Ok(garbled)
}

/// The time of this computer in the protocol's form: seconds since 1900 in the upper half, fractions in the lower.
fn now() -> u64 {
    let since = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default();
    let whole = since.as_secs().wrapping_add(EPOCH_SECONDS) & 0xffff_ffff;
    let fraction = (u64::from(since.subsec_nanos()) << 32) / 1_000_000_000;
    (whole << 32) | fraction
}

/// A time of the protocol in seconds.
fn seconds(stamp: u64) -> f64 {
    let half = |half: u64| f64::from(u32::try_from(half & 0xffff_ffff).unwrap_or_default());
    half(stamp >> 32) + half(stamp) / FRACTIONS
}

/// One time less another, in seconds, also across the day on which the count starts again.
fn difference(one: f64, other: f64) -> f64 {
    let difference = one - other;
    if difference > FRACTIONS / 2.0 {
        difference - FRACTIONS
    } else if difference < -FRACTIONS / 2.0 {
        difference + FRACTIONS
    } else {
        difference
    }
}

fn request(sent: u64, key: Option<&TimeKeyValue>) -> Vec<u8> {
    let mut packet = vec![0; LENGTH];
    // Version 4, a client.
    if let Some(first) = packet.first_mut() {
        *first = 0b00_100_011;
    }
    if let Some(field) = packet.get_mut(40..48) {
        field.copy_from_slice(&sent.to_be_bytes());
    }
    if let Some(key) = key
        && let Some(digest) = key.proof(&packet)
    {
        packet.extend_from_slice(&key.number.to_be_bytes());
        packet.extend_from_slice(&digest);
    }
    packet
}

/// Reads a packet as the answer to the question that was sent at a time; nothing where it is the answer to another one.
fn read(packet: &[u8], sent: u64, arrived: f64, key: AskedKey<'_>) -> Option<Clock> {
    let stamp = |at: usize| packet.get(at..at + 8)?.try_into().ok().map(u64::from_be_bytes);
    let (Some(head), Some(origin), Some(received), Some(answered)) =
        (packet.get(..4), stamp(24), stamp(32), stamp(40))
    else {
        return Some(Clock::Garbled("is too short for a time"));
    };
    let &[flags, stratum, _, _] = head else { return Some(Clock::Garbled("is too short for a time")) };
    if origin != sent {
        return None;
    }
    // A server, or one that speaks to all.
    if flags & 0b111 != 4 {
        return Some(Clock::Garbled("is not a server's answer"));
    }
    if stratum == 0 {
        let code = packet.get(12..16).unwrap_or_default();
        let code: String =
            code.iter().filter(|byte| byte.is_ascii_alphanumeric()).map(|byte| char::from(*byte)).collect();
        // A server without a clock says so in the same way.
        if !matches!(code.as_str(), "INIT" | "STEP" | "") {
            return Some(Clock::Kiss(code));
        }
    }
    let (received, answered) = (seconds(received), seconds(answered));
    let started = seconds(sent);
    let offset = f64::midpoint(difference(received, started), difference(answered, arrived));
    let delay = (difference(arrived, started) - difference(answered, received)).max(0.0);
    Some(Clock::Reading(Reading {
        offset_seconds: offset,
        delay_seconds: delay,
        stratum,
        is_unsynchronized: flags >> 6 == 3 || stratum == 0 || stratum >= 16,
        proof: proof_of(packet, key),
    }))
}

fn proof_of(packet: &[u8], key: AskedKey<'_>) -> KeyProof {
    let key = match key {
        AskedKey::None => return KeyProof::NotAsked,
        AskedKey::Unavailable => return KeyProof::NotLooked,
        AskedKey::Value(key) => key,
    };
    let (Some(body), Some(rest)) = (packet.get(..LENGTH), packet.get(LENGTH..)) else {
        return KeyProof::Missing;
    };
    let (Some(number), Some(digest)) = (rest.get(..4), rest.get(4..).filter(|digest| !digest.is_empty()))
    else {
        // Four zero bytes say that the key is not accepted (RFC 5905, section 9.2).
        return KeyProof::Missing;
    };
    let is_right = number == key.number.to_be_bytes()
        && key.proof(body).is_some_and(|expected| expected.as_slice() == digest);
    if is_right { KeyProof::Proved } else { KeyProof::Wrong }
}

/// What bytes say as an answer to a question with their own number. For strangers' bytes in tests.
pub(crate) fn read_time(packet: &[u8], key: Option<&TimeKeyValue>) -> Option<Clock> {
    let origin = packet.get(24..32).and_then(|bytes| bytes.try_into().ok()).map_or(0, u64::from_be_bytes);
    read(packet, origin, seconds(origin), key.map_or(AskedKey::None, AskedKey::Value))
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

    use impostazione_text::Hidden;

    use super::*;

    fn key(hash: &'static str, value: &str) -> TimeKeyValue {
        TimeKeyValue { number: 7, hash, value: Hidden::new(value) }
    }

    /// The answer of a server whose clock is ahead, and which has some keys.
    fn answer(question: &[u8], ahead: i64, is_unsynchronized: bool, own: &[TimeKeyValue]) -> Vec<u8> {
        let mut packet = vec![0; LENGTH];
        packet[0] = if is_unsynchronized { 0b11_100_100 } else { 0b00_100_100 };
        packet[1] = if is_unsynchronized { 16 } else { 2 };
        packet[24..32].copy_from_slice(&question[40..48]);
        let time = now().wrapping_add_signed(ahead << 32).to_be_bytes();
        packet[32..40].copy_from_slice(&time);
        packet[40..48].copy_from_slice(&time);
        if let Some(number) = question.get(LENGTH..LENGTH + 4) {
            let key = own.iter().find(|key| key.number.to_be_bytes() == number);
            let proof = key.map(|key| [number, &key.proof(&packet).unwrap()].concat());
            packet.extend(proof.unwrap_or_else(|| vec![0; 4]));
        }
        packet
    }

    fn asked(
        ahead: i64,
        is_unsynchronized: bool,
        own: &[TimeKeyValue],
        wanted: Option<&TimeKeyValue>,
    ) -> Clock {
        let sent = now();
        let packet = answer(&request(sent, wanted), ahead, is_unsynchronized, own);
        read(&packet, sent, seconds(sent), wanted.map_or(AskedKey::None, AskedKey::Value)).unwrap()
    }

    #[test]
    fn an_answer_says_how_far_the_server_is_ahead() {
        let Clock::Reading(reading) = asked(90, false, &[], None) else { panic!() };
        assert!((reading.offset_seconds - 90.0).abs() < 0.5, "{reading:?}");
        assert!(!reading.is_unsynchronized && reading.proof == KeyProof::NotAsked);
        let Clock::Reading(reading) = asked(-3, true, &[], None) else { panic!() };
        assert!((reading.offset_seconds + 3.0).abs() < 0.5 && reading.is_unsynchronized);
    }

    #[test]
    fn each_hash_proves_and_another_key_does_not() {
        for hash in ["SHA1", "SHA256", "SHA384", "SHA512", "AES128"] {
            let right = key(hash, "HEX:000102030405060708090a0b0c0d0e0f");
            let other = key(hash, "HEX:100102030405060708090a0b0c0d0e0f");
            let proof = |own: &[TimeKeyValue]| match asked(0, false, own, Some(&right)) {
                Clock::Reading(reading) => reading.proof,
                other => panic!("{other:?}"),
            };
            assert_eq!(proof(std::slice::from_ref(&right)), KeyProof::Proved, "{hash}");
            assert_eq!(proof(&[other]), KeyProof::Wrong, "{hash}");
            assert_eq!(proof(&[]), KeyProof::Missing, "{hash}");
        }
    }

    #[test]
    fn what_is_not_the_answer_is_not_taken_for_it() {
        let sent = now();
        let packet = answer(&request(sent, None), 0, false, &[]);
        assert_eq!(read(&packet, sent + 1, seconds(sent), AskedKey::None), None);
        for length in 0..LENGTH {
            let short = read(&packet[..length], sent, seconds(sent), AskedKey::None);
            assert!(matches!(short, Some(Clock::Garbled(_))), "{length}");
        }
        let mut kiss = packet.clone();
        kiss[1] = 0;
        kiss[12..16].copy_from_slice(b"DENY");
        assert_eq!(read(&kiss, sent, seconds(sent), AskedKey::None), Some(Clock::Kiss("DENY".into())));
        let mut client = packet;
        client[0] = 0b00_100_011;
        assert!(matches!(read(&client, sent, seconds(sent), AskedKey::None), Some(Clock::Garbled(_))));
    }

    proptest::proptest! {
        #[test]
        fn reading_never_panics(bytes in proptest::collection::vec(proptest::num::u8::ANY, 0..120)) {
            let _ = read_time(&bytes, Some(&key("AES128", "HEX:000102030405060708090a0b0c0d0e0f")));
        }
    }
}
