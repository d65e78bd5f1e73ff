//! Any bytes as the CSV file of a sheet: judging ends without a panic, and what is proved can be rendered.
#![no_main]

use std::path::Path;

use impostazione_core::assess::assess;
use impostazione_core::output::render;
use impostazione_text::files::{NamedFiles, ReadFault};
use libfuzzer_sys::fuzz_target;

const SHEET: &str = "format = 1\n[common]\ndns = \"none\"\nntp = \"none\"\ntimezone = \"Etc/UTC\"\n\
    [subnet.quay]\nprefix = \"10.64.0.0/16\"\ngateway = \"10.64.0.1\"\n\
    [account.keeper]\nadmin = true\nssh_keys = [\"keeper.pub\"]\n\
    [[host]]\nrows = \"r.csv\"\nname = \"{name}\"\nlink.lan0 = { mac = \"{mac}\", subnet = \"quay\", address = \"{address}\" }\n";

struct Rows<'b>(&'b [u8]);

impl NamedFiles for Rows<'_> {
    fn read(&self, path: &Path, _limit: u64) -> Result<Vec<u8>, ReadFault> {
        match path.extension().and_then(|extension| extension.to_str()) {
            Some("pub") => Ok(include_bytes!("../../demo/keys/keeper.pub").to_vec()),
            Some("csv") => Ok(self.0.to_vec()),
            _ => Err(ReadFault::Missing),
        }
    }
}

fuzz_target!(|bytes: &[u8]| {
    let today = jiff::civil::date(2026, 11, 25);
    let assessment = assess("sheet.toml", SHEET.as_bytes().to_vec(), &Rows(bytes), today);
    for finding in &assessment.findings {
        let text = assessment.sources.get(finding.place.source).text();
        assert!(text.get(finding.place.span.range()).is_some());
    }
    if let Some(proved) = assessment.proved() {
        assert!(render(proved, |_| true).is_ok());
    }
});
