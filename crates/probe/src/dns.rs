//! Questions to DNS servers and their answers (RFC 1035, RFC 7766), each on a socket of its own.

use std::io::{self, Read as _, Write as _};
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr, TcpStream, UdpSocket};
use std::time::{Duration, Instant};

use hickory_proto::op::{Edns, Message, MessageType, Query, ResponseCode};
use hickory_proto::rr::{Name, RData, Record, RecordType};
use impostazione_core::network::Transport;
use impostazione_net::Family;

use crate::answer::{Found, LookedUp, MOST_RECORDS};
use crate::network::{Network, Reach};
use crate::obstacle::Obstacle;
use crate::question::{Lookup, Sought};
use crate::stop::Stop;

/// The port of DNS servers.
const PORT: u16 = 53;
/// How long an answer over UDP is waited for.
pub(crate) const WITHIN: Duration = Duration::from_millis(1500);
/// How long a connection and an answer over TCP are waited for.
const TCP_WITHIN: Duration = Duration::from_secs(3);
/// How often a question is asked.
const TRIES: u32 = 3;
/// The largest answer over UDP that is asked for (RFC 9715).
const PAYLOAD: u16 = 1232;
/// The most names that lead on to others.
const MOST_NAMES: usize = 8;
/// The largest answer that is read.
const LARGEST: usize = 65_535;

/// The longest that a question takes.
pub(crate) const LONGEST: Duration = Duration::from_millis(3 * 1500 + 3000);

/// Asks a DNS server.
pub(crate) fn look_up(network: &dyn Network, lookup: &Lookup, stop: &Stop) -> LookedUp {
    let Some(question) = question(&lookup.sought) else {
        return LookedUp::Garbled("is not a name that DNS can hold");
    };
    let found = match lookup.transport {
        Transport::Udp => over_udp(network, lookup, question.clone(), stop),
        Transport::Tcp => Outcome::Truncated,
    };
    match found {
        Outcome::Is(answer) => answer,
        Outcome::Truncated => over_tcp(network, lookup, &question, stop),
    }
}

/// What came over UDP.
enum Outcome {
    Is(LookedUp),
    /// The answer is too long for UDP.
    Truncated,
}

fn question(sought: &Sought) -> Option<Message> {
    let absolute = |text: &str| {
        let mut name = Name::from_ascii(text).ok()?;
        name.set_fqdn(true);
        Some(name)
    };
    let (name, kind) = match sought {
        Sought::Addresses(name, Family::V4) => (absolute(name)?, RecordType::A),
        Sought::Addresses(name, Family::V6) => (absolute(name)?, RecordType::AAAA),
        Sought::Names(address) => (Name::from(*address), RecordType::PTR),
        Sought::Domain(name) => (absolute(name)?, RecordType::SOA),
    };
    let mut message = Message::query();
    message.metadata.recursion_desired = true;
    message.add_query(Query::query(name, kind));
    let mut edns = Edns::new();
    edns.set_max_payload(PAYLOAD);
    message.set_edns(edns);
    Some(message)
}

fn over_udp(network: &dyn Network, lookup: &Lookup, mut message: Message, stop: &Stop) -> Outcome {
    let to = match network.reach(Transport::Udp, SocketAddr::new(lookup.server, PORT)) {
        Reach::At(to) => to,
        Reach::Nobody | Reach::Refused => return Outcome::Is(LookedUp::Silent),
        Reach::Barred(obstacle) => return Outcome::Is(LookedUp::NotLooked(obstacle)),
    };
    let mut last = LookedUp::Silent;
    for attempt in 0..TRIES {
        if let Some(obstacle) = stop.why() {
            return Outcome::Is(LookedUp::NotLooked(obstacle));
        }
        // Each try is a question of its own, so that a late answer to another one is not taken for its.
        if attempt > 0 {
            message.metadata.id = message.metadata.id.wrapping_add(1);
        }
        match ask_once(to, &message, &lookup.sought) {
            Ok(Some(Outcome::Is(garbled @ LookedUp::Garbled(_)))) => last = garbled,
            Ok(Some(outcome)) => return outcome,
            Ok(None) => {}
            // Nothing listens there, as an ICMP message says: nothing else will come.
            Err(error) if error.kind() == io::ErrorKind::ConnectionRefused => {
                return Outcome::Is(LookedUp::Silent);
            }
            Err(error) => match error.kind() {
                io::ErrorKind::HostUnreachable => return Outcome::Is(LookedUp::Silent),
                _ => return Outcome::Is(LookedUp::NotLooked(Obstacle::of(&error))),
            },
        }
    }
    Outcome::Is(last)
}

