//! Any bytes as the files of a root filesystem that a placement reads and edits, its own record among them: looking it over,
//! placing and taking back end without a panic, and what was placed is taken back to the byte.
#![no_main]

#[path = "../card.rs"]
mod card;

use libfuzzer_sys::fuzz_target;

/// What the parts of the input are, in their order.
const PATHS: [&str; 16] = [
    "etc/passwd",
    "etc/shadow",
    "etc/group",
    "etc/gshadow",
    "etc/hosts",
    "etc/hostname",
    "etc/ssh/sshd_config",
    "etc/ssh/sshd_config.d/00-a.conf",
    "etc/network/interfaces",
    "etc/systemd/network/05-a.network",
    "usr/lib/systemd/system/ssh.service",
    "usr/lib/systemd/system/a.service",
    "etc/chrony/chrony.conf",
    "boot/cmdline.txt",
    "var/lib/dpkg/status",
    "var/lib/impostazione/placement.json",
];

fuzz_target!(|bytes: &[u8]| card::place_and_take_back(&PATHS, bytes));
