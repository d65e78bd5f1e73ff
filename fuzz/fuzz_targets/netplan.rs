//! Any bytes as netplan files: inspecting ends without a panic, and findings point into the text.
#![no_main]

use impostazione_core::views::netplan::{inspect_netplan, source};
use impostazione_core::views::review::review;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    // A line of equals signs parts two files.
    let text = String::from_utf8_lossy(bytes);
    let files: Vec<_> = text
        .split("\n====\n")
        .enumerate()
        .filter_map(|(index, text)| source(&format!("{index}.yaml"), text.as_bytes().to_vec()).ok())
        .collect();
    let inspection = inspect_netplan("host", files);
    for finding in &inspection.findings {
        let text = inspection.sources.get(finding.place.source).text();
        assert!(text.get(finding.place.span.range()).is_some());
    }
    let _ = review(&inspection.site, |_| true);
});
