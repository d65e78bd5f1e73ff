//! What netplan takes in a file, key by key.

mod check;
mod kind;
mod tables;

pub(super) use check::check;
pub(super) use kind::{leading_number, number};
