//! Any text as an address, a prefix, a mask and a range: what is read comes back as it was.
#![no_main]

use impostazione_net::{AddressRange, Family, dotted_mask, parse_address, parse_mask, parse_prefix};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    if let Ok(address) = parse_address(text, None) {
        assert_eq!(parse_address(&address.to_string(), None), Ok(address));
    }
    if let Ok(range) = AddressRange::parse(text) {
        assert_eq!(AddressRange::parse(&range.to_string()), Ok(range));
        assert!(range.contains(range.first()) && range.contains(range.last()));
    }
    for family in Family::BOTH {
        if let Ok(prefix) = parse_prefix(text, family) {
            assert_eq!(parse_prefix(&prefix.to_string(), family), Ok(prefix));
        }
    }
    if let Ok(length) = parse_mask(text, Family::V4) {
        assert_eq!(parse_mask(&dotted_mask(length).to_string(), Family::V4), Ok(length));
    }
});
