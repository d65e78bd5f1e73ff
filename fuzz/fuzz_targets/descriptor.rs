//! Any bytes as an OVF descriptor: reading ends without a panic, meanings are told, and values that are set come back.
#![no_main]

use impostazione_ovf::{Descriptor, Setting, Signs, read_properties};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let Ok(descriptor) = Descriptor::parse(bytes) else { return };
    for system in &descriptor.systems {
        let readings = read_properties(system, Signs::own());
        assert_eq!(readings.len(), system.properties.len());
        for (property, reading) in system.properties.iter().zip(readings) {
            assert!((0.0..=1.0).contains(&reading.confidence));
            assert!(system.property(&property.id()).is_some());
            let _ = property.kind.accepts(property.base_default.as_deref().unwrap_or_default());
        }
    }
    let Some(system) = descriptor.system(None) else { return };
    let Some(property) = system.properties.iter().find(|property| !property.of_collection) else { return };
    let setting = Setting {
        system: Some(system.id.clone()),
        property: property.id(),
        value: impostazione_text::Hidden::new("a<b>&\"c\""),
        option: None,
    };
    let changed = descriptor.with_values(&[setting], None);
    assert!(Descriptor::parse(changed.as_bytes()).is_ok());
});
