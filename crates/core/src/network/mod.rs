//! What the network of a site is checked against: the rules on what was seen of it, the map of a network that is simulated, the
//! keys of time servers, host keys and certificates that were seen. Who asks is elsewhere.

pub mod inside_rules;
mod network_map;
pub mod rules;
mod seen_certificates;
pub mod ssh_exchange;
mod time_key;

pub use network_map::{MAP_SIZE_LIMIT, MapFault, Mapped, NetworkMap, Port, Transport, Whose};
pub use seen_certificates::{SEEN_CERTIFICATES_LIMIT, SeenCertificates, SeenCertificatesFault, digest_text};
pub use time_key::TimeKeyValue;
