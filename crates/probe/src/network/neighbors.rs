//! Whether anybody on a link has an address: what the kernel finds out when something is sent there (RFC 826, RFC 4861).
//! No privilege is needed.

use std::collections::HashMap;
use std::fs;
use std::io;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, UdpSocket};
use std::time::{Duration, Instant};

use impostazione_net::{Family, MacAddress};
use netlink_packet_route::neighbour::NeighbourState;

use super::kernel_tables::{KernelTables, Neighbor};
use crate::answer::{Doubt, Presence, Seen};
use crate::obstacle::Obstacle;
use crate::stop::Stop;

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
/// How long one takes that was known before: the kernel believes it for five seconds and then asks three times.
const KNOWN: Duration = Duration::from_secs(11);
/// After this long, an entry that has gone was one that nobody answered for.
const ASKED_IN_VAIN: Duration = Duration::from_millis(2500);

/// How many addresses of a family are asked for at once: no more than a quarter of the kernel's table.
pub(super) fn most_at_once(family: Family) -> usize {
    let version = if family == Family::V4 { "ipv4" } else { "ipv6" };
    let path = format!("/proc/sys/net/{version}/neigh/default/gc_thresh3");
    let room = fs::read_to_string(path).ok().and_then(|text| text.trim().parse::<usize>().ok());
    (room.unwrap_or(USUAL_ROOM) / 4).clamp(1, MOST_AT_ONCE)
}

/// The longest that so many addresses take.
pub(crate) fn longest(count: usize) -> Duration {
    let rounds = count.div_ceil(most_at_once(Family::V4).min(most_at_once(Family::V6)));
    KNOWN * u32::try_from(rounds).unwrap_or(u32::MAX)
}

/// An address that was asked for and is not settled.
struct Open {
    address: IpAddr,
    /// Index of the link.
    link: u32,
    since: Instant,
    within: Duration,
    was_seen: bool,
}

/// Asks for addresses of one family, each on the link of an index, some at a time.
pub(super) fn look(
    addresses: &[(IpAddr, u32)],
    names: &dyn Fn(u32) -> String,
    stop: &Stop,
    settled: &mut dyn FnMut(IpAddr, Presence),
) {
    let Some((first, _)) = addresses.first() else { return };
    let family = Family::of(*first);
    let opened = KernelTables::open().and_then(|tables| Ok((tables, socket(family)?)));
    let (tables, socket) = match opened {
        Ok(opened) => opened,
        Err(error) => {
            let obstacle = Obstacle::of(&error);
            for (address, _) in addresses {
                settled(*address, Presence::NotLooked(obstacle.clone()));
            }
            return;
        }
    };
    for round in addresses.chunks(most_at_once(family)) {
        let before = tables.neighbors(family).unwrap_or_default();
        let mut open = Vec::new();
        for (address, link) in round {
            if let Some(obstacle) = stop.why() {
                settled(*address, Presence::NotLooked(obstacle));
                continue;
            }
            match socket.send_to(&[], (*address, PORT)) {
                Ok(_) => {
                    let known = before.get(&(*address, *link)).map(|neighbor| &neighbor.state);
                    let is_believed = matches!(
                        known,
                        Some(NeighbourState::Stale | NeighbourState::Delay | NeighbourState::Probe)
                    );
                    open.push(Open {
                        address: *address,
                        link: *link,
                        since: Instant::now(),
                        within: if is_believed { KNOWN } else { NEW },
                        was_seen: false,
                    });
                }
                Err(error) => settled(*address, Presence::NotLooked(Obstacle::of(&error))),
            }
        }
        settle(&tables, family, open, names, stop, settled);
    }
}

fn socket(family: Family) -> io::Result<UdpSocket> {
    match family {
        Family::V4 => UdpSocket::bind((Ipv4Addr::UNSPECIFIED, 0)),
        Family::V6 => UdpSocket::bind((Ipv6Addr::UNSPECIFIED, 0)),
    }
}

