//! Whether anybody on a link has an address: what the kernel finds out when something is sent there (RFC 826, RFC 4861).
//! No privilege is needed.

use std::collections::HashMap;
use std::fs;
use std::io;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr, SocketAddrV6, UdpSocket};
use std::time::{Duration, Instant};

use impostazione_net::{Family, MacAddress};
use netlink_packet_route::neighbour::NeighbourState;
use socket2::{Domain, Protocol, Socket, Type};

use super::kernel_tables::{KernelTables, Neighbor};
use crate::answer::{Doubt, Presence, Seen};
use crate::obstacle::Obstacle;
use crate::stop::Stop;
use crate::target::Target;

/// The port that nobody listens on (discard, RFC 863): what is sent there has no effect.
const PORT: u16 = 9;
/// The most addresses that are asked for at once.
const MOST_AT_ONCE: usize = 256;
/// How much room the kernel's table has where it does not say so.
const USUAL_ROOM: usize = 1024;
/// The time between two looks at the table.
const PAUSE: Duration = Duration::from_millis(100);
/// How long an address that was not known before takes at the most: three requests, a second apart, and some.
const NEW: Duration = Duration::from_millis(4500);
/// How long one takes that the kernel has seen before: it believes that for up to 45 seconds, waits for five more, and then asks
/// three times.
const SEEN_BEFORE: Duration = Duration::from_secs(56);
/// After this long, an entry that has gone was one that nobody answered for.
const ASKED_IN_VAIN: Duration = Duration::from_millis(2500);
/// What the kernel says of a connection that has begun (`EINPROGRESS`).
const IN_PROGRESS: i32 = 115;

/// How many addresses of a family are asked for at once: no more than a quarter of the kernel's table.
pub(super) fn most_at_once(family: Family) -> usize {
    let version = if family == Family::V4 { "ipv4" } else { "ipv6" };
    let path = format!("/proc/sys/net/{version}/neigh/default/gc_thresh3");
    let room = fs::read_to_string(path).ok().and_then(|text| text.trim().parse::<usize>().ok());
    (room.unwrap_or(USUAL_ROOM) / 4).clamp(1, MOST_AT_ONCE)
}

/// The longest that so many addresses take, where the kernel has seen no more of them than are asked for at once.
pub(crate) fn longest(count: usize) -> Duration {
    let rounds = count.div_ceil(most_at_once(Family::V4).min(most_at_once(Family::V6)));
    SEEN_BEFORE + NEW * u32::try_from(rounds).unwrap_or(u32::MAX)
}

/// An address that was asked for and is not settled.
struct Open {
    target: Target,
    /// Index of the link.
    link: u32,
    /// What was sent: who is there but does not listen says so, and that arrives here.
    socket: UdpSocket,
    /// A connection that is tried where the kernel believes that somebody is there: whatever comes back confirms it.
    knock: Option<Socket>,
    since: Instant,
    belief: Belief,
    /// Whether the kernel has taken it up.
    was_seen: bool,
    /// Whether something came back.
    has_answered: bool,
}

/// Whether the kernel believed before that somebody has an address, so that this has to be confirmed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Belief {
    /// It did not.
    None,
    /// It did.
    Believed,
    /// It did, and was sent something again when it had stopped believing it.
    AskedAgain,
}

/// Asks for addresses of one family, each on the link of an index, some at a time.
pub(super) fn look(
    targets: &[(Target, u32)],
    names: &dyn Fn(u32) -> String,
    stop: &Stop,
    settled: &mut dyn FnMut(Target, Presence),
) {
    let Some((first, _)) = targets.first() else { return };
    let family = Family::of(first.address);
    let mut waiting = targets.iter();
    let mut open: Vec<Open> = Vec::new();
    let outcome = KernelTables::open().and_then(|tables| {
        loop {
            let now = tables.neighbors(family)?;
            while open.len() < most_at_once(family) && stop.why().is_none() {
                let Some((target, link)) = waiting.next() else { break };
                match ask(*target, *link, &now) {
                    Ok(one) => open.push(one),
                    Err(error) => settled(*target, Presence::NotLooked(Obstacle::of(&error))),
                }
            }
            if open.is_empty() {
                return Ok(());
            }
            stop.sleep(PAUSE);
            if stop.why().is_some() {
                return Ok(());
            }
            let now = tables.neighbors(family)?;
            open.retain_mut(|one| match one.state(&now, names) {
                Some(presence) => {
                    settled(one.target, presence);
                    false
                }
                None => true,
            });
        }
    });
    let obstacle = match outcome {
        Ok(()) => stop.why().unwrap_or(Obstacle::OutOfTime),
        Err(error) => Obstacle::of(&error),
    };
    let left = open.iter().map(|one| one.target).chain(waiting.map(|(target, _)| *target));
    for target in left {
        settled(target, Presence::NotLooked(obstacle.clone()));
    }
}

