//! Any bytes as netplan files: inspecting ends without a panic, and findings point into the text.
#![no_main]

use impostazione_core::machine::NetplanVersion;
use impostazione_core::views::netplan::{NEWEST_NETPLAN, inspect_netplan, source};
use impostazione_core::views::review::review;
use impostazione_text::Sources;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    // A line of equals signs parts two files.
    let text = String::from_utf8_lossy(bytes);
    let files: Vec<_> = text
        .split("\n====\n")
        .enumerate()
        .filter_map(|(index, text)| source(&format!("{index}.yaml"), text.as_bytes().to_vec()).ok())
        .collect();
    for version in [NetplanVersion::new(0, 106), NEWEST_NETPLAN] {
        let inspection = inspect_netplan("host", Sources::default(), files.clone(), version);
        for finding in &inspection.findings {
            let text = inspection.sources.get(finding.place.source).text();
            assert!(text.get(finding.place.span.range()).is_some());
        }
        let _ = review(&inspection.site, |_| true);
    }
});
