//! Ways to the network: the real one, and one that is simulated on loopback.

mod echo;
mod kernel_tables;
mod mapped;
mod neighbors;
mod network;
mod real;

pub use mapped::MappedNetwork;
pub use network::{Network, Reach, Standing};
pub use real::RealNetwork;

pub(crate) use neighbors::longest as longest_look;