/// Sends an address something, so that the kernel looks for it.
fn ask(target: Target, link: u32, table: &HashMap<(IpAddr, u32), Neighbor>) -> io::Result<Open> {
    let address = target.address;
    let socket = match address {
        IpAddr::V4(_) => UdpSocket::bind((Ipv4Addr::UNSPECIFIED, 0))?,
        IpAddr::V6(_) => UdpSocket::bind((Ipv6Addr::UNSPECIFIED, 0))?,
    };
    let to = on_link(address, link);
    socket.connect(to)?;
    socket.set_nonblocking(true)?;
    socket.send(&[])?;
    let is_belief = |neighbor: &Neighbor| {
        !matches!(neighbor.state, NeighbourState::Failed | NeighbourState::Incomplete | NeighbourState::None)
    };
    let was_believed = table.get(&(address, link)).is_some_and(is_belief);
    Ok(Open {
        target,
        link,
        socket,
        knock: if was_believed { knock(to) } else { None },
        since: Instant::now(),
        belief: if was_believed { Belief::Believed } else { Belief::None },
        was_seen: false,
        has_answered: false,
    })
}

/// The port of an address, on a link where every link may have that.
fn on_link(address: IpAddr, link: u32) -> SocketAddr {
    match address {
        IpAddr::V6(six) if six.is_unicast_link_local() => SocketAddrV6::new(six, PORT, 0, link).into(),
        _ => SocketAddr::new(address, PORT),
    }
}

/// Begins a connection, and does not wait for it. Where that fails at once, the kernel's own ways are left.
fn knock(to: SocketAddr) -> Option<Socket> {
    let socket = Socket::new(Domain::for_address(to), Type::STREAM, Some(Protocol::TCP)).ok()?;
    socket.set_nonblocking(true).ok()?;
    match socket.connect(&to.into()) {
        Err(error) if error.raw_os_error() != Some(IN_PROGRESS) => None,
        _ => Some(socket),
    }
}

/// Whether a connection that was begun was accepted or refused.
fn has_answered(socket: &Socket) -> bool {
    let refused = |error: io::Error| error.kind() == io::ErrorKind::ConnectionRefused;
    socket.take_error().ok().flatten().is_some_and(refused) || socket.peer_addr().is_ok()
}

impl Open {
    /// What the table says of the address; nothing where that is not certain yet.
    fn state(
        &mut self,
        table: &HashMap<(IpAddr, u32), Neighbor>,
        names: &dyn Fn(u32) -> String,
    ) -> Option<Presence> {
        let age = self.since.elapsed();
        let is_over = age >= if self.belief == Belief::None { NEW } else { SEEN_BEFORE };
        // Nothing is read from there but that nobody listens.
        let refusal = self.socket.recv(&mut [0; 1]);
        self.has_answered |= refusal.is_err_and(|error| error.kind() == io::ErrorKind::ConnectionRefused);
        self.has_answered |= self.knock.as_ref().is_some_and(has_answered);
        let Some(neighbor) = table.get(&(self.target.address, self.link)) else {
            if self.was_seen && age >= ASKED_IN_VAIN {
                return Some(Presence::Nobody(names(self.link)));
            }
            return is_over.then_some(Presence::NotLooked(Obstacle::NoRoom));
        };
        self.was_seen = true;
        // What the kernel believed before is no news, unless it was confirmed since.
        let is_news = self.belief == Belief::None || self.has_answered || neighbor.confirmed_ago < age;
        let somebody = || {
            let link = names(neighbor.link);
            Presence::Somebody(Seen::Neighbor { mac: mac(&neighbor.hardware), link })
        };
        match neighbor.state {
            NeighbourState::Permanent => return Some(Presence::CannotTell(Doubt::FixedEntry)),
            NeighbourState::Noarp => {
                return Some(Presence::CannotTell(Doubt::NoNeighbors(names(self.link))));
            }
            NeighbourState::Failed => return Some(Presence::Nobody(names(self.link))),
            NeighbourState::Reachable if is_news => return Some(somebody()),
            NeighbourState::Stale | NeighbourState::Delay | NeighbourState::Probe if self.has_answered => {
                return Some(somebody());
            }
            // The kernel has stopped believing it, and asks once something is sent.
            NeighbourState::Stale if self.belief == Belief::Believed => {
                self.belief = Belief::AskedAgain;
                // Where that fails, the time runs out.
                let _ = self.socket.send(&[]);
            }
            _ => {}
        }
        is_over.then(|| {
            let says = "the kernel did not come to an end with this address";
            Presence::NotLooked(Obstacle::Kernel(says.to_owned()))
        })
    }
}

