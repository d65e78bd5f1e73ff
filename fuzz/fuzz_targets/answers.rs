//! Any bytes as what a network answers: DNS messages, times, DHCP offers, maps. Reading ends without a panic, and keeps no more than it
//! says.
#![no_main]

use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| impostazione_probe::strangers::read_any(bytes));
