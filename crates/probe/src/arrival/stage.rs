//! How far a machine has come.

use std::net::IpAddr;

use impostazione_core::finding::Finding;
use impostazione_core::machine::Machine;
use impostazione_text::Place;

use crate::answer::Certificate;
use crate::inside::InsideFact;
use crate::judge::{Reason, Unknown};

/// How far a machine has come.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Stage {
    /// It is not as the sheet says, and time will not change that.
    Wrong,
    /// Nothing comes back, and it should have started by now.
    Silent,
    /// It may still be starting.
    Starting,
    /// It cannot be told.
    Unknown,
    /// It is as the sheet says, as far as it was asked.
    Right,
}

/// What a machine has come to.
#[derive(Clone, Debug)]
pub struct Arrival<'a> {
    /// How far it has come.
    pub stage: Stage,
    /// Whether time may still change that.
    pub is_settled: bool,
    /// In a few words, what was seen of it, or what it waits for.
    pub says: String,
    /// The address at which it was met.
    pub at: Option<IpAddr>,
    /// The host key that it has shown.
    pub host_key: Option<SeenHostKey>,
    /// The certificate that it has shown.
    pub certificate: Option<Certificate>,
    /// Whether that is the one which was remembered.
    pub is_remembered: bool,
    /// What was seen inside of it; empty where it was not looked inside.
    pub inside: Vec<InsideFact>,
    /// What is wrong with it, if that was all.
    pub findings: Vec<Finding>,
    /// What about it could not be looked at.
    pub(crate) unseen: Vec<Unseen<'a>>,
}

/// A host key that was shown.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SeenHostKey {
    /// Its SHA-256 digest as `ssh-keygen -l` shows it.
    pub fingerprint: String,
    /// Whether it is one by which the host is known.
    pub is_known: bool,
}

/// Something that could not be looked at.
#[derive(Clone, Debug)]
pub(crate) struct Unseen<'a> {
    pub(crate) unknown: Unknown,
    pub(crate) thing: String,
    pub(crate) machine: &'a Machine,
    pub(crate) place: Place,
    pub(crate) reason: Reason,
}

/// What the virtual address of a cluster has come to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SharedArrival {
    /// How far it has come.
    pub stage: Stage,
    /// Whether time may still change that.
    pub is_settled: bool,
    /// In a few words, what was seen of it.
    pub says: String,
}

impl Stage {
    /// What it is called.
    pub fn word(self) -> &'static str {
        match self {
            Self::Wrong => "wrong",
            Self::Silent => "silent",
            Self::Starting => "starting",
            Self::Unknown => "not known",
            Self::Right => "right",
        }
    }

    /// The same for other programs.
    pub fn key(self) -> &'static str {
        match self {
            Self::Unknown => "unknown",
            other => other.word(),
        }
    }
}
