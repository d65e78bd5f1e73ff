//! Any bytes as an OVA archive: listing, verifying and reporting end without a panic, in little memory.
//! Run it with -detect_leaks=0: verifying starts threads, whose end the leak detector takes for a leak of the C library.
#![no_main]

use std::path::Path;

use impostazione_ovf::{Package, Signs, package_report, read_package, verify};
use impostazione_text::files::{NamedFiles, ReadFault};
use libfuzzer_sys::fuzz_target;

struct OneFile<'a>(&'a [u8]);

impl NamedFiles for OneFile<'_> {
    fn read(&self, path: &Path, _limit: u64) -> Result<Vec<u8>, ReadFault> {
        if path == Path::new("package.ova") { Ok(self.0.to_vec()) } else { Err(ReadFault::Missing) }
    }
}

fuzz_target!(|bytes: &[u8]| {
    let named_files = OneFile(bytes);
    let mut package = Package::read("package.ova", &named_files);
    let Ok(descriptor) = package.descriptor.clone() else { return };
    if let Some(contents) = package.contents.clone() {
        verify(&contents, &mut package.files, &named_files, &|_| {});
    }
    let readings = read_package(&descriptor, Signs::own(), None);
    let _ = package_report(&package, &descriptor, &readings);
});
