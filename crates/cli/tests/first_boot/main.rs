//! The first boot: hosts of the sample site are placed on Debian root filesystems, booted in a network of their own, and asked.
//!
//! It needs root, since it makes network namespaces, mounts and machines, and everything that it makes it takes away again:
//! `sudo -E cargo test -p impostazione --test first_boot -- --ignored`. Nothing is sent to an address outside the namespaces.
//! Root filesystems that `debootstrap` made are kept between runs below the target folder, and so are the reports.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    reason = "a test that cannot go on has failed"
)]

mod base;
mod becoming;
mod brought;
mod cases;
mod container;
mod images;
mod inside;
mod machine;
mod network;
mod report;
mod rescue;
mod servers;
mod shell;
mod site;