/// Sends one question and waits for its answer.
fn ask_once(to: SocketAddr, message: &Message, sought: &Sought) -> io::Result<Option<Outcome>> {
    let socket = match to.ip() {
        IpAddr::V4(_) => UdpSocket::bind((Ipv4Addr::UNSPECIFIED, 0))?,
        IpAddr::V6(_) => UdpSocket::bind((Ipv6Addr::UNSPECIFIED, 0))?,
    };
    // A connected socket takes nothing from others.
    socket.connect(to)?;
    socket.send(&bytes_of(message)?)?;
    let until = Instant::now() + WITHIN;
    let mut buffer = vec![0; usize::from(PAYLOAD) * 4];
    let mut garbled = None;
    while let Some(left) = until.checked_duration_since(Instant::now()).filter(|left| !left.is_zero()) {
        socket.set_read_timeout(Some(left))?;
        match socket.recv(&mut buffer) {
            Ok(length) => match read(buffer.get(..length).unwrap_or_default(), message, sought) {
                Read::NotOurs => {}
                Read::Garbled(why) => garbled = Some(Outcome::Is(LookedUp::Garbled(why))),
                Read::Truncated => return Ok(Some(Outcome::Truncated)),
                Read::Answer(answer) => return Ok(Some(Outcome::Is(answer))),
            },
            Err(error) if matches!(error.kind(), io::ErrorKind::WouldBlock | io::ErrorKind::TimedOut) => {
                break;
            }
            Err(error) => return Err(error),
        }
    }
    Ok(garbled)
}

fn over_tcp(network: &dyn Network, lookup: &Lookup, message: &Message, stop: &Stop) -> LookedUp {
    let to = match network.reach(Transport::Tcp, SocketAddr::new(lookup.server, PORT)) {
        Reach::At(to) => to,
        Reach::Nobody | Reach::Refused => return LookedUp::Silent,
        Reach::Barred(obstacle) => return LookedUp::NotLooked(obstacle),
    };
    if let Some(obstacle) = stop.why() {
        return LookedUp::NotLooked(obstacle);
    }
    match ask_over_tcp(to, message) {
        Ok(bytes) => match read(&bytes, message, &lookup.sought) {
            Read::Answer(answer) => answer,
            Read::NotOurs => LookedUp::Garbled("is the answer to another question"),
            Read::Truncated => LookedUp::Garbled("is cut off, over TCP too"),
            Read::Garbled(why) => LookedUp::Garbled(why),
        },
        Err(error) => match error.kind() {
            io::ErrorKind::ConnectionRefused
            | io::ErrorKind::ConnectionReset
            | io::ErrorKind::TimedOut
            | io::ErrorKind::WouldBlock
            | io::ErrorKind::UnexpectedEof
            | io::ErrorKind::BrokenPipe
            | io::ErrorKind::HostUnreachable => LookedUp::Silent,
            _ => LookedUp::NotLooked(Obstacle::of(&error)),
        },
    }
}

