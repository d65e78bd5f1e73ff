//! What a time server answered.

use crate::obstacle::Obstacle;

/// What a time server answered.
#[derive(Clone, Debug, PartialEq)]
pub enum Clock {
    /// The time.
    Reading(Reading),
    /// It asks to be left alone, with this code (RFC 5905, section 7.4).
    Kiss(String),
    /// Nothing came.
    Silent,
    /// The computer is there, and nothing on it listens.
    Refused,
    /// Something came that is no answer: why, as the end of a sentence.
    Garbled(&'static str),
    /// It was not asked.
    NotLooked(Obstacle),
}

/// A time that a server gave.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Reading {
    /// How far it is ahead of this computer's clock, in seconds.
    pub offset_seconds: f64,
    /// How long the question and its answer took, in seconds: by half of it the offset may be wrong.
    pub delay_seconds: f64,
    /// How many servers are between it and a clock, and itself (RFC 5905, section 7.3).
    pub stratum: u8,
    /// Whether it says that it is not synchronized.
    pub is_unsynchronized: bool,
    /// Whether it proved the answer with the key.
    pub proof: KeyProof,
}

/// Whether an answer was proved with a key.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum KeyProof {
    /// No proof was asked for.
    NotAsked,
    /// It was.
    Proved,
    /// It came without a proof, or with one that says that the key is not accepted.
    Missing,
    /// It came with a proof by another key.
    Wrong,
    /// The value of the key is not available here.
    NotLooked,
}
