//! Whether a port accepts connections.

use crate::obstacle::Obstacle;

/// Whether a TCP port accepts connections.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Connection {
    /// It does.
    Accepted,
    /// The computer is there, and nothing on it listens.
    Refused,
    /// Nothing came.
    Silent,
    /// A router on the way, or this computer's own neighborhood, says that it cannot be reached.
    Unreachable,
    /// It was not asked.
    NotLooked(Obstacle),
}
