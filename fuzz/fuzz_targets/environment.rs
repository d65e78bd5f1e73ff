//! Any text as an environment document, and what comes after a NUL as the descriptor beside it: what it tells is read and
//! judged without a panic, and every finding points into the document.
#![no_main]

use impostazione_core::views::environment::inspect_environment;
use impostazione_ovf::Descriptor;
use impostazione_text::Source;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    let (document, descriptor) = text.split_once('\0').unwrap_or((text, ""));
    let descriptor = Descriptor::parse(descriptor.as_bytes()).ok();
    let Ok(inspection) = inspect_environment("box", Source::new("ovf-env.xml", document), descriptor, None)
    else {
        return;
    };
    for finding in &inspection.findings {
        assert!(document.get(finding.place.span.range()).is_some());
        assert!(!finding.message.is_empty() && !finding.fix.is_empty());
    }
    let _ = inspection.machines();
});
