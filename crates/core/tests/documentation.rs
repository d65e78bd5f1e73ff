//! The pages that are made from the code are the ones in `docs/`.

use std::fs;
use std::path::Path;

use impostazione_core::views::documentation::{rules_page, sheet_page};

#[track_caller]
fn is_in_step(name: &str, made: &str) {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs").join(name);
    let there = fs::read_to_string(&path).unwrap_or_default();
    assert!(there == made, "docs/{name} is out of date: cargo run -p impostazione-core --example write-docs");
}

#[test]
fn the_page_of_rules() {
    is_in_step("rules.md", &rules_page(impostazione_core::catalog::all()));
}

#[test]
fn the_page_of_the_sheet() {
    is_in_step("sheet.md", &sheet_page());
}
