//! One visit to a machine: a knock at each of its addresses, and then what is around it.

use std::collections::BTreeMap;
use std::net::{IpAddr, SocketAddr};

use impostazione_core::machine::Site;
use impostazione_core::network::Transport;

use ssh_key::PublicKey;

use crate::answer::{Answers, Door, Doubt, Presence, ShownKey};
use crate::ask::{Unwatched, ask};
use crate::inside::{Insider, LookedInside};
use crate::knock::{knock, speaks_plain};
use crate::network::{Network, Reach, Standing};
use crate::question::{ExpectedMachine, HostKeys, Way};
use crate::stop::Stop;

/// What was seen of a machine.
#[derive(Debug, Default)]
pub(super) struct Visit {
    /// What came of knocking at each address, in their order.
    pub(super) doors: Vec<Knocked>,
    /// What answered around it, where that was asked.
    pub(super) around: Option<Answers>,
    /// What was seen inside of it, where it was looked inside.
    pub(super) inside: Option<LookedInside>,
}

/// What came of knocking at an address.
#[derive(Debug)]
pub(super) struct Knocked {
    pub(super) address: IpAddr,
    pub(super) door: Door,
    /// Whether it is behind a router, where silence means little.
    pub(super) is_behind_router: bool,
    /// Whether it speaks HTTP at the port for that, where it should speak HTTPS and does not.
    pub(super) is_plain: bool,
}

/// Visits a machine.
pub(super) fn visit(
    site: &Site,
    expected: &ExpectedMachine<'_>,
    network: &dyn Network,
    insider: Option<&Insider>,
    stop: &Stop,
) -> Visit {
    let none: &[PublicKey] = &[];
    let known = match &expected.way {
        Way::Ssh(_, HostKeys::Known(keys)) => keys.as_slice(),
        _ => none,
    };
    let mut doors = Vec::with_capacity(expected.addresses.len());
    for at in &expected.addresses {
        let door = knock(network, at.address, &expected.way, known, stop);
        let may_be_plain = matches!(expected.way, Way::Https(_)) && matches!(door, Door::Refused);
        doors.push(Knocked {
            address: at.address,
            is_plain: may_be_plain && speaks_plain(network, at.address, stop),
            is_behind_router: matches!(
                network.standing(at.address.into()),
                Standing::BehindRouter | Standing::Known(Presence::CannotTell(Doubt::BehindRouter { .. }))
            ),
            door,
        });
    }
    let inside = insider.and_then(|insider| inside(site, expected, network, insider, &doors, stop));
    let is_met = doors.iter().any(|knocked| {
        matches!(
            knocked.door,
            Door::Open | Door::Ssh(_) | Door::Tls(_) | Door::ForeignTls(_) | Door::PlainHttp
        )
    });
    let around = expected.around.as_ref().filter(|_| is_met);
    let around = around.map(|plan| ask(plan, network, &BTreeMap::new(), stop, &Unwatched));
    Visit { doors, around, inside }
}

/// Looks inside of a host: by the first address at which it shows its own host key, or one that nobody has said. Where none answers, only
/// a host that another one leads to is tried.
fn inside(
    site: &Site,
    expected: &ExpectedMachine<'_>,
    network: &dyn Network,
    insider: &Insider,
    doors: &[Knocked],
    stop: &Stop,
) -> Option<LookedInside> {
    let Way::Ssh(port, keys) = &expected.way else { return None };
    let is_own = |door: &Door| match door {
        Door::Ssh(greeting) => match (&greeting.key, keys) {
            (ShownKey::Proved(key), HostKeys::Known(known)) => {
                known.iter().any(|one| one.key_data() == key.key_data())
            }
            (ShownKey::Proved(_), _) => true,
            _ => false,
        },
        _ => false,
    };
    // Whoever shows another key is not logged in to.
    let is_foreign =
        |door: &Door| matches!(door, Door::Ssh(_) | Door::ThisComputer(_) | Door::Other(_)) && !is_own(door);
    if doors.iter().any(|knocked| is_foreign(&knocked.door)) {
        return None;
    }
    let dial = |address: IpAddr| match network.reach(Transport::Tcp, SocketAddr::new(address, *port)) {
        Reach::At(at) => Some(at),
        _ => None,
    };
    if let Some(knocked) = doors.iter().find(|knocked| is_own(&knocked.door)) {
        return dial(knocked.address).map(|at| insider.look(site, expected, at, stop));
    }
    let at = dial(expected.addresses.first()?.address)?;
    insider.has_jump(site, expected, at).then(|| insider.look(site, expected, at, stop))
}
