//! Any text as a line with secrets, as a stranger's text, and as an amount of data: parts lie on character boundaries, and what
//! is shown drives no terminal.
#![no_main]

use impostazione_text::confidential::{confidential_parts, is_secret};
use impostazione_text::visible::{guarded, harmless, is_unseen};
use impostazione_text::{ByteSize, Source, nearest};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    for line in text.lines().take(50) {
        for part in confidential_parts(line) {
            assert!(line.get(part).is_some(), "{line:?}");
        }
        let _ = is_secret(line);
    }
    let source = Source::new("text", text);
    for offset in [0, text.len() / 2, text.len(), text.len() + 1] {
        let (start, line) = source.line_at(offset);
        assert!(text.get(start..start + line.len()).is_some());
        for part in source.confidential_parts(offset) {
            assert!(line.get(part).is_some());
        }
        assert!(source.position(offset).line > 0);
    }
    assert!(!harmless(text).chars().any(is_unseen));
    assert!(!guarded(text).chars().any(|c| is_unseen(c) && !matches!(c, '\n' | '\t' | '\u{1b}')));
    if let Some(size) = ByteSize::parse(text) {
        assert!(
            ByteSize::parse(&size.to_string()).is_some_and(|again| again <= size)
                || size.to_string().contains('.')
        );
    }
    let _ = nearest(text.get(..text.floor_char_boundary(100)).unwrap_or_default(), ["address", "gateway"], 1);
});
