//! Any bytes as an OVF descriptor.
#![no_main]

use impostazione_core::ovf::Descriptor;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    if let Ok(descriptor) = Descriptor::parse(bytes) {
        for property in &descriptor.properties {
            assert!(descriptor.property(&property.id()).is_some());
            let _ = property.kind.accepts(property.default.as_deref().unwrap_or_default());
        }
    }
});
