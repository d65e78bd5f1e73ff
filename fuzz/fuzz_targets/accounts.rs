//! Any bytes as the files that say who there is and who may be root: placing ends without a panic, changes nothing outside, and
//! is taken back to the byte.
#![no_main]

#[path = "../card.rs"]
mod card;

use libfuzzer_sys::fuzz_target;

/// What the parts of the input are, in their order.
const PATHS: [&str; 13] = [
    "etc/passwd",
    "etc/shadow",
    "etc/group",
    "etc/gshadow",
    "etc/login.defs",
    "etc/sudoers",
    "etc/sudoers.d/10-a",
    "etc/sudoers.d/99-b",
    "etc/nsswitch.conf",
    "etc/subuid",
    "etc/ssh/sshd_config",
    "etc/ssh/sshd_config.d/50-a.conf",
    "home/keeper/.ssh/authorized_keys",
];

fuzz_target!(|bytes: &[u8]| card::place_and_take_back(&PATHS, bytes));
