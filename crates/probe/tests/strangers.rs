//! What fuzzing has found, and an example of each kind, read once more.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

use std::fs;
use std::path::Path;

use impostazione_probe::strangers::read_any;
use proptest::prelude::*;

#[test]
fn what_was_found_is_read_without_a_panic() {
    let inputs = inputs();
    for bytes in &inputs {
        // Cut off anywhere, it is read as well.
        for length in 0..=bytes.len() {
            read_any(&bytes[..length]);
        }
    }
    assert!(inputs.len() >= 15, "{} inputs", inputs.len());
}

/// The examples, in the order of their names.
fn inputs() -> Vec<Vec<u8>> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/inputs/answers");
    let mut paths: Vec<_> = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    paths.sort();
    paths.into_iter().map(|path| fs::read(path).unwrap()).collect()
}

/// Something is changed in a text: at a place, in place of so many bytes.
fn changed(mut bytes: Vec<u8>, changes: &[(prop::sample::Index, usize, Vec<u8>)]) -> Vec<u8> {
    for (at, gone, come) in changes {
        let at = at.index(bytes.len() + 1);
        let end = (at + gone).min(bytes.len());
        bytes.splice(at..end, come.iter().copied());
    }
    bytes
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(
        std::env::var("PROPTEST_CASES").ok().and_then(|cases| cases.parse().ok()).unwrap_or(1_000)
    ))]

    #[test]
    fn whatever_is_changed_in_an_answer_is_read_without_a_panic(
        which in any::<prop::sample::Index>(),
        changes in prop::collection::vec(
            (any::<prop::sample::Index>(), 0_usize..6, prop::collection::vec(any::<u8>(), 0..6)),
            1..8,
        ),
    ) {
        let inputs = inputs();
        let bytes = inputs[which.index(inputs.len())].clone();
        read_any(&changed(bytes, &changes));
    }
}