fn mac(bytes: &[u8]) -> Option<MacAddress> {
    <[u8; 6]>::try_from(bytes).ok().map(MacAddress::from_bytes)
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

    use super::*;

    fn open(belief: Belief) -> Open {
        Open {
            target: IpAddr::from([127, 0, 0, 1]).into(),
            link: 2,
            socket: {
                let socket = UdpSocket::bind("127.0.0.1:0").unwrap();
                socket.set_nonblocking(true).unwrap();
                socket
            },
            knock: None,
            since: Instant::now(),
            belief,
            was_seen: false,
            has_answered: false,
        }
    }

    fn table(state: NeighbourState) -> HashMap<(IpAddr, u32), Neighbor> {
        let hardware = vec![2, 0x64, 0, 0, 0, 1];
        let neighbor = Neighbor { link: 2, state, hardware, confirmed_ago: Duration::from_secs(20) };
        HashMap::from([(("127.0.0.1".parse().unwrap(), 2), neighbor)])
    }

    fn names(_: u32) -> String {
        "eth0".to_owned()
    }

    #[test]
    fn only_an_answer_is_somebody_and_only_silence_is_nobody() {
        let mut one = open(Belief::None);
        assert_eq!(one.state(&HashMap::new(), &names), None);
        for undecided in [
            NeighbourState::Incomplete,
            NeighbourState::Stale,
            NeighbourState::Delay,
            NeighbourState::Probe,
            NeighbourState::None,
        ] {
            assert_eq!(one.state(&table(undecided), &names), None);
        }
        let found = one.state(&table(NeighbourState::Reachable), &names).unwrap();
        assert_eq!(found.mac().unwrap().to_string(), "02:64:00:00:00:01");
        let nobody = Some(Presence::Nobody("eth0".to_owned()));
        assert_eq!(one.state(&table(NeighbourState::Failed), &names), nobody);
        let fixed = Some(Presence::CannotTell(Doubt::FixedEntry));
        assert_eq!(one.state(&table(NeighbourState::Permanent), &names), fixed);
        // What the kernel never took up was not looked at, and is not free.
        let mut late = open(Belief::None);
        late.since -= NEW;
        let no_room = Some(Presence::NotLooked(Obstacle::NoRoom));
        assert_eq!(late.state(&HashMap::new(), &names), no_room);
    }

    /// A cable that was pulled a moment ago: the kernel still believes that the router is there.
    #[test]
    fn what_the_kernel_remembers_is_not_what_answers() {
        let mut one = open(Belief::Believed);
        assert_eq!(one.state(&table(NeighbourState::Reachable), &names), None);
        let mut confirmed = table(NeighbourState::Reachable);
        for neighbor in confirmed.values_mut() {
            neighbor.confirmed_ago = Duration::ZERO;
        }
        one.since -= Duration::from_secs(1);
        assert!(matches!(one.state(&confirmed, &names), Some(Presence::Somebody(_))));
        let mut refused = open(Belief::Believed);
        refused.has_answered = true;
        assert!(matches!(refused.state(&table(NeighbourState::Stale), &names), Some(Presence::Somebody(_))));
    }
}
