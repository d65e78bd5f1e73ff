//! Any bytes as a sheet: judging ends without a panic, findings point into the text, and what is proved can be rendered.
#![no_main]

use std::path::Path;

use impostazione_core::assess::assess;
use impostazione_core::output::render;
use impostazione_core::views::review::review;
use impostazione_text::files::{NamedFiles, ReadFault};
use libfuzzer_sys::fuzz_target;

struct Demo;

impl NamedFiles for Demo {
    fn read(&self, path: &Path, _limit: u64) -> Result<Vec<u8>, ReadFault> {
        match path.extension().and_then(|extension| extension.to_str()) {
            Some("pub") => Ok(include_bytes!("../../demo/keys/keeper.pub").to_vec()),
            Some("ovf") => {
                Ok(include_bytes!("../../crates/core/testdata/harbor/packages/logbook.ovf").to_vec())
            }
            Some("csv") => Ok(include_bytes!("../../demo/lamps.csv").to_vec()),
            Some("secret") => Ok(include_bytes!("../../demo/breakwater-wifi.secret").to_vec()),
            _ => Err(ReadFault::Missing),
        }
    }
}

fuzz_target!(|bytes: &[u8]| {
    let assessment = assess("sheet.toml", bytes.to_vec(), &Demo, jiff::civil::date(2026, 11, 25));
    for finding in &assessment.findings {
        let text = assessment.sources.get(finding.place.source).text();
        assert!(text.get(finding.place.span.range()).is_some());
    }
    let _ = review(&assessment.site, |_| true);
    if let Some(proved) = assessment.proved() {
        assert!(render(proved, |_| true).is_ok());
    } else {
        assert!(!assessment.findings.is_empty());
    }
});