/// A message over TCP has its length in front (RFC 1035, section 4.2.2).
fn ask_over_tcp(to: SocketAddr, message: &Message) -> io::Result<Vec<u8>> {
    let until = Instant::now() + TCP_WITHIN;
    let mut stream = TcpStream::connect_timeout(&to, TCP_WITHIN)?;
    let question = bytes_of(message)?;
    let length = u16::try_from(question.len()).map_err(io::Error::other)?;
    stream.set_write_timeout(Some(TCP_WITHIN))?;
    stream.write_all(&[&length.to_be_bytes(), question.as_slice()].concat())?;
    let mut length = [0; 2];
    read_until(&mut stream, &mut length, until)?;
    let mut answer = vec![0; usize::from(u16::from_be_bytes(length)).min(LARGEST)];
    read_until(&mut stream, &mut answer, until)?;
    Ok(answer)
}

/// Fills a buffer, in no more time than there is: who sends a byte now and then is not waited for.
fn read_until(stream: &mut TcpStream, buffer: &mut [u8], until: Instant) -> io::Result<()> {
    let mut filled = 0;
    while filled < buffer.len() {
        let left = until.saturating_duration_since(Instant::now());
        if left.is_zero() {
            return Err(io::ErrorKind::TimedOut.into());
        }
        stream.set_read_timeout(Some(left))?;
        match stream.read(buffer.get_mut(filled..).unwrap_or_default())? {
            0 => return Err(io::ErrorKind::UnexpectedEof.into()),
            more => filled += more,
        }
    }
    Ok(())
}

fn bytes_of(message: &Message) -> io::Result<Vec<u8>> {
    message.to_vec().map_err(|error| io::Error::other(error.to_string()))
}

