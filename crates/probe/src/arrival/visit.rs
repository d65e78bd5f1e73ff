//! One visit to a machine: a knock at each of its addresses, and then what is around it.

use std::collections::BTreeMap;
use std::net::IpAddr;

use ssh_key::PublicKey;

use crate::answer::{Answers, Door, Doubt, Presence};
use crate::ask::{Unwatched, ask};
use crate::knock::{knock, speaks_plain};
use crate::network::{Network, Standing};
use crate::question::{ExpectedMachine, HostKeys, Way};
use crate::stop::Stop;

/// What was seen of a machine.
#[derive(Debug, Default)]
pub(super) struct Visit {
    /// What came of knocking at each address, in their order.
    pub(super) doors: Vec<Knocked>,
    /// What answered around it, where that was asked.
    pub(super) around: Option<Answers>,
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
pub(super) fn visit(expected: &ExpectedMachine<'_>, network: &dyn Network, stop: &Stop) -> Visit {
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
    let is_met = doors.iter().any(|knocked| {
        matches!(
            knocked.door,
            Door::Open | Door::Ssh(_) | Door::Tls(_) | Door::ForeignTls(_) | Door::PlainHttp
        )
    });
    let around = expected.around.as_ref().filter(|_| is_met);
    Visit { doors, around: around.map(|plan| ask(plan, network, &BTreeMap::new(), stop, &Unwatched)) }
}
