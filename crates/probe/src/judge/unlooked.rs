//! What was not looked at, or cannot be told from here: what has the same reason is one finding.

use std::collections::BTreeMap;

use impostazione_core::finding::Finding;
use impostazione_core::machine::{Machine, Subnet};
use impostazione_core::network::rules::NOT_LOOKED_AT;
use impostazione_text::Place;

use super::words::listed;
use crate::answer::Doubt;
use crate::obstacle::Obstacle;

/// What is not known.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Unknown {
    /// Whether addresses are free.
    Address,
    /// Which address a machine will have.
    Machine,
    /// Whether a gateway answers.
    Gateway,
    /// Whether a DNS server answers.
    NameServer,
    /// What a DNS server says of names.
    Lookup,
    /// What a time server says.
    Clock,
    /// Whether it has the key.
    Key,
    /// Whether a server accepts connections.
    Service,
    /// What DHCP servers offer.
    Lease,
    /// Whether a machine has started.
    Arrival,
    /// Whether another address of a machine leads to it.
    At,
    /// Whether a host key is the right one.
    HostKey,
    /// Whether a certificate is the right one.
    Certificate,
    /// What a host is like inside.
    Inside,
}

/// Why it is not known, and what to do.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Reason {
    /// The end of a sentence.
    why: String,
    fix: String,
}

/// What shares a reason.
struct Group<'a> {
    place: Place,
    machines: Vec<&'a Machine>,
    things: Vec<String>,
}

/// All that is not known.
#[derive(Default)]
pub(crate) struct Unlooked<'a>(BTreeMap<(Unknown, Reason), Group<'a>>);

impl Reason {
    pub(crate) fn new(why: impl Into<String>, fix: impl Into<String>) -> Self {
        Self { why: why.into(), fix: fix.into() }
    }

    /// Why something that is on the network could not be looked at.
    pub(crate) fn obstacle(obstacle: &Obstacle) -> Self {
        let fix = match obstacle {
            Obstacle::Interrupted | Obstacle::OutOfTime => {
                "run the command again, and let it come to its end"
            }
            Obstacle::NotInMap => "make a new map of this sheet with `impostazione mock-site`",
            Obstacle::NoRoute => "run this on a computer from which it can be reached",
            Obstacle::NotPermitted => "run this as root, or have it allowed by the firewall of this computer",
            Obstacle::NoRoom => "run this again with --only for fewer machines",
            Obstacle::NoKey => "make the value of the key available, as for `impostazione check`",
            Obstacle::Kernel(_) => "look at the network settings of this computer",
        };
        Self::new(obstacle.to_string(), fix)
    }

    /// The same for an answer that was never asked for.
    pub(crate) fn not_asked() -> Self {
        Self::obstacle(&Obstacle::Interrupted)
    }

    /// Why it cannot be told from here whether anybody has an address.
    pub(crate) fn doubt(doubt: &Doubt, subnet: Option<&Subnet>) -> Self {
        let there = match subnet {
            Some(subnet) => format!("run this on a computer in subnet {}", subnet.name.value),
            None => "run this on a computer in the same subnet".to_owned(),
        };
        match doubt {
            Doubt::BehindRouter { echo_was_asked } => {
                let more = if *echo_was_asked { "" } else { ", or as root here, to ask by ICMP too" };
                Self::new("nothing answers, which behind a router means nothing", there + more)
            }
            Doubt::NoNeighbors(link) => Self::new(
                format!("this computer reaches it over {link}, which has no neighbors to ask"),
                there,
            ),
            Doubt::Radio(link) => Self::new(
                format!(
                    "nobody answers on {link}, but that is Wi-Fi, where an access point may keep computers apart"
                ),
                "connect this computer by a cable, and run this again",
            ),
            Doubt::FixedEntry => Self::new(
                "its hardware address was entered by hand in this computer",
                "remove the entry with `ip neighbor del`, and run this again",
            ),
        }
    }
}

impl<'a> Unlooked<'a> {
    /// Notes something that is not known.
    pub(crate) fn note(
        &mut self,
        unknown: Unknown,
        thing: impl Into<String>,
        machines: &[&'a Machine],
        place: Place,
        reason: Reason,
    ) {
        let group = self.0.entry((unknown, reason)).or_insert_with(|| Group {
            place,
            machines: Vec::new(),
            things: Vec::new(),
        });
        let thing = thing.into();
        if !group.things.contains(&thing) {
            group.things.push(thing);
        }
        for machine in machines {
            if !group.machines.iter().any(|known| std::ptr::eq(*known, *machine)) {
                group.machines.push(machine);
            }
        }
    }

    pub(crate) fn into_findings(self) -> Vec<Finding> {
        let finding = |((unknown, reason), group): ((Unknown, Reason), Group<'a>)| {
            let things = listed(&group.things);
            let message = unknown.sentence(&things, &reason.why);
            let mut labels = group.machines.iter().map(|machine| machine.label.as_deref().map(str::to_owned));
            let first = labels.next().flatten();
            let mut finding = Finding::new(&NOT_LOOKED_AT, first, group.place, message, reason.fix);
            finding.also = labels.flatten().collect();
            finding
        };
        self.0.into_iter().map(finding).collect()
    }
}

impl Unknown {
    fn sentence(self, things: &str, why: &str) -> String {
        match self {
            Self::Address => format!("Whether somebody has {things} is not known: {why}."),
            Self::Machine => format!("Nothing was asked about the address of {things}: {why}."),
            Self::Gateway => format!("Whether the gateway {things} answers is not known: {why}."),
            Self::NameServer => format!("The DNS server {things} was not asked: {why}."),
            Self::Lookup => format!("What DNS says of {things} is not known: {why}."),
            Self::Clock => format!("The time server {things} was not asked: {why}."),
            Self::Key => format!("Whether the time server {things} has the sheet's key is not known: {why}."),
            Self::Service => format!("No connection to {things} was tried: {why}."),
            Self::Lease => format!("DHCP servers in subnet {things} were not asked: {why}."),
            Self::Arrival => format!("Whether {things} has started is not known: {why}."),
            Self::At => format!("Whether {things} leads to the machine is not known: {why}."),
            Self::HostKey => format!("The host key of {things} was not checked: {why}."),
            Self::Inside => format!("Not looked at inside: {things}, since {why}."),
            Self::Certificate => format!("The certificate of {things} was not checked: {why}."),
        }
    }
}
