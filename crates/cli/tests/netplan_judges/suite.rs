//! netplan's own examples, and every text that its tests hand to it.

use std::collections::BTreeMap;
use std::path::Path;
use std::process::Command;

use serde::Deserialize;

use crate::counts::Counts;
use crate::release::{RELEASES, Release};

/// What one test hands over.
#[derive(Deserialize)]
pub(crate) struct Case {
    pub(crate) test: String,
    pub(crate) files: BTreeMap<String, String>,
}

pub(crate) fn cases(release: Release) -> Vec<Case> {
    let collect = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/netplan_judges/collect.py");
    let output = Command::new("python3").arg(collect).arg(release.sources()).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    print!("netplan {}: {}", release.netplan, String::from_utf8_lossy(&output.stderr));
    let lines = String::from_utf8(output.stdout).unwrap();
    lines.lines().map(|line| serde_json::from_str(line).unwrap()).collect()
}

fn in_etc(files: impl IntoIterator<Item = (String, String)>) -> BTreeMap<String, String> {
    files.into_iter().map(|(name, text)| (format!("etc/netplan/{name}"), text)).collect()
}

/// The texts of both releases, each judged by both.
#[test]
#[ignore = "needs root, debootstrap, chroot, python3 and Debian's sources, which .ci/run has"]
fn examples_and_tests_of_netplan_are_read_as_netplan_reads_them() {
    for judge in RELEASES {
        let mut counts = Counts::default();
        for release in RELEASES {
            for (name, text) in release.examples() {
                counts.look_at(&format!("example {name}"), judge, &in_etc([(name.clone(), text)]));
            }
            for case in cases(release) {
                counts.look_at(&case.test, judge, &in_etc(case.files));
            }
        }
        counts.print(&format!("netplan {}", judge.netplan));
        counts.assert(700, 400, 700);
    }
}
