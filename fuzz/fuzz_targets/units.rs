//! Any bytes as units and what changes them: placing ends without a panic, changes nothing outside, and is taken back to the
//! byte.
#![no_main]

#[path = "../card.rs"]
mod card;

use libfuzzer_sys::fuzz_target;

/// What the parts of the input are, in their order.
const PATHS: [&str; 10] = [
    "usr/lib/systemd/system/ssh.service",
    "usr/lib/systemd/system/chrony.service",
    "usr/lib/systemd/system/systemd-networkd.service",
    "usr/lib/systemd/system/a.service",
    "etc/systemd/system/b.service",
    "etc/systemd/system/getty@tty1.service.d/a.conf",
    "usr/lib/systemd/system/getty@.service",
    "etc/rc.local",
    "boot/cmdline.txt",
    "etc/fstab",
];

fuzz_target!(|bytes: &[u8]| card::place_and_take_back(&PATHS, bytes));
