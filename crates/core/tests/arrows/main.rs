//! Arrows point down: a folder of the core uses those below it, never those above, and files do not import each other in
//! large circles. Both are read from the `use` lines and the paths in the code; tests in the files are left out.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod imports;

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;

use imports::{Imports, circles};

/// The folders and files at the top of the core, the lowest first. What is not listed is below everything.
const ORDER: [&str; 14] = [
    "finding",
    "sheet",
    "machine",
    "network",
    "appliance",
    "rules",
    "host",
    "output",
    "placing",
    "views",
    "catalog",
    "assess",
    "edit",
    "draft",
];

/// The largest circle of files that is borne.
const LARGEST_CIRCLE: usize = 4;

/// Imports that point up, as `from -> to`.
fn pointing_up(imports: &Imports) -> Vec<String> {
    let rank = |file: &[String]| {
        let top = file.first().map_or("", String::as_str);
        ORDER.iter().position(|known| *known == top).map_or(0, |at| at + 1)
    };
    let all = imports.iter().flat_map(|(from, targets)| targets.iter().map(move |to| (from, to)));
    // The list of what there is names everything.
    let all = all.filter(|(from, _)| !from.is_empty());
    let up = all.filter(|(from, to)| rank(from) < rank(to));
    up.map(|(from, to)| format!("{} -> {}", from.join("/"), to.join("/"))).collect()
}

#[test]
fn no_folder_of_the_core_uses_one_above_it() {
    let source = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    for entry in fs::read_dir(&source).unwrap() {
        let name = entry.unwrap().path().file_stem().unwrap().to_string_lossy().into_owned();
        assert!(name == "lib" || ORDER.contains(&name.as_str()), "{name} has no place in the order");
    }
    let imports = imports::of_crate(&source);
    assert!(imports.len() > 100, "{} files were read", imports.len());
    assert_eq!(pointing_up(&imports), [""; 0]);
}

#[test]
fn no_circle_of_files_is_large() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    for entry in fs::read_dir(crates).unwrap() {
        let source = entry.unwrap().path().join("src");
        for circle in circles(&imports::of_crate(&source)) {
            assert!(circle.len() <= LARGEST_CIRCLE, "{}: {circle:?}", source.display());
        }
    }
}

/// What keeps the two tests above from passing whatever is read.
#[test]
fn a_turned_arrow_and_a_large_circle_are_found() {
    let folder = tempfile::tempdir().unwrap();
    let write = |path: &str, text: &str| {
        let path = folder.path().join(path);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, text).unwrap();
    };
    write("lib.rs", "pub mod finding;\npub mod views;\n");
    write("finding/mod.rs", "mod rule;\n");
    write("finding/rule.rs", "use std::fmt;\nfn a() { let _ = \"crate::views\"; }\n");
    write("views/mod.rs", "use crate::finding;\n");
    assert_eq!(pointing_up(&imports::of_crate(folder.path())), [""; 0]);
    for turned in
        ["use crate::{views, finding::b};", "use super::super::views::C;", "fn a(one: crate::views::C) {}"]
    {
        write("finding/rule.rs", turned);
        assert_eq!(pointing_up(&imports::of_crate(folder.path())), ["finding/rule -> views"], "{turned}");
    }
    write("finding/rule.rs", "#[cfg(test)]\nmod tests {\n    use crate::views::C;\n}\n");
    assert_eq!(pointing_up(&imports::of_crate(folder.path())), [""; 0]);

    let ring = ["a", "b", "c", "d", "e"];
    for (at, name) in ring.into_iter().enumerate() {
        let next = ring.get(at + 1).unwrap_or(&"a");
        write(&format!("views/{name}.rs"), &format!("use super::{next}::Thing;\n"));
    }
    let sizes: BTreeMap<usize, usize> =
        circles(&imports::of_crate(folder.path())).iter().map(|circle| (circle.len(), 1)).collect();
    assert_eq!(sizes, BTreeMap::from([(5, 1)]));
}
