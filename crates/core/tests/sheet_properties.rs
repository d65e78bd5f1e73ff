//! Whatever a sheet holds, judging it ends, panics never, and gives findings that point into it.

#![allow(clippy::expect_used, reason = "a test that cannot go on has failed")]

use std::path::Path;

use impostazione_core::assess::assess;
use impostazione_core::finding::Report;
use impostazione_core::output::render;
use impostazione_core::views::review::review;
use impostazione_text::files::Folder;
use jiff::civil::{Date, date};
use proptest::prelude::*;

/// Waivers are counted by it.
const TODAY: Date = date(2026, 11, 25);

const HARBOR: &str = include_str!("../testdata/harbor/harbor.toml");

/// The folder of the test site.
fn demo() -> Folder {
    Folder::new(Path::new(env!("CARGO_MANIFEST_DIR")).join("testdata/harbor"))
}

/// Judges a text in every way that the program does, and checks what must hold of any result.
fn judge(bytes: Vec<u8>) {
    let assessment = assess("sheet.toml", bytes, &demo(), TODAY);
    for finding in &assessment.findings {
        let source = assessment.sources.get(finding.place.source);
        let span = finding.place.span;
        assert!(source.text().get(span.range()).is_some(), "{finding:?} points nowhere");
        assert!(!finding.message.is_empty() && finding.message.ends_with('.'), "{finding:?}");
        assert!(!finding.fix.is_empty() && !finding.fix.ends_with('.'), "{finding:?}");
    }
    let report = Report::new(&assessment.sources, assessment.site.machines.len(), &assessment.findings);
    assert!(serde_json::to_string(&report).is_ok());
    let _ = review(&assessment.site, |_| true);
    match assessment.proved() {
        Some(proved) => {
            let tree = render(proved, |_| true).expect("a proved sheet can be rendered");
            let again = render(proved, |_| true).expect("and again");
            assert_eq!(tree.files, again.files);
        }
        None => assert!(!assessment.findings.is_empty()),
    }
}

/// What a sheet is made of, right and wrong.
const PIECES: &[&str] = &[
    "format",
    "common",
    "subnet",
    "account",
    "host",
    "appliance",
    "link",
    "answer",
    "name",
    "domain",
    "dns",
    "search",
    "ntp",
    "timezone",
    "prefix",
    "gateway",
    "prefix6",
    "gateway6",
    "dhcp_ranges",
    "kept_free",
    "in_use",
    "address",
    "address6",
    "default_route",
    "package",
    "take",
    "of",
    "nth",
    "join",
    "ssh_keys",
    "hosts",
    "quay",
    "eth0",
    "[",
    "]",
    "[[host]]\n",
    "[[appliance]]\n",
    "[common]\n",
    "[subnet.quay]\n",
    "[account.keeper]\n",
    "[host.link.eth0]\n",
    "[appliance.answer]\n",
    "{ ",
    " }",
    " = ",
    ", ",
    "\n",
    "\"",
    "'",
    "\"\"\"",
    "#",
    "\\",
    "1",
    "-1",
    "0x1f",
    "1.5",
    "true",
    "2027-06-30",
    "\"none\"",
    "\"10.64.10.0/24\"",
    "\"10.64.10.11\"",
    "\"fd64::1\"",
    "\"quay\"",
    "\"Europe/Rome\"",
    "\"gauge-01\"",
    "\"keys/keeper.pub\"",
    "\"packages/logbook.ovf\"",
    "10.64.10.11",
    "ì",
    "\u{7}",
    "\u{feff}",
    "rows",
    "\"lamps.csv\"",
    "\"{name}\"",
    "\"{address}\"",
    "\"gauge-{1..3}\"",
    "\"10.64.10.{11..13}\"",
    "{",
    "}",
    "\r\n",
];

fn piece() -> impl Strategy<Value = String> {
    prop_oneof![8 => proptest::sample::select(PIECES).prop_map(str::to_owned), 1 => "\\PC{0,6}"]
}

proptest! {
    #[test]
    fn any_bytes(bytes in proptest::collection::vec(any::<u8>(), 0..300)) {
        judge(bytes);
    }

    #[test]
    fn pieces_of_sheets(pieces in proptest::collection::vec(piece(), 0..60)) {
        judge(format!("format = 1\n{}", pieces.concat()).into_bytes());
    }

    #[test]
    fn the_sample_sheet_with_a_part_replaced(from in 0..HARBOR.len(), length in 0..40_usize, with in piece()) {
        let start = (0..=from).rev().find(|at| HARBOR.is_char_boundary(*at)).unwrap_or(0);
        let end = (start + length..HARBOR.len()).find(|at| HARBOR.is_char_boundary(*at)).unwrap_or(HARBOR.len());
        judge(format!("{}{with}{}", &HARBOR[..start], &HARBOR[end..]).into_bytes());
    }
}
