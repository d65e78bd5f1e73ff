//! `inspect` of netplan files, checked against netplan itself: the releases of Debian 12 and Debian 13, each in a root filesystem
//! of its own, read what their own examples and tests hold, folders that are made up, and files that were changed at random.
//!
//! It needs root for `debootstrap` and `chroot`, and Debian's packages from the network:
//! `sudo -E cargo test -p impostazione --test netplan_judges -- --ignored --nocapture` prints the counts. What was fetched is kept
//! between runs below the target folder.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    reason = "a test that cannot go on has failed"
)]

mod connections;
mod counts;
mod facts;
mod folders;
mod ours;
mod release;
mod slips;
mod suite;
mod units;
