//! Asks the network of a site what it is like, and holds the answers against the sheet.
//!
//! One direction: a [`Plan`](question::Plan) says what the sheet expects of the network; [`ask`](ask::ask) sends its questions by a
//! [`Network`](network::Network), which is the real one or one that is simulated; [`judge`](judge::judge) makes
//! findings of the [`Answers`](answer::Answers), and needs no network. What could not be looked at is another answer than that
//! nothing was there, all the way.

pub mod answer;
pub mod arrival;
pub mod ask;
mod clock;
mod dns;
pub mod inside;
pub mod judge;
mod knock;
pub mod network;
mod obstacle;
mod offer;
pub mod question;
mod stop;

pub use obstacle::Obstacle;
pub use stop::Stop;
pub use target::Target;

/// What strangers' bytes are read as, for tests that hand them over.
#[doc(hidden)]
pub mod strangers;
mod target;