/// What some bytes are.
enum Read {
    Answer(LookedUp),
    Truncated,
    /// The answer to another question.
    NotOurs,
    Garbled(&'static str),
}

/// Reads bytes as the answer to a question.
fn read(bytes: &[u8], asked: &Message, sought: &Sought) -> Read {
    let Ok(answer) = Message::from_vec(bytes) else { return Read::Garbled("is not a DNS message") };
    if answer.metadata.id != asked.metadata.id || answer.metadata.message_type != MessageType::Response {
        return Read::NotOurs;
    }
    // Some servers leave the question away where they decline.
    let is_same = |one: &Query, other: &Query| {
        one.query_type() == other.query_type() && one.name().to_lowercase() == other.name().to_lowercase()
    };
    let is_ours = match (answer.queries.first(), asked.queries.first()) {
        (Some(one), Some(other)) => is_same(one, other),
        (None, _) => answer.metadata.response_code != ResponseCode::NoError,
        _ => false,
    };
    if !is_ours {
        return Read::NotOurs;
    }
    if answer.metadata.truncation {
        return Read::Truncated;
    }
    Read::Answer(match answer.metadata.response_code {
        ResponseCode::NoError => LookedUp::Records(records(&answer, sought)),
        ResponseCode::NXDomain => LookedUp::NoSuchName,
        code => LookedUp::Declined(word(code)),
    })
}

/// What bytes say as the answer to a question; what they are not is left away. For strangers' bytes in tests.
pub(crate) fn read_answer(bytes: &[u8], sought: &Sought) -> Option<LookedUp> {
    let mut asked = question(sought)?;
    // Whatever the number, so that the rest is read.
    if let [high, low, ..] = bytes {
        asked.metadata.id = u16::from_be_bytes([*high, *low]);
    }
    match read(bytes, &asked, sought) {
        Read::Answer(answer) => Some(answer),
        Read::Truncated | Read::NotOurs | Read::Garbled(_) => None,
    }
}

/// The names that an answer is about: the one that was asked for, and those that it is another name of (RFC 1034, section 3.6.2).
fn owners(answer: &Message) -> Vec<Name> {
    let mut owners: Vec<Name> =
        answer.queries.first().map(|query| query.name().to_lowercase()).into_iter().collect();
    for _ in 0..MOST_NAMES {
        let next = answer.answers.iter().find_map(|record| match &record.data {
            RData::CNAME(name) if owners.last() == Some(&record.name.to_lowercase()) => {
                Some(name.0.to_lowercase())
            }
            _ => None,
        });
        match next.filter(|next| !owners.contains(next)) {
            Some(next) => owners.push(next),
            None => break,
        }
    }
    owners
}

fn records(answer: &Message, sought: &Sought) -> Found {
    let owners = owners(answer);
    let is_about = |record: &&Record| owners.contains(&record.name.to_lowercase());
    let data = || answer.answers.iter().filter(is_about).map(|record| &record.data);
    match sought {
        Sought::Addresses(_, Family::V4) => Found::Addresses(
            data()
                .filter_map(|data| match data {
                    RData::A(four) => Some(IpAddr::V4(four.0)),
                    _ => None,
                })
                .take(MOST_RECORDS)
                .collect(),
        ),
        Sought::Addresses(_, Family::V6) => Found::Addresses(
            data()
                .filter_map(|data| match data {
                    RData::AAAA(six) => Some(IpAddr::V6(six.0)),
                    _ => None,
                })
                .take(MOST_RECORDS)
                .collect(),
        ),
        Sought::Names(_) => Found::Names(
            data()
                .filter_map(|data| match data {
                    RData::PTR(name) => {
                        let text = name.0.to_ascii();
                        Some(text.strip_suffix('.').unwrap_or(&text).to_ascii_lowercase())
                    }
                    _ => None,
                })
                .take(MOST_RECORDS)
                .collect(),
        ),
        Sought::Domain(_) => Found::Domain(answer.answers.len() + answer.authorities.len()),
    }
}

/// The word for a code with which a server declines (RFC 6895, section 2.3).
fn word(code: ResponseCode) -> String {
    match code {
        ResponseCode::Refused => "REFUSED".to_owned(),
        ResponseCode::ServFail => "SERVFAIL".to_owned(),
        ResponseCode::FormErr => "FORMERR".to_owned(),
        ResponseCode::NotImp => "NOTIMP".to_owned(),
        ResponseCode::NotAuth => "NOTAUTH".to_owned(),
        other => format!("the code {}", u16::from(other)),
    }
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

    use std::net::Ipv4Addr;

    use hickory_proto::rr::rdata::{A, CNAME};

    use super::*;

    fn name(text: &str) -> Name {
        Name::from_ascii(text).unwrap()
    }

    fn said(records: Vec<Record>) -> LookedUp {
        let sought = Sought::Addresses("Gauge-01.capovetro.example".to_owned(), Family::V4);
        let asked = question(&sought).unwrap();
        let mut answer = asked.clone().into_response();
        answer.metadata.message_type = MessageType::Response;
        answer.insert_answers(records);
        match read(&answer.to_vec().unwrap(), &asked, &sought) {
            Read::Answer(answer) => answer,
            _ => LookedUp::Garbled("was not read"),
        }
    }

    fn address(owner: &str, last: u8) -> Record {
        Record::from_rdata(name(owner), 60, RData::A(A(Ipv4Addr::new(10, 64, 10, last))))
    }

    fn alias(owner: &str, of: &str) -> Record {
        Record::from_rdata(name(owner), 60, RData::CNAME(CNAME(name(of))))
    }

    fn found(last: &[u8]) -> LookedUp {
        let addresses = last.iter().map(|last| IpAddr::from([10, 64, 10, *last])).collect();
        LookedUp::Records(Found::Addresses(addresses))
    }

    #[test]
    fn only_what_is_about_the_name_counts() {
        let own = "gauge-01.capovetro.example.";
        assert_eq!(said(vec![address(own, 11)]), found(&[11]));
        assert_eq!(said(vec![address("crane.capovetro.example.", 11)]), found(&[]));
        let other = "scale-1.capovetro.example.";
        assert_eq!(
            said(vec![alias(own, other), address(other, 12), address("crane.example.", 11)]),
            found(&[12])
        );
        // Names that lead in a circle end.
        assert_eq!(said(vec![alias(own, other), alias(other, own)]), found(&[]));
    }
}
