//! What fuzzing has found, and an example of each kind, read once more.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

use std::fs;
use std::path::Path;

use impostazione_probe::strangers::read_any;

#[test]
fn what_was_found_is_read_without_a_panic() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/inputs/answers");
    let mut count = 0;
    for entry in fs::read_dir(folder).unwrap() {
        let bytes = fs::read(entry.unwrap().path()).unwrap();
        // Cut off anywhere, it is read as well.
        for length in 0..=bytes.len() {
            read_any(&bytes[..length]);
        }
        count += 1;
    }
    assert!(count >= 8, "{count} inputs");
}
