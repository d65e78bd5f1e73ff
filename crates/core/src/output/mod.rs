//! The output tree: what `render` makes for all machines, and how it comes onto disk.

mod list;
mod render;
mod tree;
mod write;

pub use list::{LIST_NAME, ListedFile};
pub use render::render;
pub use tree::{Content, OutputFile, OutputTree};
pub use write::{WriteFault, WriteReport, Writing, write};
