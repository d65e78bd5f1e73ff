//! The output tree: what `render` makes for all machines, and how it comes onto disk.

mod appliance;
mod list;
mod render;
mod tree;
mod write;

pub use appliance::Packing;
pub use list::{LIST_NAME, ListedFile};
pub use render::{render, render_packing};
pub use tree::{Content, OutputFile, OutputTree};
pub use write::{WriteFault, WriteReport, Writing, write};
