//! Changes of a sheet's own text.

mod moving;
mod renumber;

pub use renumber::{Moved, NotMoved, Renumbering, renumber};
