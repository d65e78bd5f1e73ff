//! Writes the pages under `docs/` that are made from the code.

use std::fs;
use std::path::Path;

use impostazione_core::views::documentation::{rules_page, sheet_page};

fn main() -> std::io::Result<()> {
    let docs = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs");
    fs::write(docs.join("rules.md"), rules_page(impostazione_core::catalog::all()))?;
    fs::write(docs.join("sheet.md"), sheet_page())
}
