//! The output tree: what `render` makes for all machines, and how it comes onto disk.

mod appliance;
mod hashes;
mod list;
mod read;
mod render;
mod staging;
mod tree;
mod write;

pub use appliance::Packing;
pub use hashes::{Hashing, PasswordHashes, count_passwords, hash_passwords};
pub use list::{LIST_NAME, ListedContent, ListedFile, digest};
pub use read::{FileSince, HostContent, HostFile, HostOutput, OutputFault, TreeOnDisk};
pub use render::{Rendering, render, render_with};
pub(crate) use render::{TriedFile, try_files};
pub use tree::{OutputContent, OutputFile, OutputTree};
pub use write::{WriteFault, WriteReport, Writing, write};
