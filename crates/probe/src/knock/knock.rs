//! One knock at one port.

use std::io;
use std::net::{IpAddr, SocketAddr, TcpStream};
use std::time::Duration;

use impostazione_core::network::Transport;
use ssh_key::PublicKey;

use super::http::speaks_http;
use super::timed::Timed;
use super::{ssh, tls};
use crate::answer::{Door, Presence};
use crate::network::{Network, Reach, Standing};
use crate::obstacle::Obstacle;
use crate::question::{PLAIN_PORT, Way};
use crate::stop::Stop;

/// How long a connection is waited for: as long as the kernel looks for a neighbor, and a little.
const CONNECTS_WITHIN: Duration = Duration::from_millis(3500);
/// How long a server has to say all that is asked of it.
const SPEAKS_WITHIN: Duration = Duration::from_secs(5);
/// The longest that a knock takes: a connection each for TLS, plain HTTP and older TLS.
pub(crate) const LONGEST: Duration = Duration::from_millis(3 * (3500 + 5000));

/// Knocks at the port of an address, and speaks what should be spoken there. `known` are host keys that are known.
pub(crate) fn knock(
    network: &dyn Network,
    address: IpAddr,
    way: &Way,
    known: &[PublicKey],
    stop: &Stop,
) -> Door {
    if let Some(obstacle) = stop.why() {
        return Door::NotLooked(obstacle);
    }
    match network.standing(address.into()) {
        Standing::Known(Presence::ThisComputer(link)) => return Door::ThisComputer(link),
        Standing::Known(Presence::NotLooked(obstacle)) => return Door::NotLooked(obstacle),
        _ => {}
    }
    if let Way::Unasked(port) = way {
        return is_anybody_there(network, SocketAddr::new(address, *port), stop);
    }
    let to = SocketAddr::new(address, way.port());
    let mut first = match open(network, to, stop) {
        Ok(stream) => stream,
        Err(door) => return door,
    };
    match way {
        Way::Ssh(..) => match ssh::greet(&mut first, known) {
            Some(greeting) => Door::Ssh(Box::new(greeting)),
            None => other(first.first),
        },
        Way::Https(_) => behind_tls(network, to, first, stop),
        Way::Unasked(_) => Door::Open,
    }
}

/// Whether a server that should speak HTTPS speaks HTTP without encryption at the port for that.
pub(crate) fn speaks_plain(network: &dyn Network, address: IpAddr, stop: &Stop) -> bool {
    let opened = open(network, SocketAddr::new(address, PLAIN_PORT), stop);
    opened.is_ok_and(|mut stream| speaks_http(&mut stream, address))
}

/// Whether anybody has an address at which no service is known.
fn is_anybody_there(network: &dyn Network, at: SocketAddr, stop: &Stop) -> Door {
    let target = at.ip().into();
    let of = |presence: &Presence| match presence {
        Presence::Somebody(_) => Some(Door::Open),
        Presence::Nobody(_) => Some(Door::Unreachable),
        _ => None,
    };
    let mut seen = None;
    match network.standing(target) {
        Standing::Known(presence) => seen = of(&presence),
        Standing::Attached => {
            network.look_at_neighbors(&[target], stop, &mut |_, presence| seen = of(&presence));
        }
        Standing::BehindRouter => {}
    }
    seen.unwrap_or_else(|| match open(network, at, stop) {
        Ok(_) | Err(Door::Refused) => Door::Open,
        Err(_) if network.echoes(at.ip()) == Some(true) => Door::Open,
        Err(door) => door,
    })
}

/// What speaks at a port where TLS should be spoken.
fn behind_tls(network: &dyn Network, to: SocketAddr, mut first: Timed<'_>, stop: &Stop) -> Door {
    if let Some(greeting) = tls::greet(&mut first, to.ip()) {
        return Door::Tls(Box::new(greeting));
    }
    let begins = first.first;
    if begins.starts_with(b"HTTP/") {
        return Door::PlainHttp;
    }
    if begins.starts_with(b"SSH-") {
        return other(begins);
    }
    // An alert, an end or nothing: another connection shows what else it can do.
    let again = |ask: &mut dyn FnMut(&mut Timed<'_>) -> Option<Door>| {
        let mut stream = if stop.why().is_none() { open(network, to, stop).ok()? } else { return None };
        ask(&mut stream)
    };
    let old = again(&mut |stream| tls::old_version(stream).map(Door::ForeignTls));
    let plain = || again(&mut |stream| speaks_http(stream, to.ip()).then_some(Door::PlainHttp));
    old.or_else(plain).unwrap_or_else(|| other(begins))
}

fn other(begins: Vec<u8>) -> Door {
    if begins.is_empty() { Door::Mute } else { Door::Other(begins) }
}

/// Opens a connection; `Err` is what the door was like.
pub(super) fn open<'a>(network: &dyn Network, to: SocketAddr, stop: &'a Stop) -> Result<Timed<'a>, Door> {
    let to = match network.reach(Transport::Tcp, to) {
        Reach::At(to) => to,
        Reach::Nobody => return Err(Door::Silent),
        Reach::Refused => return Err(Door::Refused),
        Reach::Barred(obstacle) => return Err(Door::NotLooked(obstacle)),
    };
    match TcpStream::connect_timeout(&to, CONNECTS_WITHIN) {
        Ok(stream) => Ok(Timed::new(stream, SPEAKS_WITHIN, stop)),
        Err(error) => Err(match error.kind() {
            io::ErrorKind::ConnectionRefused | io::ErrorKind::ConnectionReset => Door::Refused,
            io::ErrorKind::TimedOut | io::ErrorKind::WouldBlock => Door::Silent,
            io::ErrorKind::HostUnreachable => Door::Unreachable,
            _ => Door::NotLooked(Obstacle::of(&error)),
        }),
    }
}