/// Looks at the kernel's table until each address is settled.
fn settle(
    tables: &KernelTables,
    family: Family,
    mut open: Vec<Open>,
    names: &dyn Fn(u32) -> String,
    stop: &Stop,
    settled: &mut dyn FnMut(IpAddr, Presence),
) {
    while !open.is_empty() {
        stop.sleep(PAUSE);
        if let Some(obstacle) = stop.why() {
            for one in open {
                settled(one.address, Presence::NotLooked(obstacle.clone()));
            }
            return;
        }
        let now = match tables.neighbors(family) {
            Ok(now) => now,
            Err(error) => {
                let obstacle = Obstacle::of(&error);
                for one in open {
                    settled(one.address, Presence::NotLooked(obstacle.clone()));
                }
                return;
            }
        };
        open.retain_mut(|one| match state_of(one, &now, names) {
            Some(presence) => {
                settled(one.address, presence);
                false
            }
            None => true,
        });
    }
}

/// What the table says of an address; nothing where the kernel is still asking.
fn state_of(
    one: &mut Open,
    table: &HashMap<(IpAddr, u32), Neighbor>,
    names: &dyn Fn(u32) -> String,
) -> Option<Presence> {
    let age = one.since.elapsed();
    let is_over = age >= one.within;
    let Some(neighbor) = table.get(&(one.address, one.link)) else {
        if one.was_seen && age >= ASKED_IN_VAIN {
            return Some(Presence::Nobody(names(one.link)));
        }
        return is_over.then_some(Presence::NotLooked(Obstacle::NoRoom));
    };
    one.was_seen = true;
    match neighbor.state {
        NeighbourState::Reachable => Some(Presence::Somebody(Seen::Neighbor {
            mac: mac(&neighbor.hardware),
            link: names(neighbor.link),
        })),
        NeighbourState::Failed => Some(Presence::Nobody(names(one.link))),
        NeighbourState::Permanent => Some(Presence::CannotTell(Doubt::FixedEntry)),
        NeighbourState::Noarp => Some(Presence::CannotTell(Doubt::NoNeighbors(names(one.link)))),
        _ => is_over.then(|| {
            let says = "the kernel did not come to an end with this address";
            Presence::NotLooked(Obstacle::Kernel(says.to_owned()))
        }),
    }
}

fn mac(bytes: &[u8]) -> Option<MacAddress> {
    <[u8; 6]>::try_from(bytes).ok().map(MacAddress::from_bytes)
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

    use super::*;

    #[test]
    fn only_an_answer_is_somebody_and_only_silence_is_nobody() {
        let address: IpAddr = "10.64.10.11".parse().unwrap();
        let names = |_: u32| "eth0".to_owned();
        let mut one = Open { address, link: 2, since: Instant::now(), within: NEW, was_seen: false };
        let with = |state| {
            let hardware = vec![2, 0x64, 0, 0, 0, 1];
            HashMap::from([((address, 2), Neighbor { link: 2, state, hardware })])
        };
        assert_eq!(state_of(&mut one, &HashMap::new(), &names), None);
        for undecided in [
            NeighbourState::Incomplete,
            NeighbourState::Stale,
            NeighbourState::Delay,
            NeighbourState::Probe,
            NeighbourState::None,
        ] {
            assert_eq!(state_of(&mut one, &with(undecided), &names), None);
        }
        let found = state_of(&mut one, &with(NeighbourState::Reachable), &names).unwrap();
        assert_eq!(found.mac().unwrap().to_string(), "02:64:00:00:00:01");
        assert_eq!(
            state_of(&mut one, &with(NeighbourState::Failed), &names),
            Some(Presence::Nobody("eth0".to_owned()))
        );
        assert_eq!(
            state_of(&mut one, &with(NeighbourState::Permanent), &names),
            Some(Presence::CannotTell(Doubt::FixedEntry))
        );
        // What the kernel never took up was not looked at, and is not free.
        let mut late = Open { within: Duration::ZERO, was_seen: false, ..one };
        assert_eq!(state_of(&mut late, &HashMap::new(), &names), Some(Presence::NotLooked(Obstacle::NoRoom)));
    }
}
