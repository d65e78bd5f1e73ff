//! What the network answered. Each answer tells apart what was seen, what cannot be told from here, and what was not looked at.

mod answers;
mod clock;
mod connection;
mod door;
mod lease;
mod looked_up;
mod presence;

pub use answers::Answers;
pub use clock::{Clock, KeyProof, Reading};
pub use connection::Connection;
pub use door::{Certificate, Door, ShownKey, SshGreeting, TlsGreeting};
pub use lease::Leases;
pub use looked_up::{Found, LookedUp, MOST_RECORDS};
pub use presence::{Doubt, Presence, Seen};
