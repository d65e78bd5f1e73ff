//! What the network of a site is checked against: the rules on what was seen of it, the map of a network that is simulated, and the
//! keys of time servers. Who asks is elsewhere.

mod network_map;
pub mod rules;
mod time_key;

pub use network_map::{MAP_SIZE_LIMIT, MapFault, Mapped, NetworkMap, Port, Transport, Whose};
pub use time_key::TimeKeyValue;
