//! Any text in braces in every string of an entry: judging ends without a panic, and what is proved can be rendered.
#![no_main]

use std::path::Path;

use impostazione_core::assess::assess;
use impostazione_core::output::render;
use impostazione_text::files::{NamedFiles, ReadFault};
use libfuzzer_sys::fuzz_target;

struct Keys;

impl NamedFiles for Keys {
    fn read(&self, _: &Path, _: u64) -> Result<Vec<u8>, ReadFault> {
        Ok(include_bytes!("../../demo/keys/keeper.pub").to_vec())
    }
}

fuzz_target!(|text: &str| {
    // Of ranges with many values a few are enough.
    if text.len() > 4096 || text.contains("'''") {
        return;
    }
    let mut parts = text.split('\u{1e}');
    let mut next = || parts.next().unwrap_or("{1..3}").to_owned();
    let sheet = format!(
        "format = 1\n[common]\ndns = \"none\"\nntp = \"none\"\ntimezone = \"Etc/UTC\"\n\
         [subnet.quay]\nprefix = \"10.64.0.0/16\"\ngateway = \"10.64.0.1\"\n\
         [account.keeper]\nadmin = true\nssh_keys = [\"keeper.pub\"]\n\
         [[host]]\nname = '''{}'''\nlink.lan0 = {{ subnet = \"quay\", address = '''{}''', mac = '''{}''' }}\n",
        next(),
        next(),
        next()
    );
    let today = jiff::civil::date(2026, 11, 25);
    let assessment = assess("sheet.toml", sheet.into_bytes(), &Keys, today);
    for finding in &assessment.findings {
        let text = assessment.sources.get(finding.place.source).text();
        assert!(text.get(finding.place.span.range()).is_some());
    }
    if let Some(proved) = assessment.proved().filter(|_| assessment.site.machines.len() < 64) {
        assert!(render(proved, |_| true).is_ok());
    }
});
